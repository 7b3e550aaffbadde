import { join } from 'node:path'
import { mergeBacktests } from '@acequia/core/columns/columnBacktest'
import { mergeGoalReports } from '@acequia/core/columns/columnGoalReport'
import { ColumnBuilder } from '@acequia/core/columns/ColumnBuilder'
import type { Columns } from '@acequia/core/columns/Columns'
import { columnVisits } from '@acequia/core/columns/columnVisits'
import type { Range } from '@acequia/core/days/Range'
import type { Calendar } from '@acequia/core/days/zone'
import type { Dimension } from '@acequia/core/dimensions/dimensions'
import { FunnelRun, type FunnelResult } from '@acequia/core/funnels/FunnelRun'
import type { Funnel } from '@acequia/core/funnels/funnelSchema'
import { Backtest } from '@acequia/core/goals/Backtest'
import { GoalReport } from '@acequia/core/goals/GoalReport'
import type { GoalReportResult } from '@acequia/core/goals/GoalReportTally'
import type { PreparedGoal } from '@acequia/core/goals/prepareGoal'
import type { SeriesUnit } from '@acequia/core/goals/reportSpans'
import { LatestValues } from '@acequia/core/readings/LatestValues'
import { ValueCount, type SeenValue } from '@acequia/core/readings/ValueCount'
import { deriveVisits, type Visit } from '@acequia/core/visits/deriveVisits'
import { FiredCount } from '@acequia/core/wiring/FiredCount'
import type { Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventLog, VISITORS_AT_ONCE } from '../events/EventLog.js'
import type { Site } from '../sites/sitesTable.js'
import { inTurns } from '../visits/inTurns.js'
import { LogTail, SETTLED_MS } from '../visits/LogTail.js'
import type { RecordedVisitor, RecordedVisits } from '../visits/RecordedVisits.js'
import type { ColumnAnswers, ColumnJob } from './ColumnJob.js'
import { ColumnPool } from './ColumnPool.js'
import { loadSegment, saveSegment } from './segments.js'

/** With more changed visitors than this, the columns are made anew, in the background. */
const MOST_CHANGED = 20_000
/** A site that was small is not counted again for this long, in ms. */
const SMALL_MS = 60_000

type CalendarRange = Range & { calendar: Calendar }

interface Held {
  revision: number
  columns: Columns
  pool: ColumnPool
  /** Place of each visitor in the columns, by number. */
  places: Map<number, number>
  skip: Uint8Array
  /** Visitors whose events have changed since, with all their visits. */
  changed: Map<number, RecordedVisitor>
  tail: LogTail
  turn: Promise<unknown>
  rebuilding: boolean
}

/**
 * Answers questions that look at most of a site's log. Small sites are remembered as visits; of large ones a
 * columnar copy is kept, with what changed since beside it, so that every acknowledged event counts.
 */
export class ColumnStore {
  private readonly held = new Map<number, Promise<Held>>()
  /** When sites were last found to be small, in ms. */
  private readonly smallAt = new Map<number, number>()
  private readonly log: EventLog
  private readonly folder: string

  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
    private readonly recorded: RecordedVisits,
    dataFolder: string,
    /** Sites with more events than this are kept as columns. */
    private readonly largeFrom: number,
  ) {
    this.log = new EventLog(database, dictionaries)
    this.folder = join(dataFolder, 'columns')
  }

  /** Runs a funnel over a site's history. */
  async funnel(site: Site, funnel: Funnel, range: CalendarRange, split?: Dimension, returns = false): Promise<FunnelResult> {
    const run = new FunnelRun(funnel, range, range.calendar, split, undefined, returns)
    const job = { type: 'funnel' as const, funnel, ...asked(range), returns, ...(split && { split }) }
    const found = await this.over(site, job, ({ visitor, visits }) => run.addVisitor(visitor, visits))
    for (const part of found?.parts ?? []) run.merge(part)
    return run.result()
  }

  /** Backtests a goal over a site's history. Have the examples of the result named. */
  async backtest(site: Site, goal: PreparedGoal, range: CalendarRange): Promise<Backtest> {
    const backtest = new Backtest(goal, range, range.calendar)
    const found = await this.over(site, { type: 'backtest', goal, ...asked(range) }, ({ visitor, visits }) => backtest.addVisitor(visitor, visits))
    if (found) mergeBacktests(found.columns, found.parts, goal, range, range.calendar, backtest)
    return backtest
  }

  /** Tells the conversions of a goal apart over a range. */
  async goalReport(site: Site, goal: PreparedGoal, range: CalendarRange, unit: SeriesUnit): Promise<GoalReportResult> {
    const report = new GoalReport(goal, range, range.calendar, unit)
    const found = await this.over(site, { type: 'goal-report', goal, ...asked(range), unit }, ({ visits }) => report.addVisitor(visits))
    if (found) mergeGoalReports(found.columns, found.parts, goal, range, range.calendar, unit, report)
    return report.result()
  }

  /**
   * Counts what a reading really was.
   * @param event only events of this name
   * @param search only texts that contain this, in any case
   * @param most how many to give, most frequent first
   */
  async values(site: Site, reading: string, range: CalendarRange, event: string | undefined, search: string, most: number): Promise<SeenValue[]> {
    const values = new ValueCount(reading, range, event)
    const job = { type: 'values' as const, reading, ...asked(range), search, ...(event !== undefined && { event }) }
    const found = await this.over(site, job, ({ visits }) => values.add(visits))
    for (const part of found?.parts ?? []) values.merge(part)
    return values.result(search, most)
  }

  /** Counts how often each tag fired, from what loaders recorded. */
  async fired(site: Site, range: CalendarRange): Promise<FiredCount> {
    const count = new FiredCount(range, range.calendar)
    const found = await this.over(site, { type: 'fired', ...asked(range) }, ({ visits }) => count.add(visits))
    for (const part of found?.parts ?? []) count.merge(part)
    return count
  }

  /** The latest different texts of readings that follow from an event's data, in the order of the readings. */
  async latest(site: Site, readings: string[]): Promise<{ text: string; at: string }[][]> {
    const latest = readings.map((reading) => new LatestValues(reading))
    const found = await this.over(site, { type: 'latest', readings }, ({ visits }) => latest.forEach((each) => each.add(visits)))
    for (const part of found?.parts ?? []) part.forEach((texts, index) => latest[index]?.merge(texts))
    return latest.map((each) => each.result())
  }

  /**
   * Hands over every visitor with an event in a range, in no particular order, with all visits; some visitors by number, as
   * `#12`. What else is known of events is said at `columnVisits`. Others are served in between.
   * @param goOn told from time to time which share is done; work ends early where it gives false
   */
  async each(
    site: Site,
    range: Range,
    take: (visitor: { visitor: string; visits: Visit[] }) => void,
    goOn: (share: number) => boolean = () => true,
  ): Promise<void> {
    const held = await this.large(site)
    if (!held) return this.recorded.each(site, take, goOn)
    const { skip, changed } = changesOf(held)
    const part = { from: 0, to: held.columns.visitors, ...(skip && { skip }) }
    let place = 0
    let stopped = false
    await inTurns(
      columnVisits(held.columns, part, range),
      ({ visitor, visits }) => {
        place = visitor
        take({ visitor: `#${held.columns.visitorId[visitor]}`, visits })
      },
      () => {
        stopped = !goOn(place / held.columns.visitors)
        return !stopped
      },
    )
    if (!stopped) changed.forEach(take)
  }

  /** Puts names in place of numbers: columns know visitors by number, people know them by name. */
  async named<V extends { visitor: string }>(list: V[]): Promise<V[]> {
    const numberOf = ({ visitor }: V): number | null => (visitor.startsWith('#') ? Number(visitor.slice(1)) : null)
    const names = await this.dictionaries.visitors.textsOf(list.flatMap((each) => numberOf(each) ?? []))
    return list.map((each) => {
      const number = numberOf(each)
      return { ...each, visitor: (number === null ? undefined : names.get(number)) ?? each.visitor }
    })
  }

  /** Ends all threads. */
  async close(): Promise<void> {
    const all = await Promise.allSettled(this.held.values())
    this.held.clear()
    for (const each of all) if (each.status === 'fulfilled') await each.value.pool.close()
  }

  /**
   * Has a question answered over all of a site: threads answer for what is in the columns, all other visitors are handed over.
   * @returns what the threads answered; null where the site is small, and everybody was handed over
   */
  private async over<J extends ColumnJob>(
    site: Site,
    job: J,
    take: (visitor: RecordedVisitor) => void,
  ): Promise<{ columns: Columns; parts: ColumnAnswers[J['type']][] } | null> {
    const held = await this.large(site)
    if (!held) {
      await this.recorded.each(site, take)
      return null
    }
    const { skip, changed } = changesOf(held)
    const parts = await held.pool.run(job, skip)
    changed.forEach(take)
    return { columns: held.columns, parts }
  }

  /** The columns of a site, with everything that came since; null where the site is small. */
  private async large(site: Site): Promise<Held | null> {
    const held = await (this.held.get(site.id) ?? this.firstLook(site))
    if (!held) return null
    if (held.revision !== site.revision || held.pool.failed) {
      // Somebody else may have begun anew while this was awaited.
      const now = this.held.get(site.id)
      if (!now || (await now) === held) {
        this.hold(site.id, this.load(site))
        held.pool.close().catch(() => undefined)
      }
      return this.large(site)
    }
    const look = held.turn.then(() => this.refresh(site, held))
    held.turn = look.catch(() => undefined)
    await look
    if (held.changed.size > MOST_CHANGED && !held.rebuilding) this.rebuild(site, held).catch(() => undefined)
    return held
  }

  /** Loads a site's columns if it is large. */
  private async firstLook(site: Site): Promise<Held | null> {
    if ((this.smallAt.get(site.id) ?? 0) > Date.now() - SMALL_MS) return null
    const row = await this.database.row<{ n: number }>('SELECT COUNT(*) AS n FROM (SELECT 1 FROM events WHERE site_id = ? LIMIT ?) AS some', [
      site.id,
      this.largeFrom + 1,
    ])
    if ((row?.n ?? 0) > this.largeFrom) return this.held.get(site.id) ?? this.hold(site.id, this.load(site))
    this.smallAt.set(site.id, Date.now())
    return null
  }

  private hold(siteId: number, loading: Promise<Held>): Promise<Held> {
    this.held.set(siteId, loading)
    loading.catch(() => this.held.delete(siteId))
    return loading
  }

  private async load(site: Site): Promise<Held> {
    const saved = await loadSegment(this.folder, site.id, site.revision)
    if (saved) return this.prepare(saved.columns, saved.stamp.afterId, site)
    const { columns, afterId } = await this.build(site)
    void saveSegment(this.folder, { siteId: site.id, revision: site.revision, afterId }, columns).catch(() => undefined)
    return this.prepare(columns, afterId, site)
  }

  private async rebuild(site: Site, old: Held): Promise<void> {
    old.rebuilding = true
    try {
      const { columns, afterId } = await this.build(site)
      const fresh = await this.prepare(columns, afterId, site)
      void this.hold(site.id, Promise.resolve(fresh))
      await saveSegment(this.folder, { siteId: site.id, revision: site.revision, afterId }, columns)
      await old.pool.close()
    } finally {
      old.rebuilding = false
    }
  }

  private async build(site: Site): Promise<{ columns: Columns; afterId: number }> {
    // What came within the last minute may not have settled: it is looked at again, beside the columns.
    const row = await this.database.row<{ id: number | null }>('SELECT MAX(id) AS id FROM events WHERE site_id = ? AND received_at < ?', [
      site.id,
      (await this.database.now()) - SETTLED_MS,
    ])
    const builder = new ColumnBuilder()
    for await (const { visitorId, events } of this.log.visitors(site.id)) builder.addVisitor(visitorId, deriveVisits(events, site.settings))
    return { columns: builder.finish(), afterId: row?.id ?? 0 }
  }

  private async prepare(columns: Columns, afterId: number, site: Site): Promise<Held> {
    const places = new Map<number, number>()
    for (const [place, id] of columns.visitorId.entries()) places.set(id, place)
    return {
      revision: site.revision,
      columns,
      pool: await ColumnPool.start(columns),
      places,
      skip: new Uint8Array(columns.visitors),
      changed: new Map(),
      tail: new LogTail(this.database, site.id, afterId),
      turn: Promise.resolve(),
      rebuilding: false,
    }
  }

  /** Takes in what came since: those visitors are looked at as visits, and left out of the columns. */
  private refresh(site: Site, held: Held): Promise<void> {
    return held.tail.follow(async (ids) => {
      for (let start = 0; start < ids.length; start += VISITORS_AT_ONCE) {
        const loaded = await this.log.ofVisitors(site.id, ids.slice(start, start + VISITORS_AT_ONCE), this.database.pool)
        const names = await this.dictionaries.visitors.textsOf(loaded.map((each) => each.visitorId))
        for (const { visitorId, events } of loaded) {
          held.changed.set(visitorId, { visitorId, visitor: names.get(visitorId) ?? '', visits: deriveVisits(events, site.settings) })
          const place = held.places.get(visitorId)
          if (place !== undefined) held.skip[place] = 1
        }
      }
    })
  }
}

/** A range as jobs carry it: threads make calendars of their own. */
function asked({ from, to, calendar }: CalendarRange): { range: Range; timeZone: string } {
  return { range: { from, to }, timeZone: calendar.timeZone }
}

/** What has changed as of now: more may come while threads are at work, which then must not be counted twice. */
function changesOf({ skip, changed }: Held): { skip?: Uint8Array; changed: RecordedVisitor[] } {
  return { ...(changed.size && { skip: skip.slice() }), changed: [...changed.values()] }
}
