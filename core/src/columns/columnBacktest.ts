import type { Range } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'
import type { Backtest, BacktestPart } from '../goals/Backtest.js'
import type { AfterSales } from '../goals/afterSales.js'
import { countVisit, newMemory, type Passed } from '../goals/countVisit.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { ColumnGoalTrack } from './ColumnGoalTrack.js'
import { columnRule, type ColumnCursor } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'
import { ConversionTally, visitorOf } from './ConversionTally.js'
import { countEvery } from './countEvery.js'
import { dayFinder } from './dayFinder.js'
import { goalOnColumns } from './goalOnColumns.js'
import { missCounter } from './missCounter.js'
import { wholeNumbers } from './GrowingList.js'
import { pathOf } from './pathOf.js'
import { firstOfOrders, isFirst, type OpenOrders } from './firstOfOrders.js'
import { passOfAddresses } from './passOfAddresses.js'
import { salesReader } from './salesReader.js'
import { NARROWLY, PASSES, sourceVerdicts } from './sourceVerdicts.js'

/** What a thread counted over its part. Where each order counts once, who is first is settled over all parts. */
export type ColumnBacktestPart = { final: BacktestPart } | ({ open: BacktestPart } & OpenOrders)

/**
 * Runs a goal over a part of a site's columns; what counts is decided by the same function as over visits.
 * Visitors are named by their number, as `#12`. Put parts together by `mergeBacktests`.
 */
export function columnBacktest(columns: Columns, part: ColumnPart, goal: PreparedGoal, range: Range, calendar: Calendar): ColumnBacktestPart {
  const { at, name, address, visitStart, visitSource, visitorStart, texts } = columns
  const cursor: ColumnCursor = { visit: 0 }
  const { kind } = goal
  const { shape, pageView, wanted, ruled, pass, holds, steps, only } = goalOnColumns(goal, columns, cursor)
  const once = goal.count === 'order'
  const ofSources = ruled && !pass ? sourceVerdicts(goal.where, columns) : null
  const track = new ColumnGoalTrack(columns, pageView, wanted, pass, ofSources ? () => true : holds, steps)
  const days = dayFinder(range, calendar)
  const tally = new ConversionTally(columns, goal, range, days)
  const [eventsByDay, visitsByDay] = [new Float64Array(days.days.length), new Float64Array(days.days.length)]
  const addressEvents = new Uint32Array(texts.addresses.length)
  const addressVisits = new Uint32Array(texts.addresses.length)
  const addressSeen = new Uint32Array(texts.addresses.length)
  /** Events of the goal's name in the range, by address. */
  const named = new Uint32Array(texts.addresses.length)
  const misses = missCounter(columns, cursor, goal)
  const alone = goal.where.flat().length > 1 && ruled ? goal.where.flat().map((condition) => columnRule([[condition]], columns, cursor)) : []
  const aloneEvents = alone.map(() => 0)
  const [positions, ofVisits] = [wholeNumbers(), wholeNumbers()]
  let [visits, ofKind, afterPath] = [0, 0, 0]
  const salesOf = salesReader(columns)
  let sales: AfterSales | null = null
  /** The day of everything in the visit in hand; -1 where it has several, or lies partly outside the range. */
  let visitDay = -1

  const note = (position: number, passed: Passed): void => {
    const instant = at[position] as number
    let day = -1
    if (instant >= range.from && instant < range.to) {
      ofKind++
      day = visitDay >= 0 ? visitDay : days.indexOf(instant)
      eventsByDay[day]!++
      const page = address[position] as number
      if (!pass) addressEvents[page]!++
      if (addressSeen[page] !== cursor.visit + 1) {
        addressSeen[page] = cursor.visit + 1
        addressVisits[page]!++
      }
      if (passed !== 'kind') afterPath++
    }
    if (passed !== 'counted' || (only && !only(position))) return
    if (sales?.cancelled.has(texts.orders[columns.order[position] as number] as string)) return
    if (once) {
      positions.push(position)
      ofVisits.push(cursor.visit)
    } else tally.add(position, cursor.visit, sales, day)
  }

  /** Looks at what a visit's events narrowly miss, and which conditions they satisfy. */
  const lookClosely = (from: number, to: number): void => {
    for (let position = from; position < to; position++) {
      if (name[position] !== wanted || (at[position] as number) < range.from || (at[position] as number) >= range.to) continue
      for (let index = 0; index < alone.length; index++) if (alone[index]!(position)) aloneEvents[index]!++
      misses.look(position)
    }
  }
  const memory = newMemory()
  if (pass && goal.count === 'every' && !steps.length && !salesOf && !only) {
    const counted = countEvery(columns, part, { wanted, pass, range, days, named, addressVisits, visitsByDay, eventsByDay }, tally)
    visits = counted.visits
    ofKind = afterPath = counted.events
  } else {
    for (let visitor = part.from; visitor < part.to; visitor++) {
      if (part.skip?.[visitor]) continue
      memory.counted = 0
      if (once) memory.orders.clear()
      sales = salesOf?.(visitor) ?? null
      const firstVisit = visitorStart[visitor] as number
      const visitsEnd = visitorStart[visitor + 1] as number
      for (let visit = firstVisit; visit < visitsEnd; visit++) {
        const from = visitStart[visit] as number
        const to = visitStart[visit + 1] as number
        const startedAt = at[from] as number
        const endedAt = at[to - 1] as number
        const inside = startedAt >= range.from && endedAt < range.to
        const touches = inside || (endedAt >= range.from && startedAt < range.to)
        const nth = visit - firstVisit + 1
        cursor.visit = visit
        const startDay = startedAt >= range.from && startedAt < range.to ? days.indexOf(startedAt) : -1
        visitDay = startDay >= 0 && endedAt < (days.ends[startDay] as number) ? startDay : -1
        if (startDay >= 0) {
          visits++
          visitsByDay[startDay]!++
        }
        let hit =
          kind.type === 'time'
            ? endedAt - startedAt >= kind.seconds * 1000
            : (kind.type === 'depth' && to - from >= kind.pages) || (kind.type === 'return' && nth >= kind.visits)
        if (pass) {
          for (let position = from; position < to; position++) {
            if (name[position] !== wanted) continue
            const page = address[position] as number
            if (pass[page]) hit = true
            if (inside || (touches && (at[position] as number) >= range.from && (at[position] as number) < range.to)) named[page]!++
          }
        } else if (ofSources) {
          const verdict = ofSources[visitSource[visit] as number]
          hit = verdict === PASSES
          if (touches && (alone.length || verdict === NARROWLY)) lookClosely(from, to)
        } else if (ruled) {
          for (let position = from; position < to; position++) {
            if (name[position] !== wanted) continue
            if (!holds(position)) continue
            hit = true
            break
          }
          if (touches) lookClosely(from, to)
        }
        if (!hit) continue
        memory.visits = nth - 1
        countVisit(shape, track, from, to, memory, note)
      }
    }
  }
  if (pass) {
    for (const [page, events] of named.entries()) if (pass[page]) addressEvents[page] = events
    const aloneOfAddress = alone.length ? goal.where.flat().map((condition) => passOfAddresses([[condition]], columns)) : []
    for (const [page, events] of named.entries()) {
      if (!events) continue
      misses.lookAtAddress(page, events)
      for (let index = 0; index < aloneOfAddress.length; index++) if (aloneOfAddress[index]?.[page]) aloneEvents[index]! += events
    }
  }
  const addresses = new Map<string, [path: string, events: number, visits: number]>()
  for (const [id, events] of addressEvents.entries()) {
    if (!events) continue
    const path = pathOf(columns, id)
    const known = addresses.get(path)
    if (known) {
      known[1] += events
      known[2] += addressVisits[id] as number
    } else addresses.set(path, [path, events, addressVisits[id] as number])
  }
  const result: BacktestPart = {
    ...tally.result(),
    visits,
    visitsByDay: [...visitsByDay].map((n, index) => [days.days[index] as Day, n]),
    eventsByDay: [...eventsByDay].map((n, index) => [days.days[index] as Day, n]),
    ofKind,
    afterPath,
    addresses: [...addresses.values()],
    misses: misses.result(),
    alone: aloneEvents,
  }
  return once ? { open: result, positions: positions.list(), visits: ofVisits.list() } : { final: result }
}

/**
 * Puts together what threads counted, and what was counted of visitors that are not in the columns. Where each
 * order counts once, the first of all of them counts.
 * @param backtest has taken those other visitors already
 */
export function mergeBacktests(
  columns: Columns,
  parts: readonly ColumnBacktestPart[],
  goal: PreparedGoal,
  range: Range,
  calendar: Calendar,
  backtest: Backtest,
): void {
  const open = parts.flatMap((part) => ('open' in part ? [part] : []))
  for (const part of parts) if ('final' in part) backtest.merge(part.final)
  if (!open.length) return
  const first = firstOfOrders(columns, open, backtest)
  const days = dayFinder(range, calendar)
  const salesOf = salesReader(columns)
  for (const { open: counted, positions, visits } of open) {
    const tally = new ConversionTally(columns, goal, range, days)
    for (const [index, position] of positions.entries()) {
      if (!isFirst(columns, first, position)) continue
      const instant = columns.at[position] as number
      const day = instant >= range.from && instant < range.to ? days.indexOf(instant) : -1
      const visit = visits[index] as number
      tally.add(position, visit, salesOf?.(visitorOf(columns, visit)) ?? null, day)
    }
    backtest.merge({ ...counted, ...tally.result() })
  }
}
