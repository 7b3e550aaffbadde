import { urlParts } from '@acequia/core/readings/url'
import { hostIsListed } from '@acequia/core/sites/hosts'
import type { Database } from '../database/Database.js'
import type { Site } from './sitesTable.js'

/** The home page of a site: where its events come from, or else what its first host suggests. Ends with a slash. */
export async function homeOf(database: Database, site: Site): Promise<string> {
  const rows = await database.rows<{ text: string }>('SELECT text FROM addresses WHERE site_id = ? ORDER BY id DESC LIMIT 200', [site.id])
  const seen = rows.find(({ text }) => hostIsListed(urlParts(text).host, site.settings.hosts) && URL.canParse(text))
  if (seen) return `${new URL(seen.text).origin}/`
  const plain = (site.settings.hosts[0] ?? '').replace(/^\*\./, '')
  return `${/(^|\.)localhost(:\d+)?$/.test(plain) ? 'http' : 'https'}://${plain}/`
}
