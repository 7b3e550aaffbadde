import type { OwnReading } from '../readings/ownReadingSchema.js'
import type { LoaderTag } from './LoaderConfig.js'

/**
 * The own readings that what a tag sends refers to, by name, including those a table looks at. They
 * are taken at the moment itself where a tag has to wait. A script says what it reads only while it
 * runs, so it gets all of them.
 */
export function usedReadings(tag: Pick<LoaderTag, 'steps' | 'value' | 'order' | 'extra' | 'event' | 'html'>, readings: readonly OwnReading[]): string[] {
  const isScript = !tag.steps && !tag.event && tag.html === undefined
  const text = JSON.stringify([tag.steps, tag.value, tag.order, tag.extra])
  const names = new Set(readings.filter(({ name }) => isScript || new RegExp(`own\\.${name}(?![a-z0-9-])`).test(text)).map(({ name }) => name))
  for (const { name, from } of [...readings].reverse())
    if (names.has(name) && from.type === 'table' && from.reading.startsWith('own.')) names.add(from.reading.slice(4))
  return [...names].filter((name) => readings.some((each) => each.name === name))
}
