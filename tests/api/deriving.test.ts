import { createServer, connect, type Server, type Socket } from 'node:net'
import { Random } from '../../demo/src/visitors/Random.js'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { Deriver } from '../../server/src/visits/Deriver.js'
import { pageView, startTestServer, TOKEN, type TestServer } from '../start/testServer.js'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())

const deriverOf = ({ services: { database, dictionaries, changes, metrics } }: TestServer): Deriver =>
  new Deriver(database, dictionaries, changes, metrics, { error: () => undefined })
/** What readers see, without the number of the derivation. */
const derivedRows = async (which: TestServer): Promise<object[][]> => {
  const shown = "derivation_no IN (SELECT no FROM derivations WHERE state = 'shown')"
  const of = async (sql: string): Promise<object[]> => {
    const rows = await which.services.database.rows<Record<string, unknown>>(sql)
    return rows.map(({ derivation_no: _, ...row }) => row)
  }
  return [
    await of(`SELECT * FROM visits WHERE ${shown} ORDER BY visitor_id, visit_no`),
    await of(`SELECT * FROM conversions WHERE ${shown} ORDER BY visitor_id, goal_no, at, uid`),
  ]
}

/** Events of a busy fortnight, many with the same orders, out of order and repeated. */
function traffic(seed: number, count: number): { visitor: string; uid: string; at: string; name: string; url: string; order?: string; value?: number }[] {
  const random = new Random(seed)
  return Array.from({ length: count }, (_, index) => ({
    ...pageView(
      random.weighted([
        ['/', 3],
        ['/nights', 3],
        ['/nights/thanks', 2],
        ['/?utm_source=farola', 1],
      ] as const),
      new Date(Date.UTC(2026, 4, 1) + random.whole(0, 14 * 86_400_000)).toISOString(),
    ),
    uid: `s${seed}-${index}`,
    visitor: `visitor-${random.whole(1, 60)}`,
    order: `Q-${random.whole(1, 80)}`,
    value: random.whole(0, 100),
  }))
}

describe('derived rows', () => {
  it('equal a rebuild from the log, with two more workers sharing the marks and orders changing hands', async () => {
    const key = await server.addSite()
    const where = { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights/thanks' }] }] }
    for (const count of ['order', 'visitor', 'every', 'visit'])
      await server.api('POST', `/sites/${key}/goals`, { name: count, kind: { type: 'page', where }, count, value: { type: 'reading', reading: 'value' } })
    const workers = [1, 2].map(() => deriverOf(server))
    for (const worker of workers) worker.start()
    const events = traffic(7, 3000)
    const batches: Promise<Response>[] = []
    for (let start = 0; start < events.length; start += 10) {
      for (const { visitor, ...event } of events.slice(start, start + 10)) batches.push(server.collect(key, visitor, [event]))
      if (batches.length > 200) await Promise.all(batches.splice(0))
    }
    expect((await Promise.all(batches)).every((answer) => answer.status === 204)).toBe(true)
    await Promise.all(events.slice(0, 200).map(({ visitor, ...event }) => server.collect(key, visitor, [event])))
    await server.derived()
    await Promise.all(workers.map((worker) => worker.stop()))
    const live = await derivedRows(server)
    await server.api('POST', `/sites/${key}/derivation:begin`)
    await server.derived()
    expect(await derivedRows(server)).toEqual(live)

    // The saved conversions and a backtest, which never looks at them, say the same.
    const { body: goals } = await server.api<{ id: string; count: string }[]>('GET', `/sites/${key}/goals`)
    const { body: overview } = await server.api<{
      goals: { id: string; conversions: number; value: number; convertingVisits: number; rate: number }[]
      visits: number
    }>('GET', `/sites/${key}/overview?from=2026-05-03&to=2026-05-10`)
    for (const goal of goals) {
      const { body: tested } = await server.api('POST', `/sites/${key}/goals:backtest`, { goal: goal.id, from: '2026-05-03', to: '2026-05-10' })
      const { conversions, value, convertingVisits, rate } = overview.goals.find((each) => each.id === goal.id) as (typeof overview.goals)[number]
      expect(tested, goal.count).toMatchObject({ conversions, value, convertingVisits, rate, visits: overview.visits })
    }
  })
})

describe('the live stream', () => {
  it('tells of a conversion as it happens', async () => {
    const key = await server.addSite()
    await server.api('POST', `/sites/${key}/goals`, { name: 'Any page', kind: { type: 'page' }, value: { type: 'fixed', amount: 5 } })
    await server.derived()
    const stop = new AbortController()
    const stream = await fetch(`${server.url}/api/v1/sites/${key}/live`, { headers: { authorization: `Bearer ${TOKEN}` }, signal: stop.signal })
    const reader = (stream.body as ReadableStream).pipeThrough(new TextDecoderStream()).getReader()
    await server.collect(key, 'visitor-now', [pageView('/now', new Date().toISOString())])
    let text = ''
    while (!/event: ?conversions[^]*\n\n/.test(text)) text += (await reader.read()).value ?? ''
    expect(text.split(/event: ?conversions/)[1]).toContain('"goalName":"Any page"')
    stop.abort()
  })
})

describe('while the database is away', () => {
  it('accepted events wait on disk and are in the log once it is back, each once', async () => {
    const url = new URL(inject('databaseUrl'))
    const behind = { port: Number(url.port), host: url.hostname }
    // A door in front of the database that can be shut.
    const sockets = new Set<Socket>()
    let shut = false
    const door: Server = createServer((client) => {
      if (shut) return void client.destroy()
      const database = connect(behind)
      for (const [from, to] of [
        [client, database],
        [database, client],
      ] as const) {
        sockets.add(from)
        from.pipe(to)
        from.on('error', () => to.destroy())
        from.on('close', () => to.destroy())
      }
    })
    await new Promise<void>((resolve) => door.listen(0, '127.0.0.1', resolve))
    const address = door.address()
    url.port = String(typeof address === 'object' && address ? address.port : 0)
    const away = await startTestServer(url.href)
    const key = await away.addSite()
    const event = pageView('/before', '2026-05-04T10:00:00Z')
    expect((await away.collect(key, 'visitor-1', [event])).status).toBe(204)
    shut = true
    for (const socket of sockets) socket.destroy()
    const late = Array.from({ length: 30 }, (_, index) => pageView(`/away/${index}`, `2026-05-04T10:01:${String(index).padStart(2, '0')}Z`))
    for (const each of late) expect((await away.collect(key, 'visitor-1', [event, each])).status).toBe(204)
    expect((await fetch(`${away.url}/readyz`)).status).toBe(503)
    shut = false
    const paths = async (): Promise<number> => {
      const answer = await away.api<string>('GET', `/sites/${key}/events?from=2026-05-01&to=2026-06-01`)
      return answer.status === 200 ? answer.body.split('\n').filter(Boolean).length : 0
    }
    await expect.poll(paths, { interval: 200 }).toBe(31)
    await away.stop()
    door.close()
  })
})
