import { EventEmitter } from 'node:events'
import { nanoid } from 'nanoid'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'

/** What derivation changed just now, for open screens. */
export interface LiveChange {
  siteId: number
  /** Whether something just happened on the site, as opposed to a recount of what had. */
  live: boolean
  /** `goalNo uid` of conversions that were not there before. */
  newConversions: string[]
}

/** How often changes of other processes are looked for while somebody listens, in ms. */
const LOOK_MS = 250
/** Changes older than this are told to nobody, in ms. */
const NEWS_MS = 5000
/** Changes are kept this long, in ms. */
const KEPT_MS = 60_000
/** Conversions named in one change at most; screens ask for the figures anyway. */
const MOST_NAMED = 200

/** Passes on what derivation changed, within this process at once, from others within a quarter of a second. */
export class LiveChanges {
  private readonly emitter = new EventEmitter().setMaxListeners(0)
  private readonly origin = nanoid(12)
  private looking: NodeJS.Timeout | undefined
  private readonly seen = new Map<number, number>()
  private sweptAt = -Infinity

  constructor(private readonly database: Database) {}

  /** Writes changes down within the transaction that makes them, for other processes. */
  async note(changes: LiveChange[], connection: PoolConnection): Promise<void> {
    if (!changes.length) return
    const now = await this.database.now()
    const rows = changes.map((change) => [this.origin, now, JSON.stringify({ ...change, newConversions: change.newConversions.slice(0, MOST_NAMED) })])
    await this.database.run('INSERT INTO live_changes (origin, at, change_json) VALUES ?', [rows], connection)
  }

  /** Tells all listeners of this process of a change. */
  announce(change: LiveChange): void {
    this.emitter.emit('change', change)
    if (performance.now() - this.sweptAt < KEPT_MS) return
    this.sweptAt = performance.now()
    this.sweep().catch(() => undefined)
  }

  private async sweep(): Promise<void> {
    await this.database.run('DELETE FROM live_changes WHERE at < ?', [(await this.database.now()) - KEPT_MS])
  }

  /** Listens until the returned function is called. */
  listen(listener: (change: LiveChange) => void): () => void {
    this.emitter.on('change', listener)
    this.lookLater()
    return () => this.emitter.off('change', listener)
  }

  /** Looks no more for changes of other processes. */
  stop(): void {
    clearTimeout(this.looking)
    this.emitter.removeAllListeners()
  }

  private lookLater(): void {
    this.looking ??= setTimeout(() => {
      void this.look()
        .catch(() => undefined)
        .finally(() => {
          this.looking = undefined
          if (this.emitter.listenerCount('change')) this.lookLater()
        })
    }, LOOK_MS).unref()
  }

  private async look(): Promise<void> {
    const now = await this.database.now()
    const rows = await this.database.rows<{ no: number; at: number; change_json: string }>(
      'SELECT no, at, change_json FROM live_changes WHERE at > ? AND origin <> ? ORDER BY no',
      [now - NEWS_MS, this.origin],
    )
    for (const { no, at, change_json } of rows) {
      if (this.seen.has(no)) continue
      this.seen.set(no, at)
      this.emitter.emit('change', JSON.parse(change_json) as LiveChange)
    }
    for (const [no, at] of this.seen) if (at < now - 2 * NEWS_MS) this.seen.delete(no)
  }
}
