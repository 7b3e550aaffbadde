import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'

const DAY_MS = 86_400_000

/** The days of a range, and which of them an instant of the range falls on. */
export interface DayFinder {
  days: Day[]
  indexOf: (at: number) => number
  /** Where each day ends, in ms; the last one with the range. */
  ends: Float64Array
}

/** Finds days by their beginnings, without asking the calendar each time. */
export function dayFinder(range: Range, calendar: Calendar): DayFinder {
  const days = daysOf(range, calendar)
  const starts = Float64Array.from(days, (day) => calendar.startOfDay(day))
  const first = starts[0] as number
  const end = starts.length - 1
  const ends = Float64Array.from(days, (_, index) => starts[index + 1] ?? range.to)
  return {
    days,
    ends,
    indexOf(at) {
      // Where clocks change, days are an hour longer or shorter, so this is off by one at most.
      let index = Math.floor((at - first) / DAY_MS)
      if (index < 0) return 0
      if (index > end) index = end
      while (index > 0 && (starts[index] as number) > at) index--
      while (index < end && (starts[index + 1] as number) <= at) index++
      return index
    },
  }
}
