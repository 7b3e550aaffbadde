import type { Calendar } from '../days/zone.js'
import { timeDimension } from '../dimensions/dimensions.js'
import type { ReportSpans } from '../goals/reportSpans.js'

const QUARTER_MS = 15 * 60_000

/** What a site's clock shows at an instant. */
export interface Clock {
  /** 0 to 23. */
  hour: number
  /** 1 is Monday. */
  weekday: number
  /** Number of the span of the series; as many as there are where it belongs to none. */
  span: number
}

/** Reads a site's clock for millions of instants: whatever it shows of hours and days changes at a quarter of an hour at most. */
export function clockTable(calendar: Calendar, { keys, keyOf }: ReportSpans): (at: number) => Clock {
  const numbers = new Map(keys.map((key, index) => [key, index]))
  const known = new Map<number, Clock>()
  return (at) => {
    const quarter = Math.floor(at / QUARTER_MS)
    let clock = known.get(quarter)
    if (!clock) {
      clock = {
        hour: timeDimension('hour', at, calendar) as number,
        weekday: timeDimension('weekday', at, calendar) as number,
        span: numbers.get(keyOf(at)) ?? keys.length,
      }
      if (known.size > 100_000) known.clear()
      known.set(quarter, clock)
    }
    return clock
  }
}
