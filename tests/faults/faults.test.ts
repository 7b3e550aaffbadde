import { spawnSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { addSite, call, derivedRows, FaultWorld, loggedUids, one as first, Senders, settled, TOKEN, type Served } from '../start/faultWorld.js'

/** With `ACEQUIA_FAULTS=long` everything goes on for longer, and a minute's outage is one. */
const LONG = process.env.ACEQUIA_FAULTS === 'long'
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

let world: FaultWorld
beforeAll(async () => {
  world = new FaultWorld()
  await world.startDatabase()
})
beforeEach(() => world.startAfresh())
afterAll(() => world.end())

/** Every acknowledged event is there once, and what is derived equals what a rebuild from the log makes. */
async function expectWhole(served: Served, key: string, senders: Senders): Promise<void> {
  await senders.stop()
  const connection = await world.connect()
  await settled(served, connection, LONG ? 5 : 1)
  const logged = await loggedUids(connection)
  expect(senders.acknowledged.size).toBeGreaterThan(100)
  expect([...senders.acknowledged].filter((uid) => logged.get(uid) !== 1)).toEqual([])
  expect([...logged.values()].every((times) => times === 1)).toBe(true)
  expect(await first(connection, 'SELECT COUNT(*) FROM event_uids')).toBe(logged.size)
  expect(Number(await first(connection, 'SELECT SUM(events) FROM arrivals'))).toBe(logged.size)
  const live = await derivedRows(connection)
  expect(live[0]?.length).toBeGreaterThan(10)
  expect(live[1]?.length).toBeGreaterThan(10)
  await call(served, 'POST', `/sites/${key}/derivation:begin`)
  await settled(served, connection, LONG ? 5 : 1)
  expect(await derivedRows(connection)).toEqual(live)
  await connection.end()
}

describe('after kill -9 under load', () => {
  it('of the server, twice', async () => {
    let served = await world.serve()
    const key = await addSite(served)
    const senders = new Senders(() => [served], key, 1)
    for (let times = 0; times < (LONG ? 10 : 2); times++) {
      await pause(900)
      await served.kill()
      served = await world.serve({ ACEQUIA_DATA: served.data })
    }
    await pause(500)
    await expectWhole(served, key, senders)
  })

  it('of MariaDB, while the server goes on', async () => {
    const served = await world.serve()
    const key = await addSite(served)
    // In minutes without a database as much comes as a busy site sends, not as much as this machine could take.
    const senders = new Senders(() => [served], key, 2, LONG ? { pauseMs: 20 } : {})
    for (let times = 0; times < (LONG ? 5 : 1); times++) {
      await pause(900)
      await world.killDatabase()
      const before = senders.acknowledged.size
      await pause(LONG ? 60_000 : 1500)
      // Meanwhile events are accepted, on disk.
      expect(senders.acknowledged.size).toBeGreaterThan(before)
      await world.startDatabase()
    }
    await pause(800)
    await expectWhole(served, key, senders)
  })

  it('of both, while events wait on disk', async () => {
    let served = await world.serve()
    const key = await addSite(served)
    const senders = new Senders(() => [served], key, 3)
    await pause(800)
    await world.killDatabase()
    await pause(800)
    await served.kill()
    await world.startDatabase()
    served = await world.serve({ ACEQUIA_DATA: served.data })
    await pause(500)
    await expectWhole(served, key, senders)
  })
})

describe('a server that is asked to stop under load', () => {
  it('makes durable what it accepted, and ends in good order', async () => {
    let served = await world.serve()
    const key = await addSite(served)
    const senders = new Senders(() => [served], key, 4)
    await pause(800)
    expect(await served.stop()).toBe(0)
    served = await world.serve({ ACEQUIA_DATA: served.data })
    await pause(300)
    await expectWhole(served, key, senders)
  })
})

describe('a full disk', () => {
  it('for the spool is answered 503, and what was accepted before is not lost', async () => {
    const data = join(world.folder, 'small-disk')
    const spool = join(data, 'spool')
    mkdirSync(spool, { recursive: true })
    const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=64k', 'tmpfs', spool]).status === 0
    try {
      // Only root can make a small disk; elsewhere the limit for what waits on disk stands in for it.
      const served = await world.serve({ ACEQUIA_DATA: data, ...(!mounted && { ACEQUIA_SPOOL_MB: '0.0625' }) })
      const key = await addSite(served)
      const senders = new Senders(() => [served], key, 5)
      await pause(700)
      await world.killDatabase()
      let full = false
      for (let tries = 0; tries < 600 && !full; tries++) {
        const body = JSON.stringify({
          visitor: 'visitor-of-much',
          events: [{ uid: `full-${tries}`, at: '2026-05-04T10:00:00Z', name: 'page-view', url: `https://altolucero.example/${'x'.repeat(2000)}` }],
        })
        const answer = await fetch(`${served.url}/c/${key}`, { method: 'POST', headers: { 'content-type': 'text/plain' }, body })
        if (answer.status === 204) senders.acknowledged.add(`full-${tries}`)
        else expect(answer.status).toBe(503)
        full = answer.status === 503
      }
      expect(full).toBe(true)
      await world.startDatabase()
      await pause(500)
      await expectWhole(served, key, senders)
      await served.stop()
    } finally {
      if (mounted) spawnSync('umount', ['-l', spool])
    }
  })
})

describe('two collectors and two derivers on one database', () => {
  it('share the work; one of the derivers is killed in the middle of a recount', async () => {
    const api = await world.serve({ ACEQUIA_ROLE: 'api' })
    const key = await addSite(api)
    const [one, two, three, four] = await Promise.all(['collect', 'collect', 'derive', 'derive'].map((role) => world.serve({ ACEQUIA_ROLE: role })))
    const [collectors, derivers] = [
      [one as Served, two as Served],
      [three as Served, four as Served],
    ]
    const senders = new Senders(() => collectors, key, 6)
    await pause(1000)
    await call(api, 'POST', `/sites/${key}/derivation:begin`)
    await pause(60)
    await derivers[0]?.kill()
    await pause(1000)
    await expectWhole(api, key, senders)
    // Each does only what it was started for.
    expect((await fetch(`${collectors[0]?.url}/api/v1/sites`)).status).toBe(404)
    expect((await fetch(`${derivers[1]?.url}/c/${key}`, { method: 'POST' })).status).toBe(404)
  })
})

describe('processes whose clocks are an hour off, each another way', () => {
  const off = (hours: number): Record<string, string> => ({
    NODE_OPTIONS: `--import=${new URL('../start/shiftedClock.mjs', import.meta.url).href}`,
    ACEQUIA_TEST_CLOCK: String(hours * 3_600_000),
  })

  it('lose and double nothing, and agree on what is going on', async () => {
    const [right, early, late] = (await Promise.all([world.serve(), world.serve(off(1)), world.serve(off(-1))])) as [Served, Served, Served]
    const key = await addSite(right)
    const senders = new Senders(() => [right, early, late], key, 8)
    await pause(700)
    await call(early, 'POST', `/sites/${key}/derivation:begin`)
    await pause(700)
    // What one process tells its screens of, the others hear of as well.
    const stop = new AbortController()
    const tooLate = setTimeout(() => stop.abort(), 20_000)
    const streams = [right, early, late].map(async ({ url }) => {
      const stream = await fetch(`${url}/api/v1/sites/${key}/live`, { headers: { authorization: `Bearer ${TOKEN}` }, signal: stop.signal })
      let text = ''
      for await (const chunk of stream.body as unknown as AsyncIterable<Uint8Array>)
        if (/event: ?changed/.test((text += Buffer.from(chunk).toString()))) return true
      return false
    })
    expect(await Promise.all(streams)).toEqual([true, true, true])
    clearTimeout(tooLate)
    stop.abort()
    await expectWhole(late, key, senders)
    // Times of events are the browsers'; when they arrived is told by one clock.
    const connection = await world.connect()
    const [least, most] = await Promise.all([
      first<number>(connection, 'SELECT MIN(received_at) FROM events'),
      first<number>(connection, 'SELECT MAX(received_at) FROM events'),
    ])
    expect(most - least).toBeLessThan(120_000)
    await connection.end()
  })
})

describe('a crash in the middle of a migration', () => {
  it('is gone on from at the next start', async () => {
    for (const ms of LONG ? [900, 1000, 1100, 1200, 1300, 1400, 1600, 1800, 2000] : [1000, 1300, 1600]) {
      const served = await world.serve({}, { wait: false })
      await pause(ms)
      await served.kill()
    }
    const served = await world.serve()
    const key = await addSite(served)
    const senders = new Senders(() => [served], key, 7)
    await pause(700)
    await expectWhole(served, key, senders)
  })
})
