import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { Deriver } from '../../server/src/visits/Deriver.js'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let key: string
let goal: string
let deriver: Deriver
const RANGE = 'from=2026-05-01&to=2026-06-01'
const page = (path: string): object => ({ type: 'page', where: { any: [{ all: [{ reading: 'path', op: 'is', value: path }] }] } })
const GOAL = { name: 'Reached', kind: page('/a'), count: 'every' }

beforeAll(async () => {
  // Nothing is derived but when a test says so.
  server = await startTestServer(inject('databaseUrl'), { ACEQUIA_ROLE: 'collect,api' })
  const { database, dictionaries, changes, metrics } = server.services
  deriver = new Deriver(database, dictionaries, changes, metrics, { error: () => undefined })
  deriver.start()
  key = await server.addSite()
  goal = (await server.api<{ id: string }>('POST', `/sites/${key}/goals`, GOAL)).body.id
  const lines = Array.from({ length: 30 }, (_, index) =>
    JSON.stringify({ visitor: `visitor-${index % 10}`, ...pageView(index % 3 ? '/a' : '/b', `2026-05-04T10:00:${String(index).padStart(2, '0')}Z`) }),
  )
  await server.api('POST', `/sites/${key}/events:import`, lines.join('\n'), { 'content-type': 'application/x-ndjson' })
  await server.derived()
})
afterAll(async () => {
  await deriver.stop()
  await server.stop()
})

const counted = async (): Promise<number> =>
  (await server.api<{ goals: { conversions: number }[] }>('GET', `/sites/${key}/overview?${RANGE}`)).body.goals[0]?.conversions ?? -1
const state = async (): Promise<Record<string, unknown>> => (await server.api('GET', `/sites/${key}/derivation`)).body
const recount = async (): Promise<{ state: string; done: number; total: number }> =>
  (await server.api<{ recount: { state: string; done: number; total: number } }>('GET', `/sites/${key}/goals/${goal}`)).body.recount
/** Waits until what just happened is derived, though not what a paused derivation waits for. */
const urgentDone = async (): Promise<void> => {
  await expect.poll(async () => (await server.services.database.row<{ n: number }>('SELECT COUNT(*) AS n FROM marks'))?.n).toBe(0)
}

describe('while a goal that was changed is recounted', () => {
  it('its old figures are shown, whole, and go on following what happens; then the new ones', async () => {
    expect(await counted()).toBe(20)
    expect(await recount()).toEqual({ state: 'done', done: 10, total: 10 })
    // Held back before it can be done, so that it can be looked at in the middle.
    await deriver.stop()
    await server.api('PUT', `/sites/${key}/goals/${goal}`, { ...GOAL, kind: page('/b') })
    await server.api('POST', `/sites/${key}/derivation:pause`)
    const { database, dictionaries, changes, metrics } = server.services
    deriver = new Deriver(database, dictionaries, changes, metrics, { error: () => undefined })
    deriver.start()
    expect((await recount()).state).toBe('running')
    expect(await state()).toMatchObject({ state: 'filling', paused: true, changes: true })
    await server.collect(key, 'visitor-1', [pageView('/a', '2026-05-04T10:10:00Z'), pageView('/b', '2026-05-04T10:11:00Z')])
    await urgentDone()
    expect(await counted()).toBe(21)
    // Giving up would leave the old figures for good.
    expect((await server.api('POST', `/sites/${key}/derivation:cancel`)).status).toBe(409)
    await server.api('POST', `/sites/${key}/derivation:resume`)
    deriver.nudge()
    await server.derived()
    expect(await counted()).toBe(11)
    expect(await recount()).toEqual({ state: 'done', done: 10, total: 10 })
  })
})

describe('making everything anew', () => {
  it('can be given up, and leaves what is shown', async () => {
    await server.api('POST', `/sites/${key}/derivation:begin`)
    await server.api('POST', `/sites/${key}/derivation:pause`)
    const answer = await server.api('POST', `/sites/${key}/derivation:cancel`)
    expect(answer.body).toMatchObject({ state: 'shown', changes: false })
    await server.derived()
    expect(await counted()).toBe(11)
  })
  it('counts visitors that come in the middle of it, once', async () => {
    await server.api('POST', `/sites/${key}/derivation:begin`)
    for (let index = 0; index < 20; index++) await server.collect(key, `late-visitor-${index}`, [pageView('/b', '2026-05-05T10:00:00Z')])
    deriver.nudge()
    await server.derived()
    expect(await counted()).toBe(31)
    const { goals } = (await server.api<{ goals: { convertingVisits: number }[] }>('GET', `/sites/${key}/overview?${RANGE}`)).body
    expect(goals[0]?.convertingVisits).toBe(30)
  })
  it('of a goal that is removed meanwhile forgets it', async () => {
    await server.api('POST', `/sites/${key}/derivation:begin`)
    await server.api('DELETE', `/sites/${key}/goals/${goal}`)
    await server.derived()
    expect(
      (
        await server.services.database.row<{ n: number }>(
          "SELECT COUNT(*) AS n FROM conversions c JOIN derivations d ON d.no = c.derivation_no WHERE d.state <> 'dropped'",
        )
      )?.n,
    ).toBe(0)
  })
})
