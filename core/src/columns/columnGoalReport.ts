import type { Range } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import { agentOf, type DimensionValue } from '../dimensions/dimensions.js'
import { placeFromText } from '../events/Place.js'
import { lessRefunds, type AfterSales } from '../goals/afterSales.js'
import type { Worth } from '../goals/countGoal.js'
import type { GoalReport } from '../goals/GoalReport.js'
import { noTimes, PAGES_BACK, spanOfTime, type GoalReportPart } from '../goals/GoalReportTally.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { reportSpans, type SeriesUnit } from '../goals/reportSpans.js'
import { clockTable, type Clock } from './clockTable.js'
import type { ColumnCursor } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'
import { visitorOf } from './ConversionTally.js'
import { eachConversion } from './eachConversion.js'
import { firstOfOrders, isFirst, type OpenOrders } from './firstOfOrders.js'
import { wholeNumbers } from './GrowingList.js'
import { pathOf } from './pathOf.js'
import { salesReader } from './salesReader.js'
import { SumsById } from './SumsById.js'
import { plainWorth, worthReader } from './worthReader.js'

/** What a thread found in its part. Where each order counts once, who is first is settled over all parts. */
export type ColumnGoalReportPart = { part: GoalReportPart; open?: OpenOrders }

/** Tells a goal's conversions apart over a part of a site's columns. Put parts together by `mergeGoalReports`. */
export function columnGoalReport(
  columns: Columns,
  part: ColumnPart,
  goal: PreparedGoal,
  range: Range,
  calendar: Calendar,
  unit: SeriesUnit,
): ColumnGoalReportPart {
  const sums = new ReportSums(columns, goal, range, calendar, unit)
  sums.addVisits(part)
  if (goal.count !== 'order') {
    eachConversion(columns, part, goal, (position, visit, visitor, sales) => sums.addConversion(position, visit, visitor, sales))
    return { part: sums.part() }
  }
  const [positions, visits] = [wholeNumbers(), wholeNumbers()]
  eachConversion(columns, part, goal, (position, visit) => {
    positions.push(position)
    visits.push(visit)
  })
  return { part: sums.part(), open: { positions: positions.list(), visits: visits.list() } }
}

/**
 * Puts together what threads found, and what was found of visitors that are not in the columns.
 * @param report has taken those other visitors already
 */
export function mergeGoalReports(
  columns: Columns,
  parts: readonly ColumnGoalReportPart[],
  goal: PreparedGoal,
  range: Range,
  calendar: Calendar,
  unit: SeriesUnit,
  report: GoalReport,
): void {
  for (const { part } of parts) report.merge(part)
  const open = parts.flatMap((each) => (each.open ? [each.open] : []))
  if (!open.length) return
  const first = firstOfOrders(columns, open, report)
  const salesOf = salesReader(columns)
  const sums = new ReportSums(columns, goal, range, calendar, unit)
  for (const { positions, visits } of open) {
    for (const [index, position] of positions.entries()) {
      if (!isFirst(columns, first, position)) continue
      const visit = visits[index] as number
      const visitor = visitorOf(columns, visit)
      sums.addConversion(position, visit, visitor, salesOf?.(visitor) ?? null)
    }
  }
  report.merge(sums.part())
}

/** The hours of a day, and the days of a week with one to spare, because Monday is 1. */
const [HOURS, WEEKDAYS] = [24, 8]

/** Adds up visits and conversions by all that a goal's report tells apart. */
class ReportSums {
  private readonly sources: SumsById
  private readonly agents: SumsById
  private readonly places: SumsById
  /** By the number of the address of the visit's first page; 0 where it has none. */
  private readonly landings: SumsById
  private readonly hours = new SumsById(HOURS)
  private readonly weekdays = new SumsById(WEEKDAYS)
  private readonly spans: SumsById
  private readonly spanKeys: string[]
  private readonly clockAt: (at: number) => Clock
  private readonly before: Uint32Array[]
  private readonly visitsUntil = new Map<number, number>()
  private readonly timeUntil = noTimes()
  private readonly cursor: ColumnCursor = { visit: 0 }
  private readonly worthAt: (position: number) => Worth
  private readonly isWorthless: (position: number) => boolean
  private readonly pageView: number
  private lastVisit = -1
  private lastLanding = 0

  constructor(
    private readonly columns: Columns,
    private readonly goal: PreparedGoal,
    private readonly range: Range,
    calendar: Calendar,
    unit: SeriesUnit,
  ) {
    const { texts } = columns
    this.pageView = texts.names.indexOf('page-view')
    this.sources = new SumsById(texts.sources.length)
    this.agents = new SumsById(texts.agents.length)
    this.places = new SumsById(texts.places.length)
    this.landings = new SumsById(texts.addresses.length)
    this.before = Array.from({ length: PAGES_BACK }, () => new Uint32Array(texts.addresses.length))
    const spans = reportSpans(range, calendar, unit)
    this.spanKeys = spans.keys
    // One to spare, for what belongs to no span.
    this.spans = new SumsById(spans.keys.length + 1)
    this.clockAt = clockTable(calendar, spans)
    this.worthAt = worthReader(columns, this.cursor, goal)
    const plain = plainWorth(columns, goal)
    this.isWorthless = (position) => plain?.(position) === 0
  }

  /** Adds the visits of a part that begin in the range. */
  addVisits(part: ColumnPart): void {
    const { at, visitStart, visitorStart, visitSource, visitAgent, visitPlace } = this.columns
    const { from, to } = this.range
    for (let visitor = part.from; visitor < part.to; visitor++) {
      if (part.skip?.[visitor]) continue
      const end = visitorStart[visitor + 1] as number
      for (let visit = visitorStart[visitor] as number; visit < end; visit++) {
        const startedAt = at[visitStart[visit] as number] as number
        if (startedAt < from || startedAt >= to) continue
        const clock = this.clockAt(startedAt)
        this.sources.visits[visitSource[visit] as number]!++
        this.agents.visits[visitAgent[visit] as number]!++
        this.places.visits[visitPlace[visit] as number]!++
        this.landings.visits[this.landingOf(visit)]!++
        this.hours.visits[clock.hour]!++
        this.weekdays.visits[clock.weekday]!++
        this.spans.visits[clock.span]!++
      }
    }
  }

  /** Adds a conversion that counts; those of one visit come one after the other. */
  addConversion(position: number, visit: number, visitor: number, sales: AfterSales | null): void {
    const { columns, range } = this
    const { at, visitStart, visitorStart, visitSource, visitAgent, visitPlace } = columns
    if (visit !== this.lastVisit) this.turnTo(visit)
    const instant = at[position] as number
    if (instant < range.from || instant >= range.to) return
    const worth = this.isWorthless(position) ? null : this.worth(position, visit, sales)
    const clock = this.clockAt(instant)
    this.sources.addConversion(visitSource[visit] as number, worth)
    this.agents.addConversion(visitAgent[visit] as number, worth)
    this.places.addConversion(visitPlace[visit] as number, worth)
    this.landings.addConversion(this.lastLanding, worth)
    this.hours.addConversion(clock.hour, worth)
    this.weekdays.addConversion(clock.weekday, worth)
    this.spans.addConversion(clock.span, worth)
    this.notePagesBefore(position, visitStart[visit] as number)
    const firstVisit = visitorStart[visitor] as number
    const nth = visit - firstVisit + 1
    this.visitsUntil.set(nth, (this.visitsUntil.get(nth) ?? 0) + 1)
    this.timeUntil[spanOfTime(instant - (at[visitStart[firstVisit] as number] as number))]!++
  }

  part(): GoalReportPart {
    const { columns } = this
    const { texts } = columns
    const places = texts.places.map((text) => (text ? placeFromText(text) : null))
    const ofSource =
      (key: 'source' | 'medium' | 'campaign') =>
      (id: number): DimensionValue =>
        texts.sources[id]?.[key] ?? null
    const itself = (id: number): DimensionValue => id
    return {
      series: this.spans.rows((id) => this.spanKeys[id] ?? '').filter(([key]) => key !== ''),
      by: {
        landing: this.landings.rows((id) => (id ? pathOf(columns, id) : null)),
        source: this.sources.rows(ofSource('source')),
        medium: this.sources.rows(ofSource('medium')),
        campaign: this.sources.rows(ofSource('campaign')),
        device: this.agents.rows((id) => agentOf(texts.agents[id]).device),
        country: this.places.rows((id) => places[id]?.country ?? null),
        language: this.places.rows((id) => places[id]?.language ?? null),
        hour: this.hours.rows(itself),
        weekday: this.weekdays.rows(itself),
      },
      before: this.before.map((pages) => {
        const counts = new Map<string | null, number>()
        for (const [id, count] of pages.entries()) {
          if (!count) continue
          const path = id ? pathOf(columns, id) : null
          counts.set(path, (counts.get(path) ?? 0) + count)
        }
        return [...counts]
      }),
      visitsUntil: [...this.visitsUntil],
      timeUntil: this.timeUntil,
    }
  }

  /** A visit has a conversion, wherever in time. */
  private turnTo(visit: number): void {
    const { at, visitStart, visitSource, visitAgent, visitPlace } = this.columns
    this.lastVisit = visit
    this.lastLanding = this.landingOf(visit)
    const startedAt = at[visitStart[visit] as number] as number
    if (startedAt < this.range.from || startedAt >= this.range.to) return
    const clock = this.clockAt(startedAt)
    this.sources.converting[visitSource[visit] as number]!++
    this.agents.converting[visitAgent[visit] as number]!++
    this.places.converting[visitPlace[visit] as number]!++
    this.landings.converting[this.lastLanding]!++
    this.hours.converting[clock.hour]!++
    this.weekdays.converting[clock.weekday]!++
  }

  private landingOf(visit: number): number {
    const { name, address, visitStart } = this.columns
    const to = visitStart[visit + 1] as number
    for (let position = visitStart[visit] as number; position < to; position++) if (name[position] === this.pageView) return address[position] as number
    return 0
  }

  /** Other pages than the conversion's own, as `GoalReport` takes them; address 0 stands for none. */
  private notePagesBefore(position: number, from: number): void {
    const { name, address, rest } = this.columns
    let back = 0
    for (let earlier = position - 1; earlier >= from && back < PAGES_BACK; earlier--) {
      if (name[earlier] !== this.pageView || (address[earlier] === address[position] && rest[earlier] === rest[position])) continue
      this.before[back++]![address[earlier] as number]!++
    }
    for (; back < PAGES_BACK; back++) this.before[back]![0]!++
  }

  private worth(position: number, visit: number, sales: AfterSales | null): Worth {
    this.cursor.visit = visit
    const worth = this.worthAt(position)
    return sales ? lessRefunds(worth, this.columns.texts.orders[this.columns.order[position] as number], sales, this.goal) : worth
  }
}
