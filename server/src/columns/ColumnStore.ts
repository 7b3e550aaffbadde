import { join } from 'node:path'
import { mergeBacktests } from '@acequia/core/columns/columnBacktest'
import { ColumnBuilder } from '@acequia/core/columns/ColumnBuilder'
import type { Columns } from '@acequia/core/columns/Columns'
import type { Range } from '@acequia/core/days/Range'
import type { Calendar } from '@acequia/core/days/zone'
import type { Dimension } from '@acequia/core/dimensions/dimensions'
import { FunnelRun, type FunnelResult } from '@acequia/core/funnels/FunnelRun'
import type { Funnel } from '@acequia/core/funnels/funnelSchema'
import { Backtest } from '@acequia/core/goals/Backtest'
import type { PreparedGoal } from '@acequia/core/goals/prepareGoal'
import { deriveVisits } from '@acequia/core/visits/deriveVisits'
import type { Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventLog, VISITORS_AT_ONCE } from '../events/EventLog.js'
import type { Site } from '../sites/sitesTable.js'
import { LogTail, SETTLED_MS } from '../visits/LogTail.js'
import type { RecordedVisitor, RecordedVisits } from '../visits/RecordedVisits.js'
import { ColumnPool } from './ColumnPool.js'
import { loadSegment, saveSegment } from './segments.js'

/** With more changed visitors than this, the columns are made anew, in the background. */
const MOST_CHANGED = 20_000
/** A site that was small is not counted again for this long, in ms. */
const SMALL_MS = 60_000

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
  async funnel(site: Site, funnel: Funnel, range: Range & { calendar: Calendar }, split?: Dimension, returns = false): Promise<FunnelResult> {
    const run = new FunnelRun(funnel, range, range.calendar, split, undefined, returns)
    const held = await this.large(site)
    if (!held) {
      await this.recorded.each(site, ({ visitor, visits }) => run.addVisitor(visitor, visits))
      return run.result()
    }
    const job = {
      type: 'funnel' as const,
      funnel,
      range: { from: range.from, to: range.to },
      timeZone: range.calendar.timeZone,
      returns,
      ...(split && { split }),
    }
    const { skip, changed } = changesOf(held)
    for (const part of await held.pool.run(job, skip)) run.merge(part)
    for (const { visitor, visits } of changed) run.addVisitor(visitor, visits)
    return run.result()
  }

  /** Backtests a goal over a site's history. Ask the result of what is given. */
  async backtest(
    site: Site,
    goal: PreparedGoal,
    range: Range & { calendar: Calendar },
  ): Promise<{ backtest: Backtest; name: <R extends { examples: { visitor: string }[] }>(result: R) => Promise<R> }> {
    const backtest = new Backtest(goal, range, range.calendar)
    const held = await this.large(site)
    if (!held) {
      await this.recorded.each(site, ({ visitor, visits }) => backtest.addVisitor(visitor, visits))
      return { backtest, name: (result) => Promise.resolve(result) }
    }
    const job = { type: 'backtest' as const, goal, range: { from: range.from, to: range.to }, timeZone: range.calendar.timeZone }
    const { skip, changed } = changesOf(held)
    const parts = await held.pool.run(job, skip)
    for (const { visitor, visits } of changed) backtest.addVisitor(visitor, visits)
    mergeBacktests(held.columns, parts, goal, range, range.calendar, backtest)
    return { backtest, name: (result) => this.nameVisitors(result) }
  }

  /** Ends all threads. */
  async close(): Promise<void> {
    const all = await Promise.allSettled(this.held.values())
    this.held.clear()
    for (const each of all) if (each.status === 'fulfilled') await each.value.pool.close()
  }

  /** Columns know visitors by number; people know them by name. */
  private async nameVisitors<R extends { examples: { visitor: string }[] }>(result: R): Promise<R> {
    const numbered = result.examples.filter(({ visitor }) => visitor.startsWith('#'))
    const names = await this.dictionaries.visitors.textsOf(numbered.map(({ visitor }) => Number(visitor.slice(1))))
    for (const example of numbered) example.visitor = names.get(Number(example.visitor.slice(1))) ?? example.visitor
    return result
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

/** What has changed as of now: more may come while threads are at work, which then must not be counted twice. */
function changesOf({ skip, changed }: Held): { skip?: Uint8Array; changed: RecordedVisitor[] } {
  return { ...(changed.size && { skip: skip.slice() }), changed: [...changed.values()] }
}
