import { TZDate, tzOffset } from '@date-fns/tz'

/** A calendar day in a site's time zone, `YYYY-MM-DD`. */
export type Day = string

const QUARTER = 15 * 60_000

/** A calendar of one time zone. Build it once for a computation: it remembers offsets it looked up. */
export interface Calendar {
  readonly timeZone: string
  /** The day an instant (ms since 1970, UTC) falls on. */
  dayOf(at: number): Day
  /** The local clock at an instant, as a UTC date whose UTC fields read the local time. */
  localClock(at: number): Date
  /** The first instant (ms) of a day. */
  startOfDay(day: Day): number
  /** The instant (ms) at which a site's clock shows a day and so many ms after midnight; where it does so twice, the first. */
  instantAt(day: Day, clock: number): number
}

/** Tells whether the runtime knows a time zone by this IANA name. */
export function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name })
    return /^[A-Za-z]/.test(name)
  } catch {
    return false
  }
}

/** The calendar of an IANA time zone; `name` must satisfy `isTimeZone`. */
export function calendarOf(timeZone: string): Calendar {
  // Offsets only ever change on a quarter of an hour, so one look-up serves all instants within it.
  const offsets = new Map<number, number>()
  const days = new Map<number, Day>()
  const offsetAt = (at: number): number => {
    const quarter = Math.floor(at / QUARTER)
    let offset = offsets.get(quarter)
    if (offset === undefined) {
      if (offsets.size > 100_000) offsets.clear()
      offset = Math.round(tzOffset(timeZone, new Date(quarter * QUARTER)) * 60_000)
      offsets.set(quarter, offset)
    }
    return offset
  }
  return {
    timeZone,
    dayOf(at) {
      const number = Math.floor((at + offsetAt(at)) / 86_400_000)
      let day = days.get(number)
      if (day === undefined) {
        day = new Date(number * 86_400_000).toISOString().slice(0, 10)
        days.set(number, day)
      }
      return day
    },
    localClock: (at) => new Date(at + offsetAt(at)),
    startOfDay(day) {
      const [year = 0, month = 1, date = 1] = day.split('-').map(Number)
      return new TZDate(year, month - 1, date, timeZone).getTime()
    },
    instantAt(day, clock) {
      const shown = Date.parse(day + 'T00:00:00Z') + clock
      // One of these two offsets is in force at that instant; where neither fits, the clock skips it.
      const candidates = [offsetAt(shown - 86_400_000), offsetAt(shown + 86_400_000)].map((offset) => shown - offset).sort((a, b) => a - b)
      return candidates.find((at) => at + offsetAt(at) === shown) ?? (candidates[0] as number)
    },
  }
}

/** The day so many days after (or before) another. */
export function addDays(day: Day, days: number): Day {
  return new Date(Date.parse(day + 'T00:00:00Z') + days * 86_400_000).toISOString().slice(0, 10)
}

const MONTH_DAYS = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
const isLeap = (year: number): boolean => year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0)

/** Tells whether a text is a calendar day that exists. Every event's time is asked, so nothing is parsed. */
export function isDay(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false
  const [year, month, day] = [Number(text.slice(0, 4)), Number(text.slice(5, 7)), Number(text.slice(8))]
  return month >= 1 && month <= 12 && day >= 1 && day <= (MONTH_DAYS[month - 1] as number) && (month !== 2 || day < 29 || isLeap(year))
}
