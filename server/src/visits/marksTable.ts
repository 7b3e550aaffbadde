import type { PoolConnection } from 'mysql2/promise'
import type { Connection, Database } from '../database/Database.js'

/** A visitor whose derived rows are out of date. */
export interface Mark {
  site_id: number
  visitor_id: number
  /** 1: something just happened, and every derivation of the site needs it. */
  urgent: number
  /** The derivation that is being filled and asked for it; 0 where none did. */
  bulk_no: number
  /** When something happened first, in ms; 0 where only a derivation asked. */
  marked_at: number
}

/** Marks visitors because something just happened; such marks go before those of derivations being filled. */
export async function markVisitors(database: Database, connection: PoolConnection, pairs: [siteId: number, visitorId: number][]): Promise<void> {
  if (!pairs.length) return
  // Always in the same order, so that two writers cannot lock each other out.
  const now = Date.now()
  const sorted = [...pairs].sort((a, b) => a[0] - b[0] || a[1] - b[1]).map((pair) => [...pair, 1, now])
  await database.run(
    `INSERT INTO marks (site_id, visitor_id, urgent, marked_at) VALUES ?
     ON DUPLICATE KEY UPDATE marked_at = IF(marks.urgent = 1, marks.marked_at, VALUES(marked_at)), urgent = 1`,
    [sorted],
    connection,
  )
}

/**
 * Marks some visitors of a site for a derivation, from one number on.
 * @returns the number of the last one marked; null when there are no more
 */
export async function markSomeVisitors(
  database: Database,
  connection: PoolConnection,
  siteId: number,
  bulkNo: number,
  after: number,
  most: number,
): Promise<number | null> {
  const row = await database.row<{ last: number | null }>(
    'SELECT MAX(id) AS last FROM (SELECT id FROM visitors FORCE INDEX (visitor_site) WHERE site_id = ? AND id > ? ORDER BY id LIMIT ?) AS some',
    [siteId, after, most],
    connection,
  )
  const last = row?.last ?? null
  if (last === null) return null
  await database.run(
    `INSERT INTO marks (site_id, visitor_id, urgent, bulk_no)
     SELECT site_id, id, 0, ? FROM visitors FORCE INDEX (visitor_site) WHERE site_id = ? AND id > ? AND id <= ? ORDER BY id
     ON DUPLICATE KEY UPDATE bulk_no = GREATEST(marks.bulk_no, VALUES(bulk_no))`,
    [bulkNo, siteId, after, last],
    connection,
  )
  return last
}

const READ = 'SELECT site_id, visitor_id, urgent, bulk_no, marked_at FROM marks'

/** Takes some urgent marks for this transaction; other workers pass over them. */
export function takeUrgentMarks(database: Database, connection: PoolConnection, most: number): Promise<Mark[]> {
  return database.rows<Mark>(`${READ} WHERE urgent = 1 ORDER BY urgent, site_id, visitor_id LIMIT ? FOR UPDATE SKIP LOCKED`, [most], connection)
}

/** Takes some marks of a derivation that is being filled. */
export function takeBulkMarks(database: Database, connection: PoolConnection, bulkNo: number, most: number): Promise<Mark[]> {
  return database.rows<Mark>(
    `${READ} FORCE INDEX (mark_bulk) WHERE bulk_no = ? ORDER BY bulk_no, site_id, visitor_id LIMIT ? FOR UPDATE SKIP LOCKED`,
    [bulkNo, most],
    connection,
  )
}

/** Drops marks that were taken. */
export async function dropMarks(database: Database, connection: PoolConnection, marks: Mark[]): Promise<void> {
  const bySite = new Map<number, number[]>()
  for (const { site_id, visitor_id } of marks) void (bySite.get(site_id)?.push(visitor_id) ?? bySite.set(site_id, [visitor_id]))
  for (const [siteId, visitorIds] of bySite) await database.run('DELETE FROM marks WHERE site_id = ? AND visitor_id IN (?)', [siteId, visitorIds], connection)
}

/** How many visitors a derivation that is being filled still has to go through. */
export async function countBulkMarks(database: Database, bulkNo: number, connection: Connection = database.pool): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM marks WHERE bulk_no = ?', [bulkNo], connection)
  return row?.n ?? 0
}

/** How many visitors wait at all, over all sites. */
export async function countMarks(database: Database): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM marks')
  return row?.n ?? 0
}

/** How many visitors a site has. */
export async function countVisitors(database: Database, siteId: number, connection: Connection): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM visitors WHERE site_id = ?', [siteId], connection)
  return row?.n ?? 0
}
