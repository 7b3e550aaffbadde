import type { PoolConnection } from 'mysql2/promise'
import { isAway, type Database } from '../database/Database.js'
import type { Metrics } from '../app/Metrics.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventLog, VISITORS_AT_ONCE, type VisitorEvents } from '../events/EventLog.js'
import { conversionsOfVisitors, replaceConversions, settleOrders } from '../goals/conversionsTable.js'
import type { LiveChange, LiveChanges } from '../live/LiveChanges.js'
import {
  derivationsOfSites,
  filledDerivations,
  noteMarked,
  readDefinition,
  showIfComplete,
  sweepDropped,
  takeUnmarked,
  type Derivation,
} from './derivationsTable.js'
import { deriverFor } from './deriveVisitors.js'
import { countVisitors, dropMarks, markSomeVisitors, takeBulkMarks, takeUrgentMarks, type Mark } from './marksTable.js'
import { replaceVisits } from './visitsTable.js'

/** Most visitors derived in one transaction: few where somebody waits to see it, many where it is about speed. */
const MOST_URGENT = 300
const MOST_BULK = VISITORS_AT_ONCE
/** Visitors marked in one transaction, so that the collector never waits long for a mark. */
const MARKED_AT_ONCE = 20_000
/** How long to rest when there is nothing to do, in ms; another process may have left marks. */
const REST_MS = 500
/** How often derivations left behind by a crash are looked for, and dropped ones swept away, in ms. */
const TIDY_MS = 5000

/** Positions of the source id in the rows. */
const VISIT_SOURCE = 6
const CONVERSION_SOURCE = 15

type Derive = ReturnType<typeof deriverFor>

/**
 * Derives visits and conversions of marked visitors afresh from their events, replaces the rows, and
 * drops the marks, all in one transaction: a crash loses and doubles nothing, and any number of
 * workers share the marks. A derivation that is being filled is shown once nobody waits for it.
 */
export class Deriver {
  private readonly log: EventLog
  private running: Promise<void> | undefined
  private stopping = false
  private wake: () => void = () => undefined
  private tidiedAt = 0
  /** Prepared derivations, by their number, with the definition they were prepared from. */
  private readonly prepared = new Map<number, { definition: string; derive: Derive }>()

  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
    private readonly changes: LiveChanges,
    private readonly metrics: Metrics,
    private readonly logger: { error: (details: object, message: string) => void },
  ) {
    this.log = new EventLog(database, dictionaries)
  }

  /** Begins to work until `stop`. */
  start(): void {
    this.running ??= this.loop()
  }

  /** Says that there are new marks. */
  nudge(): void {
    this.wake()
  }

  /** Finishes the transaction at hand and ends. */
  async stop(): Promise<void> {
    this.stopping = true
    this.wake()
    await this.running
  }

  private async loop(): Promise<void> {
    while (!this.stopping) {
      let nudged = false
      const rest = new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, REST_MS)
        this.wake = () => {
          nudged = true
          clearTimeout(timer)
          resolve()
        }
      })
      try {
        if (await this.doSome()) {
          this.wake()
          continue
        }
      } catch (error) {
        if (!isAway(error)) this.logger.error({ err: error }, 'deriving failed and will be tried again')
      }
      if (!nudged) await rest
    }
  }

  /** @returns whether there was anything to do */
  private async doSome(): Promise<boolean> {
    if (await this.deriveUrgent()) return true
    if (await this.deriveBulk()) return true
    if (await this.markSome()) return true
    if (Date.now() - this.tidiedAt < TIDY_MS) return false
    for (const no of await filledDerivations(this.database)) await this.show(no)
    if (await sweepDropped(this.database)) return true
    this.tidiedAt = Date.now()
    return false
  }

  /** Visitors with whom something just happened. */
  private deriveUrgent(): Promise<boolean> {
    return this.derive((connection) => takeUrgentMarks(this.database, connection, MOST_URGENT))
  }

  /** Visitors that a derivation being filled has still to go through; the oldest derivation first. */
  private async deriveBulk(): Promise<boolean> {
    const rows = await this.database.rows<{ no: number }>("SELECT no FROM derivations WHERE state = 'filling' AND paused = 0 ORDER BY no")
    for (const { no } of rows) {
      if (!(await this.derive((connection) => takeBulkMarks(this.database, connection, no, MOST_BULK)))) continue
      await this.show(no)
      return true
    }
    return false
  }

  /** Marks some visitors for a derivation that has just begun. */
  private async markSome(): Promise<boolean> {
    const marked = await this.database.transaction(async (connection) => {
      const taken = await takeUnmarked(this.database, connection)
      if (!taken) return null
      const last = await markSomeVisitors(this.database, connection, taken.site_id, taken.no, taken.marked_to, MARKED_AT_ONCE)
      const total = last === null ? await countVisitors(this.database, taken.site_id, connection) : null
      await noteMarked(this.database, taken.no, last ?? taken.marked_to, total, connection)
      return { no: taken.no, complete: last === null }
    })
    if (marked?.complete) await this.show(marked.no)
    return marked !== null
  }

  private async show(no: number): Promise<void> {
    const shown = await this.database.transaction(async (connection) => {
      if (!(await showIfComplete(this.database, no, connection))) return null
      const row = await this.database.row<{ site_id: number }>('SELECT site_id FROM derivations WHERE no = ?', [no], connection)
      const change: LiveChange = { siteId: row?.site_id ?? 0, live: false, newConversions: [] }
      await this.changes.note([change], connection)
      return change
    })
    if (shown) this.changes.announce(shown)
  }

  private async derive(take: (connection: PoolConnection) => Promise<Mark[]>): Promise<boolean> {
    const done = await this.database.transaction(async (connection) => {
      const marks = await take(connection)
      if (!marks.length) return null
      const siteIds = [...new Set(marks.map((mark) => mark.site_id))]
      const derivations = await derivationsOfSites(this.database, siteIds, connection)
      const changes: LiveChange[] = []
      for (const siteId of siteIds) {
        const its = marks.filter((mark) => mark.site_id === siteId)
        const visitors = await this.log.ofVisitors(
          siteId,
          its.map((mark) => mark.visitor_id),
          connection,
        )
        const urgent = new Set(its.filter((mark) => mark.urgent === 1).map((mark) => mark.visitor_id))
        let fresh = new Set<string>()
        for (const derivation of derivations.filter((each) => each.siteId === siteId)) {
          // What is shown changes only where something happened; what is being filled needs everybody who is marked.
          const whole = derivation.state === 'filling'
          const ids = its.map((mark) => mark.visitor_id).filter((id) => whole || urgent.has(id))
          if (!ids.length) continue
          const some = whole ? visitors : visitors.filter(({ visitorId }) => urgent.has(visitorId))
          const keys = await this.write(derivation, ids, some, connection)
          if (!whole) fresh = keys
        }
        if (urgent.size) changes.push({ siteId, live: true, newConversions: [...fresh] })
      }
      await dropMarks(this.database, connection, marks)
      await this.changes.note(changes, connection)
      return { marks, changes }
    })
    if (!done) return false
    for (const change of done.changes) this.changes.announce(change)
    this.measure(done.marks)
    return true
  }

  /** @returns keys of the conversions that were not there before */
  private async write(derivation: Derivation, visitorIds: number[], visitors: VisitorEvents[], connection: PoolConnection): Promise<Set<string>> {
    const { no, siteId } = derivation
    const derived = this.deriveOf(derivation)(visitors)
    const sourceIds = await this.dictionaries.sources.idsOf(
      siteId,
      derived.visits.map(({ source }) => source),
    )
    for (const { tuple, source } of derived.visits) tuple[VISIT_SOURCE] = sourceIds.get(source) as number
    for (const { tuple, source } of derived.conversions) tuple[CONVERSION_SOURCE] = sourceIds.get(source) as number
    const before = await conversionsOfVisitors(this.database, no, visitorIds, connection)
    await replaceVisits(
      this.database,
      no,
      visitorIds,
      derived.visits.map(({ tuple }) => tuple),
      connection,
    )
    await replaceConversions(
      this.database,
      no,
      visitorIds,
      derived.conversions.map(({ tuple }) => tuple),
      connection,
    )
    const orders = new Map<number, Set<string>>()
    const touch = (goalNo: number, order: string | null): void => {
      if (order === null) return
      const known = orders.get(goalNo)
      if (known) known.add(order)
      else orders.set(goalNo, new Set([order]))
    }
    for (const row of before) touch(row.goal_no, row.order_key)
    for (const { tuple } of derived.conversions) touch(tuple[1], tuple[13])
    await settleOrders(this.database, no, orders, connection)
    const known = new Set(before.map((row) => `${row.goal_no} ${row.uid}`))
    return new Set(derived.conversions.map(({ tuple }) => `${tuple[1]} ${tuple[4]}`).filter((key) => !known.has(key)))
  }

  /** The deriving function of a derivation; made anew where a goal was taken out of it. */
  private deriveOf({ no, definition }: Derivation): Derive {
    const known = this.prepared.get(no)
    if (known?.definition === definition) return known.derive
    const derive = deriverFor(no, readDefinition(definition))
    if (this.prepared.size > 200) this.prepared.clear()
    this.prepared.set(no, { definition, derive })
    return derive
  }

  private measure(marks: Mark[]): void {
    const now = Date.now()
    this.metrics.derivedVisitors.inc(marks.length)
    for (const { urgent, marked_at } of marks) if (urgent === 1 && marked_at) this.metrics.derivationLag.observe(Math.max(0, now - marked_at) / 1000)
  }
}
