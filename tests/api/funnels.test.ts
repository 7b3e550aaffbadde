import { randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let key: string

beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())
beforeEach(async () => {
  key = await server.addSite({ timeZone: 'UTC' })
})

const where = (path: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value: path }] }] })
const step = (path: string, more: object = {}): object => ({ name: path, where: where(path), ...more })
const PHONE = 'Mozilla/5.0 (Linux; Android 15; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Mobile Safari/537.36'

async function load(visits: { visitor: string; at: string; pages: string[]; userAgent?: string; order?: string }[]): Promise<void> {
  const lines = visits.flatMap(({ visitor, at, pages, ...more }) =>
    pages.map((path, index) =>
      JSON.stringify({
        uid: randomUUID(),
        visitor,
        at: new Date(Date.parse(at) + index * 60_000).toISOString(),
        name: 'page-view',
        url: `https://altolucero.example${path}`,
        ...more,
      }),
    ),
  )
  const answer = await server.api<{ accepted: number }>('POST', `/sites/${key}/events:import`, lines.join('\n'), { 'content-type': 'application/x-ndjson' })
  expect(answer.body.accepted).toBe(lines.length)
}
const RANGE = { from: '2026-05-04', to: '2026-05-11' }

interface Answer {
  steps: {
    name: string
    entered: number
    arrived: number
    continued: number
    left: number
    rate: number | null
    medianSeconds: number | null
    leftTo: object[]
  }[]
  completed: number
  split?: { key: string | null; completed: number }[]
}

describe('a funnel', () => {
  it('is run as the contract says, and lists the visits behind its numbers', async () => {
    await load([
      { visitor: 'visitor-a', at: '2026-05-04T10:00:00Z', pages: ['/offer', '/form', '/thanks'], userAgent: PHONE },
      { visitor: 'visitor-b', at: '2026-05-05T10:00:00Z', pages: ['/offer', '/about'] },
      { visitor: 'visitor-c', at: '2026-05-06T10:00:00Z', pages: ['/offer'], userAgent: PHONE },
      { visitor: 'visitor-d', at: '2026-05-01T10:00:00Z', pages: ['/offer'] },
    ])
    const funnel = { steps: [step('/offer'), step('/form'), step('/thanks')] }
    const { status, body } = await server.api<Answer>('POST', `/sites/${key}/funnels:run`, { ...funnel, ...RANGE, split: 'device' })
    expect(status).toBe(200)
    expect(body).toMatchObject({
      steps: [
        {
          name: '/offer',
          entered: 3,
          arrived: 0,
          continued: 1,
          left: 2,
          rate: 1 / 3,
          medianSeconds: 60,
          leftTo: [
            { path: '/about', count: 1 },
            { path: null, count: 1 },
          ],
        },
        { name: '/form', entered: 0, arrived: 1, continued: 1, left: 0, rate: 1, medianSeconds: 60, leftTo: [] },
        { name: '/thanks', entered: 0, arrived: 1, continued: 0, left: 0, rate: null, medianSeconds: null, leftTo: [] },
      ],
      completed: 1,
      split: [
        { key: 'mobile', completed: 1 },
        { key: null, completed: 0 },
      ],
    })
    const left = await server.api<{ visitor: string }[]>('POST', `/sites/${key}/funnels:visits`, {
      ...funnel,
      ...RANGE,
      listing: { step: 0, what: 'left', to: null },
    })
    expect(left.body.map((each) => each.visitor)).toEqual(['visitor-c'])
  })

  it('is refused where it cannot be meant', async () => {
    const run = async (body: object): Promise<{ status: number; errors: { path: string }[] }> => {
      const answer = await server.api<{ errors: { path: string }[] }>('POST', `/sites/${key}/funnels:run`, { ...RANGE, ...body })
      return { status: answer.status, errors: answer.body.errors }
    }
    expect(await run({ steps: [] })).toMatchObject({ status: 400 })
    expect(await run({ steps: [step('/a', { direct: true })] })).toMatchObject({ status: 400, errors: [{ path: 'steps.0.direct' }] })
    expect(await run({ steps: [step('/a'), step('/b', { direct: true, event: 'click' })] })).toMatchObject({ status: 400 })
    expect(await run({ steps: [step('/a')], scope: { visitorDays: 0 } })).toMatchObject({ status: 400 })
    expect(await run({ steps: [step('/a')], split: 'shoe size' })).toMatchObject({ status: 400 })
    expect(await run({ steps: [step('/a')], to: '2026-05-04' })).toMatchObject({ status: 400, errors: [{ path: 'to' }] })
  })

  it('is saved, changed only by who saw its latest version, and removed', async () => {
    const saved = await server.api<{ id: string; revision: number }>('POST', `/sites/${key}/funnels`, { name: 'Way', steps: [step('/offer')] })
    expect(saved).toMatchObject({ status: 201, body: { revision: 1 } })
    expect((await server.api('POST', `/sites/${key}/funnels`, { name: ' ', steps: [step('/offer')] })).status).toBe(400)
    const path = `/sites/${key}/funnels/${saved.body.id}`
    expect((await server.api('PUT', path, { name: 'Way', steps: [step('/form')], revision: 1 })).body).toMatchObject({
      revision: 2,
      steps: [{ name: '/form' }],
    })
    expect(await server.api('PUT', path, { name: 'Way', steps: [step('/offer')], revision: 1 })).toMatchObject({
      status: 409,
      body: { current: { revision: 2 } },
    })
    expect((await server.api<object[]>('GET', `/sites/${key}/funnels`)).body).toHaveLength(1)
    expect((await server.api('DELETE', path)).status).toBe(204)
    expect((await server.api('GET', path)).status).toBe(404)
  })

  it('is suggested from the ways that visitors took to a goal', async () => {
    await load([
      { visitor: 'visitor-a', at: '2026-05-04T10:00:00Z', pages: ['/', '/offer', '/thanks'] },
      { visitor: 'visitor-b', at: '2026-05-04T11:00:00Z', pages: ['/', '/offer', '/', '/offer', '/thanks'] },
      { visitor: 'visitor-c', at: '2026-05-04T12:00:00Z', pages: ['/offer', '/thanks'] },
    ])
    const goal = await server.api<{ id: string }>('POST', `/sites/${key}/goals`, { name: 'Thanks', kind: { type: 'page', where: where('/thanks') } })
    const ways = await server.api('POST', `/sites/${key}/funnels:suggest`, { goal: goal.body.id, ...RANGE })
    expect(ways.body).toEqual([
      { pages: ['/', '/offer', '/thanks'], visits: 2 },
      { pages: ['/offer', '/thanks'], visits: 1 },
    ])
  })
})

describe('a visitor', () => {
  it('is shown with all visits, and why each event counted or not', async () => {
    const goal = {
      name: 'Thanks',
      kind: { type: 'page', where: where('/thanks') },
      count: 'order',
      path: [{ name: 'Offer', where: where('/offer'), required: true }],
    }
    await server.api('POST', `/sites/${key}/goals`, goal)
    await load([
      { visitor: 'visitor-a', at: '2026-05-04T10:00:00Z', pages: ['/offer', '/thanks'], order: 'Q1' },
      { visitor: 'visitor-b', at: '2026-05-04T11:00:00Z', pages: ['/thanks', '/offer', '/thanks'], order: 'Q1' },
    ])
    await server.derived()
    const { body } = await server.api<{ visits: { source: string; events: { path: string; goals: object[] }[] }[] }>('GET', `/sites/${key}/visitors/visitor-b`)
    expect(body.visits).toHaveLength(1)
    expect(body.visits[0]?.events.map((event) => event.goals)).toMatchObject([
      [{ counted: false, why: 'step “Offer” missing before it in this visit' }],
      [],
      [{ counted: false, why: 'another visitor had this order first' }],
    ])
    expect((await server.api('GET', `/sites/${key}/visitors/nobody-here`)).status).toBe(404)
  })
})
