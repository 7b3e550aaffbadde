import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'
import { noteBulkRun } from '../goals/goalsTable.js'
import { markAllVisitors } from './marksTable.js'

/**
 * Has everything derived afresh on a site, in the background: after a goal's rule changed, or after
 * settings changed that decide over sources and money. Part of the transaction that makes the change.
 * @param which the goal whose recount this is, or all goals of the site
 */
export async function startBulkRun(database: Database, siteId: number, which: { no: number } | { siteId: number }, connection: PoolConnection): Promise<void> {
  const { insertId } = await database.run('INSERT INTO bulk_runs (started_at) VALUES (?)', [Date.now()], connection)
  const total = await markAllVisitors(database, connection, siteId, insertId)
  await noteBulkRun(database, which, insertId, total, connection)
}
