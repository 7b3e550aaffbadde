import { afterAll, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let key: string

beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())
beforeEach(async () => {
  key = await server.addSite()
})

interface Finding {
  id: string
  sentence: string
  mend: { type: string; settings?: object }
  accepted: { reason: string; by: string } | null
}
const findings = async (): Promise<Finding[]> => (await server.api<Finding[]>('GET', `/sites/${key}/checkup`)).body
const idle = { id: 'idle', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/x' }] }] } }

describe('the checkup', () => {
  it('looks at the draft as it is, keeps what was accepted, and takes it back', async () => {
    expect(await findings()).toEqual([])
    await server.api('PUT', `/sites/${key}/wiring`, { revision: 0, triggers: [idle], tags: [] })
    const [found] = await findings()
    expect(found).toMatchObject({ id: 'trigger-without-tag idle', accepted: null })
    await server.api('PUT', `/sites/${key}/checkup:accept`, { id: found?.id, reason: 'It is for later.' })
    expect((await findings())[0]?.accepted).toMatchObject({ reason: 'It is for later.' })
    await server.api('PUT', `/sites/${key}/checkup:accept`, { id: found?.id, reason: '' })
    expect((await findings())[0]?.accepted).toBeNull()
  })

  it('tells of events from hosts that are not the site’s, and offers to add them', async () => {
    const event = { uid: 'foreign-1', at: new Date().toISOString(), name: 'page-view', url: 'https://copy.example/' }
    for (let time = 0; time < 2; time++) {
      const answer = await fetch(`${server.url}/c/${key}`, { method: 'POST', body: JSON.stringify({ visitor: 'visitor-1', events: [event] }) })
      expect(answer.status).toBe(403)
    }
    await expect.poll(async () => (await findings()).map(({ id }) => id)).toContain('unknown-host copy.example')
    const [found] = await findings()
    expect(found?.mend.settings).toMatchObject({ hosts: expect.arrayContaining(['copy.example']) })
  })

  it('remembers only so many foreign hosts, whoever sends them', async () => {
    const send = (host: string): Promise<Response> =>
      fetch(`${server.url}/c/${key}`, {
        method: 'POST',
        body: JSON.stringify({ visitor: 'visitor-1', events: [{ uid: host, at: new Date().toISOString(), name: 'page-view', url: `https://${host}/` }] }),
      })
    for (let number = 0; number < 60; number++) await send(`h${number}.example`)
    await expect.poll(async () => (await findings()).length).toBeGreaterThan(10)
    const row = await server.services.database.row<{ n: number }>('SELECT COUNT(*) AS n FROM refused_hosts')
    expect(row?.n).toBeLessThanOrEqual(60)
  })
})

describe('what a channel says itself', () => {
  it('is taken by day, and refused where it is no day or no whole number', async () => {
    const recipe = { recipe: 1, id: 'lamp', name: 'Lamp', calls: { event: { label: 'Event', steps: [{ image: 'https://lamp.example/e' }] } } }
    await server.api('POST', `/sites/${key}/recipes?allow=yes`, recipe)
    const { id } = (await server.api<{ id: string }>('POST', `/sites/${key}/channels`, { name: 'Lamp', recipe: 'lamp', ids: {} })).body
    const yesterday = new Date(Date.now() - 86_400_000).toISOString().slice(0, 10)
    const claims = (rows: object[]) => server.api('POST', `/sites/${key}/channels/${id}/claims`, rows)
    expect((await claims([{ day: yesterday, conversions: 5 }])).status).toBe(200)
    expect((await claims([{ day: yesterday, conversions: 25 }])).status).toBe(200)
    const found = (await findings()).find((each) => each.id === `claim-differs ${id}`)
    expect(found?.sentence).toBe('Lamp reports more conversions than were counted here.')
    expect((await claims([{ day: '2026-02-30', conversions: 5 }])).status).toBe(400)
    expect((await claims([{ day: yesterday, conversions: 1.5 }])).status).toBe(400)
    expect((await server.api('POST', `/sites/${key}/channels/none/claims`, [])).status).toBe(404)
  })
})

describe('a rehearsal', () => {
  it('is kept with the draft of then, listed, and let go', async () => {
    await server.api('PUT', `/sites/${key}/wiring`, { revision: 0, triggers: [idle], tags: [] })
    const { id } = (await server.api<{ id: number }>('POST', `/sites/${key}/probes`, { kind: 'rehearsal', address: '/' })).body
    await server.api('PUT', `/sites/${key}/probes/${id}:keep`, { name: 'Before the change' })
    await server.api('PUT', `/sites/${key}/wiring`, { revision: 1, triggers: [], tags: [] })
    expect((await server.api('GET', `/sites/${key}/probes/${id}`)).body).toMatchObject({ name: 'Before the change', wiring: { triggers: [{ id: 'idle' }] } })
    expect((await server.api('GET', `/sites/${key}/probes`)).body).toMatchObject([{ id, name: 'Before the change' }])
    await server.api('PUT', `/sites/${key}/probes/${id}:keep`, { name: '' })
    expect((await server.api('GET', `/sites/${key}/probes`)).body).toEqual([])
  })

  it('that nobody answers is explained by what was tried', async () => {
    key = await server.addSite({ hosts: ['nowhere.localhost:49151'] })
    const { id } = (await server.api<{ id: number }>('POST', `/sites/${key}/probes`, { kind: 'rehearsal', address: 'http://nowhere.localhost:49151/' })).body
    const tried = (await server.api<{ tried: string; found: string; suspicious: boolean }[]>('GET', `/sites/${key}/probes/${id}:silence`)).body
    expect(tried).toMatchObject([
      { found: 'It never did.', suspicious: true },
      { found: 'It could not be fetched: nothing answers there.', suspicious: true },
    ])
  })
})
