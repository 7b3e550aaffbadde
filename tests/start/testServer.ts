import { randomBytes, randomUUID } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createConnection } from 'mysql2/promise'
import { readConfig } from '../../server/src/app/config.js'
import { startServer, type RunningServer } from '../../server/src/app/startServer.js'

/** The API token of every test server. */
export const TOKEN = 'test-token-with-owner-rights'

/** A server with an empty database of its own. */
export interface TestServer extends RunningServer {
  /** Calls the API as JSON with the owner's token. */
  api: <T = Record<string, never>>(
    method: string,
    path: string,
    body?: unknown,
    headers?: Record<string, string>,
  ) => Promise<{ status: number; body: T; headers: Headers }>
  /** Adds a site with common settings, changed by `settings`. */
  addSite: (settings?: Record<string, unknown>) => Promise<string>
  /** Sends a batch to the collector as a browser would. */
  collect: (key: string, visitor: string, events: object[]) => Promise<Response>
  /** Resolves when nothing waits to be derived. */
  derived: () => Promise<void>
}

/** Starts a server on a database of its own within the test run's MariaDB. */
export async function startTestServer(databaseUrl: string, environment: Record<string, string> = {}): Promise<TestServer> {
  const url = new URL(databaseUrl)
  const name = 'test_' + randomBytes(6).toString('hex')
  const connection = await createConnection(databaseUrl)
  await connection.query(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin`)
  await connection.end()
  url.pathname = '/' + name
  const folder = mkdtempSync(join(tmpdir(), 'acequia-data-'))
  const server = await startServer(
    readConfig({ ACEQUIA_PORT: '0', ACEQUIA_DATA: folder, ACEQUIA_DB_URL: url.href, ACEQUIA_TOKEN: TOKEN, ACEQUIA_LOG_LEVEL: 'silent', ...environment }),
  )
  const api: TestServer['api'] = async (method, path, body, headers = {}) => {
    const answer = await fetch(`${server.url}/api/v1${path}`, {
      method,
      headers: { authorization: `Bearer ${TOKEN}`, ...(body !== undefined && { 'content-type': 'application/json' }), ...headers },
      ...(body !== undefined && { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    })
    const text = await answer.text()
    const isJson = /json/.test(answer.headers.get('content-type') ?? '') && !/ndjson/.test(answer.headers.get('content-type') ?? '')
    return { status: answer.status, body: (isJson && text ? JSON.parse(text) : text) as never, headers: answer.headers }
  }
  return {
    ...server,
    api,
    async addSite(settings = {}) {
      const { body } = await api<{ key: string }>('POST', '/sites', {
        name: 'Observatory',
        hosts: ['altolucero.example'],
        timeZone: 'Europe/Madrid',
        currency: 'EUR',
        ...settings,
      })
      return body.key
    },
    collect(key, visitor, events) {
      return fetch(`${server.url}/c/${key}`, { method: 'POST', headers: { 'content-type': 'text/plain' }, body: JSON.stringify({ visitor, events }) })
    },
    async derived() {
      const { database } = server.services
      for (;;) {
        const row = await database.row<{ n: number }>("SELECT (SELECT COUNT(*) FROM marks) + (SELECT COUNT(*) FROM derivations WHERE state = 'filling') AS n")
        if (row?.n === 0) return
        await new Promise((resolve) => setTimeout(resolve, 20))
      }
    },
    async stop() {
      await server.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

/** A page view as the loader sends it, with a uid of its own. */
export function pageView(path: string, at: string, more: object = {}): { uid: string; at: string; name: string; url: string } {
  return { uid: randomUUID(), at, name: 'page-view', url: `https://altolucero.example${path}`, ...more }
}
