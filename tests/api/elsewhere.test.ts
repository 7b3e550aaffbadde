import { createHash, randomUUID } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let key: string

beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())
beforeEach(async () => {
  key = await server.addSite({ timeZone: 'UTC', clickIds: [{ parameter: 'lantern', source: 'farola', medium: 'cpc' }] })
  const event = (visitor: string, at: string, path: string, more: object = {}): string =>
    JSON.stringify({ uid: randomUUID(), visitor, at, name: 'page-view', url: `https://altolucero.example${path}`, ...more })
  const lines = [
    event('visitor-a', '2026-05-04T10:00:00Z', '/?lantern=abc'),
    event('visitor-a', '2026-05-04T10:05:00Z', '/thanks', { order: 'Q1', value: 36 }),
    event('visitor-b', '2026-05-04T11:00:00Z', '/thanks', { order: 'Q2', value: 18 }),
    event('visitor-b', '2026-05-04T11:01:00Z', '/', { name: 'visitor-known', data: { user: createHash('sha256').update('ada').digest('hex') } }),
  ]
  await server.api('POST', `/sites/${key}/events:import`, lines.join('\n'), { 'content-type': 'application/x-ndjson' })
})

interface Report {
  accepted: number
  known: number
  unmatched: { row: number; key: string; message: string }[]
  errors?: { path: string; message: string }[]
}
const take = (body: object): Promise<{ status: number; body: Report }> => server.api<Report>('POST', `/sites/${key}/conversions:import`, body)
const RANGE = { from: '2026-05-01', to: '2026-06-01' }
const where = { any: [{ all: [{ reading: 'path', op: 'is', value: '/thanks' }] }] }

describe('what happened elsewhere', () => {
  it('is found by click id, order number or user id, once, and says what could not be matched', async () => {
    const rows = [
      { key: 'abc', at: '2026-05-06T09:00:00Z', value: 120 },
      { key: 'xyz', at: '2026-05-06T09:00:00Z', value: 5 },
      { key: '', at: '2026-05-06T09:00:00Z' },
    ]
    const by = { as: 'happened', match: 'click', event: 'desk-sale' }
    expect((await take({ ...by, rows })).body).toEqual({
      accepted: 1,
      known: 0,
      unmatched: [
        { row: 2, key: 'xyz', message: 'No visitor came with this click id.' },
        { row: 3, key: '', message: 'The row names nothing to find its visitor by.' },
      ],
    })
    expect((await take({ ...by, rows })).body).toMatchObject({ accepted: 0, known: 1 })
    expect((await take({ ...by, match: 'order', rows: [{ key: 'Q2', at: '2026-05-07T09:00:00Z', value: '10.5' }] })).body.accepted).toBe(1)
    expect((await take({ ...by, match: 'user', rows: [{ key: 'ada', at: '2026-05-08T09:00:00Z', value: 7 }] })).body.accepted).toBe(1)
    const goal = { kind: { type: 'event', event: 'desk-sale' }, count: 'every', value: { type: 'reading', reading: 'value' } }
    const { body } = await server.api<{ examples: { visitor: string }[] }>('POST', `/sites/${key}/goals:backtest`, { goal, ...RANGE })
    expect(body).toMatchObject({ conversions: 3, value: 137.5 })
    expect(body.examples.map((each) => each.visitor)).toEqual(['visitor-b', 'visitor-b', 'visitor-a'])
  })

  it('cancels orders and takes off what was paid back, in what was counted already too', async () => {
    const goal = await server.api<{ id: string }>('POST', `/sites/${key}/goals`, {
      name: 'Sale',
      kind: { type: 'page', where },
      count: 'order',
      value: { type: 'reading', reading: 'value' },
    })
    await server.derived()
    const value = async (): Promise<[number, number]> => {
      await server.derived()
      const { body } = await server.api<{ goals: { id: string; conversions: number; value: number }[] }>(
        'GET',
        `/sites/${key}/overview?from=2026-05-01&to=2026-06-01`,
      )
      const found = body.goals.find((each) => each.id === goal.body.id)
      return [found?.conversions ?? 0, found?.value ?? 0]
    }
    expect(await value()).toEqual([2, 54])
    expect((await take({ as: 'refunded', match: 'order', rows: [{ key: 'Q1', value: 6 }] })).body.accepted).toBe(1)
    expect(await value()).toEqual([2, 48])
    expect((await take({ as: 'cancelled', match: 'order', rows: [{ key: 'Q2' }, { key: 'Q9' }] })).body).toMatchObject({
      accepted: 1,
      unmatched: [{ row: 2, message: 'No event carries this order number.' }],
    })
    expect(await value()).toEqual([1, 30])
    expect((await take({ as: 'cancelled', match: 'order', rows: [{ key: 'Q2' }] })).body).toMatchObject({ accepted: 0, known: 1 })
  })

  it('is refused whole where a line is wrong, and says which', async () => {
    const answer = await take({ as: 'happened', match: 'click', rows: [{ key: 'abc', at: 'yesterday' }] })
    expect(answer).toMatchObject({ status: 400, body: { errors: [{ path: 'rows.0.at' }] } })
    expect((await take({ as: 'happened', match: 'click', rows: [{ key: 'abc' }] })).body.errors).toMatchObject([
      { path: 'rows.0.at', message: 'When it happened is missing.' },
    ])
    expect((await take({ as: 'cancelled', match: 'user', rows: [{ key: 'Q1' }] })).status).toBe(400)
    expect((await take({ as: 'happened', match: 'click', event: 'page-view', rows: [{ key: 'abc', at: '2026-05-06T09:00:00Z' }] })).status).toBe(400)
    expect((await take({ as: 'happened', match: 'click', rows: [] })).status).toBe(400)
  })
})
