import { existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { calendarOf } from '../../core/src/days/zone.js'
import type { LoggedEvent } from '../../core/src/events/LoggedEvent.js'
import { FunnelRun } from '../../core/src/funnels/FunnelRun.js'
import { funnelSchema } from '../../core/src/funnels/funnelSchema.js'
import { Backtest } from '../../core/src/goals/Backtest.js'
import { goalSchema } from '../../core/src/goals/goalSchema.js'
import { prepareGoal } from '../../core/src/goals/prepareGoal.js'
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
/** What core makes of everything the log holds. */
async function expected(): Promise<{ funnel: object; goal: object }> {
  const text = (await server.api<string>('GET', `/sites/${key}/events?from=2000-01-01&to=2100-01-01`)).body
  const visitors = new Map<string, LoggedEvent[]>()
  for (const line of text.split('\n').filter(Boolean)) {
    const { visitor, at, ...event } = JSON.parse(line) as LoggedEvent & { visitor: string; at: string }
    visitors.set(visitor, [...(visitors.get(visitor) ?? []), { ...event, at: Date.parse(at) }])
  }
  const funnel = new FunnelRun(funnelSchema.parse(FUNNEL), range, calendarOf('UTC'))
  const goal = new Backtest(prepareGoal(goalSchema.parse(GOAL), { currency: 'EUR', rates: { USD: '0.92' } }), range, calendarOf('UTC'))
  for (const [visitor, its] of visitors) {
    funnel.addVisitor(visitor, deriveVisits(its, site))
    goal.addVisitor(visitor, deriveVisits(its, site))
  }
  return { funnel: funnel.result(), goal: goal.result() }
}
const answered = async (): Promise<{ funnel: object; goal: object }> => ({
  funnel: (await server.api('POST', `/sites/${key}/funnels:run`, { ...FUNNEL, ...RANGE })).body,
  goal: (await server.api('POST', `/sites/${key}/goals:backtest`, { goal: GOAL, ...RANGE })).body,
})

describe('a large site', () => {
  it('is answered from columns exactly as from the log, also for what came since, late, or to known visitors', async () => {
    const random = new Random(7)
    await load([...events(random, 60)])
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
