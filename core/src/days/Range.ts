import { addDays, isDay, type Calendar, type Day } from './zone.js'
import { parseTime } from './parseTime.js'

/** A span of time: `from` is in it, `to` is not (ms since 1970, UTC). */
export interface Range {
  from: number
  to: number
}

/** The range in which everything lies. */
export const ALWAYS: Range = { from: -Infinity, to: Infinity }

/** A range somebody asked for, before it is known whether it makes sense. */
export interface AskedRange {
  /** Day in the site's time zone, or a time. */
  from: string
  /** Day in the site's time zone, or a time; not included. */
  to: string
}

/** Why an asked range cannot be used; `path` names the field. */
export class BadRangeError extends Error {
  constructor(
    readonly path: 'from' | 'to',
    message: string,
  ) {
    super(message)
  }
}

/**
 * Turns days or times into instants.
 * @throws BadRangeError when a bound is neither a day nor a time, or `to` is not after `from`
 */
export function resolveRange(asked: AskedRange, calendar: Calendar): Range {
  const bound = (path: 'from' | 'to'): number => {
    const text = asked[path]
    if (isDay(text)) return calendar.startOfDay(text)
    const at = parseTime(text)
    if (at === null) throw new BadRangeError(path, `"${text}" is neither a day such as 2026-05-04 nor a time such as 2026-05-04T10:00:00Z.`)
    return at
  }
  const range = { from: bound('from'), to: bound('to') }
  if (range.to <= range.from) throw new BadRangeError('to', 'The range ends before it begins; its last day is not included.')
  return range
}

/** Every day a range touches, in order. At most 4000 days, about eleven years. */
export function daysOf(range: Range, calendar: Calendar): Day[] {
  const days: Day[] = []
  const last = calendar.dayOf(range.to - 1)
  for (let day = calendar.dayOf(range.from); day <= last && days.length < 4000; day = addDays(day, 1)) days.push(day)
  return days
}
