import type { ReleaseDocument } from '@acequia/core/wiring/compileWiring'
import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { channelsOfSite, recipesOfSite } from '../channels/channelsTable.js'
import type { Connection, Database } from '../database/Database.js'

/**
 * A wiring with everything it needs to run. All channels are in it: their click ids are kept whether
 * or not a tag reports to them yet.
 */
export async function documentOf(database: Database, siteId: number, wiring: Wiring, connection: Connection): Promise<ReleaseDocument> {
  const channels = (await channelsOfSite(database, siteId, connection)).map(({ revision: _, ...channel }) => channel)
  const needed = new Set(channels.map((channel) => channel.recipe))
  return { wiring, channels, recipes: (await recipesOfSite(database, siteId, connection)).filter((recipe) => needed.has(recipe.id)) }
}
