import type { SurveyedPage } from '@acequia/core/installation/inspectPage'
import type { Database } from '../database/Database.js'

/** A survey of a site's pages. */
export interface SurveyRow {
  id: number
  site_id: number
  state: 'running' | 'done' | 'stopped'
  started_at: number
  ended_at: number | null
  started_by: string
  /** Where the loader should have come from. */
  origin: string
  /** Addresses that still wait. */
  waiting: number
  note: string
}

/** Surveys kept of each site. */
const MOST_KEPT = 30
const READ = 'SELECT id, site_id, state, started_at, ended_at, started_by, origin, waiting, note FROM surveys'

/** A survey whose process gave no sign of life for so long is over, in ms. */
const LOST_AFTER = 60_000

/** Begins a survey. @returns its id; null where one of the site is running, whichever process runs it */
export function insertSurvey(database: Database, siteId: number, by: string, origin: string): Promise<number | null> {
  return database.transaction(async (connection) => {
    const now = await database.now()
    await database.row('SELECT id FROM sites WHERE id = ? FOR UPDATE', [siteId], connection)
    if (await database.row("SELECT id FROM surveys WHERE site_id = ? AND state = 'running' LIMIT 1", [siteId], connection)) return null
    const { insertId } = await database.run(
      "INSERT INTO surveys (site_id, state, started_at, started_by, origin, note, seen_at) VALUES (?, 'running', ?, ?, ?, '', ?)",
      [siteId, now, by, origin, now],
      connection,
    )
    const old = await database.row<{ id: number }>(
      'SELECT id FROM surveys WHERE site_id = ? ORDER BY id DESC LIMIT 1 OFFSET ?',
      [siteId, MOST_KEPT],
      connection,
    )
    if (old) await database.run('DELETE FROM surveys WHERE site_id = ? AND id <= ?', [siteId, old.id], connection)
    return insertId
  })
}

/** Gives a sign of life. @returns whether the survey is still to go on */
export async function seeSurvey(database: Database, surveyId: number): Promise<boolean> {
  await database.run("UPDATE surveys SET seen_at = ? WHERE id = ? AND state = 'running'", [await database.now(), surveyId])
  return !!(await database.row("SELECT id FROM surveys WHERE id = ? AND state = 'running'", [surveyId]))
}

/** Ends what runs for a site, whichever process runs it; that one sees it with its next sign of life. */
export async function endSurveysOfSite(database: Database, siteId: number): Promise<void> {
  await database.run("UPDATE surveys SET state = 'stopped', ended_at = ?, waiting = 0 WHERE site_id = ? AND state = 'running'", [await database.now(), siteId])
}

/** Adds a page to a survey. */
export async function insertPage(database: Database, surveyId: number, no: number, page: SurveyedPage, waiting: number): Promise<void> {
  await database.run('INSERT INTO survey_pages (survey_id, no, page) VALUES (?, ?, ?)', [surveyId, no, JSON.stringify(page)])
  await database.run('UPDATE surveys SET waiting = ? WHERE id = ?', [waiting, surveyId])
}

/** Ends a survey. */
export async function endSurvey(database: Database, surveyId: number, state: 'done' | 'stopped', note = ''): Promise<void> {
  await database.run("UPDATE surveys SET state = ?, ended_at = ?, waiting = 0, note = ? WHERE id = ? AND state = 'running'", [
    state,
    await database.now(),
    note,
    surveyId,
  ])
}

/** Ends surveys that a killed server left running. */
export async function endLostSurveys(database: Database): Promise<void> {
  const now = await database.now()
  await database.run(
    "UPDATE surveys SET state = 'stopped', ended_at = ?, waiting = 0, note = 'The server was stopped in the middle of it.' WHERE state = 'running' AND seen_at < ?",
    [now, now - LOST_AFTER],
  )
}

/** The latest surveys of a site, newest first. */
export function surveysOfSite(database: Database, siteId: number, most = MOST_KEPT): Promise<SurveyRow[]> {
  return database.rows<SurveyRow>(`${READ} WHERE site_id = ? ORDER BY id DESC LIMIT ?`, [siteId, most])
}

/** The pages of a survey, in the order they were found. */
export async function pagesOfSurvey(database: Database, surveyId: number): Promise<SurveyedPage[]> {
  const rows = await database.rows<{ page: string }>('SELECT page FROM survey_pages WHERE survey_id = ? ORDER BY no', [surveyId])
  return rows.map(({ page }) => JSON.parse(page) as SurveyedPage)
}
