import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'
import type { BacktestPart, CountedOnce } from '../goals/Backtest.js'
import { worthOf, type Worth } from '../goals/countGoal.js'
import { countVisit, type GoalTrack, type Passed } from '../goals/countVisit.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { ValueSum } from '../goals/ValueSum.js'
import { nearMiss } from '../rules/nearMiss.js'
import { pathOf } from './columnFunnel.js'
import { columnReading, columnRule, readerAt, type ColumnCursor } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'

/** Latest conversions that are kept as examples. */
const EXAMPLES = 20
/** Readings whose text follows from the address alone. */
const OF_ADDRESS = new Set(['path', 'host'])
const MOST_MISSES = 200_000

/**
 * Runs a goal over a part of a site's columns; what counts is decided by the same function as over visits.
 * Visitors are named by their number, as `#12`.
 */
export function columnBacktest(columns: Columns, part: ColumnPart, goal: PreparedGoal, range: Range, calendar: Calendar): BacktestPart {
  const { at, name, address, visitStart, visitorStart, texts } = columns
  const cursor: ColumnCursor = { visit: 0 }
  const { kind } = goal
  const pageView = texts.names.indexOf('page-view')
  const wanted = kind.type === 'event' ? texts.names.indexOf(kind.event) : pageView
  const holds = columnRule(goal.where, columns, cursor)
  const steps = goal.required.map((rule) => columnRule(rule, columns, cursor))
  const once = goal.count === 'order'
  const track: GoalTrack = {
    at: (position) => at[position] as number,
    isPageView: (position) => name[position] === pageView,
    isOfKind: (position) => name[position] === wanted && holds(position),
    meetsStep: (step, position) => steps[step]!(position),
    order: (position) => columns.order[position] || null,
  }
  const shape = { kind, count: goal.count, steps: steps.length }
  const days = dayFinder(range, calendar)
  const byDay = days.days.map(() => ({ conversions: 0, sum: new ValueSum(), visits: 0, events: 0 }))
  const sum = new ValueSum()
  const worthAt = worthReader(columns, cursor, goal)
  const addressEvents = new Uint32Array(texts.addresses.length)
  const addressVisits = new Uint32Array(texts.addresses.length)
  const addressSeen = new Uint32Array(texts.addresses.length)
  const misses = missCounter(columns, cursor, goal)
  const alone =
    goal.where.flat().length > 1 && (kind.type === 'page' || kind.type === 'event')
      ? goal.where.flat().map((condition) => columnRule([[condition]], columns, cursor))
      : []
  const aloneEvents = alone.map(() => 0)
  const looksForMisses = kind.type === 'page' || kind.type === 'event'
  const counted: CountedOnce[] = []
  /** Positions and visits of the latest conversions. */
  let latest: [position: number, visit: number][] = []
  let [visits, converting, conversions, ofKind, afterPath] = [0, 0, 0, 0, 0]
  let visitCounts = false
  let visitor = 0

  const describe = (position: number, visit: number): CountedOnce => {
    cursor.visit = visit
    const order = (columns.order[position] as number) || 0
    return {
      at: at[position] as number,
      uid: texts.uids[columns.orderUid[position] as number] ?? '',
      order: once && order ? (texts.orders[order] as string) : null,
      visit: `${visit}`,
      visitAt: at[visitStart[visit] as number] as number,
      visitor: `#${columns.visitorId[visitorOf(columns, visit)]}`,
      path: pathOf(columns, address[position] as number),
      shownOrder: texts.orders[order] || null,
      ...worthAt(position),
    }
  }
  const note = (position: number, passed: Passed): void => {
    const instant = at[position] as number
    const inRange = instant >= range.from && instant < range.to
    if (inRange) {
      ofKind++
      byDay[days.indexOf(instant)]!.events++
      const page = address[position] as number
      addressEvents[page]!++
      if (addressSeen[page] !== cursor.visit + 1) {
        addressSeen[page] = cursor.visit + 1
        addressVisits[page]!++
      }
      if (passed !== 'kind') afterPath++
    }
    if (passed !== 'counted') return
    if (once) return void counted.push(describe(position, cursor.visit))
    visitCounts = true
    if (!inRange) return
    conversions++
    const worth = worthAt(position)
    sum.add(worth)
    const day = byDay[days.indexOf(instant)]!
    day.conversions++
    day.sum.add(worth)
    latest.push([position, cursor.visit])
    if (latest.length > 5000) latest = newest(latest, at)
  }

  const memory = { counted: 0, orders: new Set<string | number>() }
  for (visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    memory.counted = 0
    if (once) memory.orders.clear()
    for (let visit = visitorStart[visitor] as number; visit < (visitorStart[visitor + 1] as number); visit++) {
      const [from, to] = [visitStart[visit] as number, visitStart[visit + 1] as number]
      cursor.visit = visit
      visitCounts = false
      countVisit(shape, track, from, to, memory, note)
      const startedAt = at[from] as number
      if (startedAt >= range.from && startedAt < range.to) {
        visits++
        byDay[days.indexOf(startedAt)]!.visits++
        if (visitCounts) converting++
      }
      if (!looksForMisses || (at[to - 1] as number) < range.from || startedAt >= range.to) continue
      for (let position = from; position < to; position++) {
        if (name[position] !== wanted || (at[position] as number) < range.from || (at[position] as number) >= range.to) continue
        for (let index = 0; index < alone.length; index++) if (alone[index]!(position)) aloneEvents[index]!++
        misses.look(position)
      }
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
  return {
    counted: once ? counted : newest(latest, at).map(([position, visit]) => describe(position, visit)),
    conversions,
    convertingVisits: converting,
    sum: sum.state(),
    days: byDay.flatMap((day, index) => (day.conversions ? [[days.days[index] as Day, day.conversions, day.sum.state()] as BacktestPart['days'][number]] : [])),
    visits,
    visitsByDay: byDay.map((day, index) => [days.days[index] as Day, day.visits]),
    eventsByDay: byDay.map((day, index) => [days.days[index] as Day, day.events]),
    ofKind,
    afterPath,
    addresses: [...addresses.values()],
    misses: misses.result(),
    alone: aloneEvents,
  }
}

function newest(list: [position: number, visit: number][], at: Float64Array): [position: number, visit: number][] {
  return [...list].sort((a, b) => (at[b[0]] as number) - (at[a[0]] as number)).slice(0, EXAMPLES)
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

/** Finds the day of an instant in a range by its place among the days' beginnings. */
function dayFinder(range: Range, calendar: Calendar): { days: Day[]; indexOf: (at: number) => number } {
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

/** Counts near misses; a rule over addresses alone is judged once for each address. */
function missCounter(columns: Columns, cursor: ColumnCursor, goal: PreparedGoal): { look: (position: number) => void; result: () => BacktestPart['misses'] } {
  const { address, texts } = columns
  const read = readerAt(columns, cursor)
  const found = new Map<string, BacktestPart['misses'][number]>()
  const conditions = goal.where.flat()
  if (!conditions.length) return { look: () => undefined, result: () => [] }
  if (conditions.every(({ reading }) => OF_ADDRESS.has(reading))) {
    const reasons: (string | null | undefined)[] = new Array(texts.addresses.length).fill(undefined) as undefined[]
    const counts = new Uint32Array(texts.addresses.length)
    return {
      look(position) {
        const id = address[position] as number
        let why = reasons[id]
        if (why === undefined) reasons[id] = why = nearMiss(goal.where, read(position))
        if (why !== null) counts[id]!++
      },
      result() {
        for (const [id, events] of counts.entries()) if (events) add(pathOf(columns, id), reasons[id] as string, events)
        return [...found.values()]
      },
    }
  }
  const lookups = [...new Set(conditions.map(({ reading }) => reading))].map((reading) => columnReading(reading, columns, cursor))
  const known = new Map<string, string | null>()
  return {
    look(position) {
      let key = ''
      for (const { idAt, size, textOf } of lookups) key += `${size ? idAt(position) : (textOf(position) ?? '')} `
      let why = known.get(key)
      if (why === undefined) {
        why = nearMiss(goal.where, read(position))
        if (known.size > MOST_MISSES) known.clear()
        known.set(key, why)
      }
      if (why !== null) add(pathOf(columns, address[position] as number), why, 1)
    },
    result: () => [...found.values()],
  }

  function add(path: string, why: string, events: number): void {
    const key = `${why}\n${path}`
    const entry = found.get(key)
    if (entry) entry.events += events
    else found.set(key, { path, events, why })
  }
}
