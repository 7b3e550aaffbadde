import { deriveVisits, type Visit } from '@acequia/core/visits/deriveVisits'
import type { Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventLog, VISITORS_AT_ONCE, type StoredEvent } from '../events/EventLog.js'
import type { Site } from '../sites/sitesTable.js'
import { inTurns } from './inTurns.js'
import { LogTail } from './LogTail.js'

/** A visitor with all visits, oldest first. */
export interface RecordedVisitor {
  visitorId: number
  visitor: string
  visits: Visit<StoredEvent>[]
}

/** Sites with more events than this are read from the log each time instead of being remembered. */
const MOST_REMEMBERED = 1_000_000

interface Memory {
  revision: number
  tail: LogTail
  events: number
  visitors: Map<number, RecordedVisitor>
  /** Looks go one after the other. */
  turn: Promise<unknown>
}

/**
 * All visits of a site, straight from the log: derived in memory and brought up to date before each
 * use, so that evidence and backtests see every event that was ever acknowledged.
 */
export class RecordedVisits {
  private readonly log: EventLog
  private readonly memories = new Map<number, Memory>()

  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
  ) {
    this.log = new EventLog(database, dictionaries)
  }

  /**
   * Hands over every visitor of a site, in no particular order.
   * @param goOn for long work: told from time to time which share is done, so that others are served in
   *   between; work ends early where it gives false
   */
  async each(site: Site, take: (visitor: RecordedVisitor) => void, goOn?: (share: number) => boolean): Promise<void> {
    const memory = await this.upToDate(site)
    if (memory) {
      let done = 0
      await inTurns(
        memory.visitors.values(),
        (visitor) => {
          take(visitor)
          done++
        },
        () => goOn?.(done / memory.visitors.size) ?? true,
      )
      return
    }
    const { n: all } = (await this.database.row<{ n: number }>('SELECT COUNT(*) AS n FROM visitors WHERE site_id = ?', [site.id])) ?? { n: 1 }
    let handed = 0
    let group: { visitorId: number; events: StoredEvent[] }[] = []
    const flush = async (): Promise<void> => {
      for (const visitor of await this.named(site, group)) take(visitor)
      handed += group.length
      group = []
    }
    for await (const visitor of this.log.visitors(site.id)) {
      group.push(visitor)
      if (group.length < 1000) continue
      await flush()
      if (goOn && !goOn(Math.min(1, handed / Math.max(1, all)))) return
    }
    await flush()
  }

  private async upToDate(site: Site): Promise<Memory | null> {
    let memory = this.memories.get(site.id)
    if (!memory || memory.revision !== site.revision) {
      const row = await this.database.row<{ n: number }>('SELECT COUNT(*) AS n FROM events WHERE site_id = ?', [site.id])
      if ((row?.n ?? 0) > MOST_REMEMBERED) {
        this.memories.delete(site.id)
        return null
      }
      memory = { revision: site.revision, tail: new LogTail(this.database, site.id), events: 0, visitors: new Map(), turn: Promise.resolve() }
      this.memories.set(site.id, memory)
    }
    const current = memory
    const look = current.turn.then(() => this.refresh(site, current))
    current.turn = look.catch(() => undefined)
    await look
    if (current.events > MOST_REMEMBERED) {
      this.memories.delete(site.id)
      return null
    }
    return current
  }

  private refresh(site: Site, memory: Memory): Promise<void> {
    return memory.tail.follow(async (visitorIds) => {
      for (let start = 0; start < visitorIds.length; start += VISITORS_AT_ONCE) {
        const loaded = await this.log.ofVisitors(site.id, visitorIds.slice(start, start + VISITORS_AT_ONCE), this.database.pool)
        for (const visitor of await this.named(site, loaded)) {
          const known = memory.visitors.get(visitor.visitorId)
          memory.events += countEvents(visitor) - (known ? countEvents(known) : 0)
          memory.visitors.set(visitor.visitorId, visitor)
        }
      }
    })
  }

  private async named(site: Site, visitors: { visitorId: number; events: StoredEvent[] }[]): Promise<RecordedVisitor[]> {
    const names = await this.dictionaries.visitors.textsOf(visitors.map((each) => each.visitorId))
    return visitors.map(({ visitorId, events }) => ({ visitorId, visitor: names.get(visitorId) ?? '', visits: deriveVisits(events, site.settings) }))
  }
}

function countEvents(visitor: RecordedVisitor): number {
  return visitor.visits.reduce((sum, visit) => sum + visit.events.length, 0)
}
