import { readFileSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import type { Database } from './Database.js'

/**
 * Applies the numbered `.sql` files of a folder that have not been applied yet, in order, under a
 * lock that keeps other processes waiting. Files are never edited after they landed.
 * @returns the names of the files applied now
 */
export async function migrate(database: Database, folder: string): Promise<string[]> {
  const connection = await database.pool.getConnection()
  try {
    const [locked] = await connection.query<import('./Database.js').Row[]>("SELECT GET_LOCK('acequia-migrations', 120) AS locked")
    if (locked[0]?.locked !== 1) throw new Error('Another process has been migrating the database for two minutes.')
    await connection.query('CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(200) NOT NULL PRIMARY KEY, applied_at BIGINT NOT NULL)')
    const done = new Set((await database.rows<{ name: string }>('SELECT name FROM migrations', [], connection)).map((row) => row.name))
    const names = readdirSync(folder)
      .filter((name) => /^\d{3}-.*\.sql$/.test(name) && !done.has(name))
      .sort()
    for (const name of names) {
      for (const statement of statementsOf(readFileSync(join(folder, name), 'utf8'))) await connection.query(statement)
      await connection.query('INSERT INTO migrations VALUES (?, ?)', [name, Date.now()])
    }
    return names
  } finally {
    await connection.query("SELECT RELEASE_LOCK('acequia-migrations')").catch(() => undefined)
    connection.release()
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
