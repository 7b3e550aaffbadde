import type { PoolConnection } from 'mysql2/promise'
import { isAway, type Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventLog } from '../events/EventLog.js'
import { conversionsOfVisitors, replaceConversions, settleOrders } from '../goals/conversionsTable.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import type { LiveChanges } from '../live/LiveChanges.js'
import { sitesById } from '../sites/sitesTable.js'
import { deriverFor } from './deriveVisitors.js'
import { dropMarks, takeMarks, type Mark } from './marksTable.js'
import { replaceVisits } from './visitsTable.js'

/** Most visitors derived in one transaction. */
const MOST_VISITORS = 300
/** How long to rest when there is nothing to do, in ms; another process may have left marks. */
const REST_MS = 500

/** Positions of the source id in the rows. */
const VISIT_SOURCE = 6
const CONVERSION_SOURCE = 15

/**
 * Derives visits and conversions of marked visitors afresh from their events, replaces the rows, and
 * drops the marks, all in one transaction: a crash loses and doubles nothing, and any number of
 * workers share the marks.
 */
export class Deriver {
  private readonly log: EventLog
  private running: Promise<void> | undefined
  private stopping = false
  private wake: () => void = () => undefined

  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
    private readonly changes: LiveChanges,
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
        if (await this.deriveSome()) {
          this.wake()
          continue
        }
      } catch (error) {
        if (!isAway(error)) console.error('Deriving failed and will be tried again:', error)
      }
      if (!nudged) await rest
    }
  }

  /** Derives some marked visitors. @returns how many there were */
  async deriveSome(): Promise<number> {
    const done = await this.database.transaction(async (connection) => {
      const marks = await takeMarks(this.database, connection, MOST_VISITORS)
      if (!marks.length) return null
      const siteIds = [...new Set(marks.map((mark) => mark.site_id))]
      const sites = await sitesById(this.database, siteIds, connection)
      const goals = await goalsOfSites(this.database, siteIds, connection)
      const fresh: { siteId: number; keys: Set<string> }[] = []
      for (const siteId of siteIds) {
        const site = sites.get(siteId)
        const visitorIds = marks.filter((mark) => mark.site_id === siteId).map((mark) => mark.visitor_id)
        if (!site) continue
        const derive = deriverFor(
          site,
          goals.filter((goal) => goal.siteId === siteId),
        )
        const derived = derive(await this.log.ofVisitors(siteId, visitorIds, connection))
        fresh.push({ siteId, keys: await this.write(siteId, visitorIds, derived, connection) })
      }
      await dropMarks(this.database, connection, marks)
      return { marks, fresh }
    })
    if (!done) return 0
    this.announce(done.marks, done.fresh)
    return done.marks.length
  }

  /** @returns keys of the conversions that were not there before */
  private async write(
    siteId: number,
    visitorIds: number[],
    derived: ReturnType<ReturnType<typeof deriverFor>>,
    connection: PoolConnection,
  ): Promise<Set<string>> {
    const sourceIds = await this.dictionaries.sources.idsOf(
      siteId,
      derived.visits.map(({ source }) => source),
    )
    for (const { tuple, source } of derived.visits) tuple[VISIT_SOURCE] = sourceIds.get(source) as number
    for (const { tuple, source } of derived.conversions) tuple[CONVERSION_SOURCE] = sourceIds.get(source) as number
    const before = await conversionsOfVisitors(this.database, siteId, visitorIds, connection)
    await replaceVisits(
      this.database,
      siteId,
      visitorIds,
      derived.visits.map(({ tuple }) => tuple),
      connection,
    )
    await replaceConversions(
      this.database,
      siteId,
      visitorIds,
      derived.conversions.map(({ tuple }) => tuple),
      connection,
    )
    const orders = new Map<number, Set<string>>()
    const touch = (goalNo: number, order: string | null): void => {
      if (order !== null) orders.set(goalNo, (orders.get(goalNo) ?? new Set()).add(order))
    }
    for (const row of before) touch(row.goal_no, row.order_key)
    for (const { tuple } of derived.conversions) touch(tuple[1], tuple[13])
    await settleOrders(this.database, orders, connection)
    const known = new Set(before.map((row) => `${row.goal_no} ${row.uid}`))
    return new Set(derived.conversions.map(({ tuple }) => `${tuple[1]} ${tuple[4]}`).filter((key) => !known.has(key)))
  }

  private announce(marks: Mark[], fresh: { siteId: number; keys: Set<string> }[]): void {
    for (const { siteId, keys } of fresh) {
      const live = marks.some((mark) => mark.site_id === siteId && mark.bulk_no === 0)
      this.changes.announce({ siteId, live, newConversions: live ? [...keys] : [] })
    }
  }
}
