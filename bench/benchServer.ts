import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readConfig } from '../server/src/app/config.js'
import { startServer, type RunningServer } from '../server/src/app/startServer.js'

const TOKEN = 'token-of-a-bench-server'

/** A server with a MariaDB of its own, empty, for measuring. */
export interface BenchServer extends RunningServer {
  api: <T>(method: string, path: string, body?: unknown) => Promise<T>
}

/** Starts it on free ports, with its data in a folder that is removed when it stops. */
export async function startBenchServer(): Promise<BenchServer> {
  const folder = mkdtempSync(join(tmpdir(), 'acequia-bench-'))
  const server = await startServer(readConfig({ ACEQUIA_PORT: '0', ACEQUIA_DATA: folder, ACEQUIA_TOKEN: TOKEN, ACEQUIA_LOG_LEVEL: 'silent' }))
  return {
    ...server,
    async api<T>(method: string, path: string, body?: unknown): Promise<T> {
      const answer = await fetch(`${server.url}/api/v1${path}`, {
        method,
        headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/json' },
        ...(body !== undefined && { body: JSON.stringify(body) }),
      })
      if (!answer.ok) throw new Error(`${method} ${path}: ${await answer.text()}`)
      return (await answer.json()) as T
    },
    async stop() {
      await server.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
