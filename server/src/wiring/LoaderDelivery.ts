import { createHash } from 'node:crypto'
import { compileWiring } from '@acequia/core/wiring/compileWiring'
import type { LoaderConfig } from '@acequia/core/wiring/LoaderConfig'
import type { Database } from '../database/Database.js'
import type { Site } from '../sites/sitesTable.js'
import { releaseOf } from './releasesTable.js'

/** How long another process's release may stay unseen, in ms. */
const FRESH_MS = 500

/** What stands in the built loader for its configuration. */
const PLACE = '__ACEQUIA_CONFIG__'

/** The loader of a site as it is served. */
export interface ServedLoader {
  script: string
  etag: string
}

/** Makes the loader of each site: the built script with the live release compiled into it. */
export class LoaderDelivery {
  private readonly made = new Map<string, ServedLoader & { until: number }>()

  constructor(
    private readonly database: Database,
    /** The built loader, with a place for the configuration. */
    private readonly template: string,
  ) {}

  /** The loader of a site, for a server that browsers reach under `publicUrl`. */
  async of(site: Site, publicUrl: string): Promise<ServedLoader> {
    const name = `${site.key} ${publicUrl}`
    const known = this.made.get(name)
    if (known && known.until > Date.now()) return known
    const release = await releaseOf(this.database, site.id)
    const { hosts, passThroughHosts, sourceRules, clickIds, currency, pageChanges, consent } = site.settings
    const config: LoaderConfig = {
      key: site.key,
      collect: `${publicUrl}/c/${site.key}`,
      release: release?.number ?? 0,
      currency,
      site: { hosts, passThroughHosts, sourceRules, clickIds },
      pageChanges,
      consent,
      tags: release ? compileWiring(release.document) : [],
    }
    const script = this.template.replace(PLACE, () => scriptJson(config))
    const etag = `"${createHash('sha256').update(script).digest('base64url').slice(0, 22)}"`
    const served = { script, etag, until: Date.now() + FRESH_MS }
    if (this.made.size > 5000) this.made.clear()
    this.made.set(name, served)
    return served
  }

  /** Forgets what was made; call after a release or a change of settings. */
  forget(): void {
    this.made.clear()
  }
}

/** JSON that is also safe inside a script: no closing tag, no line separators. */
function scriptJson(value: unknown): string {
  return JSON.stringify(value)
    .replace(/</g, '\\u003c')
    .replace(/\u2028/g, '\\u2028')
    .replace(/\u2029/g, '\\u2029')
}
