import { createHash } from 'node:crypto'
import { promisify } from 'node:util'
import { brotliCompress, gzip, type ZlibOptions } from 'node:zlib'
import { compileWiring, type ReleaseDocument } from '@acequia/core/wiring/compileWiring'
import type { CompiledWiring, LoaderConfig } from '@acequia/core/wiring/LoaderConfig'
import type { Database } from '../database/Database.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import type { Site } from '../sites/sitesTable.js'
import { buildLoader, featuresOf, type LoaderFeature } from './buildLoader.js'
import { releaseOf } from './releasesTable.js'
import { syntaxError } from './scriptErrors.js'

/** How long another process's release may stay unseen, in ms. */
const FRESH_MS = 500
/** Scripts whose compressed forms are remembered. */
const MOST_COMPRESSED = 500

const brotli = promisify(brotliCompress)
const zip = promisify<string, ZlibOptions, Buffer>(gzip)

/** The loader of a site as it is served. */
export interface ServedLoader {
  script: string
  etag: string
  /** The script compressed, made when it is first asked for. */
  compressed: (encoding: 'br' | 'gzip') => Promise<Buffer>
}

/** What a loader is made for beside the pages of the site. */
export interface LoaderPurpose {
  /** Parts that the purpose needs whatever the wiring uses. */
  features: LoaderFeature[]
  /** Narrows or changes what is configured. */
  adjust?: (config: LoaderConfig) => LoaderConfig
  /** Puts further texts in place of names in the code. */
  places?: Record<string, string>
}

/** Makes the loader of each site: just the parts its live release uses, with the release compiled into it. */
export class LoaderDelivery {
  private readonly compressed = new Map<string, ServedLoader>()
  private readonly made = new Map<string, { served: Promise<ServedLoader>; until: number }>()

  constructor(private readonly database: Database) {}

  /** The loader of a site, for a server that browsers reach under `publicUrl`. */
  of(site: Site, publicUrl: string): Promise<ServedLoader> {
    const name = `${site.key} ${publicUrl}`
    const known = this.made.get(name)
    if (known && known.until > Date.now()) return known.served
    const served = this.make(site, publicUrl)
    if (this.made.size > 5000) this.made.clear()
    this.made.set(name, { served, until: Date.now() + FRESH_MS })
    served.catch(() => this.made.delete(name))
    return served
  }

  /** Makes a loader for another purpose than pages of the site: of the live release, or of a document given. */
  async make(site: Site, publicUrl: string, purpose: LoaderPurpose = { features: [] }, document?: ReleaseDocument): Promise<ServedLoader> {
    const release = document ? undefined : await releaseOf(this.database, site.id)
    const live = document ?? release?.document
    const goals = live ? await goalsOfSites(this.database, [site.id]) : []
    const compiled = live ? compileWiring(live, goals, site.settings) : NOTHING
    const { hosts, passThroughHosts, sourceRules, clickIds, currency, pageChanges, consent } = site.settings
    const full: LoaderConfig = {
      ...compiled,
      key: site.key,
      origin: publicUrl,
      release: release?.number ?? 0,
      currency,
      site: { hosts, passThroughHosts, sourceRules, clickIds },
      pageChanges,
      consent,
    }
    const config = purpose.adjust?.(full) ?? full
    const code = await buildLoader(new Set([...featuresOf(config), ...purpose.features]))
    const places: Record<string, string> = {
      __ACEQUIA_CONFIG__: scriptJson(config),
      __ACEQUIA_SCRIPTS__: scriptsOf(config, live),
      ...purpose.places,
    }
    const script = code.replace(/__ACEQUIA_[A-Z_]+__/g, (name) => places[name] ?? name)
    return this.served(script)
  }

  /** A script with its compressed forms, which outlive the moment for which a release is remembered. */
  private served(script: string): ServedLoader {
    const etag = `"${createHash('sha256').update(script).digest('base64url').slice(0, 22)}"`
    const known = this.compressed.get(etag)
    if (known) return known
    const forms = new Map<string, Promise<Buffer>>()
    const served: ServedLoader = {
      script,
      etag,
      compressed(encoding) {
        const form = forms.get(encoding) ?? (encoding === 'br' ? brotli(script) : zip(script, { level: 9 }))
        forms.set(encoding, form)
        return form
      },
    }
    if (this.compressed.size >= MOST_COMPRESSED) this.compressed.clear()
    this.compressed.set(etag, served)
    return served
  }

  /** Forgets what was made; call after a release or a change of settings or goals. */
  forget(): void {
    this.made.clear()
  }
}

const NOTHING: CompiledWiring = { listen: [], triggers: [], together: [], tags: [], readings: [], goals: [], clicks: [], relays: false }

/** The scripts of tags as functions by tag. One that cannot be read, however it came there, does nothing. */
function scriptsOf(config: LoaderConfig, document: ReleaseDocument | undefined): string {
  const live = new Set(config.tags.map((tag) => tag.id))
  const functions = (document?.wiring.tags ?? []).flatMap(({ id, does }) =>
    does.type === 'script' && live.has(id) && !syntaxError(does.code) ? [`${JSON.stringify(id)}:function(read,event){\n${does.code}\n}`] : [],
  )
  return `{${functions.join(',\n')}}`
}

/** JSON that is also safe inside a script: no closing tag, no line separators. */
function scriptJson(value: unknown): string {
  return JSON.stringify(value)
    .replace(/</g, '\\u003c')
    .replace(/\u2028/g, '\\u2028')
    .replace(/\u2029/g, '\\u2029')
}
