import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createConnection, type Connection } from 'mysql2/promise'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { startMariaDb, type EmbeddedMariaDb } from '../../server/src/database/EmbeddedMariaDb.js'
import { addSite, call, derivedRows, FaultWorld, Senders, settled, type Served } from '../start/faultWorld.js'

/** Two collectors, two derivers, and an API whose reports read from a second MariaDB that follows the first. */
let world: FaultWorld
let replica: EmbeddedMariaDb
const folder = mkdtempSync(join(tmpdir(), 'acequia-replica-'))
const connections: Connection[] = []
beforeAll(async () => {
  world = new FaultWorld()
  await world.startDatabase(['--server-id=1', '--log-bin=binlog', '--binlog-format=ROW'])
  replica = await startMariaDb(folder, { bufferPool: '128M', more: ['--server-id=2', '--read-only=1', '--replicate-do-db=acequia'] })
})
afterAll(async () => {
  for (const connection of connections) connection.destroy()
  await world.end()
  await replica.stop()
  rmSync(folder, { recursive: true, force: true })
})

it('reports read from the replica; writing, deriving and signing in go on where everything is written', async () => {
  const first = await world.connect()
  // The owner of the replica's tables is allowed to follow; no password of the first is known to anybody else.
  const follower = await createConnection({ uri: replica.url, multipleStatements: true })
  connections.push(first, follower)
  const source = new URL(world.mariaDb.url)
  await follower.query(
    `CHANGE MASTER TO MASTER_HOST = '127.0.0.1', MASTER_PORT = ${source.port}, MASTER_USER = '${source.username}',
     MASTER_PASSWORD = '${source.password}', MASTER_USE_GTID = slave_pos; START SLAVE;`,
  )
  const api = await world.serve({ ACEQUIA_ROLE: 'api', ACEQUIA_DB_READ_URL: replica.url })
  const key = await addSite(api)
  const [one, two] = await Promise.all(['collect', 'collect', 'derive', 'derive'].map((role) => world.serve({ ACEQUIA_ROLE: role })))
  const collectors = [one as Served, two as Served]
  const senders = new Senders(() => collectors, key, 8)
  await new Promise((resolve) => setTimeout(resolve, 1200))
  await senders.stop()
  await settled(api, first)
  // The replica has the same rows once it has caught up.
  await expect.poll(async () => JSON.stringify(await derivedRows(follower)) === JSON.stringify(await derivedRows(first))).toBe(true)

  // Nothing that comes after the replica stands still is in a report, which so shows where it reads.
  type Overview = { visits: number; goals: { name: string; conversions: number }[] }
  const overview = (): Promise<Overview> => call<Overview>(api, 'GET', `/sites/${key}/overview?from=2026-05-01&to=2026-05-31`)
  const before = await overview()
  expect(before.visits).toBeGreaterThan(10)
  await follower.query('STOP SLAVE SQL_THREAD')
  const event = { uid: 'after', at: '2026-05-20T10:00:00Z', name: 'page-view', url: 'https://altolucero.example/nights/thanks' }
  const sent = await fetch(`${collectors[0]?.url}/c/${key}`, {
    method: 'POST',
    headers: { 'content-type': 'text/plain' },
    body: JSON.stringify({ visitor: 'visitor-after', events: [event] }),
  })
  expect(sent.status).toBe(204)
  await settled(api, first)
  expect((await overview()).visits).toBe(before.visits)
  await follower.query('START SLAVE SQL_THREAD')
  await expect.poll(async () => (await overview()).visits).toBe(before.visits + 1)
})
