import { isDay } from './zone.js'

const TIME = /^(\d{4}-\d{2}-\d{2})T(\d{2}):(\d{2})(?::(\d{2})(?:\.(\d+))?)?(Z|[+-]\d{2}:\d{2})$/

/**
 * Reads an ISO 8601 time. Digits finer than a millisecond are cut off, not rounded.
 * @returns ms since 1970 UTC, or null when the text is no such time
 */
export function parseTime(text: string): number | null {
  const parts = TIME.exec(text)
  if (!parts) return null
  const [, day = '', hour, minute, second = '00', fraction = '', zone = 'Z'] = parts
  if (!isKnownDay(day) || Number(hour) > 23 || Number(minute) > 59 || Number(second) > 59) return null
  const at = Date.parse(`${day}T${hour}:${minute}:${second}.${fraction.padEnd(3, '0').slice(0, 3)}${zone}`)
  return Number.isNaN(at) ? null : at
}

/** The day that was asked about last, and is one: events come day by day. */
let lastDay = ''

function isKnownDay(day: string): boolean {
  if (day === lastDay) return true
  if (!isDay(day)) return false
  lastDay = day
  return true
}
