import { spawn } from 'node:child_process'
import { createReadStream, createWriteStream, existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { createConnection, type Connection, type RowDataPacket } from 'mysql2/promise'
import { RESTORING } from '../server/src/database/migrate.js'

/** Runs work with the options that MariaDB's own programs need to reach a database; the password is in no process list. */
async function withOptions<T>(url: string, work: (options: string[], database: string) => Promise<T>): Promise<T> {
  const { hostname, port, username, password, pathname } = new URL(url)
  const folder = mkdtempSync(join(tmpdir(), 'acequia-tools-'))
  const file = join(folder, 'options.cnf')
  const lines = ['[client]', `host=${hostname}`, `port=${port || 3306}`, `user=${decodeURIComponent(username)}`, `password="${decodeURIComponent(password)}"`]
  writeFileSync(file, [...lines, 'protocol=tcp', 'default-character-set=utf8mb4'].join('\n'), { mode: 0o600 })
  try {
    return await work([`--defaults-file=${file}`], decodeURIComponent(pathname.slice(1)))
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** Writes a whole database to a file, as of one moment, while it goes on being used. */
export function backUp(url: string, file: string): Promise<void> {
  return withOptions(url, async (options, database) => {
    const dump = spawn('mariadb-dump', [...options, '--single-transaction', '--quick', '--hex-blob', database], { stdio: ['ignore', 'pipe', 'inherit'] })
    const ended = codeOf(dump)
    await pipeline(dump.stdout, createWriteStream(`${file}.part`, { mode: 0o600 }))
    if ((await ended) !== 0) throw new Error('The backup was not written: mariadb-dump failed.')
    const { rename } = await import('node:fs/promises')
    // Only a whole backup has the name of one.
    await rename(`${file}.part`, file)
  })
}

/**
 * Reads a backup back into an empty database. Until it is whole, no server starts on it; after a crash in between it is
 * simply done again.
 * @throws Error when the database holds something else
 */
export async function restore(url: string, file: string): Promise<void> {
  if (!existsSync(file)) throw new Error(`There is no file ${file}.`)
  const connection = await createConnection(url)
  try {
    const tables = await tablesOf(connection)
    if (tables.length && !tables.includes(RESTORING)) throw new Error('The database is not empty. Restore into a new one, so that nothing is lost.')
    await connection.query('SET foreign_key_checks = 0')
    await connection.query(`CREATE TABLE IF NOT EXISTS ${RESTORING} (started_at BIGINT NOT NULL)`)
    for (const table of tables) if (table !== RESTORING) await connection.query(`DROP TABLE \`${table}\``)
    await withOptions(url, async (options, database) => {
      const client = spawn('mariadb', [...options, database], { stdio: ['pipe', 'inherit', 'inherit'] })
      const ended = codeOf(client)
      await pipeline(createReadStream(file), client.stdin)
      if ((await ended) !== 0) throw new Error('The backup could not be read back; do it again, or look at what mariadb says above.')
    })
    await connection.query(`DROP TABLE ${RESTORING}`)
  } finally {
    await connection.end()
  }
}

async function tablesOf(connection: Connection): Promise<string[]> {
  const [rows] = await connection.query<RowDataPacket[]>('SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()')
  return rows.map((row) => String(row.name))
}

function codeOf(child: ReturnType<typeof spawn>): Promise<number | null> {
  return new Promise((resolve, reject) => {
    child.once('error', reject)
    child.once('exit', (code) => resolve(code))
  })
}
