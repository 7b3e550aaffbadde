import { siteSchema, type SiteSettings } from '@acequia/core/sites/siteSchema'
import type { Connection, Database } from '../database/Database.js'

/** A site as it is stored. */
export interface Site {
  id: number
  key: string
  revision: number
  settings: SiteSettings
  createdAt: number
}

interface SiteRow {
  id: number
  site_key: string
  revision: number
  settings: string
  created_at: number
}

const READ = 'SELECT id, site_key, revision, settings, created_at FROM sites'

const toSite = (row: SiteRow): Site => ({
  id: row.id,
  key: row.site_key,
  revision: row.revision,
  // Settings saved by an older version lack what came since.
  settings: siteSchema.parse(JSON.parse(row.settings)),
  createdAt: row.created_at,
})

/** All sites, oldest first. */
export async function allSites(database: Database): Promise<Site[]> {
  return (await database.rows<SiteRow>(`${READ} ORDER BY id`)).map(toSite)
}

/** Some sites by id. */
export async function sitesById(database: Database, ids: number[], connection: Connection): Promise<Map<number, Site>> {
  const rows = ids.length ? await database.rows<SiteRow>(`${READ} WHERE id IN (?)`, [ids], connection) : []
  return new Map(rows.map((row) => [row.id, toSite(row)]))
}

/** A site by its key, locked for change within a transaction where `connection` is one. */
export async function siteForUpdate(database: Database, key: string, connection: Connection): Promise<Site | undefined> {
  const row = await database.row<SiteRow>(`${READ} WHERE site_key = ? FOR UPDATE`, [key], connection)
  return row && toSite(row)
}

/** Adds a site. @returns its id */
export async function insertSite(database: Database, key: string, settings: SiteSettings, connection: Connection): Promise<number> {
  const result = await database.run(
    'INSERT INTO sites (site_key, revision, settings, created_at) VALUES (?, 1, ?, ?)',
    [key, JSON.stringify(settings), Date.now()],
    connection,
  )
  return result.insertId
}

/** Replaces the settings of a site by a new revision. */
export async function updateSite(database: Database, id: number, settings: SiteSettings, connection: Connection): Promise<void> {
  await database.run('UPDATE sites SET settings = ?, revision = revision + 1 WHERE id = ?', [JSON.stringify(settings), id], connection)
}

/** Raises a site's revision without changing it, so that whoever remembers what depends on it begins anew. */
export async function touchSite(database: Database, id: number, connection: Connection): Promise<void> {
  await database.run('UPDATE sites SET revision = revision + 1 WHERE id = ?', [id], connection)
}
