import { Cron } from 'croner'
import { Problem } from '../api/Problem.js'
import type { Database } from '../database/Database.js'
import { takeNightly } from '../database/takeNightly.js'
import { homeOf } from '../sites/homeOf.js'
import { allSites, type Site } from '../sites/sitesTable.js'
import { survey } from './Survey.js'
import { endLostSurveys, endSurvey, endSurveysOfSite, insertPage, insertSurvey, seeSurvey, surveysOfSite } from './surveysTable.js'

/** Most pages of one survey, unless asked otherwise. */
export const USUAL_PAGES = 200
/** How often a survey gives a sign of life, and looks whether somebody stopped it through another process, in ms. */
const ALIVE_MS = 2000
/** How often surveys are looked for whose process was killed, in ms. */
const LOOK_MS = 30_000

/** Runs surveys, one at a time for each site: when asked, and nightly where the site wants it. */
export class Surveyor {
  private readonly running = new Map<number, { surveyId: number; stop: AbortController; done: Promise<void> }>()
  private nightly: Cron | undefined
  private looking: NodeJS.Timeout | undefined

  constructor(private readonly database: Database) {}

  /** Begins to keep the nightly hour. */
  start(): void {
    const look = (): void => void endLostSurveys(this.database).catch(() => undefined)
    look()
    this.looking = setInterval(look, LOOK_MS)
    this.nightly = new Cron('17 3 * * *', { protect: true, catch: true }, () => this.surveyAll())
  }

  /** Stops what runs. */
  async stop(): Promise<void> {
    this.nightly?.stop()
    clearInterval(this.looking)
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
    const running = new Problem('conflict', 'A survey of this site is running already; wait for it or stop it.')
    if (this.running.has(site.id)) throw running
    const stop = new AbortController()
    const entry = { surveyId: 0, stop, done: Promise.resolve() }
    this.running.set(site.id, entry)
    try {
      const id = await insertSurvey(this.database, site.id, options.by, options.origin)
      if (id === null) throw running
      entry.surveyId = id
    } catch (error) {
      this.running.delete(site.id)
      throw error
    }
    const alive = setInterval(() => {
      seeSurvey(this.database, entry.surveyId).then(
        (goOn) => goOn || stop.abort(),
        () => undefined,
      )
    }, ALIVE_MS)
    let no = 0
    const task = { start: options.start, hosts: site.settings.hosts, origin: options.origin, key: site.key, mostPages: options.mostPages }
    entry.done = survey(task, (page, waiting) => insertPage(this.database, entry.surveyId, ++no, page, waiting), stop.signal)
      .then(
        () => endSurvey(this.database, entry.surveyId, stop.signal.aborted ? 'stopped' : 'done'),
        (error: unknown) => endSurvey(this.database, entry.surveyId, 'stopped', stop.signal.aborted ? '' : `It could not go on: ${(error as Error).message}`),
      )
      .catch(() => undefined)
      .finally(() => {
        clearInterval(alive)
        this.running.delete(site.id)
      })
    return entry.surveyId
  }

  /** Stops the survey of a site, also one that another process runs. */
  async end(siteId: number): Promise<void> {
    const entry = this.running.get(siteId)
    entry?.stop.abort()
    await entry?.done
    await endSurveysOfSite(this.database, siteId)
  }

  private async surveyAll(): Promise<void> {
    for (const site of await allSites(this.database)) {
      const [last] = await surveysOfSite(this.database, site.id, 1)
      // The first one is asked for by somebody, who so tells under which address browsers reach us.
      if (!site.settings.surveyNightly || !last || !(await takeNightly(this.database, `survey ${site.id}`, Date.now()))) continue
      await this.begin(site, { start: await homeOf(this.database, site), origin: last.origin, mostPages: USUAL_PAGES, by: 'every night' }).catch(
        () => undefined,
      )
      await this.running.get(site.id)?.done
    }
  }
}
