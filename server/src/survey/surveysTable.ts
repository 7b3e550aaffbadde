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

/** Begins a survey. @returns its id */
export async function insertSurvey(database: Database, siteId: number, by: string, origin: string): Promise<number> {
  const { insertId } = await database.run("INSERT INTO surveys (site_id, state, started_at, started_by, origin, note) VALUES (?, 'running', ?, ?, ?, '')", [
    siteId,
    Date.now(),
    by,
    origin,
  ])
  const old = await database.row<{ id: number }>('SELECT id FROM surveys WHERE site_id = ? ORDER BY id DESC LIMIT 1 OFFSET ?', [siteId, MOST_KEPT])
  if (old) await database.run('DELETE FROM surveys WHERE site_id = ? AND id <= ?', [siteId, old.id])
  return insertId
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
    Date.now(),
    note,
    surveyId,
  ])
}

/** Ends surveys that a stopped server left running. */
export async function endLostSurveys(database: Database): Promise<void> {
  await database.run(
    "UPDATE surveys SET state = 'stopped', ended_at = ?, waiting = 0, note = 'The server was stopped in the middle of it.' WHERE state = 'running'",
    [Date.now()],
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
