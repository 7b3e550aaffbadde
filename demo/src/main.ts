import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { readConfig } from '@acequia/server/app/config'
import { DEMO_PERSON } from './setUp.js'
import { startDemo } from './startDemo.js'

/** `npm run demo`: everything with demo data. */
try {
  const { values } = parseArgs({ options: { fresh: { type: 'boolean' }, 'no-traffic': { type: 'boolean' } } })
  const config = readConfig(process.env)
  const port = Number(process.env.ACEQUIA_DEMO_PORT || 4601)
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new Error('ACEQUIA_DEMO_PORT must be a port number.')
  if (values.fresh) {
    if (config.databaseUrl) throw new Error('--fresh only begins anew with the embedded database; empty the one in ACEQUIA_DB_URL yourself.')
    // Only what we made ourselves: the folder may hold other things.
    for (const name of ['mariadb', 'spool', 'columns', 'database-url', 'mariadb.log', 'database-password', 'database-setup.sql', 'mariadb.pid'])
      rmSync(join(config.dataFolder, name), { recursive: true, force: true })
  }
  const began = Date.now()
  const demo = await startDemo({ ...config, logLevel: process.env.ACEQUIA_LOG_LEVEL || 'error' }, { port, traffic: !values['no-traffic'] }, (what) =>
    console.log(what),
  )
  console.log(`
Ready after ${((Date.now() - began) / 1000).toFixed(1)} s.

  Acequia           ${demo.acequia}
    sign in with    ${DEMO_PERSON.email}
    password        ${DEMO_PERSON.password}
  The website       ${demo.origins.shop}
  Farola's ledger   ${demo.origins.farola}/ledger
  All of the world  ${demo.origins.index}

Ctrl+C stops it; the data stays in ${config.dataFolder}. "npm run demo -- --fresh" begins anew.`)
  const stop = (): void => {
    for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.off(signal, stop)
    console.log('\nStopping …')
    demo.stop().then(
      () => process.exit(0),
      (error: unknown) => {
        console.error(error)
        process.exit(1)
      },
    )
  }
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, stop)
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
