import { calendarOf } from '@acequia/core/days/zone'
import { Cron } from 'croner'
import { isAway, type Database } from '../database/Database.js'
import { takeNightly } from '../database/takeNightly.js'
import { allSites, touchSite, type Site } from '../sites/sitesTable.js'
import { beginDerivation } from '../visits/derivationsTable.js'
import { addQuarters, quartersOf } from './quarters.js'
import { forgetUids } from './uidsTable.js'
import { spansOfVisitors } from '../visits/partsTable.js'

/** Most rows removed in one transaction. The log stands by visitor: gone through span by span, each row is looked at once. */
const ROWS_AT_ONCE = 5000

/** Every night: prepares the log's next quarters, and removes what is older than its site keeps. */
export class Retention {
  private nightly: Cron | undefined

  constructor(
    private readonly database: Database,
    private readonly log: { error: (details: object, message: string) => void; info: (details: object, message: string) => void },
  ) {}

  /** Begins to keep the nightly hour. */
  start(): void {
    this.nightly = new Cron('41 2 * * *', { protect: true, catch: true }, () =>
      this.runOnce(Date.now()).catch((error: unknown) => {
        if (!isAway(error)) this.log.error({ err: error }, 'old events could not be removed')
      }),
    )
  }

  /** Keeps it no more. */
  stop(): void {
    this.nightly?.stop()
  }

  /** Does it unless another process does it this night. @param now ms since 1970 */
  async runOnce(now: number): Promise<void> {
    if (await takeNightly(this.database, 'retention', now)) await this.run(now)
  }

  /** Does it now. @param now ms since 1970 */
  async run(now: number): Promise<void> {
    await addQuarters(this.database, now)
    const sites = await allSites(this.database)
    await this.dropQuarters(sites, now)
    for (const site of sites) {
      const before = keptFrom(site, now)
      if (before !== null) await this.removeBefore(site, before)
    }
  }

  /** Quarters that no site keeps anything of go whole. */
  private async dropQuarters(sites: Site[], now: number): Promise<void> {
    if (!sites.length) return
    const kept = sites.map((site) => keptFrom(site, now) ?? -Infinity)
    const before = Math.min(...kept)
    for (const { name, until } of await quartersOf(this.database)) {
      // The first partition stays, for what is imported from long ago; it is emptied instead.
      if (until > before || until === Infinity) continue
      const statement = name === 'early' ? `ALTER TABLE events TRUNCATE PARTITION ${name}` : `ALTER TABLE events DROP PARTITION IF EXISTS ${name}`
      await this.database.run(statement)
      this.log.info({ quarter: name }, 'dropped a quarter of the log')
    }
  }

  private async removeBefore(site: Site, before: number): Promise<void> {
    // Visits from before the boundary are left where a run ended half-way; the rest of it is done again.
    const first = await this.database.row<{ at: number | null }>('SELECT MIN(at) AS at FROM events WHERE site_id = ?', [site.id])
    const shown = await this.database.row(
      'SELECT 1 AS found FROM visits v JOIN derivations d ON d.no = v.derivation_no WHERE d.site_id = ? AND d.state = ? AND v.started_at < ? LIMIT 1',
      [site.id, 'shown', before],
    )
    if (!shown && (first?.at ?? Infinity) >= before) return
    for await (const [from, to] of spansOfVisitors(this.database, site.id)) {
      let removed: number
      do {
        const { affectedRows } = await this.database.run('DELETE FROM events WHERE site_id = ? AND visitor_id BETWEEN ? AND ? AND at < ? LIMIT ?', [
          site.id,
          from,
          to,
          before,
          ROWS_AT_ONCE,
        ])
        removed = affectedRows
      } while (removed === ROWS_AT_ONCE)
    }
    await forgetUids(this.database, site.id, before)
    await this.database.transaction(async (connection) => {
      // Whoever remembers the site's log begins anew, and what was counted follows.
      await touchSite(this.database, site.id, connection)
      await beginDerivation(this.database, site.id, connection)
    })
    this.log.info({ site: site.key, before: new Date(before).toISOString() }, 'removed events older than the site keeps')
  }
}

/** The first instant (ms) of which a site keeps events: the beginning of a month on its clock; null where it keeps everything. */
export function keptFrom({ settings }: Pick<Site, 'settings'>, now: number): number | null {
  if (settings.keepMonths === null) return null
  const calendar = calendarOf(settings.timeZone)
  const [year = 0, month = 1] = calendar.dayOf(now).split('-').map(Number)
  const first = new Date(Date.UTC(year, month - 1 - settings.keepMonths, 1)).toISOString().slice(0, 10)
  return calendar.startOfDay(first)
}
