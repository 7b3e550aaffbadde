import { parseTime } from './parseTime.js'
import { isDay, type Calendar } from './zone.js'

const LOCAL = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{1,2}):(\d{2})(?::(\d{2})(?:\.(\d+))?)?)?$/
/** A day alone means its noon: the day most people would name for that instant, wherever they are. */
const NOON = 12 * 3_600_000

/**
 * Reads a time as people write it in files: ISO 8601 with a zone, or a day, with or without a time, on the
 * site's clock.
 * @returns ms since 1970 UTC, or null when the text is neither
 */
export function parseLocalTime(text: string, calendar: Calendar): number | null {
  const trimmed = text.trim()
  const found = LOCAL.exec(trimmed)
  if (!found) return parseTime(trimmed.replace(' ', 'T'))
  const [, day = '', hour, minute = '0', second = '0', fraction = ''] = found
  if (!isDay(day) || Number(hour ?? 0) > 23 || Number(minute) > 59 || Number(second) > 59) return null
  if (hour === undefined) return calendar.instantAt(day, NOON)
  return calendar.instantAt(day, ((Number(hour) * 60 + Number(minute)) * 60 + Number(second)) * 1000 + Number(fraction.padEnd(3, '0').slice(0, 3)))
}
