import { readFileSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from './Database.js'

/** A table that is there while a backup is being read back. */
export const RESTORING = 'restore_unfinished'

/** What MariaDB says of a change of tables that was made already. */
const MADE_ALREADY = new Set([
  'ER_TABLE_EXISTS_ERROR',
  'ER_DUP_FIELDNAME',
  'ER_DUP_KEYNAME',
  'ER_CANT_DROP_FIELD_OR_KEY',
  'ER_BAD_TABLE_ERROR',
  'ER_PARTITION_MGMT_ON_NONPARTITIONED',
])
/** Statements that change rows only, and so can be made and noted in one transaction. */
const CHANGES_ROWS = /^(INSERT|UPDATE|DELETE)\b/i

/**
 * Applies the numbered `.sql` files of a folder that have not been applied yet, in order, under a
 * lock that keeps other processes waiting. Files are never edited after they landed. Every statement
 * is noted, so that after a crash in between the next start goes on where it was.
 * @returns the names of the files applied now
 */
export async function migrate(database: Database, folder: string): Promise<string[]> {
  const connection = await database.pool.getConnection()
  try {
    const [locked] = await connection.query<import('./Database.js').Row[]>("SELECT GET_LOCK(CONCAT('acequia-migrations-', DATABASE()), 120) AS locked")
    if (locked[0]?.locked !== 1) throw new Error('Another process has been migrating the database for two minutes.')
    if ((await database.rows('SHOW TABLES LIKE ?', [RESTORING], connection)).length)
      throw new Error('A backup was being read back into this database, and that did not end. Do it again: npm run restore -- FILE')
    await connection.query('CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(200) NOT NULL PRIMARY KEY, applied_at BIGINT NOT NULL)')
    await connection.query('CREATE TABLE IF NOT EXISTS migration_steps (name VARCHAR(200) NOT NULL PRIMARY KEY, statements INT NOT NULL)')
    const done = new Set((await database.rows<{ name: string }>('SELECT name FROM migrations', [], connection)).map((row) => row.name))
    const names = readdirSync(folder)
      .filter((name) => /^\d{3}-.*\.sql$/.test(name) && !done.has(name))
      .sort()
    for (const name of names) {
      await applyFile(database, connection, name, statementsOf(readFileSync(join(folder, name), 'utf8')))
      await connection.query('INSERT INTO migrations VALUES (?, ?)', [name, Date.now()])
      await connection.query('DELETE FROM migration_steps WHERE name = ?', [name])
    }
    return names
  } finally {
    await connection.query("SELECT RELEASE_LOCK(CONCAT('acequia-migrations-', DATABASE()))").catch(() => undefined)
    connection.release()
  }
}

async function applyFile(database: Database, connection: PoolConnection, name: string, statements: string[]): Promise<void> {
  const row = await database.row<{ statements: number }>('SELECT statements FROM migration_steps WHERE name = ?', [name], connection)
  const begunBefore = row !== undefined
  const from = row?.statements ?? 0
  if (!begunBefore) await connection.query('INSERT INTO migration_steps VALUES (?, 0)', [name])
  const note = (index: number): Promise<unknown> => connection.query('UPDATE migration_steps SET statements = ? WHERE name = ?', [index + 1, name])
  for (const [index, statement] of statements.entries()) {
    if (index < from) {
      // What holds for a session only is said again.
      if (/^SET SESSION\b/i.test(statement)) await connection.query(statement)
      continue
    }
    if (CHANGES_ROWS.test(statement)) {
      await connection.beginTransaction()
      try {
        await connection.query(statement)
        await note(index)
        await connection.commit()
      } catch (error) {
        await connection.rollback()
        throw error
      }
      continue
    }
    try {
      await connection.query(statement)
    } catch (error) {
      // A change of tables is whole or not at all; it may have been made just before the crash, and not noted.
      if (!begunBefore || index !== from || !MADE_ALREADY.has((error as { code?: string }).code ?? '')) throw error
    }
    await note(index)
  }
}

/** Statements end with a semicolon at the end of a line; lines that begin with `--` are comments. */
function statementsOf(file: string): string[] {
  return file
    .replace(/^--.*$/gm, '')
    .split(/;\s*$/m)
    .map((statement) => statement.trim())
    .filter(Boolean)
}
