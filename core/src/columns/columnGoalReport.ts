import type { Range } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import { agentOf, timeDimension, type DimensionValue } from '../dimensions/dimensions.js'
import { placeFromText } from '../events/Place.js'
import type { AfterSales } from '../goals/afterSales.js'
import type { Worth } from '../goals/countGoal.js'
import type { GoalReport } from '../goals/GoalReport.js'
import { noTimes, PAGES_BACK, spanOfTime, type GoalReportPart } from '../goals/GoalReportTally.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { reportSpans, type SeriesUnit } from '../goals/reportSpans.js'
import type { ColumnPart, Columns } from './Columns.js'
import { visitorOf } from './ConversionTally.js'
import { eachConversion } from './eachConversion.js'
import { firstOfOrders, isFirst, type OpenOrders } from './firstOfOrders.js'
import { wholeNumbers } from './GrowingList.js'
import { pathOf } from './pathOf.js'
import { SAFE } from './QuickSum.js'
import { salesReader } from './salesReader.js'
import { SumsById } from './SumsById.js'
import { plainWorth, worthReader, type WorthReader } from './worthReader.js'

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

/** The sum of two such amounts is still exact. */
const MOST_PLAIN = SAFE / 4
/** A range at least as long may reach far beyond what was recorded. */
const LONG_MS = 5 * 366 * 86_400_000
/** Whatever clocks show of hours and days changes at a quarter of an hour at most. */
const QUARTER_MS = 15 * 60_000

/**
 * Adds up visits and conversions by all that a goal's report tells apart. Of time, by quarters of an hour, from which hours,
 * weekdays and spans follow.
 */
class ReportSums {
  private readonly sources: SumsById
  private readonly agents: SumsById
  private readonly places: SumsById
  /** By the number of the address of the visit's first page; 0 where it has none. */
  private readonly landings: SumsById
  private readonly quarters: SumsById
  private readonly firstQuarter: number
  private readonly before: Uint32Array[]
  private readonly visitsUntil = new Map<number, number>()
  private readonly timeUntil = noTimes()
  private readonly worth: WorthReader
  private readonly plain: (position: number) => number
  private readonly pageView: number
  /** The visit in hand, its conversions in the range so far, and what they are worth in plain site money. */
  private visit = -1
  private visitor = -1
  private landing = 0
  private firstAt = 0
  private counted = 0
  private sum = 0

  constructor(
    private readonly columns: Columns,
    goal: PreparedGoal,
    private readonly range: Range,
    private readonly calendar: Calendar,
    private readonly unit: SeriesUnit,
  ) {
    const { texts } = columns
    this.pageView = texts.names.indexOf('page-view')
    this.sources = new SumsById(texts.sources.length)
    this.agents = new SumsById(texts.agents.length)
    this.places = new SumsById(texts.places.length)
    this.landings = new SumsById(texts.addresses.length)
    const { from, to } = extentOf(columns, range)
    this.firstQuarter = Math.floor(from / QUARTER_MS)
    this.quarters = new SumsById(Math.max(0, Math.floor(to / QUARTER_MS) - this.firstQuarter + 1))
    this.before = Array.from({ length: PAGES_BACK }, () => new Uint32Array(texts.addresses.length))
    this.worth = worthReader(columns, goal)
    this.plain = plainWorth(columns, goal) ?? (() => NaN)
  }

  /** Adds the visits of a part that begin in the range. */
  addVisits(part: ColumnPart): void {
    const { at, visitStart, visitorStart, visitSource, visitAgent, visitPlace } = this.columns
    const { sources, agents, places, landings, quarters, firstQuarter } = this
    const { from, to } = this.range
    for (let visitor = part.from; visitor < part.to; visitor++) {
      if (part.skip?.[visitor]) continue
      const end = visitorStart[visitor + 1] as number
      for (let visit = visitorStart[visitor] as number; visit < end; visit++) {
        const startedAt = at[visitStart[visit] as number] as number
        if (startedAt < from || startedAt >= to) continue
        sources.visits[visitSource[visit] as number]!++
        agents.visits[visitAgent[visit] as number]!++
        places.visits[visitPlace[visit] as number]!++
        landings.visits[this.landingOf(visit)]!++
        quarters.visits[Math.floor(startedAt / QUARTER_MS) - firstQuarter]!++
      }
    }
  }

  /** Adds a conversion that counts; those of one visit come one after the other. */
  addConversion(position: number, visit: number, visitor: number, sales: AfterSales | null): void {
    if (visit !== this.visit) this.turnTo(visit, visitor)
    const instant = this.columns.at[position] as number
    if (instant < this.range.from || instant >= this.range.to) return
    const quarter = Math.floor(instant / QUARTER_MS) - this.firstQuarter
    this.counted++
    this.quarters.conversions[quarter]!++
    const value = sales ? NaN : this.plain(position)
    if (!(value <= MOST_PLAIN && value >= -MOST_PLAIN)) this.addWorth(this.worth(position, visit, sales), quarter)
    else if (value !== 0) {
      this.sum += value
      this.quarters.addPlain(quarter, value)
      if (this.sum > MOST_PLAIN || this.sum < -MOST_PLAIN) this.flush()
    }
    this.notePagesBefore(position, this.columns.visitStart[visit] as number)
    this.timeUntil[spanOfTime(instant - this.firstAt)]!++
  }

  /** What was added. Add nothing afterwards. */
  part(): GoalReportPart {
    this.flush()
    const { columns, calendar, firstQuarter } = this
    const { texts } = columns
    const places = texts.places.map((text) => (text ? placeFromText(text) : null))
    const ofSource =
      (key: 'source' | 'medium' | 'campaign') =>
      (id: number): DimensionValue =>
        texts.sources[id]?.[key] ?? null
    const instantOf = (quarter: number): number => (quarter + firstQuarter) * QUARTER_MS
    const { keyOf } = reportSpans(this.range, calendar, this.unit)
    return {
      series: this.quarters.rows((quarter) => keyOf(instantOf(quarter))),
      by: {
        landing: this.landings.rows((id) => (id ? pathOf(columns, id) : null)),
        source: this.sources.rows(ofSource('source')),
        medium: this.sources.rows(ofSource('medium')),
        campaign: this.sources.rows(ofSource('campaign')),
        device: this.agents.rows((id) => agentOf(texts.agents[id]).device),
        country: this.places.rows((id) => places[id]?.country ?? null),
        language: this.places.rows((id) => places[id]?.language ?? null),
        hour: this.quarters.rows((quarter): DimensionValue => timeDimension('hour', instantOf(quarter), calendar)),
        weekday: this.quarters.rows((quarter): DimensionValue => timeDimension('weekday', instantOf(quarter), calendar)),
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

  /** Goes on to another visit, which has a conversion, wherever in time. */
  private turnTo(visit: number, visitor: number): void {
    this.flush()
    const { at, visitStart, visitorStart, visitSource, visitAgent, visitPlace } = this.columns
    this.visit = visit
    this.visitor = visitor
    this.landing = this.landingOf(visit)
    this.firstAt = at[visitStart[visitorStart[visitor] as number] as number] as number
    const startedAt = at[visitStart[visit] as number] as number
    if (startedAt < this.range.from || startedAt >= this.range.to) return
    this.sources.converting[visitSource[visit] as number]!++
    this.agents.converting[visitAgent[visit] as number]!++
    this.places.converting[visitPlace[visit] as number]!++
    this.landings.converting[this.landing]!++
    this.quarters.converting[Math.floor(startedAt / QUARTER_MS) - this.firstQuarter]!++
  }

  /** Adds what was counted of the visit in hand to what it belongs to. */
  private flush(): void {
    const { visit, counted, sum } = this
    if (!counted && !sum) return
    const { visitSource, visitAgent, visitPlace, visitorStart } = this.columns
    const nth = visit - (visitorStart[this.visitor] as number) + 1
    this.visitsUntil.set(nth, (this.visitsUntil.get(nth) ?? 0) + counted)
    const [source, agent, place] = [visitSource[visit] as number, visitAgent[visit] as number, visitPlace[visit] as number]
    this.sources.conversions[source]! += counted
    this.agents.conversions[agent]! += counted
    this.places.conversions[place]! += counted
    this.landings.conversions[this.landing]! += counted
    if (sum) {
      this.sources.addPlain(source, sum)
      this.agents.addPlain(agent, sum)
      this.places.addPlain(place, sum)
      this.landings.addPlain(this.landing, sum)
    }
    this.counted = this.sum = 0
  }

  private addWorth(worth: Worth, quarter: number): void {
    const { visitSource, visitAgent, visitPlace } = this.columns
    this.sources.addWorth(visitSource[this.visit] as number, worth)
    this.agents.addWorth(visitAgent[this.visit] as number, worth)
    this.places.addWorth(visitPlace[this.visit] as number, worth)
    this.landings.addWorth(this.landing, worth)
    this.quarters.addWorth(quarter, worth)
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
}

/** Where a range may reach beyond everything that was recorded, as far as something was. */
function extentOf({ at }: Columns, range: Range): Range {
  if (range.to - range.from < LONG_MS) return range
  let [first, last] = [Infinity, -Infinity]
  for (const instant of at) {
    if (instant < first) first = instant
    if (instant > last) last = instant
  }
  const extent = { from: Math.max(range.from, first), to: Math.min(range.to, last) }
  return extent.from <= extent.to ? extent : { from: range.from, to: range.from }
}
