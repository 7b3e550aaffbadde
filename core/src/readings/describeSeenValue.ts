import type { SeenValue } from './ValueCount.js'

/**
 * What the way a value occurred suggests, in a few words for offers: "once a visit, after a form".
 * Empty when nothing stands out. Shares are of the value's own events.
 */
export function describeSeenValue(value: SeenValue): string {
  const notes: string[] = []
  if (value.events >= 5 && value.events < value.visits * 1.15) notes.push('once a visit')
  if (value.afterForm > value.events * 0.5) notes.push('after a form')
  if (value.events >= 5 && value.first > value.events * 0.6) notes.push('often the first page')
  return notes.join(', ')
}
