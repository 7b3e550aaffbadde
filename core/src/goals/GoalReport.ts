import { isTimeDimension, timeDimension, visitDimension, type Dimension, type DimensionValue } from '../dimensions/dimensions.js'
import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { compareCodePoints } from '../text/compareCodePoints.js'
import type { Visit } from '../visits/deriveVisits.js'
import { countGoal, type Conversion } from './countGoal.js'
import { firstOfEachOrder } from './firstOfEachOrder.js'
import type { PreparedGoal } from './prepareGoal.js'
import { ValueSum, type SummedValue } from './ValueSum.js'

/** Length of the spans of a series. */
export const SERIES_UNITS = ['hour', 'day', 'week', 'month'] as const
/** Length of the spans of a series. */
export type SeriesUnit = (typeof SERIES_UNITS)[number]

/** By what the conversions of a goal are told apart. */
export const GOAL_BREAKDOWNS = [
  'landing',
  'source',
  'medium',
  'campaign',
  'device',
  'country',
  'language',
  'hour',
  'weekday',
] as const satisfies readonly Dimension[]

/** One value of a dimension, with its conversions and the visits that belong to it. */
export interface GoalBreakdownRow extends SummedValue {
  key: DimensionValue
  visits: number
  conversions: number
  /** Visits with a conversion ÷ visits; null without visits. */
  rate: number | null
}

/** What is to be known about one goal in a range beyond its count. */
export interface GoalReportResult {
  series: { key: string; conversions: number; value: number; visits: number }[]
  by: Record<(typeof GOAL_BREAKDOWNS)[number], GoalBreakdownRow[]>
  /** Pages seen right before, two before and three before; null where the visit had begun later. Most first. */
  before: { path: string | null; count: number }[][]
  /** Visits of the visitor up to the conversion, its own included. */
  visitsUntil: { visits: number; count: number }[]
  /** From the visitor's first event to the conversion. */
  timeUntil: { upTo: string; count: number }[]
}

const HOUR_MS = 3_600_000
const SPANS: [words: string, ms: number][] = [
  ['a minute', 60_000],
  ['10 minutes', 600_000],
  ['an hour', HOUR_MS],
  ['a day', 24 * HOUR_MS],
  ['a week', 7 * 24 * HOUR_MS],
  ['30 days', 30 * 24 * HOUR_MS],
  ['longer', Infinity],
]
const MOST_LISTED = 100

interface Tally {
  key: DimensionValue
  visits: number
  converting: number
  conversions: number
  sum: ValueSum
}

interface Found {
  conversion: Conversion
  visits: readonly Visit[]
}

/** Tells a goal's conversions apart. Feed it every visitor of the site once, then ask for the result. */
export class GoalReport {
  private readonly partsOf = rememberingUrlParts()
  private readonly found: Found[] = []
  private readonly visits: Visit[] = []

  constructor(
    private readonly goal: PreparedGoal,
    private readonly range: Range,
    private readonly calendar: Calendar,
    private readonly unit: SeriesUnit,
  ) {}

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visits: readonly Visit[]): void {
    for (const visit of visits) if (this.inRange(visit.startedAt)) this.visits.push(visit)
    for (const conversion of countGoal(this.goal, visits, this.partsOf).conversions) this.found.push({ conversion, visits })
  }

  /** The answer over all visitors added so far. */
  result(): GoalReportResult {
    const final = new Set(firstOfEachOrder(this.found.map(({ conversion }) => conversion)))
    const kept = this.found.filter(({ conversion }) => final.has(conversion))
    const converting = new Set(kept.map(({ conversion }) => conversion.visit))
    const counted = kept.filter(({ conversion }) => this.inRange(conversion.event.at))
    return {
      series: this.series(counted),
      by: Object.fromEntries(GOAL_BREAKDOWNS.map((dimension) => [dimension, this.breakdown(dimension, counted, converting)])) as GoalReportResult['by'],
      before: [1, 2, 3].map((back) => this.pagesBefore(counted, back)),
      visitsUntil: tallied(counted.map(({ conversion, visits }) => visits.indexOf(conversion.visit) + 1))
        .map(([visits, count]) => ({ visits, count }))
        .sort((a, b) => a.visits - b.visits),
      timeUntil: this.timeUntil(counted),
    }
  }

  private series(counted: readonly Found[]): GoalReportResult['series'] {
    const spans = new Map<string, { conversions: number; sum: ValueSum; visits: number }>()
    for (const key of this.keys()) spans.set(key, { conversions: 0, sum: new ValueSum(), visits: 0 })
    for (const { startedAt } of this.visits) {
      const span = spans.get(this.keyOf(startedAt))
      if (span) span.visits++
    }
    for (const { conversion } of counted) {
      const span = spans.get(this.keyOf(conversion.event.at))
      if (!span) continue
      span.conversions++
      span.sum.add(conversion)
    }
    return [...spans].map(([key, { conversions, sum, visits }]) => ({ key, conversions, value: sum.result().value, visits }))
  }

  /** Every span that the range touches, in order; also those in which nothing happened. */
  private keys(): string[] {
    if (this.unit !== 'hour')
      return [...new Set(daysOf(this.range, this.calendar).map((day) => this.keyOf(Math.max(this.range.from, this.calendar.startOfDay(day)))))]
    const keys = new Set<string>()
    for (let at = this.range.from; at < this.range.to && keys.size < 2500; at += HOUR_MS / 2) keys.add(this.keyOf(at))
    return [...keys]
  }

  private keyOf(at: number): string {
    if (this.unit !== 'hour') return String(timeDimension(this.unit, at, this.calendar))
    return `${this.calendar.dayOf(at)} ${String(this.calendar.localClock(at).getUTCHours()).padStart(2, '0')}:00`
  }

  private breakdown(dimension: Dimension, counted: readonly Found[], converting: ReadonlySet<Visit>): GoalBreakdownRow[] {
    const rows = new Map<DimensionValue, Tally>()
    const row = (key: DimensionValue): Tally => {
      let tally = rows.get(key)
      if (!tally) rows.set(key, (tally = { key, visits: 0, converting: 0, conversions: 0, sum: new ValueSum() }))
      return tally
    }
    for (const visit of this.visits) {
      const tally = row(visitDimension(dimension, visit, this.calendar, undefined, this.partsOf))
      tally.visits++
      if (converting.has(visit)) tally.converting++
    }
    for (const { conversion } of counted) {
      const key = isTimeDimension(dimension)
        ? timeDimension(dimension, conversion.event.at, this.calendar)
        : visitDimension(dimension, conversion.visit, this.calendar, undefined, this.partsOf)
      const tally = row(key)
      tally.conversions++
      tally.sum.add(conversion)
    }
    const list = [...rows.values()].map(({ key, visits, converting: n, conversions, sum }) => ({
      key,
      visits,
      conversions,
      ...sum.result(),
      rate: visits ? n / visits : null,
    }))
    if (isTimeDimension(dimension)) return list.sort((a, b) => Number(a.key) - Number(b.key))
    return list.sort((a, b) => b.conversions - a.conversions || b.visits - a.visits || compareCodePoints(String(a.key), String(b.key))).slice(0, MOST_LISTED)
  }

  private pagesBefore(counted: readonly Found[], back: number): { path: string | null; count: number }[] {
    const paths = counted.map(({ conversion: { event, visit } }) => {
      const pages = visit.events.slice(0, visit.events.indexOf(event)).filter((each) => each.name === 'page-view' && each.url !== event.url)
      const page = pages[pages.length - back]
      return page ? this.partsOf(page.url).path : null
    })
    return tallied(paths)
      .map(([path, count]) => ({ path, count }))
      .sort((a, b) => b.count - a.count)
      .slice(0, 20)
  }

  private timeUntil(counted: readonly Found[]): GoalReportResult['timeUntil'] {
    const times = counted.map(({ conversion, visits }) => conversion.event.at - (visits[0]?.startedAt ?? conversion.event.at))
    return SPANS.map(([upTo, most], index) => ({ upTo, count: times.filter((ms) => ms <= most && ms > (SPANS[index - 1]?.[1] ?? -1)).length }))
  }

  private inRange(at: number): boolean {
    return at >= this.range.from && at < this.range.to
  }
}

function tallied<T>(values: readonly T[]): [T, number][] {
  const counts = new Map<T, number>()
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1)
  return [...counts]
}
