import type { Database } from '../database/Database.js'

/** For this long after an event was seen, one with a lower number may still appear: another process may commit late. */
export const SETTLED_MS = 60_000

/** Follows a site's log: tells which visitors have events that were not seen yet. */
export class LogTail {
  /** When each event above `afterId` was seen, by number. */
  private readonly seen = new Map<number, number>()

  /** @param afterId everything up to this number was seen and has settled */
  constructor(
    private readonly database: Database,
    private readonly siteId: number,
    private afterId = 0,
  ) {}

  /**
   * Looks what came since.
   * @param take is given the visitors with new events; only what it has taken counts as seen
   */
  async follow(take: (visitorIds: number[]) => Promise<void>): Promise<void> {
    // The index holds all of these columns, so looking costs little even right after a large import.
    const rows = await this.database.rows<{ id: number; visitor_id: number }>(
      'SELECT id, visitor_id FROM events FORCE INDEX (event_id) WHERE id > ? AND site_id = ? ORDER BY id',
      [this.afterId, this.siteId],
    )
    const fresh = rows.filter((row) => !this.seen.has(row.id))
    const visitorIds = [...new Set(fresh.map((row) => row.visitor_id))]
    if (visitorIds.length) await take(visitorIds)
    // Not the clock of the day, which may be set meanwhile.
    const now = performance.now()
    for (const { id } of fresh) this.seen.set(id, now)
    for (const [id, seenAt] of [...this.seen].sort((a, b) => a[0] - b[0])) {
      if (seenAt > now - SETTLED_MS) break
      this.afterId = id
      this.seen.delete(id)
    }
  }
}
