import { funnelSchema, type Funnel } from '@acequia/core/funnels/funnelSchema'
import type { Database } from '../database/Database.js'

/** A funnel as it is stored. */
export interface StoredFunnel {
  id: string
  revision: number
  funnel: Funnel
  changedAt: number
  changedBy: string
}

interface FunnelRow {
  id: string
  revision: number
  funnel: string
  changed_at: number
  changed_by: string
}

const READ = 'SELECT id, revision, funnel, changed_at, changed_by FROM funnels'

const toFunnel = (row: FunnelRow): StoredFunnel => ({
  id: row.id,
  revision: row.revision,
  funnel: funnelSchema.parse(JSON.parse(row.funnel)),
  changedAt: row.changed_at,
  changedBy: row.changed_by,
})

/** The funnels of a site, by name. */
export async function funnelsOfSite(database: Database, siteId: number): Promise<StoredFunnel[]> {
  const rows = await database.rows<FunnelRow>(`${READ} WHERE site_id = ?`, [siteId])
  return rows.map(toFunnel).sort((a, b) => a.funnel.name.localeCompare(b.funnel.name))
}

/** One funnel of a site. */
export async function funnelById(database: Database, siteId: number, id: string): Promise<StoredFunnel | undefined> {
  const row = await database.row<FunnelRow>(`${READ} WHERE site_id = ? AND id = ?`, [siteId, id])
  return row && toFunnel(row)
}

/** Adds a funnel. */
export async function insertFunnel(database: Database, siteId: number, id: string, funnel: Funnel, by: string): Promise<void> {
  await database.run('INSERT INTO funnels (id, site_id, revision, funnel, changed_at, changed_by) VALUES (?, ?, 1, ?, ?, ?)', [
    id,
    siteId,
    JSON.stringify(funnel),
    Date.now(),
    by,
  ])
}

/** Replaces a funnel. @returns whether nobody else did since `revision` */
export async function updateFunnel(database: Database, siteId: number, id: string, funnel: Funnel, revision: number | undefined, by: string): Promise<boolean> {
  const { affectedRows } = await database.run(
    `UPDATE funnels SET funnel = ?, revision = revision + 1, changed_at = ?, changed_by = ? WHERE site_id = ? AND id = ?${revision === undefined ? '' : ' AND revision = ?'}`,
    [JSON.stringify(funnel), Date.now(), by, siteId, id, ...(revision === undefined ? [] : [revision])],
  )
  return affectedRows > 0
}

/** Removes a funnel. @returns whether there was one */
export async function deleteFunnel(database: Database, siteId: number, id: string): Promise<boolean> {
  return (await database.run('DELETE FROM funnels WHERE site_id = ? AND id = ?', [siteId, id])).affectedRows > 0
}
