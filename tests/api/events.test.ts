import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { pageView, startTestServer, TOKEN, type TestServer } from '../start/testServer.js'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())

const importLines = async (
  key: string,
  lines: string | Buffer,
  headers: Record<string, string> = {},
): Promise<{ status: number; body: Record<string, unknown> }> => {
  const answer = await fetch(`${server.url}/api/v1/sites/${key}/events:import`, {
    method: 'POST',
    headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/x-ndjson', ...headers },
    body: new Uint8Array(Buffer.from(lines)),
  })
  return { status: answer.status, body: (await answer.json()) as Record<string, unknown> }
}
const exportLines = async (key: string, range = 'from=2000-01-01&to=2101-01-01'): Promise<string[]> =>
  (await server.api<string>('GET', `/sites/${key}/events?${range}`)).body.split('\n').filter(Boolean)
const line = (event: object, visitor = 'visitor-1'): string => JSON.stringify({ visitor, ...event })

describe('importing events', () => {
  it('keeps every well-formed line whatever its host, agent or date, and accounts for each', async () => {
    const key = await server.addSite()
    const known = pageView('/known', '2026-05-04T10:00:00Z')
    await importLines(key, line(known))
    const lines = [
      line(known),
      line({
        ...pageView('/', '2000-01-01T00:00:00Z'),
        url: 'https://elsewhere.example/',
        userAgent: 'some crawler bot',
        country: 'ES',
        region: 'Aragón',
        city: 'Teruel',
      }),
      line(pageView('/far', '2100-12-31T23:59:59.9999Z')),
      'no json',
      line({ ...pageView('/', '2026-05-04T10:00:00Z'), country: 'Spain' }),
      line(pageView('/', '2026-05-04T10:00:00Z'), 'short'),
    ]
    const { body } = await importLines(key, lines.join('\n') + '\n')
    expect(body).toMatchObject({ accepted: 2, known: 1, rejected: [{ line: 4 }, { line: 5 }, { line: 6 }] })
  })

  it('gives back what it was given, ordered by time and uid in code points', async () => {
    const key = await server.addSite()
    const uids = ['b', 'B', 'á', 'a', '\u{1f600}', '\ufffd', 'a ']
    const events = uids.map((uid) => ({
      ...pageView(`/${uid.trim()}?x=%20#y`, '2026-05-04T10:00:00.123Z'),
      uid,
      value: 2.5,
      data: { n: 1.5 },
      userAgent: 'Test',
      country: 'ES',
    }))
    await importLines(key, events.map((event) => line(event)).join('\n'))
    const back = (await exportLines(key)).map((each) => JSON.parse(each) as { uid: string })
    expect(back.map((each) => each.uid)).toEqual(['B', 'a', 'a ', 'b', 'á', '\ufffd', '\u{1f600}'])
    for (const event of events) expect(back.find((each) => each.uid === event.uid)).toEqual({ visitor: 'visitor-1', ...event })
    const other = await server.addSite()
    await importLines(other, (await exportLines(key)).join('\n'))
    expect(await exportLines(other)).toEqual(await exportLines(key))
  })

  it('takes gzip, and is safe to repeat', async () => {
    const key = await server.addSite()
    const lines = Array.from({ length: 2500 }, (_, index) =>
      line({ ...pageView(`/p${index % 50}`, '2026-05-04T10:00:00Z'), uid: `u${index % 2400}` }, `visitor-${index % 100}`),
    ).join('\n')
    expect((await importLines(key, gzipSync(lines), { 'content-encoding': 'gzip' })).body).toMatchObject({ accepted: 2400, known: 100, rejected: [] })
    expect((await importLines(key, gzipSync(lines), { 'content-encoding': 'gzip' })).body).toMatchObject({ accepted: 0, known: 2500 })
    expect((await importLines(key, Buffer.from('not gzip'), { 'content-encoding': 'gzip' })).status).toBe(400)
  })

  it('exports only the asked range, its end not included', async () => {
    const key = await server.addSite()
    await importLines(
      key,
      [
        line(pageView('/before', '2026-05-03T21:59:59.999Z')),
        line(pageView('/first', '2026-05-03T22:00:00Z')),
        line(pageView('/after', '2026-05-04T22:00:00Z')),
      ].join('\n'),
    )
    expect((await exportLines(key, 'from=2026-05-04&to=2026-05-05')).map((each) => (JSON.parse(each) as { url: string }).url)).toEqual([
      'https://altolucero.example/first',
    ])
  })

  it('makes a backtest see everything at once', async () => {
    const key = await server.addSite()
    const goal = { kind: { type: 'page', where: {} }, count: 'every' }
    for (let round = 1; round <= 3; round++) {
      await importLines(key, line(pageView('/again', '2026-05-04T10:00:00Z')))
      const { body } = await server.api('POST', `/sites/${key}/goals:backtest`, { goal, from: '2026-05-04', to: '2026-05-05' })
      expect(body).toMatchObject({ conversions: round })
    }
  })
})
