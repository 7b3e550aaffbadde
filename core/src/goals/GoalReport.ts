import type { Range } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import { isTimeDimension, timeDimension, visitDimension, type DimensionValue } from '../dimensions/dimensions.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import type { Visit } from '../visits/deriveVisits.js'
import { countGoal, type Conversion } from './countGoal.js'
import { firstEvents, firstOfEachOrder } from './firstOfEachOrder.js'
import {
  GOAL_BREAKDOWNS,
  GoalReportTally,
  noTimes,
  PAGES_BACK,
  spanOfTime,
  type GoalBreakdown,
  type GoalReportPart,
  type GoalReportResult,
} from './GoalReportTally.js'
import type { PreparedGoal } from './prepareGoal.js'
import { reportSpans, type ReportSpans, type SeriesUnit } from './reportSpans.js'
import { SumRows, type GoalReportSums } from './SumRows.js'

interface Found {
  conversion: Conversion
  visits: readonly Visit[]
}

/** Tells a goal's conversions apart. Feed it every visitor of the site once, then ask for the result. */
export class GoalReport {
  private readonly partsOf = rememberingUrlParts()
  private readonly found: Found[] = []
  private readonly visits: Visit[] = []
  private readonly parts: GoalReportPart[] = []
  private readonly lost = new Set<string>()
  private readonly spans: ReportSpans

  constructor(
    private readonly goal: PreparedGoal,
    private readonly range: Range,
    private readonly calendar: Calendar,
    unit: SeriesUnit,
  ) {
    this.spans = reportSpans(range, calendar, unit)
  }

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visits: readonly Visit[]): void {
    for (const visit of visits) if (this.inRange(visit.startedAt)) this.visits.push(visit)
    for (const conversion of countGoal(this.goal, visits, this.partsOf).conversions) this.found.push({ conversion, visits })
  }

  /** The first event with each order among the visitors added so far. */
  firstOrders(): Map<string, { at: number; uid: string }> {
    return firstEvents(this.found.map(({ conversion }) => conversion))
  }

  /** Orders that somebody counted elsewhere had first. */
  loseOrders(orders: Iterable<string>): void {
    for (const order of orders) this.lost.add(order)
  }

  /** Adds what was counted elsewhere, of other visitors. */
  merge(part: GoalReportPart): void {
    this.parts.push(part)
  }

  /** The answer over all visitors added so far. */
  result(): GoalReportResult {
    const tally = new GoalReportTally()
    for (const part of [this.own(), ...this.parts]) tally.add(part)
    return tally.result(this.spans.keys)
  }

  private own(): GoalReportPart {
    const final = new Set(firstOfEachOrder(this.found.map(({ conversion }) => conversion)))
    const kept = this.found.filter(({ conversion: each }) => final.has(each) && !(each.order !== null && this.lost.has(each.order)))
    const converting = new Set(kept.map(({ conversion }) => conversion.visit))
    const counted = kept.filter(({ conversion }) => this.inRange(conversion.event.at))
    const timeUntil = noTimes()
    for (const { conversion, visits } of counted) timeUntil[spanOfTime(conversion.event.at - (visits[0]?.startedAt ?? conversion.event.at))]!++
    return {
      series: this.rows(
        (visit) => this.spans.keyOf(visit.startedAt),
        ({ event }) => this.spans.keyOf(event.at),
        counted,
        converting,
      ),
      by: Object.fromEntries(GOAL_BREAKDOWNS.map((dimension) => [dimension, this.breakdown(dimension, counted, converting)])) as GoalReportPart['by'],
      before: Array.from({ length: PAGES_BACK }, (_, index) => tallied(counted.map(({ conversion }) => this.pageBefore(conversion, index + 1)))),
      visitsUntil: tallied(counted.map(({ conversion, visits }) => visits.indexOf(conversion.visit) + 1)),
      timeUntil,
    }
  }

  private breakdown(dimension: GoalBreakdown, counted: readonly Found[], converting: ReadonlySet<Visit>): [DimensionValue, GoalReportSums][] {
    const ofVisit = (visit: Visit): DimensionValue => visitDimension(dimension, visit, this.calendar, undefined, this.partsOf)
    // Values of time belong to the conversion, all others to its visit.
    const ofConversion = ({ event, visit }: Conversion): DimensionValue =>
      isTimeDimension(dimension) ? timeDimension(dimension, event.at, this.calendar) : ofVisit(visit)
    return this.rows(ofVisit, ofConversion, counted, converting)
  }

  private rows<Key>(
    ofVisit: (visit: Visit) => Key,
    ofConversion: (conversion: Conversion) => Key,
    counted: readonly Found[],
    converting: ReadonlySet<Visit>,
  ): [Key, GoalReportSums][] {
    const rows = new SumRows<Key>()
    for (const visit of this.visits) {
      const tally = rows.row(ofVisit(visit))
      tally.visits++
      if (converting.has(visit)) tally.converting++
    }
    for (const { conversion } of counted) {
      const tally = rows.row(ofConversion(conversion))
      tally.conversions++
      tally.sum.add(conversion)
    }
    return rows.parts()
  }

  private pageBefore({ event, visit }: Conversion, back: number): string | null {
    const pages = visit.events.slice(0, visit.events.indexOf(event)).filter((each) => each.name === 'page-view' && each.url !== event.url)
    const page = pages[pages.length - back]
    return page ? this.partsOf(page.url).path : null
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
