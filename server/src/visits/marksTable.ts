import type { PoolConnection } from 'mysql2/promise'
import type { Connection, Database } from '../database/Database.js'

/** A visitor whose derived rows are out of date. */
export interface Mark {
  site_id: number
  visitor_id: number
  bulk_no: number
}

/** Marks visitors because something just happened; such marks go before those of bulk runs. */
export async function markVisitors(database: Database, connection: PoolConnection, pairs: [siteId: number, visitorId: number][]): Promise<void> {
  if (!pairs.length) return
  // Always in the same order, so that two writers cannot lock each other out.
  const sorted = [...pairs].sort((a, b) => a[0] - b[0] || a[1] - b[1])
  await database.run('INSERT INTO marks (site_id, visitor_id) VALUES ? ON DUPLICATE KEY UPDATE visitor_id = marks.visitor_id', [sorted], connection)
}

/** Marks every visitor of a site for a bulk run. @returns how many there are */
export async function markAllVisitors(database: Database, connection: Connection, siteId: number, bulkNo: number): Promise<number> {
  await database.run(
    'INSERT INTO marks (site_id, visitor_id, bulk_no) SELECT site_id, id, ? FROM visitors WHERE site_id = ? ORDER BY id ON DUPLICATE KEY UPDATE bulk_no = GREATEST(marks.bulk_no, VALUES(bulk_no))',
    [bulkNo, siteId],
    connection,
  )
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM visitors WHERE site_id = ?', [siteId], connection)
  return row?.n ?? 0
}

/** Takes some marks for this transaction; other workers pass over them. Live ones first. */
export async function takeMarks(database: Database, connection: PoolConnection, most: number): Promise<Mark[]> {
  const take = (where: string): Promise<Mark[]> =>
    database.rows<Mark>(
      `SELECT site_id, visitor_id, bulk_no FROM marks WHERE ${where} ORDER BY bulk_no, site_id, visitor_id LIMIT ? FOR UPDATE SKIP LOCKED`,
      [most],
      connection,
    )
  const live = await take('bulk_no = 0')
  return live.length ? live : take('bulk_no > 0')
}

/** Drops marks that were taken. */
export async function dropMarks(database: Database, connection: PoolConnection, marks: Mark[]): Promise<void> {
  await database.run('DELETE FROM marks WHERE (site_id, visitor_id) IN (?)', [marks.map((mark) => [mark.site_id, mark.visitor_id])], connection)
}

/** How many visitors still wait for a bulk run (or a later one) on a site. */
export async function countBulkMarks(database: Database, siteId: number, bulkNo: number): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM marks WHERE site_id = ? AND bulk_no >= ?', [siteId, bulkNo])
  return row?.n ?? 0
}

/** How many visitors wait at all, over all sites. */
export async function countMarks(database: Database): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM marks')
  return row?.n ?? 0
}
