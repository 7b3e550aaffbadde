import type { Goal } from '@acequia/core/goals/goalSchema'
import type { PoolConnection } from 'mysql2/promise'
import type { Connection, Database } from '../database/Database.js'
import { forgetGoal } from '../visits/derivationsTable.js'

/** A goal as it is stored. `no` is the small number that conversions refer to. */
export interface StoredGoal {
  no: number
  id: string
  siteId: number
  revision: number
  goal: Goal
  createdAt: number
  changedAt: number
  /** When it was put away; null while it is in use. */
  archivedAt: number | null
}

interface GoalRow {
  no: number
  id: string
  site_id: number
  revision: number
  goal: string
  created_at: number
  changed_at: number
  archived_at: number | null
}

const READ = 'SELECT no, id, site_id, revision, goal, created_at, changed_at, archived_at FROM goals'

const toGoal = (row: GoalRow): StoredGoal => ({
  no: row.no,
  id: row.id,
  siteId: row.site_id,
  revision: row.revision,
  goal: JSON.parse(row.goal) as Goal,
  createdAt: row.created_at,
  changedAt: row.changed_at,
  archivedAt: row.archived_at,
})

/** The goals of some sites, oldest first. */
export async function goalsOfSites(database: Database, siteIds: number[], connection: Connection = database.pool): Promise<StoredGoal[]> {
  return siteIds.length ? (await database.rows<GoalRow>(`${READ} WHERE site_id IN (?) ORDER BY no`, [siteIds], connection)).map(toGoal) : []
}

/** One goal of a site, locked for change where `forUpdate` is given. */
export async function goalById(
  database: Database,
  siteId: number,
  id: string,
  connection: Connection = database.pool,
  forUpdate = false,
): Promise<StoredGoal | undefined> {
  const row = await database.row<GoalRow>(`${READ} WHERE site_id = ? AND id = ?${forUpdate ? ' FOR UPDATE' : ''}`, [siteId, id], connection)
  return row && toGoal(row)
}

/** Adds a goal. */
export async function insertGoal(database: Database, siteId: number, id: string, goal: Goal, by: string, connection: Connection): Promise<void> {
  const now = Date.now()
  const { insertId } = await database.run(
    'INSERT INTO goals (id, site_id, revision, goal, created_at, changed_at) VALUES (?, ?, 1, ?, ?, ?)',
    [id, siteId, JSON.stringify(goal), now, now],
    connection,
  )
  await noteVersion(database, insertId, by, connection)
}

/** Keeps what a goal is now among its versions. */
async function noteVersion(database: Database, no: number, by: string, connection: Connection): Promise<void> {
  await database.run(
    'INSERT INTO goal_versions (goal_no, revision, goal, changed_at, changed_by) SELECT no, revision, goal, changed_at, ? FROM goals WHERE no = ?',
    [by, no],
    connection,
  )
}

/** Everything a goal ever was, oldest first. */
export async function versionsOfGoal(database: Database, no: number): Promise<{ revision: number; goal: Goal; changedAt: number; changedBy: string }[]> {
  const rows = await database.rows<{ revision: number; goal: string; changed_at: number; changed_by: string }>(
    'SELECT revision, goal, changed_at, changed_by FROM goal_versions WHERE goal_no = ? ORDER BY revision',
    [no],
  )
  return rows.map((row) => ({ revision: row.revision, goal: JSON.parse(row.goal) as Goal, changedAt: row.changed_at, changedBy: row.changed_by }))
}

/** Puts a goal away, or takes it back into use. */
export async function archiveGoal(database: Database, no: number, archived: boolean): Promise<void> {
  await database.run('UPDATE goals SET archived_at = ? WHERE no = ?', [archived ? Date.now() : null, no])
}

/** Replaces a goal by a new revision. */
export async function updateGoal(database: Database, no: number, goal: Goal, by: string, connection: Connection): Promise<void> {
  await database.run('UPDATE goals SET goal = ?, revision = revision + 1, changed_at = ? WHERE no = ?', [JSON.stringify(goal), Date.now(), no], connection)
  await noteVersion(database, no, by, connection)
}

/** Removes a goal and what was counted for it. */
export async function deleteGoal(database: Database, stored: StoredGoal, connection: PoolConnection): Promise<void> {
  await database.run('DELETE FROM goals WHERE no = ?', [stored.no], connection)
  await database.run('DELETE FROM goal_versions WHERE goal_no = ?', [stored.no], connection)
  await forgetGoal(database, stored.siteId, stored.no, connection)
}
