import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createConnection } from 'mysql2/promise'
import { startDemo, type RunningDemo } from '../../demo/src/startDemo.js'
import { readConfig } from '../../server/src/app/config.js'
import { TOKEN } from './testServer.js'

/** Starts the whole demo world without live visitors, on free ports and a database of its own. */
export async function startTestDemo(databaseUrl: string): Promise<RunningDemo> {
  const url = new URL(databaseUrl)
  const name = 'demo_' + randomBytes(6).toString('hex')
  const connection = await createConnection(databaseUrl)
  await connection.query(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin`)
  await connection.end()
  url.pathname = '/' + name
  const folder = mkdtempSync(join(tmpdir(), 'acequia-demo-'))
  const config = readConfig({ ACEQUIA_PORT: '0', ACEQUIA_DATA: folder, ACEQUIA_DB_URL: url.href, ACEQUIA_TOKEN: TOKEN, ACEQUIA_LOG_LEVEL: 'silent' })
  const demo = await startDemo(config, { port: 0, traffic: false }, () => undefined)
  return {
    ...demo,
    async stop() {
      await demo.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
