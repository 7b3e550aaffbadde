import { existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { calendarOf } from '../../core/src/days/zone.js'
import type { LoggedEvent } from '../../core/src/events/LoggedEvent.js'
import { FrequentWays } from '../../core/src/funnels/frequentWays.js'
import { FunnelRun } from '../../core/src/funnels/FunnelRun.js'
import { funnelSchema } from '../../core/src/funnels/funnelSchema.js'
import { Backtest } from '../../core/src/goals/Backtest.js'
import { GoalReport } from '../../core/src/goals/GoalReport.js'
import { goalSchema } from '../../core/src/goals/goalSchema.js'
import { GoalSuggestions } from '../../core/src/goals/GoalSuggestions.js'
import { prepareGoal } from '../../core/src/goals/prepareGoal.js'
import { ValueCount } from '../../core/src/readings/ValueCount.js'
import { deriveVisits } from '../../core/src/visits/deriveVisits.js'
import { Random } from '../../demo/src/visitors/Random.js'
import { startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let key: string
const folder = mkdtempSync(join(tmpdir(), 'acequia-columns-'))

beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'), { ACEQUIA_COLUMNS_FROM: '50', ACEQUIA_DATA: folder })
  key = await server.addSite({ timeZone: 'UTC', rates: { USD: '0.92' } })
})
afterAll(async () => {
  await server.stop()
  rmSync(folder, { recursive: true, force: true })
})

const START = Date.UTC(2026, 4, 4)
const RANGE = { from: '2026-05-04', to: '2026-05-11' }
const range = { from: START, to: START + 7 * 86_400_000 }
const site = { hosts: ['altolucero.example'], passThroughHosts: [], sourceRules: [], clickIds: [] }
const is = (path: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value: path }] }] })
const FUNNEL = { steps: [{ name: 'a' }, { name: 'b', where: is('/b') }, { name: 'c', where: is('/c') }] }
const GOAL = { name: 'Goal', kind: { type: 'page', where: is('/c') }, count: 'order', value: { type: 'reading', reading: 'value', fallback: 1 } }

function* events(random: Random, visitors: number): Generator<Record<string, unknown>> {
  for (let visitor = 0; visitor < visitors; visitor++) {
    let at = START + random.whole(0, 6 * 86_400) * 1000
    for (let number = 0; number < random.whole(1, 6); number++) {
      at += random.whole(1, 4000) * 1000
      yield {
        uid: random.hex(24),
        visitor: `visitor-${String(visitor).padStart(4, '0')}`,
        at: new Date(at).toISOString(),
        name: 'page-view',
        url: `https://altolucero.example/${random.weighted([
          ['a', 3],
          ['b', 2],
          ['c', 2],
          ['C/', 1],
        ] as const)}`,
        ...(random.chance(0.3) && {
          order: `Q${random.whole(1, 9)}`,
          value: random.whole(1, 50),
          currency: random.weighted([
            ['EUR', 2],
            ['USD', 1],
            ['CLP', 1],
          ] as const),
        }),
      }
    }
  }
}
const load = async (lines: Record<string, unknown>[]): Promise<void> => {
  const answer = await server.api('POST', `/sites/${key}/events:import`, lines.map((line) => JSON.stringify(line)).join('\n'), {
    'content-type': 'application/x-ndjson',
  })
  expect(answer.status).toBe(200)
}
interface Answers {
  funnel: object
  goal: object
  report: object
  paths: object
  suggested: object
  ways: object
  listed: object
}

/** What core makes of everything the log holds. */
async function expected(): Promise<Answers> {
  const text = (await server.api<string>('GET', `/sites/${key}/events?from=2000-01-01&to=2100-01-01`)).body
  const visitors = new Map<string, LoggedEvent[]>()
  for (const line of text.split('\n').filter(Boolean)) {
    const { visitor, at, ...event } = JSON.parse(line) as LoggedEvent & { visitor: string; at: string }
    visitors.set(visitor, [...(visitors.get(visitor) ?? []), { ...event, at: Date.parse(at) }])
  }
  const calendar = calendarOf('UTC')
  const prepared = prepareGoal(goalSchema.parse(GOAL), { currency: 'EUR', rates: { USD: '0.92' } })
  const funnel = new FunnelRun(funnelSchema.parse(FUNNEL), range, calendar)
  const goal = new Backtest(prepared, range, calendar)
  const report = new GoalReport(prepared, range, calendar, 'day')
  const paths = new ValueCount('path', range, 'page-view')
  const suggested = new GoalSuggestions(range.from, range.to)
  const ways = new FrequentWays(prepared, range.from, range.to)
  const listed = new FunnelRun(funnelSchema.parse(FUNNEL), range, calendar, undefined, { step: 0, what: 'left' })
  for (const [visitor, its] of visitors) {
    const visits = deriveVisits(its, site)
    funnel.addVisitor(visitor, visits)
    goal.addVisitor(visitor, visits)
    report.addVisitor(visits)
    paths.add(visits)
    suggested.addVisitor(visits)
    ways.addVisitor(visits)
    listed.addVisitor(visitor, visits)
  }
  return {
    funnel: funnel.result(),
    goal: goal.result(),
    report: report.result(),
    paths: paths.result('C', 50),
    suggested: suggested.result(),
    ways: inOrder(ways.result()),
    listed: inOrder(listed.visits()),
  }
}
/** Where several are alike, either may come first. */
const inOrder = (list: object[]): string[] => list.map((each) => JSON.stringify(each)).sort()
const get = async <T>(path: string): Promise<T> => (await server.api<T>('GET', `/sites/${key}${path}`)).body
const post = async <T>(path: string, body: object): Promise<T> => (await server.api<T>('POST', `/sites/${key}${path}`, body)).body
let saved = ''
async function answered(): Promise<Answers> {
  saved ||= (await post<{ id: string }>('/goals', GOAL)).id
  const asked = `from=${RANGE.from}&to=${RANGE.to}`
  return {
    funnel: await post('/funnels:run', { ...FUNNEL, ...RANGE }),
    goal: await post('/goals:backtest', { goal: GOAL, ...RANGE }),
    report: await get(`/goals/${saved}/report?${asked}`),
    paths: await get(`/values?reading=path&event=page-view&search=C&${asked}`),
    suggested: await get(`/goals:suggest?${asked}`),
    ways: inOrder(await post('/funnels:suggest', { goal: saved, ...RANGE })),
    listed: inOrder(await post('/funnels:visits', { ...FUNNEL, ...RANGE, listing: { step: 0, what: 'left' } })),
  }
}

describe('a large site', () => {
  it('is answered from columns exactly as from the log, also for what came since, late, or to known visitors', async () => {
    const random = new Random(7)
    await load([...events(random, 60)])
    // It came long ago: what has just come is looked at beside the columns.
    await server.services.database.run('UPDATE events SET received_at = received_at - 3600000')
    expect(await answered()).toMatchObject(await expected())
    await expect.poll(() => existsSync(join(folder, 'columns')) && readdirSync(join(folder, 'columns')).some((name) => name.endsWith('.columns'))).toBe(true)
    // The same visitors again, at other times, and new ones.
    await load([...events(random, 80)])
    expect(await answered()).toMatchObject(await expected())
  })

  it('begins again from what was saved', async () => {
    await server.services.columns.close()
    expect(await answered()).toMatchObject(await expected())
    await load([...events(new Random(8), 10)])
    expect(await answered()).toMatchObject(await expected())
  })

  it('follows a change of settings that makes other visits', async () => {
    const { body } = await server.api<Record<string, unknown>>('GET', `/sites/${key}`)
    await server.api('PUT', `/sites/${key}`, { ...body, rates: { USD: '0.92', CLP: '0.001' } })
    const goal = (await server.api('POST', `/sites/${key}/goals:backtest`, { goal: GOAL, ...RANGE })).body
    expect(goal).not.toHaveProperty('unconverted')
  })
})
