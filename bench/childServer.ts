import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { NODE_FLAGS } from '../scripts/runTypeScript.mjs'
import { freePort } from '../server/src/database/freePort.js'
import { startMariaDb, type EmbeddedMariaDb } from '../server/src/database/EmbeddedMariaDb.js'
import { untilReady } from '../tests/start/untilReady.js'

const TOKEN = 'token-of-a-bench-server'
/** With `ACEQUIA_BENCH_PROFILE` each server leaves a processor profile in that folder. */
const PROFILE = process.env.ACEQUIA_BENCH_PROFILE ? ['--cpu-prof', `--cpu-prof-dir=${process.env.ACEQUIA_BENCH_PROFILE}`] : []
const MAIN = fileURLToPath(new URL('../server/src/main.ts', import.meta.url))

/** A server in a process of its own, beside a MariaDB of its own. */
export interface ChildServer {
  url: string
  mariaDb: EmbeddedMariaDb
  api: <T>(method: string, path: string, body?: unknown) => Promise<T>
  /** Adds a site. @returns its key */
  addSite: () => Promise<string>
  /** Ends the server and starts it again on the same data. */
  restart: () => Promise<void>
  stop: () => Promise<void>
}

/** Starts both on free ports, with their data in a folder that is removed when they stop. */
export async function startChildServer(options: { bufferPool?: string; environment?: Record<string, string> } = {}): Promise<ChildServer> {
  const folder = mkdtempSync(join(tmpdir(), 'acequia-bench-'))
  const mariaDb = await startMariaDb(folder, { bufferPool: options.bufferPool ?? '1G' })
  const port = await freePort()
  const url = `http://127.0.0.1:${port}`
  const start = async (): Promise<ChildProcess> => {
    const child = spawn(process.execPath, [...PROFILE, ...NODE_FLAGS, MAIN], {
      env: {
        ...process.env,
        ACEQUIA_PORT: String(port),
        ACEQUIA_DATA: folder,
        ACEQUIA_DB_URL: mariaDb.url,
        ACEQUIA_TOKEN: TOKEN,
        ACEQUIA_LOG_LEVEL: 'error',
        ACEQUIA_COLLECT_LIMIT: '1000000000',
        ...options.environment,
      },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    await untilReady(url, child)
    return child
  }
  const end = async (): Promise<void> => {
    const ended = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGTERM')
    await ended
  }
  let child = await start()
  const api = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const answer = await fetch(`${url}/api/v1${path}`, {
      method,
      headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/json' },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    })
    if (!answer.ok) throw new Error(`${method} ${path}: ${await answer.text()}`)
    return (await answer.json()) as T
  }
  return {
    url,
    mariaDb,
    api,
    async addSite() {
      const site = { name: 'Observatory', hosts: ['altolucero.example'], timeZone: 'Europe/Madrid', currency: 'EUR' }
      return (await api<{ key: string }>('POST', '/sites', site)).key
    },
    async restart() {
      await end()
      child = await start()
    },
    async stop() {
      await end()
      await mariaDb.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
