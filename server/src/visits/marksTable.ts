import type { PoolConnection } from 'mysql2/promise'
import type { Database, Statement } from '../database/Database.js'
import { listed } from './Who.js'

/** How many marks are looked at for each visitor that may be taken: others work on some of them, and a busy visitor has many. */
const LOOK_AHEAD = 4

/** A visitor with whom something happened that is not derived yet, taken for a transaction. */
export interface MarkedVisitor {
  siteId: number
  visitorId: number
  /** When it happened first, in ms, by the database's clock. */
  markedAt: number
  /** The marks that what is derived now takes care of. */
  marks: number[]
}

/**
 * Marks visitors because something just happened: each time anew, so that it waits for nobody. Whoever removes a visitor's row
 * removes its marks: nobody could take them any more.
 * @param now ms since 1970, by the database's clock
 */
export function markVisitors(pairs: [siteId: number, visitorId: number][], now: number): Statement {
  return { sql: 'INSERT INTO marks (site_id, visitor_id, marked_at) VALUES ?', values: [pairs.map((pair) => [...pair, now])] }
}

/**
 * Takes visitors that were marked for this transaction, those that wait longest first; other workers pass over them.
 * All their marks up to now go with them. Whatever is read of their events afterwards is at least what was marked, since an
 * event and its mark come in one commit; and nobody else derives them before this transaction ends, so that nothing older
 * can be written over it.
 * @returns null when nobody is marked; fewer than there are where others work on them
 */
export async function takeMarked(database: Database, connection: PoolConnection, most: number): Promise<MarkedVisitor[] | null> {
  const waiting = await database.rows<{ site_id: number; visitor_id: number }>(
    'SELECT site_id, visitor_id FROM marks ORDER BY no LIMIT ?',
    [most * LOOK_AHEAD],
    connection,
  )
  if (!waiting.length) return null
  const sites = new Map(waiting.map(({ site_id, visitor_id }) => [visitor_id, site_id]))
  const taken = await database.rows<{ id: number }>(
    `SELECT v.id FROM ${listed('marked')} STRAIGHT_JOIN visitors AS v ON v.id = marked.id LIMIT ? FOR UPDATE SKIP LOCKED`,
    [JSON.stringify([...sites.keys()]), most],
    connection,
  )
  const found = new Map<number, MarkedVisitor>()
  for (const [siteId, ids] of bySite(taken.map(({ id }) => [sites.get(id) as number, id]))) {
    const rows = await database.rows<{ visitor_id: number; no: number; marked_at: number }>(
      `SELECT m.visitor_id, m.no, m.marked_at FROM ${listed('taken')} STRAIGHT_JOIN marks AS m ON m.site_id = ? AND m.visitor_id = taken.id`,
      [JSON.stringify(ids), siteId],
      connection,
    )
    for (const { visitor_id, no, marked_at } of rows) {
      const entry = found.get(visitor_id)
      if (entry) {
        entry.marks.push(no)
        entry.markedAt = Math.min(entry.markedAt, marked_at)
      } else found.set(visitor_id, { siteId, visitorId: visitor_id, markedAt: marked_at, marks: [no] })
    }
  }
  return [...found.values()]
}

/** Drops the marks of visitors that were derived. Those that came meanwhile stay. */
export async function dropMarks(database: Database, connection: PoolConnection, visitors: readonly MarkedVisitor[]): Promise<void> {
  const marks = visitors.flatMap(({ siteId, visitorId, marks: each }) => each.map((no) => [siteId, { visitor: visitorId, no }] as const))
  // Joined, each row is found by its key, and no other row is looked at.
  for (const [siteId, rows] of bySite(marks))
    await database.run(
      `DELETE m FROM JSON_TABLE(?, '$[*]' COLUMNS (visitor INT UNSIGNED PATH '$.visitor', no BIGINT UNSIGNED PATH '$.no')) AS done
       STRAIGHT_JOIN marks AS m ON m.site_id = ? AND m.visitor_id = done.visitor AND m.no = done.no`,
      [JSON.stringify(rows), siteId],
      connection,
    )
}

function bySite<T>(pairs: readonly (readonly [siteId: number, T])[]): Map<number, T[]> {
  const sites = new Map<number, T[]>()
  for (const [siteId, each] of pairs) void (sites.get(siteId)?.push(each) ?? sites.set(siteId, [each]))
  return sites
}
