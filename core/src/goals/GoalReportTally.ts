import { isTimeDimension, type Dimension, type DimensionValue } from '../dimensions/dimensions.js'
import { compareCodePoints } from '../text/compareCodePoints.js'
import { SumRows, type GoalReportSums } from './SumRows.js'
import type { SummedValue } from './ValueSum.js'

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
/** By what the conversions of a goal are told apart. */
export type GoalBreakdown = (typeof GOAL_BREAKDOWNS)[number]

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
  by: Record<GoalBreakdown, GoalBreakdownRow[]>
  /** Pages seen right before, two before and three before; null where the visit had begun later. Most first. */
  before: { path: string | null; count: number }[][]
  /** Visits of the visitor up to the conversion, its own included. */
  visitsUntil: { visits: number; count: number }[]
  /** From the visitor's first event to the conversion. */
  timeUntil: { upTo: string; count: number }[]
}

/** What some of a site's visitors add to a goal's report, as it can be handed to another thread. */
export interface GoalReportPart {
  series: [key: string, sums: GoalReportSums][]
  by: Record<GoalBreakdown, [key: DimensionValue, sums: GoalReportSums][]>
  before: [path: string | null, count: number][][]
  visitsUntil: [visits: number, count: number][]
  timeUntil: number[]
}

/** How many pages back from a conversion are looked at. */
export const PAGES_BACK = 3

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
const MOST_MS = Float64Array.from(SPANS, ([, ms]) => ms)
const MOST_LISTED = 100
const MOST_PAGES = 20

/** Which of the spans of `timeUntil` a time (ms) belongs to. */
export function spanOfTime(ms: number): number {
  // Asked millions of times.
  let index = 0
  while (ms > (MOST_MS[index] as number)) index++
  return index
}

/** No time in any span of `timeUntil`. */
export function noTimes(): number[] {
  return SPANS.map(() => 0)
}

/** Puts together what was counted of a goal over several parts of a site's visitors. */
export class GoalReportTally {
  private readonly series = new SumRows<string>()
  private readonly by = Object.fromEntries(GOAL_BREAKDOWNS.map((dimension) => [dimension, new SumRows()])) as unknown as Record<
    GoalBreakdown,
    SumRows<DimensionValue>
  >
  private readonly before = Array.from({ length: PAGES_BACK }, () => new Map<string | null, number>())
  private readonly visitsUntil = new Map<number, number>()
  private readonly timeUntil = noTimes()

  /** Adds a part. */
  add(part: GoalReportPart): void {
    this.series.add(part.series)
    for (const dimension of GOAL_BREAKDOWNS) this.by[dimension].add(part.by[dimension])
    for (const [back, pages] of part.before.entries()) addCounts(this.before[back] as Map<string | null, number>, pages)
    addCounts(this.visitsUntil, part.visitsUntil)
    for (const [index, count] of part.timeUntil.entries()) this.timeUntil[index]! += count
  }

  /** The report over all parts. @param keys every span of the series, in order */
  result(keys: readonly string[]): GoalReportResult {
    return {
      series: keys.map((key) => {
        const row = this.series.get(key)
        return { key, conversions: row?.conversions ?? 0, value: row?.sum.result().value ?? 0, visits: row?.visits ?? 0 }
      }),
      by: Object.fromEntries(GOAL_BREAKDOWNS.map((dimension) => [dimension, this.rows(dimension)])) as GoalReportResult['by'],
      before: this.before.map((pages) =>
        [...pages]
          .map(([path, count]) => ({ path, count }))
          .sort((a, b) => b.count - a.count || compareCodePoints(a.path ?? '', b.path ?? ''))
          .slice(0, MOST_PAGES),
      ),
      visitsUntil: [...this.visitsUntil].map(([visits, count]) => ({ visits, count })).sort((a, b) => a.visits - b.visits),
      timeUntil: SPANS.map(([upTo], index) => ({ upTo, count: this.timeUntil[index] as number })),
    }
  }

  private rows(dimension: GoalBreakdown): GoalBreakdownRow[] {
    const list = this.by[dimension].list().map(([key, { visits, converting, conversions, sum }]) => ({
      key,
      visits,
      conversions,
      ...sum.result(),
      rate: visits ? converting / visits : null,
    }))
    if (isTimeDimension(dimension)) return list.sort((a, b) => Number(a.key) - Number(b.key))
    return list.sort((a, b) => b.conversions - a.conversions || b.visits - a.visits || compareCodePoints(String(a.key), String(b.key))).slice(0, MOST_LISTED)
  }
}

function addCounts<Key>(counts: Map<Key, number>, added: readonly [Key, number][]): void {
  for (const [key, count] of added) counts.set(key, (counts.get(key) ?? 0) + count)
}
