import { calendarOf, type Day } from '@acequia/core/days/zone'
import type { PoolConnection } from 'mysql2/promise'
import { isAway, type Database } from '../database/Database.js'
import type { Metrics } from '../app/Metrics.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventLog, VISITORS_AT_ONCE, type VisitorEvents } from '../events/EventLog.js'
import type { EventExtra } from '../events/eventsTable.js'
import { DaySums } from '../goals/conversionDaysTable.js'
import { conversionsOfVisitors, replaceConversions, settleOrders, type ConversionTuple, type StoredConversion } from '../goals/conversionsTable.js'
import type { LiveChange, LiveChanges } from '../live/LiveChanges.js'
import {
  derivationOf,
  derivationsOfSites,
  filledDerivations,
  fillingDerivations,
  noteSplit,
  readDefinition,
  showIfComplete,
  sweepDropped,
  takeUnsplit,
  type Derivation,
} from './derivationsTable.js'
import { deriverFor, extrasOf } from './deriveVisitors.js'
import { dropMarks, takeMarked, type MarkedVisitor } from './marksTable.js'
import { addParts, countVisitors, dropPart, outsideParts, takePart } from './partsTable.js'
import { addToVisitDays, replaceVisits } from './visitsTable.js'
import type { Who } from './Who.js'

/** Most visitors derived in one transaction where somebody waits to see it: few, and more of them where many wait. */
const FEW = 300
const MANY = VISITORS_AT_ONCE
/** Loops that help filling: while one waits for the database, another one computes. */
const HELPERS = 1
/** Parts made in one transaction. */
const PARTS_AT_ONCE = 50
/** How long to rest when there is nothing to do, in ms; another process may have left marks. */
const REST_MS = 500
const AFTER_FAILURE_MS = 200
/** How often derivations left behind by a crash are looked for, and dropped ones swept away, in ms. */
const TIDY_MS = 5000

/** Positions of the source id in the rows. */
const VISIT_SOURCE = 6
const CONVERSION_SOURCE = 15

/** A derivation's definition, read, and what follows from it. */
interface Prepared {
  definition: string
  derive: ReturnType<typeof deriverFor>
  extras: EventExtra[]
  /** The site's day of an instant. */
  dayOf: (at: number) => Day
}

/**
 * Derives visits and conversions of visitors afresh from their events and replaces the rows, in one transaction with
 * what says that it was to be done: a crash loses and doubles nothing, and any number of workers share the work. One
 * loop follows what happens, another one fills derivations part by part; neither waits for the other to be done.
 */
export class Deriver {
  private readonly log: EventLog
  private running: Promise<unknown> | undefined
  private stopping = false
  private readonly wakes = new Set<() => void>()
  private wakeMarks: () => void = () => undefined
  /** How many marked visitors the next transaction takes. */
  private most = FEW
  private tidiedAt = 0
  /** Prepared derivations, by their number, with the definition they were prepared from. */
  private readonly prepared = new Map<number, Prepared>()

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
    if (this.running) return
    const helpers = Array.from({ length: HELPERS }, () => this.loop(() => this.deriveSome()))
    this.running = Promise.all([this.loop(() => this.followMarks(), true), this.loop(() => this.fill()), ...helpers])
  }

  /** Says that there is something to do. */
  nudge(): void {
    for (const wake of this.wakes) wake()
  }

  /** Says that events came. The loops that fill need not hear of it, and it happens a hundred times a second. */
  eventsCame(): void {
    this.wakeMarks()
  }

  /** Finishes the transactions at hand and ends. */
  async stop(): Promise<void> {
    this.stopping = true
    this.nudge()
    await this.running
  }

  /**
   * @param work tells whether there was anything to do; where not, it rests until it is nudged or a while has passed
   * @param ofMarks whether it is the loop that events wake
   */
  private async loop(work: () => Promise<boolean>, ofMarks = false): Promise<void> {
    while (!this.stopping) {
      let nudged = false
      let wake = (): void => undefined
      const rest = new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, REST_MS)
        wake = () => {
          nudged = true
          clearTimeout(timer)
          resolve()
        }
      })
      this.wakes.add(wake)
      if (ofMarks) this.wakeMarks = wake
      try {
        // Who was nudged meanwhile looks again at once.
        if (!(await work()) && !nudged && !this.stopping) await rest
      } catch (error) {
        if (!isAway(error)) this.logger.error({ err: error }, 'deriving failed and will be tried again')
        await new Promise((resolve) => setTimeout(resolve, AFTER_FAILURE_MS))
      }
      wake()
      this.wakes.delete(wake)
    }
  }

  /** Visitors with whom something just happened. @returns whether there were any */
  private async followMarks(): Promise<boolean> {
    const done = await this.database.transaction(async (connection) => {
      const marked = await takeMarked(this.database, connection, this.most)
      if (!marked?.length) return null
      const siteIds = [...new Set(marked.map(({ siteId }) => siteId))]
      const derivations = await derivationsOfSites(this.database, siteIds, connection)
      const changes: LiveChange[] = []
      for (const siteId of siteIds) {
        const ids = marked.filter((each) => each.siteId === siteId).map(({ visitorId }) => visitorId)
        const visitors = await this.log.ofVisitors(siteId, ids, connection)
        let fresh = new Set<string>()
        for (const derivation of derivations.filter((each) => each.siteId === siteId)) {
          if (derivation.state === 'shown') fresh = await this.write(derivation, { ids }, visitors, connection)
          else {
            // Who is in a part that is still to come is derived with it.
            const outside = new Set(await outsideParts(this.database, connection, derivation.no, ids))
            if (!outside.size) continue
            const some = visitors.filter(({ visitorId }) => outside.has(visitorId))
            await this.write(derivation, { ids: [...outside] }, some, connection)
          }
        }
        changes.push({ siteId, live: true, newConversions: [...fresh] })
      }
      await dropMarks(this.database, connection, marked)
      await this.changes.note(changes, connection)
      return { marked, changes }
    })
    this.most = done && done.marked.length >= this.most ? MANY : FEW
    if (!done) return false
    for (const change of done.changes) this.changes.announce(change)
    await this.measure(done.marked)
    return true
  }

  /** Goes on with derivations that are being filled. @returns whether there was anything to do */
  private async fill(): Promise<boolean> {
    if ((await this.deriveSome()) || (await this.splitSome())) return true
    if (Date.now() - this.tidiedAt < TIDY_MS) return false
    for (const no of await filledDerivations(this.database)) await this.show(no)
    if (await sweepDropped(this.database)) return true
    this.tidiedAt = Date.now()
    return false
  }

  /** A part of the oldest derivation that has one which nobody else is working on. @returns whether there was any */
  private async deriveSome(): Promise<boolean> {
    for (const no of await fillingDerivations(this.database)) {
      if (!(await this.derivePart(no))) continue
      await this.show(no)
      return true
    }
    return false
  }

  /** @returns whether the derivation has a part that nobody else is working on */
  private async derivePart(no: number): Promise<boolean> {
    const visitors = await this.database.transaction(async (connection) => {
      const part = await takePart(this.database, connection, no)
      const derivation = part && (await derivationOf(this.database, no, connection))
      if (!derivation) return null
      const who = { first: part.first_id, last: part.last_id }
      const { extras } = this.preparedOf(derivation)
      await this.write(derivation, who, await this.log.ofSpan(derivation.siteId, who.first, who.last, extras, connection), connection)
      await dropPart(this.database, connection, part)
      return part.visitors
    })
    if (visitors !== null) this.metrics.derivedVisitors.inc(visitors)
    return visitors !== null
  }

  /** Splits the visitors of a derivation that has just begun into parts. */
  private async splitSome(): Promise<boolean> {
    const split = await this.database.transaction(async (connection) => {
      const taken = await takeUnsplit(this.database, connection)
      if (!taken) return null
      const last = await addParts(this.database, connection, taken.no, taken.site_id, taken.split_to, PARTS_AT_ONCE)
      const total = last === null ? await countVisitors(this.database, taken.site_id, connection) : null
      await noteSplit(this.database, taken.no, last ?? taken.split_to, total, connection)
      return { no: taken.no, complete: last === null }
    })
    if (split?.complete) await this.show(split.no)
    return split !== null
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

  /** @returns keys of the conversions that were not there before */
  private async write(derivation: Derivation, who: Who, visitors: VisitorEvents[], connection: PoolConnection): Promise<Set<string>> {
    const { no, siteId } = derivation
    const { derive, dayOf } = this.preparedOf(derivation)
    const derived = derive(visitors)
    const sourceIds = await this.dictionaries.sources.idsOf(
      siteId,
      derived.visits.map(({ source }) => source),
    )
    for (const { tuple, source } of derived.visits) tuple[VISIT_SOURCE] = sourceIds.get(source) as number
    for (const { tuple, source } of derived.conversions) tuple[CONVERSION_SOURCE] = sourceIds.get(source) as number
    const visits = derived.visits.map(({ tuple }) => tuple)
    const conversions = derived.conversions.map(({ tuple }) => tuple)
    const days = await replaceVisits(this.database, no, who, visits, connection)
    const before = await conversionsOfVisitors(this.database, no, who, connection)
    await replaceConversions(this.database, no, who, before, conversions, connection)
    const sums = sumsOf(before, conversions, dayOf)
    await settleOrders(this.database, no, ordersOf(before, conversions), sums, dayOf, connection)
    await addToVisitDays(this.database, no, days, connection)
    await sums.write(this.database, no, connection)
    const known = new Set(before.map((row) => `${row.goal_no} ${row.uid}`))
    return new Set(conversions.map((tuple) => `${tuple[1]} ${tuple[4]}`).filter((key) => !known.has(key)))
  }

  /** Made anew where a goal was taken out of the derivation. */
  private preparedOf({ no, definition }: Derivation): Prepared {
    const known = this.prepared.get(no)
    if (known?.definition === definition) return known
    const read = readDefinition(definition)
    const { dayOf } = calendarOf(read.settings.timeZone)
    const prepared = { definition, derive: deriverFor(no, read), extras: extrasOf(read), dayOf }
    if (this.prepared.size > 200) this.prepared.clear()
    this.prepared.set(no, prepared)
    return prepared
  }

  private async measure(marked: readonly MarkedVisitor[]): Promise<void> {
    const now = await this.database.now()
    this.metrics.derivedVisitors.inc(marked.length)
    for (const { markedAt } of marked) if (markedAt) this.metrics.derivationLag.observe(Math.max(0, now - markedAt) / 1000)
  }
}

/** By goal, all orders that are touched. */
function ordersOf(before: StoredConversion[], after: ConversionTuple[]): Map<number, Set<string>> {
  const orders = new Map<number, Set<string>>()
  const touch = (goalNo: number, order: string | null): void => {
    if (order === null) return
    const known = orders.get(goalNo)
    if (known) known.add(order)
    else orders.set(goalNo, new Set([order]))
  }
  for (const row of before) touch(row.goal_no, row.order_key)
  for (const tuple of after) touch(tuple[1], tuple[13])
  return orders
}

/** By how much the sums by day change where some conversions take the place of others; all new ones count at first. */
function sumsOf(before: StoredConversion[], after: ConversionTuple[], dayOf: (at: number) => Day): DaySums {
  const sums = new DaySums()
  const seen = new Set<string>()
  const add = (goalNo: number, visitorId: number, visitNo: number, visitStartedAt: number, day: Day, value: number | null, by: 1 | -1): void => {
    sums.conversion(goalNo, day, value, by)
    const visit = `${by} ${goalNo} ${visitorId} ${visitNo}`
    if (seen.has(visit)) return
    seen.add(visit)
    sums.visit(goalNo, dayOf(visitStartedAt), by)
  }
  for (const row of before) if (row.counted) add(row.goal_no, row.visitor_id, row.visit_no, row.visit_started_at, row.day, row.value, -1)
  for (const [, goalNo, visitorId, , , visitNo, visitStartedAt, day, , , , value] of after) add(goalNo, visitorId, visitNo, visitStartedAt, day, value, 1)
  return sums
}
