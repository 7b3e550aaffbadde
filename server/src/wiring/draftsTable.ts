import { EMPTY_WIRING, wiringSchema, type Wiring } from '@acequia/core/wiring/wiringSchema'
import type { Connection, Database } from '../database/Database.js'

/** The wiring being edited. Revision 0 is the empty draft that nobody saved yet. */
export interface Draft {
  revision: number
  wiring: Wiring
  changedAt: number | null
  changedBy: string | null
}

/** The draft of a site, locked for change where `forUpdate` is given. */
export async function draftOf(database: Database, siteId: number, connection: Connection = database.pool, forUpdate = false): Promise<Draft> {
  const row = await database.row<{ revision: number; wiring: string; changed_at: number; changed_by: string }>(
    `SELECT revision, wiring, changed_at, changed_by FROM drafts WHERE site_id = ?${forUpdate ? ' FOR UPDATE' : ''}`,
    [siteId],
    connection,
  )
  return row
    ? { revision: row.revision, wiring: wiringSchema.parse(JSON.parse(row.wiring)), changedAt: row.changed_at, changedBy: row.changed_by }
    : { revision: 0, wiring: EMPTY_WIRING, changedAt: null, changedBy: null }
}

/** Saves the draft as its next revision. */
export async function saveDraft(database: Database, siteId: number, wiring: Wiring, by: string, connection: Connection): Promise<void> {
  await database.run(
    'INSERT INTO drafts (site_id, revision, wiring, changed_at, changed_by) VALUES (?, 1, ?, ?, ?) ON DUPLICATE KEY UPDATE revision = revision + 1, wiring = VALUES(wiring), changed_at = VALUES(changed_at), changed_by = VALUES(changed_by)',
    [siteId, JSON.stringify(wiring), Date.now(), by],
    connection,
  )
}
