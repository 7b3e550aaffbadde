import type { Range } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import type { Backtest, BacktestPart, CountedOnce } from '../goals/Backtest.js'
import { afterSalesOf, lessRefunds, ORDER_CANCELLED, ORDER_REFUNDED, type AfterSales } from '../goals/afterSales.js'
import { worthOf, type Worth } from '../goals/countGoal.js'
import { countVisit, newMemory, type GoalTrack, type Passed } from '../goals/countVisit.js'
import { ValueSum } from '../goals/ValueSum.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { amountToNumber } from '../money/Amount.js'
import { compareCodePoints } from '../text/compareCodePoints.js'
import { columnReading, columnRule, type ColumnCursor } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'
import { dayFinder, type DayFinder } from './dayFinder.js'
import { missCounter } from './missCounter.js'
import { wholeNumbers } from './GrowingList.js'
import { pathOf } from './columnFunnel.js'
import { passOfAddresses, type AddressPass } from './passOfAddresses.js'
import { QuickSum, SAFE } from './QuickSum.js'

/** Latest conversions that are kept as examples. */
const EXAMPLES = 20

/** What a thread counted over its part. Where each order counts once, who is first is settled over all parts. */
export type ColumnBacktestPart = { final: BacktestPart } | { open: BacktestPart; positions: Uint32Array; visits: Uint32Array }

/**
 * Runs a goal over a part of a site's columns; what counts is decided by the same function as over visits.
 * Visitors are named by their number, as `#12`. Put parts together by `mergeBacktests`.
 */
export function columnBacktest(columns: Columns, part: ColumnPart, goal: PreparedGoal, range: Range, calendar: Calendar): ColumnBacktestPart {
  const { at, name, address, visitStart, visitorStart, texts } = columns
  const cursor: ColumnCursor = { visit: 0 }
  const { kind } = goal
  const pageView = texts.names.indexOf('page-view')
  const wanted = kind.type === 'event' ? texts.names.indexOf(kind.event) : pageView
  const ruled = kind.type === 'page' || kind.type === 'event'
  const pass = ruled ? passOfAddresses(goal.where, columns) : null
  const holds = columnRule(goal.where, columns, cursor)
  const steps = goal.required.map((rule) => columnRule(rule, columns, cursor))
  const once = goal.count === 'order'
  // A rule over the visit's source alone is judged once a visit.
  const bySource = ruled && !pass && goal.where.flat().every(({ reading }) => reading === 'source' || reading === 'medium' || reading === 'campaign')
  const track = new ColumnGoalTrack(columns, pageView, wanted, pass, bySource ? () => true : holds, steps)
  const shape = { kind, count: goal.count, steps: steps.length }
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
    if (passed !== 'counted') return
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
  /** Where nothing is asked but the address, every event of the kind counts; those of a visit within one day are taken together. */
  const takesAll = pass !== null && goal.count === 'every' && !steps.length
  /** Positions of a visit's events that count; the room is used again for the next visit. */
  let hits = new Uint32Array(256)
  const countAll = (passing: AddressPass, from: number, to: number, day: number, mark: number): void => {
    if (to - from > hits.length) hits = new Uint32Array(2 * (to - from))
    let length = 0
    for (let position = from; position < to; position++) {
      if (name[position] !== wanted) continue
      const page = address[position] as number
      named[page]!++
      if (passing[page] !== 1) continue
      hits[length++] = position
      if (addressSeen[page] === mark) continue
      addressSeen[page] = mark
      addressVisits[page]!++
    }
    if (!length) return
    ofKind += length
    afterPath += length
    eventsByDay[day]! += length
    tally.addAll(hits, length, mark - 1, day)
  }
  const memory = newMemory()
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
      if (takesAll && !sales && visitDay >= 0) {
        countAll(pass, from, to, visitDay, visit + 1)
        continue
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
      } else if (bySource) {
        hit = holds(from)
        if (touches && (alone.length || misses.mayMiss(from))) lookClosely(from, to)
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
  if (open.length) settleOrders(columns, open, goal, range, calendar, backtest)
  for (const part of parts) if ('final' in part) backtest.merge(part.final)
}

function settleOrders(
  columns: Columns,
  parts: readonly { open: BacktestPart; positions: Uint32Array; visits: Uint32Array }[],
  goal: PreparedGoal,
  range: Range,
  calendar: Calendar,
  backtest: Backtest,
): void {
  const { at, order, orderUid, texts } = columns
  /** Position + 1 of the first event with each order. */
  const first = new Uint32Array(texts.orders.length)
  const isBefore = (one: number, other: number): boolean => {
    const apart = (at[one] as number) - (at[other] as number)
    return apart < 0 || (apart === 0 && compareCodePoints(texts.uids[orderUid[one] as number] as string, texts.uids[orderUid[other] as number] as string) < 0)
  }
  for (const { positions } of parts) {
    for (const position of positions) {
      const id = order[position] as number
      if (id && (!first[id] || isBefore(position, (first[id] as number) - 1))) first[id] = position + 1
    }
  }
  const others = backtest.firstOrders()
  if (others.size) {
    const lost = new Set<string>()
    for (let id = 1; id < first.length; id++) {
      const other = first[id] ? others.get(texts.orders[id] as string) : undefined
      if (!other) continue
      const position = (first[id] as number) - 1
      const apart = (at[position] as number) - other.at
      if (apart < 0 || (apart === 0 && compareCodePoints(texts.uids[orderUid[position] as number] as string, other.uid) < 0))
        lost.add(texts.orders[id] as string)
      // Nobody in the columns counts for it.
      else first[id] = 0
    }
    backtest.loseOrders(lost)
  }
  const days = dayFinder(range, calendar)
  const salesOf = salesReader(columns)
  for (const { open, positions, visits } of parts) {
    const tally = new ConversionTally(columns, goal, range, days)
    for (let index = 0; index < positions.length; index++) {
      const position = positions[index] as number
      const id = order[position] as number
      const instant = at[position] as number
      const day = instant >= range.from && instant < range.to ? days.indexOf(instant) : -1
      if (!id || first[id] === position + 1) tally.add(position, visits[index] as number, salesOf?.(visitorOf(columns, visits[index] as number)) ?? null, day)
    }
    backtest.merge({ ...open, ...tally.result() })
  }
}

/** Columns as a goal sees them. A class, so that the one loop that asks it is compiled for it. */
class ColumnGoalTrack implements GoalTrack {
  private readonly times: Float64Array
  private readonly name: Uint32Array
  private readonly address: Uint32Array
  private readonly orders: Uint32Array

  constructor(
    { at, name, address, order }: Columns,
    private readonly pageView: number,
    private readonly wanted: number,
    private readonly pass: AddressPass | null,
    private readonly holds: (position: number) => boolean,
    private readonly steps: ((position: number) => boolean)[],
  ) {
    this.times = at
    this.name = name
    this.address = address
    this.orders = order
  }

  at(position: number): number {
    return this.times[position] as number
  }

  isPageView(position: number): boolean {
    return this.name[position] === this.pageView
  }

  isOfKind(position: number): boolean {
    if (this.name[position] !== this.wanted) return false
    return this.pass ? this.pass[this.address[position] as number] === 1 : this.holds(position)
  }

  meetsStep(step: number, position: number): boolean {
    return this.steps[step]!(position)
  }

  order(position: number): number | null {
    return this.orders[position] || null
  }
}

/** Adds up conversions: their number, value and days, the visits that have one, and the latest of them. */
class ConversionTally {
  private readonly cursor: ColumnCursor = { visit: 0 }
  private readonly worthAt: (position: number) => Worth
  private readonly plain: ((position: number) => number) | null
  private readonly dayConversions: Float64Array
  /** Site money by day, as long as it stays exact; what would not, and what has no rate, is in the rest. */
  private readonly daySums: Float64Array
  private readonly dayRest: QuickSum[]
  private conversions = 0
  private converting = 0
  private lastVisit = -1
  private latest: [position: number, visit: number, sales: AfterSales | null][] = []
  /** Nothing up to this instant is among the latest any more. */
  private latestFrom = -Infinity

  constructor(
    private readonly columns: Columns,
    private readonly goal: PreparedGoal,
    private readonly range: Range,
    private readonly days: DayFinder,
  ) {
    this.worthAt = worthReader(columns, this.cursor, goal)
    this.plain = plainWorth(columns, goal)
    this.dayConversions = new Float64Array(days.days.length)
    this.daySums = new Float64Array(days.days.length)
    this.dayRest = days.days.map(() => new QuickSum())
  }

  /**
   * Adds a conversion; those of one visit come one after the other.
   * @param day the number of its day in the range; -1 outside of it
   */
  add(position: number, visit: number, sales: AfterSales | null, day: number): void {
    const { range, columns } = this
    if (visit !== this.lastVisit) {
      this.lastVisit = visit
      const startedAt = columns.at[columns.visitStart[visit] as number] as number
      if (startedAt >= range.from && startedAt < range.to) this.converting++
    }
    if (day < 0) return
    this.conversions++
    this.dayConversions[day]!++
    const value = this.plain && !sales ? this.plain(position) : NaN
    if (value <= SAFE && value >= -SAFE) this.addPlain(value, day)
    else this.dayRest[day]!.addWorth(this.worth(position, visit, sales))
    this.keepIfLate(position, visit, sales)
  }

  /** Adds all conversions of one visit, which lie on one day of the range and of which no order was cancelled or paid back. */
  addAll(positions: Uint32Array, length: number, visit: number, day: number): void {
    const { plain, columns } = this
    this.lastVisit = visit
    // The whole visit lies in the range.
    this.converting++
    this.conversions += length
    this.dayConversions[day]! += length
    for (let index = 0; index < length; index++) {
      const position = positions[index] as number
      const value = plain ? plain(position) : NaN
      if (value === 0) continue
      if (value <= SAFE && value >= -SAFE) this.addPlain(value, day)
      else this.dayRest[day]!.addWorth(this.worth(position, visit, null))
    }
    if ((columns.at[positions[length - 1] as number] as number) <= this.latestFrom) return
    for (let index = 0; index < length; index++) this.keepIfLate(positions[index] as number, visit, null)
  }

  /** Site money that is exact as it is. */
  private addPlain(value: number, day: number): void {
    const sum = (this.daySums[day] as number) + value
    if (sum <= SAFE && sum >= -SAFE) this.daySums[day] = sum
    else {
      this.dayRest[day]!.add(this.daySums[day] as number)
      this.daySums[day] = value
    }
  }

  private keepIfLate(position: number, visit: number, sales: AfterSales | null): void {
    if ((this.columns.at[position] as number) <= this.latestFrom) return
    this.latest.push([position, visit, sales])
    if (this.latest.length > 2000) this.cut()
  }

  result(): Pick<BacktestPart, 'counted' | 'conversions' | 'convertingVisits' | 'sum' | 'days'> {
    this.cut()
    const sum = new ValueSum()
    const days: BacktestPart['days'] = []
    for (const [index, rest] of this.dayRest.entries()) {
      rest.add(this.daySums[index] as number)
      sum.merge(rest.state())
      if (this.dayConversions[index]) days.push([this.days.days[index] as Day, this.dayConversions[index] as number, rest.state()])
    }
    return {
      counted: this.latest.map(([position, visit, sales]) => this.describe(position, visit, sales)),
      conversions: this.conversions,
      convertingVisits: this.converting,
      sum: sum.state(),
      days,
    }
  }

  private cut(): void {
    const { at } = this.columns
    this.latest = this.latest.sort((a, b) => (at[b[0]] as number) - (at[a[0]] as number)).slice(0, EXAMPLES)
    const last = this.latest[EXAMPLES - 1]
    if (last) this.latestFrom = at[last[0]] as number
  }

  private worth(position: number, visit: number, sales: AfterSales | null): Worth {
    this.cursor.visit = visit
    const worth = this.worthAt(position)
    return sales ? lessRefunds(worth, this.columns.texts.orders[this.columns.order[position] as number], sales, this.goal) : worth
  }

  private describe(position: number, visit: number, sales: AfterSales | null): CountedOnce {
    const { columns } = this
    const { at, texts } = columns
    const order = columns.order[position] as number
    return {
      at: at[position] as number,
      uid: texts.uids[columns.orderUid[position] as number] ?? '',
      order: this.goal.count === 'order' && order ? (texts.orders[order] as string) : null,
      visit: `${visit}`,
      visitAt: at[columns.visitStart[visit] as number] as number,
      visitor: `#${columns.visitorId[visitorOf(columns, visit)]}`,
      path: pathOf(columns, columns.address[position] as number),
      shownOrder: texts.orders[order] || null,
      ...this.worth(position, visit, sales),
    }
  }
}

/** Tells what became of a visitor's orders; null where the site has no such events at all. */
function salesReader({ name, order, value, currency, visitStart, visitorStart, texts }: Columns): ((visitor: number) => AfterSales | null) | null {
  const [cancelled, refunded] = [texts.names.indexOf(ORDER_CANCELLED), texts.names.indexOf(ORDER_REFUNDED)]
  if (cancelled < 0 && refunded < 0) return null
  return (visitor) => {
    const [from, to] = [visitStart[visitorStart[visitor] as number] as number, visitStart[visitorStart[visitor + 1] as number] as number]
    const events: LoggedEvent[] = []
    for (let position = from; position < to; position++) {
      if (name[position] !== cancelled && name[position] !== refunded) continue
      const amount = value[position] as number
      events.push({
        uid: '',
        at: 0,
        url: '',
        name: texts.names[name[position] as number] as string,
        order: texts.orders[order[position] as number] as string,
        value: Number.isNaN(amount) ? null : amountToNumber(amount),
        currency: texts.currencies[currency[position] as number] || null,
      })
    }
    return events.length ? afterSalesOf(events) : null
  }
}

/** The number of the visitor that a visit belongs to. */
function visitorOf({ visitorStart, visitors }: Columns, visit: number): number {
  let [low, high] = [0, visitors - 1]
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if ((visitorStart[middle] as number) <= visit) low = middle
    else high = middle - 1
  }
  return low
}

/** Gives the value in site money where it is plain to see, else NaN; null where it never is. */
function plainWorth({ value, currency, texts }: Columns, goal: PreparedGoal): ((position: number) => number) | null {
  if (goal.value.type === 'none') return () => 0
  if (goal.value.type === 'fixed') return () => goal.amount
  if (goal.value.reading !== 'value') return null
  const own = texts.currencies.indexOf(goal.currency)
  return (position) => {
    const amount = value[position] as number
    if (Number.isNaN(amount)) return goal.amount
    const code = currency[position]
    return code === 0 || code === own ? amount : NaN
  }
}

/** Reads what a conversion at a position is worth; the same text and currency are worked out once. */
function worthReader(columns: Columns, cursor: ColumnCursor, goal: PreparedGoal): (position: number) => Worth {
  if (goal.value.type !== 'reading') {
    const worth = worthOf(goal, undefined, null)
    return () => worth
  }
  const { reading } = goal.value
  const { idAt, size, textOf } = columnReading(reading, columns, cursor)
  const known = new Map<string, Worth>()
  return (position) => {
    const currency = columns.currency[position] as number
    const key = `${reading === 'value' ? columns.value[position] : size ? idAt(position) : textOf(position)} ${currency}`
    let worth = known.get(key)
    if (!worth) {
      worth = worthOf(goal, textOf(idAt(position)), columns.texts.currencies[currency])
      if (known.size > 100_000) known.clear()
      known.set(key, worth)
    }
    return worth
  }
}
