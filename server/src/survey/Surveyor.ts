import { Cron } from 'croner'
import { Problem } from '../api/Problem.js'
import type { Database } from '../database/Database.js'
import { homeOf } from '../sites/homeOf.js'
import { allSites, type Site } from '../sites/sitesTable.js'
import { survey } from './Survey.js'
import { endLostSurveys, endSurvey, insertPage, insertSurvey, surveysOfSite } from './surveysTable.js'

/** Most pages of one survey, unless asked otherwise. */
export const USUAL_PAGES = 200

/** Runs surveys, one at a time for each site: when asked, and nightly where the site wants it. */
export class Surveyor {
  private readonly running = new Map<number, { surveyId: number; stop: AbortController; done: Promise<void> }>()
  private nightly: Cron | undefined

  constructor(private readonly database: Database) {}

  /** Begins to keep the nightly hour. */
  start(): void {
    void endLostSurveys(this.database).catch(() => undefined)
    this.nightly = new Cron('17 3 * * *', { protect: true, catch: true }, () => this.surveyAll())
  }

  /** Stops what runs. */
  async stop(): Promise<void> {
    this.nightly?.stop()
    const running = [...this.running.values()]
    for (const { stop } of running) stop.abort()
    await Promise.all(running.map(({ done }) => done))
  }

  /**
   * Begins a survey of a site.
   * @param origin where the loader should come from
   * @throws Problem when one is running already
   * @returns its id
   */
  async begin(site: Site, options: { start: string; origin: string; mostPages: number; by: string }): Promise<number> {
    if (this.running.has(site.id)) throw new Problem('conflict', 'A survey of this site is running already; wait for it or stop it.')
    const stop = new AbortController()
    const entry = { surveyId: 0, stop, done: Promise.resolve() }
    this.running.set(site.id, entry)
    try {
      entry.surveyId = await insertSurvey(this.database, site.id, options.by, options.origin)
    } catch (error) {
      this.running.delete(site.id)
      throw error
    }
    let no = 0
    const task = { start: options.start, hosts: site.settings.hosts, origin: options.origin, key: site.key, mostPages: options.mostPages }
    entry.done = survey(task, (page, waiting) => insertPage(this.database, entry.surveyId, ++no, page, waiting), stop.signal)
      .then(
        () => endSurvey(this.database, entry.surveyId, stop.signal.aborted ? 'stopped' : 'done'),
        (error: unknown) => endSurvey(this.database, entry.surveyId, 'stopped', stop.signal.aborted ? '' : `It could not go on: ${(error as Error).message}`),
      )
      .catch(() => undefined)
      .finally(() => this.running.delete(site.id))
    return entry.surveyId
  }

  /** Stops the survey of a site, if one runs here. */
  async end(siteId: number): Promise<void> {
    const entry = this.running.get(siteId)
    entry?.stop.abort()
    await entry?.done
  }

  private async surveyAll(): Promise<void> {
    for (const site of await allSites(this.database)) {
      const [last] = await surveysOfSite(this.database, site.id, 1)
      // The first one is asked for by somebody, who so tells under which address browsers reach us.
      if (!site.settings.surveyNightly || !last) continue
      await this.begin(site, { start: await homeOf(this.database, site), origin: last.origin, mostPages: USUAL_PAGES, by: 'every night' }).catch(
        () => undefined,
      )
      await this.running.get(site.id)?.done
    }
  }
}
