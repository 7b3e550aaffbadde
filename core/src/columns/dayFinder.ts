import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'

/** The days of a range, and which of them an instant of the range falls on. */
export interface DayFinder {
  days: Day[]
  indexOf: (at: number) => number
}

/** Finds days by their beginnings, without asking the calendar each time. */
export function dayFinder(range: Range, calendar: Calendar): DayFinder {
  const days = daysOf(range, calendar)
  const starts = Float64Array.from(days, (day) => calendar.startOfDay(day))
  let last = 0
  return {
    days,
    indexOf(at) {
      // Events of a visit mostly fall on the same day.
      if ((starts[last] as number) <= at && (last + 1 === starts.length || (starts[last + 1] as number) > at)) return last
      let [low, high] = [0, starts.length - 1]
      while (low < high) {
        const middle = (low + high + 1) >> 1
        if ((starts[middle] as number) <= at) low = middle
        else high = middle - 1
      }
      return (last = low)
    },
  }
}
