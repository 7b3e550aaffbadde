import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { Random } from '../../demo/src/visitors/Random.js'
import { Database } from '../../server/src/database/Database.js'
import { countEventsSince, eventsInRange } from '../../server/src/events/eventsTable.js'
import { Retention } from '../../server/src/events/Retention.js'
import { addQuarters, quartersOf } from '../../server/src/events/quarters.js'
import { arrivalsOf } from '../../server/src/events/arrivalsTable.js'
import { convertingVisitsByGoal, conversionsByDay, latestConversions, listConversions, unconvertedByGoal } from '../../server/src/goals/conversionsTable.js'
import { summarizeGoals } from '../../server/src/goals/summarizeGoals.js'
import { shownDerivation } from '../../server/src/visits/derivationsTable.js'
import { lastVisitOf, visitsByDay, visitsOfDays } from '../../server/src/visits/visitsTable.js'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

const DAY = 86_400_000
const START = Date.UTC(2026, 2, 1)
const DAYS = 60
let server: TestServer
let key: string
/** One connection, so that what it read can be looked up. */
let looking: Database

beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
  key = await server.addSite()
  const other = await server.addSite()
  for (const site of [key, other])
    await server.api('POST', `/sites/${site}/goals`, {
      name: 'Thanks',
      kind: { type: 'page', where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/thanks' }] }] } },
      count: 'every',
    })
  const random = new Random(5)
  for (const site of [key, other]) {
    const lines = Array.from({ length: 12_000 }, () => {
      const at = new Date(START + random.whole(0, DAYS * DAY - 1)).toISOString()
      return JSON.stringify({ visitor: `visitor-${random.whole(1, 3000)}`, ...pageView(random.chance(0.05) ? '/thanks' : `/page-${random.whole(1, 40)}`, at) })
    })
    await server.api('POST', `/sites/${site}/events:import`, lines.join('\n'), { 'content-type': 'application/x-ndjson' })
  }
  await server.derived()
  const { database } = server.services
  await database.run('ANALYZE TABLE events, visits, conversions')
  const { config } = database.pool.pool as unknown as {
    config: { connectionConfig: { host: string; port: number; user: string; password: string; database: string } }
  }
  const { host, port, user, password, database: name } = config.connectionConfig
  looking = new Database(`mysql://${user}:${password}@${host}:${port}/${name}`, { connections: 1 })
})
afterAll(async () => {
  await looking.close()
  await server.stop()
})

/** How many rows were looked at for an answer. */
async function rowsRead<T>(ask: () => Promise<T>): Promise<{ read: number; answer: T }> {
  await looking.run('FLUSH STATUS')
  const answer = await ask()
  const rows = await looking.rows<{ Variable_name: string; Value: string }>("SHOW SESSION STATUS LIKE 'Handler_read%'")
  return { read: rows.reduce((sum, row) => sum + Number(row.Value), 0), answer }
}

describe('a query reads no more than it must:', () => {
  const from = START + 20 * DAY
  const to = from + DAY
  const goalNos = async (): Promise<number[]> => (await looking.rows<{ no: number }>('SELECT no FROM goals ORDER BY no LIMIT 1')).map(({ no }) => no)
  const siteId = async (): Promise<number> => (await looking.row<{ id: number }>('SELECT id FROM sites WHERE site_key = ?', [key]))?.id ?? 0

  it('visits of a day', async () => {
    const shown = await shownDerivation(looking, await siteId())
    const { read, answer } = await rowsRead(() => visitsByDay(looking, shown, from, to))
    const visits = answer.reduce((sum, row) => sum + row.n, 0)
    expect(visits).toBeGreaterThan(100)
    // Each once, and once more where the days are added up.
    expect(read).toBeLessThanOrEqual(2 * visits + 20)
    // Whole days are summed up already, a few rows each.
    const sums = await rowsRead(() => visitsOfDays(looking, shown, '2026-03-01', '2026-05-01'))
    const all = await visitsByDay(looking, shown, Date.parse('2026-02-28T23:00:00Z'), Date.parse('2026-04-30T22:00:00Z'))
    expect(sums.answer).toEqual(all)
    expect(sums.read).toBeLessThanOrEqual(8 * 62 + 200)
  })

  it('conversions of a day: by day, without a rate, with their visits, and listed', async () => {
    const shown = await shownDerivation(looking, await siteId())
    const goals = await goalNos()
    const byDay = await rowsRead(() => conversionsByDay(looking, shown, goals, from, to))
    const count = byDay.answer.reduce((sum, row) => sum + row.conversions, 0)
    expect(count).toBeGreaterThan(3)
    // Read through an index and then in the table.
    expect(byDay.read).toBeLessThanOrEqual(3 * count + 20)
    expect((await rowsRead(() => unconvertedByGoal(looking, shown, goals, from, to))).read).toBeLessThanOrEqual(3 * count + 20)
    expect(
      (
        await rowsRead(() =>
          convertingVisitsByGoal(
            looking,
            shown,
            goals.map((no) => ({ no, count: 'every' as const })),
            from,
            to,
          ),
        )
      ).read,
    ).toBeLessThanOrEqual(4 * count + 20)
    for (const goal of goals) {
      const listed = await rowsRead(() => listConversions(looking, shown, goal, from, to))
      expect(listed.read).toBeLessThanOrEqual(6 * listed.answer.length + 20)
    }
  })

  it('the latest conversions of all time: a few of each goal, however many there are', async () => {
    const shown = await shownDerivation(looking, await siteId())
    const goals = await goalNos()
    const latest = await rowsRead(() => latestConversions(looking, shown, goals, 0, Date.UTC(2100, 0), 3))
    expect(latest.answer).toHaveLength(3)
    const each = await Promise.all(goals.map((goal) => listConversions(looking, shown, goal, 0, Date.UTC(2100, 0))))
    const byTime = each.flat().sort((a, b) => a.at - b.at)
    expect(byTime.length).toBeGreaterThan(20)
    expect(latest.answer.map(({ at }) => at)).toEqual(byTime.slice(-3).map(({ at }) => at))
    expect(latest.read).toBeLessThanOrEqual(12 * goals.length + 40)
  })

  it('conversions of two months from their sums by day, the same as one by one', async () => {
    const shown = await shownDerivation(looking, await siteId())
    const goals = (await goalNos()).map((no) => ({ no, count: 'every' as const }))
    const range = { from: Date.parse('2026-02-28T23:00:00Z'), to: Date.parse('2026-04-30T22:00:00Z') }
    const sums = await rowsRead(() => summarizeGoals(looking, shown, goals, range, { first: '2026-03-01', end: '2026-05-01' }))
    expect(sums.answer).toEqual(await summarizeGoals(looking, shown, goals, range, null))
    expect(sums.answer.get(goals[0]?.no ?? 0)?.conversions).toBeGreaterThan(10)
    expect(sums.read).toBeLessThanOrEqual(goals.length * (8 * 62 + 200))
  })

  it('the events of an hour, of the last minute, of each host; the last visit of a visitor', async () => {
    const site = await siteId()
    const hour = await rowsRead(async () => {
      let n = 0
      for await (const _ of eventsInRange(looking, site, from, from + DAY / 24)) n++
      return n
    })
    expect(hour.answer).toBeGreaterThan(2)
    expect(hour.read).toBeLessThanOrEqual(4 * hour.answer + 40)
    expect((await rowsRead(() => countEventsSince(looking, site, Date.now() - 60_000))).read).toBeLessThanOrEqual(20)
    expect((await rowsRead(() => arrivalsOf(looking, site))).read).toBeLessThanOrEqual(20)
    expect((await rowsRead(() => lastVisitOf(looking, site, 'visitor-7'))).read).toBeLessThanOrEqual(30)
  })
})

describe('the log by quarters', () => {
  it('has every quarter up to half a year ahead, each once, whoever asks', async () => {
    const { database } = server.services
    await Promise.all([1, 2, 3].map(() => addQuarters(database, Date.UTC(2027, 4, 4))))
    const names = (await quartersOf(database)).map(({ name }) => name)
    expect(names.slice(0, 3)).toEqual(['early', 'q2025_1', 'q2025_2'])
    expect(names.slice(-2)).toEqual(['q2027_4', 'later'])
    expect(new Set(names).size).toBe(names.length)
  })
})

describe('a server without any site', () => {
  it('keeps its log in order at night, and says in its metrics which route answered', async () => {
    const empty = await startTestServer(inject('databaseUrl'))
    const { database } = empty.services
    const before = await quartersOf(database)
    await new Retention(database, { error: () => undefined, info: () => undefined }).run(Date.now())
    expect(await quartersOf(database)).toEqual(before)
    await empty.collect('nosuchkey', 'visitor-1', [pageView('/', '2026-05-04T10:00:00Z')])
    expect(await (await fetch(`${empty.url}/metrics`)).text()).toContain('route="/c/:key",status="404"')
    await empty.stop()
  })
})

describe('a site that keeps its events for a month', () => {
  it('loses older ones at night, with what was counted from them; others lose nothing; whole quarters go where nobody keeps them', async () => {
    const { database } = server.services
    const silent = { error: () => undefined, info: () => undefined }
    const retention = new Retention(database, silent)
    const keep = async (site: string, keepMonths: number | null): Promise<void> => {
      const { body } = await server.api<Record<string, unknown>>('GET', `/sites/${site}`)
      expect((await server.api('PUT', `/sites/${site}`, { ...body, keepMonths })).status).toBe(200)
    }
    const exported = async (site: string): Promise<string[]> => {
      const { body } = await server.api<string>('GET', `/sites/${site}/events?from=2026-01-01&to=2026-12-01`)
      return body
        .split('\n')
        .filter(Boolean)
        .map((line) => (JSON.parse(line) as { at: string }).at)
    }
    const sites = (await server.api<{ key: string }[]>('GET', '/sites')).body.map((site) => site.key)
    const other = sites.find((site) => site !== key) as string
    const before = await exported(other)
    await keep(key, 1)
    // In May, April is kept: from midnight of its first day on the site's clock.
    await retention.run(Date.UTC(2026, 4, 20))
    await server.derived()
    const left = await exported(key)
    expect(left.length).toBeGreaterThan(1000)
    expect(left.every((at) => at >= '2026-03-31T22:00:00.000Z')).toBe(true)
    expect(await exported(other)).toEqual(before)
    const { body: march } = await server.api<{ visits: number }>('GET', `/sites/${key}/overview?from=2026-03-01&to=2026-04-01`)
    const { body: april } = await server.api<{ visits: number }>('GET', `/sites/${key}/overview?from=2026-04-01&to=2026-05-01`)
    expect([march.visits, april.visits > 500]).toEqual([0, true])
    // An event that was removed counts as new when it comes again; one that was kept is known.
    const again = { ...pageView('/again', '2026-03-05T10:00:00Z'), visitor: 'visitor-again' }
    const { body } = await server.api('POST', `/sites/${key}/events:import`, JSON.stringify(again), { 'content-type': 'application/x-ndjson' })
    expect(body).toMatchObject({ accepted: 1 })
    await keep(other, 1)
    await retention.run(Date.UTC(2026, 7, 20))
    expect((await quartersOf(database)).map(({ name }) => name)).not.toContain('q2026_1')
    expect((await quartersOf(database))[0]?.name).toBe('early')
    expect((await exported(key)).length + (await exported(other)).length).toBe(0)
  })
})
