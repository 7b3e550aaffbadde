import { recipeSchema } from '@acequia/core/recipes/recipeSchema'
import type { ReleaseDocument } from '@acequia/core/wiring/compileWiring'
import { wiringSchema } from '@acequia/core/wiring/wiringSchema'
import type { Connection, Database } from '../database/Database.js'

/** A release without its document. */
export interface ReleaseRow {
  number: number
  name: string
  note: string
  released_at: number
  released_by: string
  restores: number | null
  checksum: string
}

const READ = 'SELECT number, name, note, released_at, released_by, restores, checksum'

/** All releases of a site, newest first; the first is live. */
export function releasesOfSite(database: Database, siteId: number): Promise<ReleaseRow[]> {
  return database.rows<ReleaseRow>(`${READ} FROM releases WHERE site_id = ? ORDER BY number DESC`, [siteId])
}

/** Releases that went live in a span of time (ms), oldest first. */
export function releasesInRange(database: Database, siteId: number, from: number, to: number): Promise<ReleaseRow[]> {
  return database.rows<ReleaseRow>(`${READ} FROM releases WHERE site_id = ? AND released_at >= ? AND released_at < ? ORDER BY number`, [siteId, from, to])
}

/** A release with its document: the one with this number, or the live one. */
export async function releaseOf(
  database: Database,
  siteId: number,
  number?: number,
  connection: Connection = database.pool,
): Promise<(ReleaseRow & { document: ReleaseDocument }) | undefined> {
  const row = await database.row<ReleaseRow & { document: string }>(
    `${READ}, document FROM releases WHERE site_id = ?${number === undefined ? ' ORDER BY number DESC LIMIT 1' : ' AND number = ?'}`,
    [siteId, number],
    connection,
  )
  if (!row) return undefined
  const { wiring, channels, recipes } = JSON.parse(row.document) as ReleaseDocument
  return { ...row, document: { wiring: wiringSchema.parse(wiring), channels, recipes: recipes.map((recipe) => recipeSchema.parse(recipe)) } }
}

/** Adds a release. */
export async function insertRelease(
  database: Database,
  siteId: number,
  row: Omit<ReleaseRow, 'released_at'>,
  document: string,
  connection: Connection,
): Promise<void> {
  await database.run(
    'INSERT INTO releases (site_id, number, name, note, released_at, released_by, restores, checksum, document) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)',
    [siteId, row.number, row.name, row.note, Date.now(), row.released_by, row.restores, row.checksum, document],
    connection,
  )
}
