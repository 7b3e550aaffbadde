import { spawn, spawnSync } from 'node:child_process'
import { statSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterEach, beforeEach, expect, it } from 'vitest'
import { addSite, call, derivedRows, FaultWorld, loggedUids, one, Senders, settled } from '../start/faultWorld.js'

const ROOT = fileURLToPath(new URL('../..', import.meta.url))
let world: FaultWorld
beforeEach(async () => {
  world = new FaultWorld()
  await world.startDatabase()
})
afterEach(() => world.end())

it('a backup made under load is one moment; read back, also after a crash in between, it is all there', async () => {
  const served = await world.serve()
  const key = await addSite(served)
  const senders = new Senders(() => [served], key, 9)
  await new Promise((resolve) => setTimeout(resolve, 1000))
  const acknowledged = new Set(senders.acknowledged)
  const file = join(world.folder, 'backup.sql')
  const run = (what: string, url: string): string => {
    const done = spawnSync('npm', ['run', '--silent', what, '--', file], { cwd: ROOT, encoding: 'utf8', env: { ...process.env, ACEQUIA_DB_URL: url } })
    return done.stdout + done.stderr
  }
  expect(run('backup', world.mariaDb.url)).toContain('Everything is in')
  expect(statSync(file).mode & 0o077).toBe(0)
  await senders.stop()
  const connection = await world.connect()
  await served.stop()

  // Nobody's data is written over.
  expect(run('restore', world.mariaDb.url)).toContain('not empty')
  await connection.query('CREATE DATABASE again CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin')
  const again = world.mariaDb.url.replace(/\/acequia$/, '/again')
  const crashed = spawn('npx', ['tsx', 'scripts/backup.ts', 'restore', file], {
    cwd: ROOT,
    detached: true,
    stdio: 'ignore',
    env: { ...process.env, ACEQUIA_DB_URL: again },
  })
  for (let tries = 0; tries < 400; tries++) {
    const tables = await one<number>(connection, "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = 'again'")
    if (tables > 3) break
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  process.kill(-(crashed.pid as number), 'SIGKILL')
  const unready = await world.serve({ ACEQUIA_DB_URL: again }, { wait: false })
  expect(await new Promise((resolve) => unready.child.once('exit', resolve))).toBe(1)
  expect(run('restore', again)).toContain('is back')

  const restored = await world.serve({ ACEQUIA_DB_URL: again })
  await connection.query('USE again')
  await settled(restored, connection)
  const logged = await loggedUids(connection)
  expect([...acknowledged].filter((uid) => logged.get(uid) !== 1)).toEqual([])
  expect(acknowledged.size).toBeGreaterThan(50)
  // What is derived belongs to what is there.
  const live = await derivedRows(connection)
  await call(restored, 'POST', `/sites/${key}/derivation:begin`)
  await settled(restored, connection)
  expect(await derivedRows(connection)).toEqual(live)
  await connection.end()
})
