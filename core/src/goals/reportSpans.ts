import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import { timeDimension } from '../dimensions/dimensions.js'

/** Length of the spans of a series. */
export const SERIES_UNITS = ['hour', 'day', 'week', 'month'] as const
/** Length of the spans of a series. */
export type SeriesUnit = (typeof SERIES_UNITS)[number]

const HOUR_MS = 3_600_000
/** Longest series by the hour. */
const MOST_HOURS = 2500

/** The spans of a series, and which of them an instant belongs to. */
export interface ReportSpans {
  /** Every span that the range touches, in order; also those in which nothing happened. */
  keys: string[]
  /** `2026-05-04 07:00`, `2026-05-04`, `2026-W19` or `2026-05`, on the site's clock. */
  keyOf: (at: number) => string
}

/** Divides a range into spans of a unit. */
export function reportSpans(range: Range, calendar: Calendar, unit: SeriesUnit): ReportSpans {
  const keyOf = (at: number): string =>
    unit === 'hour' ? `${calendar.dayOf(at)} ${String(calendar.localClock(at).getUTCHours()).padStart(2, '0')}:00` : String(timeDimension(unit, at, calendar))
  const keys = new Set<string>()
  if (unit === 'hour') for (let at = range.from; at < range.to && keys.size < MOST_HOURS; at += HOUR_MS / 2) keys.add(keyOf(at))
  else for (const day of daysOf(range, calendar)) keys.add(keyOf(Math.max(range.from, calendar.startOfDay(day))))
  return { keys: [...keys], keyOf }
}
