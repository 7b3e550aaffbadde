import type { Database } from '../database/Database.js'

/** The log is kept by quarters of a year (UTC), from this one on; what is older lies in one partition. */
const FIRST = Date.UTC(2025, 0, 1)
/** Quarters that are ready before they begin. */
const AHEAD = 2

/** A partition of the log: everything before an instant (ms) that is in none before it. */
export interface Quarter {
  name: string
  /** ms since 1970; Infinity for the last one. */
  until: number
}

/** The partitions of the log, oldest first. */
export async function quartersOf(database: Database): Promise<Quarter[]> {
  const rows = await database.rows<{ name: string; until: string }>(
    `SELECT PARTITION_NAME AS name, PARTITION_DESCRIPTION AS until FROM information_schema.PARTITIONS
     WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = 'events' ORDER BY PARTITION_ORDINAL_POSITION`,
  )
  return rows.map(({ name, until }) => ({ name, until: until === 'MAXVALUE' ? Infinity : Number(until) }))
}

/**
 * Adds the quarters that are missing up to some time ahead. Safe to run in several processes at once.
 * @param now ms since 1970
 */
export async function addQuarters(database: Database, now: number): Promise<void> {
  const connection = await database.pool.getConnection()
  try {
    const locked = await database.row<{ locked: number | null }>("SELECT GET_LOCK(CONCAT('acequia-quarters-', DATABASE()), 30) AS locked", [], connection)
    if (locked?.locked !== 1) return
    const known = await quartersOf(database)
    const last = Math.max(FIRST, ...known.map(({ until }) => until).filter(Number.isFinite))
    const missing: Quarter[] = []
    const end = endOfQuarter(now, AHEAD)
    for (let until = endOfQuarter(last, 0); until <= end; until = endOfQuarter(until, 0)) missing.push({ name: nameOf(until), until })
    if (!missing.length) return
    const parts = [...missing.map(({ name, until }) => `PARTITION ${name} VALUES LESS THAN (${until})`), 'PARTITION later VALUES LESS THAN MAXVALUE']
    await database.run(`ALTER TABLE events REORGANIZE PARTITION later INTO (${parts.join(', ')})`, [], connection)
  } finally {
    await connection.query("SELECT RELEASE_LOCK(CONCAT('acequia-quarters-', DATABASE()))").catch(() => undefined)
    connection.release()
  }
}

/** Where the quarter of an instant ends, or so many quarters later. */
function endOfQuarter(at: number, later: number): number {
  const date = new Date(at)
  return Date.UTC(date.getUTCFullYear(), (Math.floor(date.getUTCMonth() / 3) + 1 + later) * 3, 1)
}

function nameOf(until: number): string {
  const last = new Date(until - 1)
  return `q${last.getUTCFullYear()}_${Math.floor(last.getUTCMonth() / 3) + 1}`
}
