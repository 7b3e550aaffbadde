import type { CheckedEvent } from '@acequia/core/events/eventSchema'
import { placeText, type Place } from '@acequia/core/events/Place'
import { parseAmount } from '@acequia/core/money/Amount'
import { isAway, type Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { markVisitors } from '../visits/marksTable.js'
import { insertEvents, type EventTuple } from './eventsTable.js'
import type { Spool } from './Spool.js'

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
}

/** Thrown when a batch can be stored neither in the database nor in the spool, or too many wait. */
export class CannotStoreError extends Error {}

interface Job extends IncomingBatch {
  /** Whether the caller needs to know how many of exactly these events were new. */
  counted: boolean
  resolve: (stored: { accepted: number; known: number }) => void
  reject: (error: unknown) => void
}

/** Most events written in one transaction. */
const MOST_IN_GROUP = 2000
/** Most events that may wait; beyond it callers are told to come back later. */
const MOST_WAITING = 100_000
/** How often the database is tried again while it is away. */
const TRY_AGAIN_MS = 500

/**
 * Writes events to the log. Batches that arrive while a transaction commits wait and go together in
 * the next one (group commit); each is answered only after its events are durable. While the
 * database is away they go to the spool instead, and from there to the log in order, once.
 */
export class EventWriter {
  private waiting: Job[] = []
  private waitingEvents = 0
  private running: Promise<void> | undefined
  private replaying: NodeJS.Timeout | undefined
  private closed = false

  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
    private readonly spool: Spool,
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
   */
  store(batch: IncomingBatch, options: { counted: boolean } = { counted: false }): Promise<{ accepted: number; known: number }> {
    if (this.closed) return Promise.reject(new CannotStoreError('The server is stopping.'))
    if (this.waitingEvents + batch.events.length > MOST_WAITING) return Promise.reject(new CannotStoreError('Too many events wait to be stored.'))
    return new Promise((resolve, reject) => {
      this.waiting.push({ ...batch, counted: options.counted, resolve, reject })
      this.waitingEvents += batch.events.length
      this.running ??= this.work().finally(() => (this.running = undefined))
    })
  }

  /** Takes nothing more, and resolves when all that was accepted is durable. */
  async close(): Promise<void> {
    this.closed = true
    clearTimeout(this.replaying)
    await this.running
  }

  private async work(): Promise<void> {
    // Lets requests of the same turn join the first transaction.
    await new Promise((resolve) => setImmediate(resolve))
    while (this.waiting.length) {
      const group = this.takeGroup()
      try {
        if (this.spool.isEmpty()) await this.write(group)
        else await this.toSpool(group)
      } catch (error) {
        if (isAway(error)) await this.toSpool(group).catch((cause) => group.forEach((job) => job.reject(cause)))
        else group.forEach((job) => job.reject(error))
      }
    }
  }

  private takeGroup(): Job[] {
    const group: Job[] = []
    let events = 0
    while (this.waiting.length && (events === 0 || events + (this.waiting[0] as Job).events.length <= MOST_IN_GROUP)) {
      const job = this.waiting.shift() as Job
      events += job.events.length
      group.push(job)
    }
    this.waitingEvents -= events
    return group
  }

  private async toSpool(group: Job[]): Promise<void> {
    await this.spool.append(group.map(({ siteId, events }) => ({ siteId, events })))
    for (const job of group) job.resolve({ accepted: job.events.length, known: 0 })
    this.replayLater(TRY_AGAIN_MS)
  }

  private async write(group: Job[]): Promise<void> {
    const tuples = new Map<Job, EventTuple[]>()
    for (const job of group) tuples.set(job, [])
    for (const siteId of new Set(group.map((job) => job.siteId))) {
      const jobs = group.filter((job) => job.siteId === siteId)
      const rows = await this.tuplesOf(
        siteId,
        jobs.flatMap((job) => job.events),
      )
      for (const job of jobs) tuples.set(job, rows.splice(0, job.events.length))
    }
    const marks = new Map<string, [number, number]>()
    for (const tuple of [...tuples.values()].flat()) marks.set(`${tuple[0]} ${tuple[1]}`, [tuple[0], tuple[1]])
    const accepted = await this.database.transaction(async (connection) => {
      const counts = new Map<Job, number>()
      const together = group.filter((job) => !job.counted).flatMap((job) => tuples.get(job) ?? [])
      await insertEvents(this.database, connection, together)
      for (const job of group) if (job.counted) counts.set(job, await insertEvents(this.database, connection, tuples.get(job) ?? []))
      await markVisitors(this.database, connection, [...marks.values()])
      return counts
    })
    this.onStored()
    for (const job of group) {
      const count = accepted.get(job) ?? job.events.length
      job.resolve({ accepted: count, known: job.events.length - count })
    }
  }

  private async tuplesOf(siteId: number, events: IncomingEvent[]): Promise<EventTuple[]> {
    const { visitors, names, addresses, rests, titles, referrers, agents, places, tagSets } = this.dictionaries
    const split = events.map(({ event }) => splitUrl(event.url))
    const placeTexts = events.map(({ place }) => place && placeText(place))
    const firedTexts = events.map(({ event }) => event.fired && JSON.stringify(event.fired))
    const present = (texts: (string | undefined | null | '')[]): string[] => texts.filter((text): text is string => !!text)
    const [visitorIds, nameIds, addressIds, restIds, titleIds, referrerIds, agentIds, placeIds, firedIds] = await Promise.all([
      visitors.idsOf(
        siteId,
        events.map(({ visitor }) => visitor),
      ),
      names.idsOf(
        siteId,
        events.map(({ event }) => event.name),
      ),
      addresses.idsOf(
        siteId,
        split.map(([address]) => address),
      ),
      rests.idsOf(siteId, present(split.map(([, rest]) => rest))),
      titles.idsOf(siteId, present(events.map(({ event }) => event.title))),
      referrers.idsOf(siteId, present(events.map(({ event }) => event.referrer))),
      agents.idsOf(siteId, present(events.map(({ userAgent }) => userAgent))),
      places.idsOf(siteId, present(placeTexts)),
      tagSets.idsOf(siteId, present(firedTexts)),
    ])
    const receivedAt = Date.now()
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
    try {
      await this.spool.drain(async (batches) => {
        const quiet = { counted: false, resolve: () => undefined, reject: () => undefined }
        await this.write(batches.map((batch) => ({ ...batch, ...quiet })))
      })
    } catch (error) {
      if (!isAway(error)) console.error('The spool could not be replayed:', error)
      this.replayLater(TRY_AGAIN_MS)
    }
  }
}

/** An address up to its query or fragment, and the rest from there on; together they are the address as received. */
function splitUrl(url: string): [address: string, rest: string] {
  const end = url.search(/[?#]/)
  return end < 0 ? [url, ''] : [url.slice(0, end), url.slice(end)]
}
