import { spawn, type ChildProcess } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { createConnection, type Connection } from 'mysql2/promise'
import { Random } from '../../demo/src/visitors/Random.js'
import { freePort } from '../../server/src/database/freePort.js'
import { startMariaDb, type EmbeddedMariaDb } from '../../server/src/database/EmbeddedMariaDb.js'
import { untilReady } from './untilReady.js'

const MAIN = fileURLToPath(new URL('../../server/src/main.ts', import.meta.url))
/** The API token of every server here. */
export const TOKEN = 'token-of-a-fault-test'

/** A server in a process of its own, that can be killed. */
export interface Served {
  url: string
  /** Its data folder. */
  data: string
  /** Ends it at once, as a power cut would. */
  kill: () => Promise<void>
  /** Asks it to stop, and waits until it has. @returns its exit code */
  stop: () => Promise<number | null>
  /** Ended or not. */
  child: ChildProcess
}

/** A MariaDB and servers on it, all of them real processes, for tests that end them at bad moments. */
export class FaultWorld {
  readonly folder = mkdtempSync(join(tmpdir(), 'acequia-fault-'))
  private readonly served: Served[] = []
  private port = 0
  private databaseName = 'acequia'
  mariaDb!: EmbeddedMariaDb

  /** Starts MariaDB, or starts it again on its data and its old port. @param more options of its own */
  async startDatabase(more: string[] = []): Promise<void> {
    this.port ||= await freePort()
    this.mariaDb = await startMariaDb(this.folder, { port: this.port, bufferPool: '128M', more })
  }

  /** Goes on with an empty database and no server, for the next test. */
  async startAfresh(): Promise<void> {
    this.killServers()
    this.databaseName = `test_${randomBytes(6).toString('hex')}`
    const connection = await createConnection(this.mariaDb.url)
    await connection.query(`CREATE DATABASE ${this.databaseName} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin`)
    await connection.end()
  }

  /** Where the database of this test is. */
  get databaseUrl(): string {
    return this.mariaDb.url.replace(/\/acequia$/, `/${this.databaseName}`)
  }

  /** Ends MariaDB at once. */
  async killDatabase(): Promise<void> {
    process.kill(this.mariaDb.pid, 'SIGKILL')
    await gone(this.mariaDb.pid)
  }

  /** Starts a server and waits until it is ready. */
  async serve(environment: Record<string, string> = {}, options: { wait?: boolean } = {}): Promise<Served> {
    const port = await freePort()
    const data = environment.ACEQUIA_DATA ?? join(this.folder, `data-${this.served.length}`)
    const child = spawn(process.execPath, ['--import', 'tsx', MAIN], {
      env: {
        ...process.env,
        ACEQUIA_PORT: String(port),
        ACEQUIA_DATA: data,
        ACEQUIA_DB_URL: this.databaseUrl,
        ACEQUIA_TOKEN: TOKEN,
        ACEQUIA_LOG_LEVEL: 'silent',
        ACEQUIA_COLLECT_LIMIT: '1000000000',
        ...environment,
      },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    const ended = new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code)))
    const served: Served = {
      url: `http://127.0.0.1:${port}`,
      data,
      child,
      async kill() {
        child.kill('SIGKILL')
        await ended
      },
      stop() {
        child.kill('SIGTERM')
        return ended
      },
    }
    this.served.push(served)
    if (options.wait ?? true) await untilReady(served.url, child)
    return served
  }

  /** A connection to look with. */
  connect(): Promise<Connection> {
    return createConnection({ uri: this.databaseUrl, charset: 'utf8mb4_bin', multipleStatements: false })
  }

  private killServers(): void {
    for (const { child } of this.served) if (child.exitCode === null && child.signalCode === null) child.kill('SIGKILL')
  }

  /** Ends everything and removes the data. */
  async end(): Promise<void> {
    this.killServers()
    if (isAlive(this.mariaDb.pid)) await this.killDatabase()
    rmSync(this.folder, { recursive: true, force: true })
  }
}

/** Calls the API of a server with owner's rights. */
export async function call<T>(served: Served, method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(`${served.url}/api/v1${path}`, {
    method,
    headers: { authorization: `Bearer ${TOKEN}`, ...(body !== undefined && { 'content-type': 'application/json' }) },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  })
  if (!answer.ok) throw new Error(`${method} ${path} answered ${answer.status}: ${await answer.text()}`)
  return (await answer.json()) as T
}

/** Adds a site with goals of every count rule. @returns its key */
export async function addSite(served: Served): Promise<string> {
  const { key } = await call<{ key: string }>(served, 'POST', '/sites', {
    name: 'Observatory',
    hosts: ['altolucero.example'],
    timeZone: 'Europe/Madrid',
    currency: 'EUR',
  })
  const where = { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights/thanks' }] }] }
  for (const count of ['order', 'visitor', 'every', 'visit'])
    await call(served, 'POST', `/sites/${key}/goals`, {
      name: count,
      kind: { type: 'page', where },
      count,
      value: { type: 'reading', reading: 'value' },
    })
  return key
}

/**
 * Visitors that go on sending, whatever happens: events out of order, repeated, an hour off or a day late, with orders
 * that several of them share. What is acknowledged is remembered; what is not is sent again, as the loader would.
 */
export class Senders {
  readonly acknowledged = new Set<string>()
  private readonly random: Random
  private stopping = false
  private readonly running: Promise<void>[]
  private number = 0

  constructor(
    private readonly targets: () => Served[],
    private readonly key: string,
    seed: number,
    private readonly options: { count?: number; pauseMs?: number } = {},
  ) {
    this.random = new Random(seed)
    this.running = Array.from({ length: options.count ?? 8 }, (_, index) => this.send(index))
  }

  /** Ends once everything was acknowledged. */
  async stop(): Promise<void> {
    this.stopping = true
    await Promise.all(this.running)
  }

  private async send(index: number): Promise<void> {
    let old: object[] = []
    while (!this.stopping) {
      const visitor = `visitor-${index}-${this.random.whole(1, 12)}`
      const events = Array.from({ length: this.random.whole(1, 6) }, () => this.event())
      // Now and then the batch of before comes once more.
      const batch = this.random.chance(0.2) ? [...events, ...old.slice(0, 2)] : events
      old = events
      const body = JSON.stringify({ visitor, events: batch })
      for (;;) {
        if (await this.post(body)) break
        await new Promise((resolve) => setTimeout(resolve, 30))
      }
      for (const { uid } of batch as { uid: string }[]) this.acknowledged.add(uid)
      if (this.options.pauseMs) await new Promise((resolve) => setTimeout(resolve, this.options.pauseMs))
    }
  }

  private event(): { uid: string; at: string; name: string; url: string; order?: string; value?: number } {
    const { random } = this
    const off = random.weighted([
      [0, 6],
      [3_600_000, 1],
      [-3_600_000, 1],
      [-86_400_000, 1],
    ] as const)
    const path = random.weighted([
      ['/', 3],
      ['/nights', 3],
      ['/nights/thanks', 2],
      ['/?utm_source=farola', 1],
    ] as const)
    return {
      uid: `uid-${this.number++}-${random.hex(8)}`,
      at: new Date(Date.UTC(2026, 4, 4, 10) + off + random.whole(0, 3_600_000)).toISOString(),
      name: 'page-view',
      url: `https://altolucero.example${path}`,
      ...(random.chance(0.5) && { order: `Q-${random.whole(1, 60)}`, value: random.whole(0, 100) }),
    }
  }

  private async post(body: string): Promise<boolean> {
    const targets = this.targets()
    const target = targets[this.random.whole(0, targets.length - 1)] as Served
    try {
      const answer = await fetch(`${target.url}/c/${this.key}`, {
        method: 'POST',
        headers: { 'content-type': 'text/plain' },
        body,
        signal: AbortSignal.timeout(20_000),
      })
      await answer.arrayBuffer()
      return answer.status === 204
    } catch {
      return false
    }
  }
}

/** Waits until nothing is left to be stored or derived. @param minutes how long that may take */
export async function settled(served: Served, connection: Connection, minutes = 1): Promise<void> {
  for (let tries = 0; tries < minutes * 600; tries++) {
    const metrics = await (await fetch(`${served.url}/metrics`)).text()
    const waiting = Number(/^acequia_spool_bytes (\S+)$/m.exec(metrics)?.[1]) + Number(/^acequia_events_waiting (\S+)$/m.exec(metrics)?.[1])
    const left = await one<number>(connection, "SELECT (SELECT COUNT(*) FROM marks) + (SELECT COUNT(*) FROM derivations WHERE state = 'filling')")
    if (waiting === 0 && left === 0) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new Error(`Something was still left to do after ${minutes} min.`)
}

/** The first field of the first row. */
export async function one<T>(connection: Connection, sql: string): Promise<T> {
  const [rows] = await connection.query(sql)
  return Object.values((rows as Record<string, T>[])[0] ?? {})[0] as T
}

/** Uids of a log, with how often each is there. */
export async function loggedUids(connection: Connection): Promise<Map<string, number>> {
  const [rows] = await connection.query('SELECT uid, COUNT(*) AS n FROM events GROUP BY uid')
  return new Map((rows as { uid: string; n: number }[]).map(({ uid, n }) => [uid, n]))
}

/** Everything derived that readers see, without the number of the derivation. */
export async function derivedRows(connection: Connection): Promise<object[][]> {
  const shown = "derivation_no IN (SELECT no FROM derivations WHERE state = 'shown')"
  const of = async (sql: string): Promise<object[]> =>
    ((await connection.query(sql))[0] as Record<string, unknown>[]).map(({ derivation_no: _, ...row }) => row)
  return [
    await of(`SELECT * FROM visits WHERE ${shown} ORDER BY visitor_id, visit_no`),
    await of(`SELECT * FROM conversions WHERE ${shown} ORDER BY visitor_id, goal_no, at, uid`),
    await of(`SELECT day, SUM(visits) AS visits FROM visit_days WHERE ${shown} GROUP BY day HAVING SUM(visits) <> 0 ORDER BY day`),
    await of(
      `SELECT goal_no, day, SUM(conversions) AS conversions, SUM(value) AS value, SUM(unconverted) AS unconverted, SUM(visits) AS visits
       FROM conversion_days WHERE ${shown} GROUP BY goal_no, day HAVING SUM(conversions) <> 0 OR SUM(visits) <> 0 ORDER BY goal_no, day`,
    ),
  ]
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch {
    return false
  }
}

async function gone(pid: number): Promise<void> {
  for (let tries = 0; tries < 500 && isAlive(pid); tries++) await new Promise((resolve) => setTimeout(resolve, 10))
}
