import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

const RANGE = 'from=2026-05-01&to=2026-06-01'
const thanks = { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights/thanks' }] }] }
const offer = { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights' }] }] }

interface Counted {
  conversions: number
  value: number
  visits: number
  convertingVisits: number
  rate: number | null
  unconverted?: Record<string, string>
  daily: { day: string; conversions: number; value: number }[]
  nearMisses: { path: string; events: number; why: string }[]
}
interface Goal {
  id: string
  revision: number
  recount: { state: string; done: number; total: number }
}

let server: TestServer
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())

const goalOf = (more: object = {}): object => ({
  name: 'Night booked',
  category: 'purchase',
  kind: { type: 'page', where: thanks },
  count: 'visit',
  value: { type: 'reading', reading: 'value', fallback: 18 },
  path: [],
  ...more,
})
const conversions = async (key: string, id: string): Promise<Record<string, unknown>[]> =>
  (await server.api<Record<string, unknown>[]>('GET', `/sites/${key}/goals/${id}/conversions?${RANGE}`)).body
const backtest = async (key: string, goal: object | string): Promise<Counted> =>
  (await server.api<Counted>('POST', `/sites/${key}/goals:backtest`, { goal, from: '2026-05-01', to: '2026-06-01' })).body
const addGoal = async (key: string, goal: object): Promise<Goal> => (await server.api<Goal>('POST', `/sites/${key}/goals`, goal)).body

describe('a goal', () => {
  it('counts over all history when it is saved, and live from then on', async () => {
    const key = await server.addSite()
    await server.collect(key, 'visitor-1', [
      pageView('/nights?utm_source=Farola&utm_medium=cpc&utm_campaign=Perseids', '2026-05-04T10:00:00Z'),
      pageView('/nights/thanks', '2026-05-04T10:05:00Z', { value: 36, currency: 'EUR', order: 'Q1' }),
    ])
    const goal = await addGoal(key, goalOf())
    await server.derived()
    expect((await server.api<Goal>('GET', `/sites/${key}/goals/${goal.id}`)).body.recount).toEqual({ state: 'done', done: 1, total: 1 })
    expect(await conversions(key, goal.id)).toMatchObject([
      {
        at: '2026-05-04T10:05:00.000Z',
        visitor: 'visitor-1',
        value: 36,
        currency: 'EUR',
        order: 'Q1',
        path: '/nights/thanks',
        source: 'farola',
        medium: 'cpc',
        campaign: 'perseids',
      },
    ])
    await server.collect(key, 'visitor-2', [pageView('/nights/thanks', '2026-05-05T10:00:00Z')])
    await server.derived()
    expect(await conversions(key, goal.id)).toMatchObject([
      { order: 'Q1' },
      { visitor: 'visitor-2', value: 18, order: null, source: 'direct', medium: 'none', campaign: null },
    ])
  })

  it('gives a conversion to whoever had the order first, even if that event comes late', async () => {
    const key = await server.addSite()
    const goal = await addGoal(key, goalOf({ count: 'order' }))
    await server.collect(key, 'visitor-late', [pageView('/nights/thanks', '2026-05-04T12:00:00Z', { order: 'Q1', value: 10 })])
    await server.derived()
    expect(await conversions(key, goal.id)).toMatchObject([{ visitor: 'visitor-late' }])
    await server.collect(key, 'visitor-early', [pageView('/nights/thanks', '2026-05-04T11:00:00Z', { order: 'Q1', value: 20 })])
    await server.derived()
    expect(await conversions(key, goal.id)).toMatchObject([{ visitor: 'visitor-early', value: 20 }])
    expect(await backtest(key, goal.id)).toMatchObject({ conversions: 1, value: 20, visits: 2, convertingVisits: 1, rate: 0.5 })
  })

  it('recounts when its rule changes, and refuses a save over a newer revision', async () => {
    const key = await server.addSite()
    await server.collect(key, 'visitor-1', [pageView('/nights/thanks', '2026-05-04T10:00:00Z'), pageView('/nights/thanks', '2026-05-04T10:01:00Z')])
    const goal = await addGoal(key, goalOf())
    await server.derived()
    expect(await conversions(key, goal.id)).toHaveLength(1)
    await server.api('PUT', `/sites/${key}/goals/${goal.id}`, { ...goalOf({ count: 'every' }), revision: 1 })
    await server.derived()
    expect(await conversions(key, goal.id)).toHaveLength(2)
    const stale = await server.api<{ current: Goal }>('PUT', `/sites/${key}/goals/${goal.id}`, { ...goalOf(), revision: 1 })
    expect(stale.status).toBe(409)
    expect(stale.body.current).toMatchObject({ revision: 2, count: 'every' })
  })

  it('counts only after its required steps, in order, in the same visit', async () => {
    const key = await server.addSite()
    const goal = goalOf({ path: [{ name: 'Offer', where: offer, required: true }] })
    await server.collect(key, 'visitor-1', [pageView('/nights', '2026-05-04T10:00:00Z'), pageView('/nights/thanks', '2026-05-04T10:01:00Z')])
    await server.collect(key, 'bookmarked', [pageView('/nights/thanks', '2026-05-04T10:01:00Z'), pageView('/nights', '2026-05-04T10:02:00Z')])
    await server.collect(key, 'day-before', [pageView('/nights', '2026-05-03T10:00:00Z'), pageView('/nights/thanks', '2026-05-04T10:01:00Z')])
    expect(await backtest(key, goal)).toMatchObject({ conversions: 1, parts: { kind: 3, path: 1, count: 1 } })
  })

  it('converts money exactly, and names what has no rate', async () => {
    const key = await server.addSite({ rates: { USD: '0.92345' } })
    const paid = (value: number, currency?: string): object => pageView('/nights/thanks', '2026-05-04T10:00:00Z', { value, currency })
    await server.collect(key, 'visitor-1', [paid(0.1), paid(0.2, 'EUR'), paid(10.01, 'USD'), paid(18000, 'CLP'), paid(5, 'usd')])
    // 10.01 × 0.92345 = 9.2437345, rounded to 9.2437
    const result = { conversions: 5, value: 9.5437, unconverted: { CLP: '18000', usd: '5' } }
    const goal = await addGoal(key, goalOf({ count: 'every' }))
    expect(await backtest(key, goal.id)).toMatchObject(result)
    await server.derived()
    const overview = await server.api<{ goals: object[] }>('GET', `/sites/${key}/overview?${RANGE}`)
    expect(overview.body.goals).toMatchObject([result])
  })

  it('derives afresh when rates change', async () => {
    const key = await server.addSite()
    const goal = await addGoal(key, goalOf())
    await server.collect(key, 'visitor-1', [pageView('/nights/thanks', '2026-05-04T10:00:00Z', { value: 10, currency: 'USD' })])
    await server.derived()
    const { body: settings } = await server.api('GET', `/sites/${key}`)
    await server.api('PUT', `/sites/${key}`, { ...settings, rates: { USD: 0.5 } })
    await server.derived()
    const overview = await server.api<{ goals: Counted[] }>('GET', `/sites/${key}/overview?${RANGE}`)
    expect(overview.body.goals).toMatchObject([{ id: goal.id, value: 5, conversions: 1 }])
  })

  it('lists every day of the range and says why others nearly matched', async () => {
    const key = await server.addSite()
    await server.collect(key, 'visitor-1', [
      pageView('/nights/thanks', '2026-05-04T21:59:59.999Z'),
      pageView('/nights/thanks', '2026-05-04T22:00:00Z'),
      pageView('/nights/thanks/', '2026-05-04T22:01:00Z'),
    ])
    const result = await backtest(key, goalOf({ count: 'every', value: { type: 'fixed', amount: '2.50' } }))
    expect(result.daily).toHaveLength(31)
    // 22:00 UTC is midnight in Madrid in May.
    expect(result.daily.filter((day) => day.conversions)).toMatchObject([
      { day: '2026-05-04', conversions: 1, value: 2.5 },
      { day: '2026-05-05', conversions: 1, value: 2.5 },
    ])
    expect(result.nearMisses).toEqual([{ path: '/nights/thanks/', events: 1, why: 'differs only by the trailing slash' }])
  })

  it('hands its conversions over as CSV whose cells are no formulas', async () => {
    const key = await server.addSite()
    await server.collect(key, 'visitor-1', [pageView('/nights/thanks', '2026-05-04T10:00:00Z', { order: '=1+1' })])
    const goal = await addGoal(key, goalOf({ value: { type: 'none' } }))
    await server.derived()
    const { body } = await server.api<string>('GET', `/sites/${key}/goals/${goal.id}/conversions?${RANGE}`, undefined, { accept: 'text/csv' })
    expect(body).toBe(
      `at,visitor,value,currency,order,path,source,medium,campaign\r\n2026-05-04T10:00:00.000Z,visitor-1,0,EUR,'=1+1,/nights/thanks,direct,none,\r\n`,
    )
  })

  it('can be removed, with its conversions', async () => {
    const key = await server.addSite()
    const goal = await addGoal(key, goalOf())
    expect((await server.api('DELETE', `/sites/${key}/goals/${goal.id}`)).status).toBe(204)
    expect((await server.api('GET', `/sites/${key}/goals/${goal.id}`)).status).toBe(404)
  })

  it.each<[string, object, string]>([
    [
      'a pattern that is no RE2',
      { kind: { type: 'page', where: { any: [{ all: [{ reading: 'path', op: 'matches', value: '(?=x)' }] }] } } },
      'kind.where.any.0.all.0.value',
    ],
    ['an empty group', { kind: { type: 'page', where: { any: [{ all: [] }] } } }, 'kind.where.any.0.all'],
    [
      'an unknown reading',
      { kind: { type: 'page', where: { any: [{ all: [{ reading: 'colour', op: 'is', value: 'x' }] }] } } },
      'kind.where.any.0.all.0.reading',
    ],
    ['no name', { name: ' ' }, 'name'],
    ['a value that is no money', { value: { type: 'fixed', amount: 'much' } }, 'value.amount'],
  ])('with %s is refused, naming the field', async (_, wrong, path) => {
    const key = await server.addSite()
    const answer = await server.api<{ errors: { path: string }[] }>('POST', `/sites/${key}/goals`, goalOf(wrong))
    expect(answer.status).toBe(400)
    expect(answer.body.errors.map((error) => error.path)).toContain(path)
  })

  it('refuses a range that ends before it begins', async () => {
    const key = await server.addSite()
    const answer = await server.api('POST', `/sites/${key}/goals:backtest`, { goal: goalOf(), from: '2026-05-02', to: '2026-05-02' })
    expect(answer).toMatchObject({ status: 400, body: { errors: [{ path: 'to' }] } })
  })
})
