import type { CheckedEvent } from '@acequia/core/events/eventSchema'
import { placeText, type Place } from '@acequia/core/events/Place'
import { rememberingUrlParts } from '@acequia/core/readings/rememberingUrlParts'
import { parseAmount } from '@acequia/core/money/Amount'
import { isAway, type Database, type Statement } from '../database/Database.js'
import type { Metrics } from '../app/Metrics.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { markVisitors } from '../visits/marksTable.js'
import { hashOf, type Dictionary } from '../dictionaries/Dictionary.js'
import { NewTexts } from '../dictionaries/NewTexts.js'
import { noteArrivals } from './arrivalsTable.js'
import { insertEvents, type EventTuple } from './eventsTable.js'
import type { Spool } from './Spool.js'
import { claimNew, claimUids, uidKey, type UidTuple } from './uidsTable.js'

/** An event with all that is stored beside it. */
export interface IncomingEvent {
  visitor: string
  event: CheckedEvent
  userAgent?: string | undefined
  place?: Place | undefined
}

/** Events that came together and are answered together. */
export interface IncomingBatch {
  siteId: number
  events: IncomingEvent[]
  /** About how much memory it takes while it waits, in bytes. */
  bytes?: number
}

/** Thrown when a batch can be stored neither in the database nor in the spool. */
export class CannotStoreError extends Error {}

/** Thrown when so much waits to be stored that more would only wait longer. */
export class TooBusyError extends Error {}

interface Job extends IncomingBatch {
  resolve: (stored: { accepted: number; known: number }) => void
  reject: (error: unknown) => void
}

/** Most events written in one transaction. */
const MOST_IN_GROUP = 1000
/** Most events that may wait, and most memory for them in bytes; beyond it callers are told to come back later. */
const MOST_WAITING = 50_000
const MOST_WAITING_BYTES = 64 * 1024 ** 2
/** Memory of a batch whose size nobody told, for each event. */
const USUAL_BYTES = 1024
/** Transactions at the same time: while one is made durable, the next one is prepared. */
const LANES = 2
/** With fewer events waiting than this, one at a time is enough: the next one then takes more together, and costs less. */
const ENOUGH = 200
/** How often the database is tried again while it is away. */
const TRY_AGAIN_MS = 500

/**
 * Writes events to the log. Batches that arrive while a transaction commits wait and go together in
 * the next one (group commit); each is answered only after its events are durable. While the
 * database is away they go to the spool instead, and from there to the log in order, once.
 */
export class EventWriter {
  private readonly partsOf = rememberingUrlParts(5000)
  private waiting: Job[] = []
  private waitingEvents = 0
  private waitingBytes = 0
  private readonly lanes = new Set<Promise<void>>()
  private replaying: NodeJS.Timeout | undefined
  private isReplaying = false
  private closed = false

  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
    private readonly spool: Spool,
    private readonly metrics: Metrics,
    private readonly log: { error: (details: object, message: string) => void },
    /** Told after each commit, so that derivation can start at once. */
    private readonly onStored: () => void,
  ) {
    if (!spool.isEmpty()) this.replayLater(0)
  }

  /** Events that wait to be written. */
  get queueLength(): number {
    return this.waitingEvents
  }

  /**
   * Stores a batch; resolves once it is durable.
   * @throws CannotStoreError when it cannot be, for now
   * @throws TooBusyError when too much waits already
   */
  store(batch: IncomingBatch): Promise<{ accepted: number; known: number }> {
    if (this.closed) return Promise.reject(new CannotStoreError('The server is stopping.'))
    const bytes = bytesOf(batch)
    if (this.waitingEvents + batch.events.length > MOST_WAITING || this.waitingBytes + bytes > MOST_WAITING_BYTES)
      return Promise.reject(new TooBusyError('Many events wait to be stored; send again in a second.'))
    return new Promise((resolve, reject) => {
      this.waiting.push({ ...batch, resolve, reject })
      this.waitingEvents += batch.events.length
      this.waitingBytes += bytes
      if (!this.lanes.size || (this.lanes.size < LANES && this.waitingEvents >= ENOUGH)) this.open()
    })
  }

  /** Takes nothing more, and resolves when all that was accepted is durable. */
  async close(): Promise<void> {
    this.closed = true
    clearTimeout(this.replaying)
    await Promise.all(this.lanes)
  }

  private open(): void {
    const lane: Promise<void> = this.work(() => this.lanes.delete(lane))
    this.lanes.add(lane)
  }

  private async work(done: () => void): Promise<void> {
    // Lets requests of the same turn join the first transaction.
    await new Promise((resolve) => setImmediate(resolve))
    while (this.waiting.length && (this.lanes.size === 1 || this.waitingEvents >= ENOUGH)) {
      const group = this.takeGroup()
      try {
        if (this.spool.isEmpty()) await this.write(group)
        else await this.toSpool(group)
      } catch (error) {
        if (isAway(error)) await this.toSpool(group).catch((cause) => group.forEach((job) => job.reject(cause)))
        else group.forEach((job) => job.reject(error))
      }
    }
    // In the same turn as the look at what waits: whoever comes after it must start anew.
    done()
  }

  private takeGroup(): Job[] {
    const group: Job[] = []
    let events = 0
    while (this.waiting.length && (events === 0 || events + (this.waiting[0] as Job).events.length <= MOST_IN_GROUP)) {
      const job = this.waiting.shift() as Job
      events += job.events.length
      this.waitingBytes -= bytesOf(job)
      group.push(job)
    }
    this.waitingEvents -= events
    return group
  }

  private async toSpool(group: Job[]): Promise<void> {
    await this.spool.append(group.map(({ siteId, events }) => ({ siteId, events })))
    this.metrics.eventsSpooled.inc(group.reduce((sum, job) => sum + job.events.length, 0))
    for (const job of group) job.resolve({ accepted: job.events.length, known: 0 })
    this.replayLater(TRY_AGAIN_MS)
  }

  private async write(group: Job[]): Promise<void> {
    const texts = new NewTexts()
    let prepared: Prepared
    let fresh: Set<EventTuple> | null
    try {
      prepared = await this.prepare(group, texts)
      fresh = await this.storeNew(prepared, texts)
    } finally {
      texts.over()
    }
    if (!fresh) {
      // Something of it is known already, or came from another process just now.
      prepared = await this.prepare(group, null)
      fresh = await this.storeStepByStep(prepared)
    }
    this.metrics.eventsWritten.inc(fresh.size)
    this.onStored()
    for (const job of group) {
      const count = prepared.tuples.get(job)?.filter((tuple) => fresh.has(tuple)).length ?? 0
      job.resolve({ accepted: count, known: job.events.length - count })
    }
  }

  /** Turns events into rows. @param texts takes texts along that dictionaries do not have; null where they are added at once */
  private async prepare(group: Job[], texts: NewTexts | null): Promise<Prepared> {
    const tuples = new Map<Job, EventTuple[]>()
    const hosts = new Map<EventTuple, string>()
    // All dictionaries are asked in this turn, as they want it.
    await Promise.all(
      [...new Set(group.map((job) => job.siteId))].map(async (siteId) => {
        const jobs = group.filter((job) => job.siteId === siteId)
        const rows = await this.tuplesOf(
          siteId,
          jobs.flatMap((job) => job.events),
          texts,
        )
        let next = 0
        for (const job of jobs) {
          const its = rows.slice(next, next + job.events.length)
          next += its.length
          tuples.set(job, its)
          for (const [index, tuple] of its.entries()) hosts.set(tuple, this.hostOf(job.events[index]?.event.url ?? ''))
        }
      }),
    )
    const claims = claimsOf(group.flatMap((job) => tuples.get(job) ?? []))
    // Always in the same order, so that two writers cannot lock each other out.
    const uids = [...claims.keys()].sort().map((key) => (claims.get(key) as Claim).claim)
    return { tuples, claims, uids, hosts }
  }

  /**
   * Stores a group of which nothing is known yet, as nearly always: then everything goes in one message, and locks are held for
   * no longer than that.
   * @returns all of its events, or null where some were known and nothing was stored
   */
  private async storeNew({ claims, uids, hosts }: Prepared, texts: NewTexts): Promise<Set<EventTuple> | null> {
    const all = [...claims.values()].map(({ tuple }) => tuple)
    if (!all.length) return new Set()
    const timed = this.metrics.commitSeconds.startTimer()
    try {
      await this.database.atOnce([...texts.statements(this.dictionaries.all), claimNew(uids), ...this.additions(all, hosts, await this.database.now())])
    } catch (error) {
      if ((error as { code?: string }).code !== 'ER_DUP_ENTRY') throw error
      return null
    }
    timed()
    texts.kept()
    return new Set(all)
  }

  /** @returns the events that the log did not have yet */
  private async storeStepByStep({ claims, uids, hosts }: Prepared): Promise<Set<EventTuple>> {
    const timed = this.metrics.commitSeconds.startTimer()
    const now = await this.database.now()
    const stored = await this.database.transaction(async (connection) => {
      const known = await claimUids(this.database, connection, uids)
      const fresh = [...claims].filter(([key]) => !known.has(key)).map(([, { tuple }]) => tuple)
      if (fresh.length) for (const { sql, values } of this.additions(fresh, hosts, now)) await this.database.run(sql, values, connection)
      return new Set(fresh)
    })
    timed()
    return stored
  }

  private additions(tuples: EventTuple[], hosts: ReadonlyMap<EventTuple, string>, now: number): Statement[] {
    return [insertEvents(tuples), markVisitors(visitorsOf(tuples), now), noteArrivals(this.arrivalsOf(tuples, hosts))]
  }

  private hostOf(url: string): string {
    return this.partsOf(splitUrl(url)[0]).host
  }

  private arrivalsOf(tuples: EventTuple[], hosts: ReadonlyMap<EventTuple, string>): [number, string, number, number][] {
    const found = new Map<string, [siteId: number, host: string, events: number, lastAt: number]>()
    for (const tuple of tuples) {
      const host = (hosts.get(tuple) ?? '').slice(0, 255)
      const key = `${tuple[0]} ${host}`
      const entry = found.get(key)
      if (entry) {
        entry[2]++
        entry[3] = Math.max(entry[3], tuple[2])
      } else found.set(key, [tuple[0], host, 1, tuple[2]])
    }
    return [...found.values()]
  }

  private async tuplesOf(siteId: number, events: IncomingEvent[], texts: NewTexts | null): Promise<EventTuple[]> {
    const { visitors, names, addresses, rests, titles, referrers, agents, places, tagSets } = this.dictionaries
    const split = events.map(({ event }) => splitUrl(event.url))
    const placeTexts = events.map(({ place }) => place && placeText(place))
    const firedTexts = events.map(({ event }) => event.fired && JSON.stringify(event.fired))
    const numbers = (dictionary: Dictionary, list: (string | undefined | null | '')[]): Promise<Map<string, number>> => {
      const present = list.filter((text): text is string => !!text)
      return texts ? dictionary.idsFor(siteId, present, texts) : dictionary.idsOf(siteId, present)
    }
    const every = <T>(of: (each: IncomingEvent) => T): T[] => events.map(of)
    const [visitorIds, nameIds, addressIds, restIds, titleIds, referrerIds, agentIds, placeIds, firedIds] = await Promise.all([
      numbers(
        visitors,
        every(({ visitor }) => visitor),
      ),
      numbers(
        names,
        every(({ event }) => event.name),
      ),
      numbers(
        addresses,
        split.map(([address]) => address),
      ),
      numbers(
        rests,
        split.map(([, rest]) => rest),
      ),
      numbers(
        titles,
        every(({ event }) => event.title),
      ),
      numbers(
        referrers,
        every(({ event }) => event.referrer),
      ),
      numbers(
        agents,
        every(({ userAgent }) => userAgent),
      ),
      numbers(places, placeTexts),
      numbers(tagSets, firedTexts),
    ])
    // Whoever follows the log asks what has settled, by the same clock.
    const receivedAt = await this.database.now()
    const idOf = (ids: Map<string, number>, text: string | undefined | null): number | null => (text ? (ids.get(text) ?? null) : null)
    return events.map(({ visitor, event, userAgent }, index): EventTuple => {
      const [address, rest] = split[index] as [string, string]
      return [
        siteId,
        visitorIds.get(visitor) as number,
        event.at,
        event.uid,
        nameIds.get(event.name) as number,
        addressIds.get(address) as number,
        idOf(restIds, rest),
        idOf(titleIds, event.title),
        idOf(referrerIds, event.referrer),
        idOf(agentIds, userAgent),
        idOf(placeIds, placeTexts[index]),
        event.data ? JSON.stringify(event.data) : null,
        event.value === undefined ? null : parseAmount(String(event.value)),
        event.currency ?? null,
        event.order ?? null,
        idOf(firedIds, firedTexts[index]),
        receivedAt,
      ]
    })
  }

  private replayLater(delay: number): void {
    if (this.closed) return
    clearTimeout(this.replaying)
    this.replaying = setTimeout(() => void this.replay(), delay)
  }

  /** Moves the spool to the log, in order. A crash in between repeats events, which are then known. */
  private async replay(): Promise<void> {
    if (this.isReplaying) return
    this.isReplaying = true
    try {
      await this.spool.drain((batches) => this.replayBatches(batches))
    } catch (error) {
      if (!isAway(error)) this.log.error({ err: error }, 'the spool could not be replayed; it will be tried again')
      this.replayLater(TRY_AGAIN_MS)
    } finally {
      this.isReplaying = false
    }
  }

  /** One batch that the log refuses for good must not keep those after it. */
  private async replayBatches(batches: IncomingBatch[]): Promise<void> {
    const quiet = { resolve: () => undefined, reject: () => undefined }
    const again = (batch: IncomingBatch): Job => ({ ...batch, ...quiet })
    try {
      await this.write(batches.map(again))
    } catch (error) {
      if (isAway(error)) throw error
      for (const batch of batches) {
        try {
          await this.write([again(batch)])
        } catch (cause) {
          if (isAway(cause)) throw cause
          this.log.error({ err: cause, events: batch.events.length }, 'a batch of the spool was refused and set aside')
          await this.spool.setAside(batch, (cause as Error).message)
        }
      }
    }
  }
}

/** A group's events as rows, and what is known of them. */
interface Prepared {
  tuples: ReadonlyMap<Job, EventTuple[]>
  /** Each uid once. */
  claims: Map<string, Claim>
  uids: UidTuple[]
  hosts: ReadonlyMap<EventTuple, string>
}

interface Claim {
  claim: UidTuple
  tuple: EventTuple
}

/** Each uid once, with the first event that has it: the first one stored wins. */
function claimsOf(tuples: EventTuple[]): Map<string, Claim> {
  const claims = new Map<string, Claim>()
  for (const tuple of tuples) {
    const hash = hashOf(tuple[3])
    const key = uidKey(tuple[0], hash)
    if (!claims.has(key)) claims.set(key, { claim: [tuple[0], hash, tuple[2]], tuple })
  }
  return claims
}

function visitorsOf(tuples: EventTuple[]): [siteId: number, visitorId: number][] {
  return [...new Map(tuples.map(([siteId, visitorId]) => [`${siteId} ${visitorId}`, [siteId, visitorId] as [number, number]])).values()]
}

function bytesOf({ bytes, events }: IncomingBatch): number {
  return bytes ?? events.length * USUAL_BYTES
}

/** An address up to its query or fragment, and the rest from there on; together they are the address as received. */
function splitUrl(url: string): [address: string, rest: string] {
  const end = url.search(/[?#]/)
  return end < 0 ? [url, ''] : [url.slice(0, end), url.slice(end)]
}
