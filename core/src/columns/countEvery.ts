import type { Range } from '../days/Range.js'
import type { Columns, ColumnPart } from './Columns.js'
import type { ConversionTally } from './ConversionTally.js'
import type { DayFinder } from './dayFinder.js'
import type { AddressPass } from './passOfAddresses.js'

/** What is counted every time, and the counts by day and address that are filled. */
export interface EveryCount {
  /** Number of the name that events of the goal's kind have. */
  wanted: number
  pass: AddressPass
  range: Range
  days: DayFinder
  /** Events of that name in the range, by address, whether they pass or not. */
  named: Uint32Array
  /** Visits with an event that passes, by address. */
  addressVisits: Uint32Array
  /** Visits that begin on a day. */
  visitsByDay: Float64Array
  /** Events that pass, by day. */
  eventsByDay: Float64Array
}

/**
 * Counts a goal that asks for nothing but the address and counts every time, on a site where no order was ever cancelled or
 * paid back: then no event depends on another one. It may match the whole log, so this is one loop over numbers, by itself
 * because what closures share is slower.
 * @returns visits that begin in the range, and events in it that count
 */
export function countEvery(columns: Columns, part: ColumnPart, count: EveryCount, tally: ConversionTally): { visits: number; events: number } {
  const { at, name, address, visitStart, visitorStart } = columns
  const { wanted, pass, range, days, named, addressVisits, visitsByDay, eventsByDay } = count
  const { from: rangeFrom, to: rangeTo } = range
  const { ends } = days
  /** Number + 1 of the visit in which an address was seen last. */
  const seen = new Uint32Array(addressVisits.length)
  let [visits, events] = [0, 0]
  for (let visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    const visitsEnd = visitorStart[visitor + 1] as number
    for (let visit = visitorStart[visitor] as number; visit < visitsEnd; visit++) {
      const from = visitStart[visit] as number
      const to = visitStart[visit + 1] as number
      const startedAt = at[from] as number
      const endedAt = at[to - 1] as number
      const startDay = startedAt >= rangeFrom && startedAt < rangeTo ? days.indexOf(startedAt) : -1
      if (startDay >= 0) {
        visits++
        visitsByDay[startDay]!++
      }
      if (startDay < 0 || endedAt >= (ends[startDay] as number)) {
        if (endedAt >= rangeFrom && startedAt < rangeTo) events += countOneByOne(columns, from, to, visit, count, seen, tally)
        continue
      }
      let passed = 0
      for (let position = from; position < to; position++) {
        if (name[position] !== wanted) continue
        const page = address[position] as number
        named[page]!++
        if (pass[page] !== 1) continue
        passed++
        if (tally.isWorth(position)) tally.addWorth(position, visit, null, startDay)
        if (seen[page] === visit + 1) continue
        seen[page] = visit + 1
        addressVisits[page]!++
      }
      if (!passed) continue
      events += passed
      eventsByDay[startDay]! += passed
      tally.addCount(passed, visit, startDay)
      if (!tally.isLate(to - 1)) continue
      for (let position = from; position < to; position++)
        if (name[position] === wanted && pass[address[position] as number] === 1) tally.keepIfLate(position, visit, null)
    }
  }
  return { visits, events }
}

/** The same for a visit over midnight, or partly outside the range. */
function countOneByOne(
  { at, name, address }: Columns,
  from: number,
  to: number,
  visit: number,
  { wanted, pass, range, days, named, addressVisits, eventsByDay }: EveryCount,
  seen: Uint32Array,
  tally: ConversionTally,
): number {
  let events = 0
  for (let position = from; position < to; position++) {
    if (name[position] !== wanted) continue
    const page = address[position] as number
    const instant = at[position] as number
    const inside = instant >= range.from && instant < range.to
    if (inside) named[page]!++
    if (pass[page] !== 1) continue
    const day = inside ? days.indexOf(instant) : -1
    tally.add(position, visit, null, day)
    if (!inside) continue
    events++
    eventsByDay[day]!++
    if (seen[page] === visit + 1) continue
    seen[page] = visit + 1
    addressVisits[page]!++
  }
  return events
}
