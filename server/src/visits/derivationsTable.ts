import type { Goal } from '@acequia/core/goals/goalSchema'
import { siteSchema, type SiteSettings } from '@acequia/core/sites/siteSchema'
import type { PoolConnection } from 'mysql2/promise'
import type { Connection, Database } from '../database/Database.js'

/** Under what a derivation is made: the site's settings and goals as they were when it began. */
export interface Definition {
  settings: SiteSettings
  goals: { no: number; goal: Goal }[]
}

/** One run over a site's log; its visits and conversions are seen by readers while it is shown. */
export interface Derivation {
  no: number
  siteId: number
  state: 'shown' | 'filling'
  /** As it is stored; `readDefinition` reads it. */
  definition: string
  /** Visitors to go through; null until all of them are in parts. */
  total: number | null
  paused: boolean
  startedAt: number
}

interface DerivationRow {
  no: number
  site_id: number
  state: Derivation['state']
  definition: string
  total: number | null
  paused: number
  started_at: number
}

const READ = 'SELECT no, site_id, state, definition, total, paused, started_at FROM derivations'

const toDerivation = (row: DerivationRow): Derivation => ({
  no: row.no,
  siteId: row.site_id,
  state: row.state,
  definition: row.definition,
  total: row.total,
  paused: row.paused === 1,
  startedAt: row.started_at,
})

/** Reads what a derivation is made under. */
export function readDefinition(text: string): Definition {
  const { settings, goals } = JSON.parse(text) as { settings: unknown; goals: Definition['goals'] }
  return { settings: siteSchema.parse(settings), goals }
}

/** A derivation by its number. */
export async function derivationOf(database: Database, no: number, connection: Connection): Promise<Derivation | undefined> {
  const row = await database.row<DerivationRow>(`${READ} WHERE no = ?`, [no], connection)
  return row && toDerivation(row)
}

/** The shown derivations of some sites, and those being filled. */
export async function derivationsOfSites(database: Database, siteIds: number[], connection: Connection = database.pool): Promise<Derivation[]> {
  if (!siteIds.length) return []
  const rows = await database.rows<DerivationRow>(`${READ} WHERE site_id IN (?) AND state IN ('shown', 'filling') ORDER BY no`, [siteIds], connection)
  return rows.map(toDerivation)
}

/** The number of the derivation of a site that readers see. */
export async function shownDerivation(database: Database, siteId: number): Promise<number> {
  const row = await database.row<{ no: number }>("SELECT no FROM derivations WHERE site_id = ? AND state = 'shown'", [siteId])
  return row?.no ?? 0
}

/** Begins the derivations of a new site, which has nothing to derive yet. */
export async function firstDerivation(database: Database, siteId: number, settings: SiteSettings, connection: PoolConnection): Promise<void> {
  const now = await database.now()
  await database.run(
    "INSERT INTO derivations (site_id, state, definition, total, started_at, ended_at) VALUES (?, 'shown', ?, 0, ?, ?)",
    [siteId, JSON.stringify({ settings, goals: [] } satisfies Definition), now, now],
    connection,
  )
}

/**
 * Has everything of a site derived anew in the background, under its settings and goals as they are in this
 * transaction; what was being filled is dropped. Readers go on seeing what is shown until all is done.
 */
export async function beginDerivation(database: Database, siteId: number, connection: PoolConnection): Promise<void> {
  const now = await database.now()
  // Locks the site's derivations in order, so that two changes at once come one after the other.
  const site = await database.row<{ settings: string }>('SELECT settings FROM sites WHERE id = ? FOR UPDATE', [siteId], connection)
  const goals = await database.rows<{ no: number; goal: string }>('SELECT no, goal FROM goals WHERE site_id = ? ORDER BY no', [siteId], connection)
  const definition = JSON.stringify({
    settings: JSON.parse(site?.settings ?? '{}') as unknown,
    goals: goals.map(({ no, goal }) => ({ no, goal: JSON.parse(goal) as unknown })),
  })
  await database.run("UPDATE derivations SET state = 'dropped', ended_at = ? WHERE site_id = ? AND state = 'filling'", [now, siteId], connection)
  await database.run("INSERT INTO derivations (site_id, state, definition, started_at) VALUES (?, 'filling', ?, ?)", [siteId, definition, now], connection)
}

/** A derivation whose visitors are still to be split into parts, locked; undefined where there is none that nobody else is splitting. */
export function takeUnsplit(database: Database, connection: PoolConnection): Promise<{ no: number; site_id: number; split_to: number } | undefined> {
  return database.row(
    "SELECT no, site_id, split_to FROM derivations WHERE state = 'filling' AND total IS NULL AND paused = 0 ORDER BY no LIMIT 1 FOR UPDATE SKIP LOCKED",
    [],
    connection,
  )
}

/** Notes how far splitting got. @param total all visitors, once every one is in a part */
export async function noteSplit(database: Database, no: number, splitTo: number, total: number | null, connection: PoolConnection): Promise<void> {
  await database.run('UPDATE derivations SET split_to = ?, total = ? WHERE no = ?', [splitTo, total, no], connection)
}

/**
 * Shows a derivation if nobody waits for it any more; the one shown until then is dropped.
 * @returns whether it is shown now
 */
export async function showIfComplete(database: Database, no: number, connection: PoolConnection): Promise<boolean> {
  const row = await database.row<DerivationRow>(`${READ} WHERE no = ? FOR UPDATE`, [no], connection)
  if (row?.state !== 'filling' || row.total === null) return false
  if (await database.row('SELECT 1 AS waits FROM derivation_parts WHERE derivation_no = ? LIMIT 1', [no], connection)) return false
  const now = await database.now()
  await database.run("UPDATE derivations SET state = 'dropped', ended_at = ? WHERE site_id = ? AND state = 'shown'", [now, row.site_id], connection)
  await database.run("UPDATE derivations SET state = 'shown', ended_at = ? WHERE no = ?", [now, no], connection)
  return true
}

/** Numbers of the derivations that are being filled and not paused, the oldest first. */
export async function fillingDerivations(database: Database): Promise<number[]> {
  const rows = await database.rows<{ no: number }>("SELECT no FROM derivations WHERE state = 'filling' AND paused = 0 ORDER BY no")
  return rows.map(({ no }) => no)
}

/** Numbers of derivations that are filled and wait for nobody, for a process that finds one left by a crash. */
export async function filledDerivations(database: Database): Promise<number[]> {
  const rows = await database.rows<{ no: number }>(
    "SELECT d.no FROM derivations d WHERE d.state = 'filling' AND d.total IS NOT NULL AND NOT EXISTS (SELECT 1 FROM derivation_parts p WHERE p.derivation_no = d.no)",
  )
  return rows.map(({ no }) => no)
}

/** Stops and goes on with what is being filled. @returns whether anything is */
export async function pauseDerivation(database: Database, siteId: number, paused: boolean): Promise<boolean> {
  const { affectedRows } = await database.run("UPDATE derivations SET paused = ? WHERE site_id = ? AND state = 'filling'", [paused ? 1 : 0, siteId])
  return affectedRows > 0
}

/** Gives up what is being filled; what is shown stays. */
export async function dropFilling(database: Database, siteId: number): Promise<void> {
  await database.run("UPDATE derivations SET state = 'dropped', ended_at = ? WHERE site_id = ? AND state = 'filling'", [await database.now(), siteId])
}

/** Takes a goal out of what is shown and filled, with what was counted for it. */
export async function forgetGoal(database: Database, siteId: number, goalNo: number, connection: PoolConnection): Promise<void> {
  for (const { no, definition } of await derivationsOfSites(database, [siteId], connection)) {
    const { goals, ...rest } = JSON.parse(definition) as Definition
    const without = JSON.stringify({ ...rest, goals: goals.filter((goal) => goal.no !== goalNo) })
    await database.run('UPDATE derivations SET definition = ? WHERE no = ?', [without, no], connection)
    await database.run('DELETE FROM conversions WHERE derivation_no = ? AND goal_no = ?', [no, goalNo], connection)
    await database.run('DELETE FROM conversion_days WHERE derivation_no = ? AND goal_no = ?', [no, goalNo], connection)
  }
}

/** Rows removed in one go. */
const ROWS_AT_ONCE = 5000
/** Somebody may still be reading what was shown until just now, in ms. */
const GRACE_MS = 60_000

/** Removes some rows of derivations that nobody sees any more. @returns whether there was anything to do */
export async function sweepDropped(database: Database): Promise<boolean> {
  const row = await database.row<{ no: number }>("SELECT no FROM derivations WHERE state = 'dropped' AND ended_at < ? ORDER BY no LIMIT 1", [
    (await database.now()) - GRACE_MS,
  ])
  if (!row) return false
  for (const statement of [
    'DELETE FROM visits WHERE derivation_no = ? LIMIT ?',
    'DELETE FROM conversions WHERE derivation_no = ? LIMIT ?',
    'DELETE FROM visit_days WHERE derivation_no = ? LIMIT ?',
    'DELETE FROM conversion_days WHERE derivation_no = ? LIMIT ?',
    'DELETE FROM derivation_parts WHERE derivation_no = ? LIMIT ?',
  ])
    if ((await database.run(statement, [row.no, ROWS_AT_ONCE])).affectedRows) return true
  await database.run('DELETE FROM derivations WHERE no = ?', [row.no])
  return true
}
