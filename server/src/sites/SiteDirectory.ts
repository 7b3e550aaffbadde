import { isAway, type Database } from '../database/Database.js'
import { allSites, type Site } from './sitesTable.js'

/** How long another process's change of a site may stay unseen, in ms. */
const FRESH_MS = 1000

/**
 * All sites by key, remembered for a moment, because every collected batch asks. Keeps answering
 * from memory while the database is away.
 */
export class SiteDirectory {
  private sites = new Map<string, Site>()
  private readAt = -Infinity
  private reading: Promise<void> | undefined

  constructor(private readonly database: Database) {}

  /** The site with a key, or undefined. */
  async byKey(key: string): Promise<Site | undefined> {
    if (Date.now() - this.readAt > FRESH_MS) await (this.reading ??= this.read().finally(() => (this.reading = undefined)))
    return this.sites.get(key)
  }

  /** The site with an id, or undefined. */
  async byId(id: number): Promise<Site | undefined> {
    await this.byKey('')
    return [...this.sites.values()].find((site) => site.id === id)
  }

  /** Forgets what is remembered; call after a change. */
  forget(): void {
    this.readAt = -Infinity
  }

  private async read(): Promise<void> {
    try {
      const asked = Date.now()
      this.sites = new Map((await allSites(this.database)).map((site) => [site.key, site]))
      this.readAt = asked
    } catch (error) {
      if (!isAway(error) || this.sites.size === 0) throw error
      this.readAt = Date.now()
    }
  }
}
