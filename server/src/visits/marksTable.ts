import type { PoolConnection } from 'mysql2/promise'
import type { Database, Statement } from '../database/Database.js'
import { listed } from './Who.js'

/** A visitor with whom something happened that is not derived yet. */
export interface Mark {
  site_id: number
  visitor_id: number
  /** When it happened first, in ms, by the database's clock. */
  marked_at: number
}

/** Marks visitors because something just happened. @param now ms since 1970, by the database's clock */
export function markVisitors(pairs: [siteId: number, visitorId: number][], now: number): Statement {
  // Always in the same order, so that two writers cannot lock each other out.
  const sorted = [...pairs].sort((a, b) => a[0] - b[0] || a[1] - b[1]).map((pair) => [...pair, now])
  // Known marks are written too: that waits for a worker that has taken one, and so will not drop it unseen.
  return { sql: 'INSERT INTO marks (site_id, visitor_id, marked_at) VALUES ? ON DUPLICATE KEY UPDATE marked_at = marks.marked_at', values: [sorted] }
}

/** Takes some marks for this transaction; other workers pass over them. */
export function takeMarks(database: Database, connection: PoolConnection, most: number): Promise<Mark[]> {
  return database.rows<Mark>('SELECT site_id, visitor_id, marked_at FROM marks ORDER BY site_id, visitor_id LIMIT ? FOR UPDATE SKIP LOCKED', [most], connection)
}

/** Drops marks that were taken. */
export async function dropMarks(database: Database, connection: PoolConnection, marks: Mark[]): Promise<void> {
  const bySite = new Map<number, number[]>()
  for (const { site_id, visitor_id } of marks) void (bySite.get(site_id)?.push(visitor_id) ?? bySite.set(site_id, [visitor_id]))
  // Joined, each row is found by its key. A list may make MariaDB look through all of the site's marks, and so wait for
  // rows of writers that wait for these.
  for (const [siteId, visitorIds] of bySite)
    await database.run(
      `DELETE m FROM ${listed('taken')} STRAIGHT_JOIN marks AS m ON m.site_id = ? AND m.visitor_id = taken.id`,
      [JSON.stringify(visitorIds), siteId],
      connection,
    )
}
