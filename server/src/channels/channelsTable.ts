import type { Channel } from '@acequia/core/recipes/channelSchema'
import { recipeSchema, type Recipe } from '@acequia/core/recipes/recipeSchema'
import type { Connection, Database } from '../database/Database.js'

/** The recipes of a site, by id. */
export async function recipesOfSite(database: Database, siteId: number, connection: Connection = database.pool): Promise<Recipe[]> {
  const rows = await database.rows<{ recipe: string }>('SELECT recipe FROM recipes WHERE site_id = ? ORDER BY id', [siteId], connection)
  return rows.map((row) => recipeSchema.parse(JSON.parse(row.recipe)))
}

/** Adds a recipe to a site or replaces the one with the same id. */
export async function saveRecipe(database: Database, siteId: number, recipe: Recipe, connection: Connection = database.pool): Promise<void> {
  await database.run(
    'REPLACE INTO recipes (site_id, id, recipe, changed_at) VALUES (?, ?, ?, ?)',
    [siteId, recipe.id, JSON.stringify(recipe), Date.now()],
    connection,
  )
}

/** Removes a recipe of a site. @returns false when there is none */
export async function deleteRecipe(database: Database, siteId: number, id: string): Promise<boolean> {
  return (await database.run('DELETE FROM recipes WHERE site_id = ? AND id = ?', [siteId, id])).affectedRows > 0
}

/** The channels of a site, oldest first. */
export async function channelsOfSite(database: Database, siteId: number, connection: Connection = database.pool): Promise<(Channel & { revision: number })[]> {
  const rows = await database.rows<{ id: string; channel: string; revision: number }>(
    'SELECT id, channel, revision FROM channels WHERE site_id = ? ORDER BY changed_at, id',
    [siteId],
    connection,
  )
  return rows.map((row) => ({ ...(JSON.parse(row.channel) as Omit<Channel, 'id'>), id: row.id, revision: row.revision }))
}

/** Adds a channel. */
export async function insertChannel(database: Database, siteId: number, { id, ...channel }: Channel): Promise<void> {
  await database.run('INSERT INTO channels (id, site_id, revision, channel, changed_at) VALUES (?, ?, 1, ?, ?)', [
    id,
    siteId,
    JSON.stringify(channel),
    Date.now(),
  ])
}

/** Changes a channel. @returns false when there is none, or a revision was given and is not the current one */
export async function updateChannel(database: Database, siteId: number, { id, ...channel }: Channel, revision?: number): Promise<boolean> {
  const result = await database.run(
    `UPDATE channels SET channel = ?, revision = revision + 1 WHERE site_id = ? AND id = ?${revision === undefined ? '' : ' AND revision = ?'}`,
    [JSON.stringify(channel), siteId, id, revision],
  )
  return result.affectedRows > 0
}

/** Removes a channel. @returns false when there is none */
export async function deleteChannel(database: Database, siteId: number, id: string): Promise<boolean> {
  return (await database.run('DELETE FROM channels WHERE site_id = ? AND id = ?', [siteId, id])).affectedRows > 0
}
