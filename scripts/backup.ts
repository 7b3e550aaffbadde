import { existsSync, readFileSync, rmSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { readConfig } from '../server/src/app/config.js'
import { startMariaDb, URL_FILE } from '../server/src/database/EmbeddedMariaDb.js'
import { backUp, restore } from './databaseTools.js'

/**
 * `npm run backup -- FILE` writes everything to a file; `npm run restore -- FILE` reads it into an empty database. Both
 * use the database of the environment, as the server does: the one in `ACEQUIA_DB_URL`, or the embedded one.
 */
const [what, given] = process.argv.slice(2)
try {
  if ((what !== 'backup' && what !== 'restore') || !given) throw new Error('Name a file: npm run backup -- FILE, or npm run restore -- FILE')
  const config = readConfig(process.env)
  const file = resolve(given)
  const work = what === 'backup' ? backUp : restore
  // While the server runs its embedded database runs too, and says where.
  const running = join(config.dataFolder, URL_FILE)
  if (config.databaseUrl) await work(config.databaseUrl, file)
  else if (existsSync(running)) {
    if (what === 'restore') throw new Error('Stop the server first.')
    await work(readFileSync(running, 'utf8').trim(), file)
  } else {
    const mariaDb = await startMariaDb(config.dataFolder)
    try {
      await work(mariaDb.url, file)
    } finally {
      await mariaDb.stop()
    }
  }
  // What was kept beside the log belongs to the one of before.
  if (what === 'restore') rmSync(join(config.dataFolder, 'columns'), { recursive: true, force: true })
  console.log(what === 'backup' ? `Everything is in ${file}.` : `Everything of ${file} is back.`)
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
