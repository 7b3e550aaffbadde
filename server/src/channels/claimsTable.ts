import type { Database } from '../database/Database.js'

/** What a channel itself says it brought on one day of the site. */
export interface ClaimRow {
  channel_id: string
  day: string
  conversions: number
}

/** Notes what a channel says; the same day again is replaced. */
export async function saveClaims(
  database: Database,
  siteId: number,
  channelId: string,
  claims: readonly { day: string; conversions: number }[],
): Promise<void> {
  if (!claims.length) return
  await database.run('REPLACE INTO channel_claims (site_id, channel_id, day, conversions) VALUES ?', [
    claims.map(({ day, conversions }) => [siteId, channelId, day, conversions]),
  ])
}

/** What the channels of a site say, from a day on, oldest first. */
export function claimsSince(database: Database, siteId: number, day: string): Promise<ClaimRow[]> {
  return database.rows<ClaimRow>('SELECT channel_id, day, conversions FROM channel_claims WHERE site_id = ? AND day >= ? ORDER BY day', [siteId, day])
}
