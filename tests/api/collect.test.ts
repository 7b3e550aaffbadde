import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

const AT = '2026-05-04T10:00:00.000Z'
let server: TestServer
let key: string

beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
  key = await server.addSite({ hosts: ['altolucero.example:8080', '*.sky.example'] })
})
afterAll(() => server.stop())

const exported = async (): Promise<Record<string, unknown>[]> => {
  const { body } = await server.api<string>('GET', `/sites/${key}/events?from=2000-01-01&to=2101-01-01`)
  return body
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Record<string, unknown>)
}

describe('collecting', () => {
  it('stores every field of an event as it came', async () => {
    const event = {
      uid: 'full',
      at: AT,
      name: 'seats-chosen',
      url: 'https://www.altolucero.example/nights/thanks?ref=Q7#top',
      title: 'See you there ',
      referrer: 'https://caja.example/pay',
      data: { formId: 'booking', seats: 2, window: true },
      value: 36.5,
      currency: 'EUR',
      order: 'Q7',
    }
    expect((await server.collect(key, 'visitor-1', [event])).status).toBe(204)
    expect((await exported()).find((each) => each.uid === 'full')).toMatchObject({ visitor: 'visitor-1', ...event })
  })

  it('keeps country and language of the request, and nothing that tells its network address', async () => {
    const trusting = await startTestServer(inject('databaseUrl'), { ACEQUIA_TRUST_PROXY: '1' })
    const site = await trusting.addSite()
    const send = (address: string, language: string): Promise<Response> =>
      fetch(`${trusting.url}/c/${site}`, {
        method: 'POST',
        headers: { 'content-type': 'text/plain', 'x-forwarded-for': address, 'accept-language': language },
        body: JSON.stringify({ visitor: 'visitor-1', events: [pageView('/', AT)] }),
      })
    // An address of a network that has been in Spain for decades, one of nobody's, and what no proxy would write.
    for (const [address, language] of [
      ['62.14.1.1', 'es-ES,es;q=0.9,en;q=0.8'],
      ['2a02:9140::1', 'DE'],
      ['127.0.0.1', '*'],
      ['nonsense', 'x'.repeat(500)],
    ] as const)
      expect((await send(address, language)).status).toBe(204)
    const { body } = await trusting.api<string>('GET', `/sites/${site}/events?from=2026-05-01&to=2026-06-01`)
    const lines = body
      .trim()
      .split('\n')
      .map((each) => JSON.parse(each) as Record<string, unknown>)
    expect(lines.map(({ country, language }) => `${String(country)} ${String(language)}`).sort()).toEqual([
      'ES de',
      'ES es',
      'undefined undefined',
      'undefined undefined',
    ])
    expect(body).not.toContain('62.14')
    await trusting.stop()
  })

  it('stores an event once, however often and in whatever company it comes', async () => {
    const event = pageView('/once', AT)
    const other = { ...event, url: 'https://altolucero.example/changed' }
    const answers = await Promise.all([
      server.collect(key, 'visitor-2', [event, event]),
      server.collect(key, 'visitor-2', [event]),
      server.collect(key, 'visitor-2', [event]),
    ])
    expect(answers.map((answer) => answer.status)).toEqual([204, 204, 204])
    expect((await server.collect(key, 'visitor-2', [other])).status).toBe(204)
    expect((await exported()).filter((each) => each.uid === event.uid).map((each) => each.url)).toEqual([event.url])
  })

  it('tells uids apart that differ only in case, accent or trailing space', async () => {
    const uids = ['case-a', 'case-A', 'case-á', 'case-a ']
    await server.collect(
      key,
      'visitor-3',
      uids.map((uid) => ({ ...pageView('/case', AT), uid })),
    )
    expect(
      (await exported())
        .filter((each) => String(each.uid).startsWith('case-'))
        .map((each) => each.uid)
        .sort(),
    ).toEqual([...uids].sort())
  })

  it('takes subdomains only where the site lists them', async () => {
    const status = async (host: string): Promise<number> => (await server.collect(key, 'visitor-4', [{ ...pageView('/', AT), url: `https://${host}/` }])).status
    expect(await status('WWW.Altolucero.example:443')).toBe(204)
    expect(await status('deep.sky.example')).toBe(204)
    expect(await status('sky.example')).toBe(403)
    expect(await status('shop.altolucero.example')).toBe(403)
    expect(await status('evil.example')).toBe(403)
  })

  it('stores nothing of a batch in which one event is malformed, and says which', async () => {
    const good = pageView('/half', AT)
    const answer = await server.collect(key, 'visitor-5', [good, { ...pageView('/half', AT), at: 'yesterday' }])
    expect(answer.status).toBe(400)
    expect(answer.headers.get('content-type')).toContain('application/problem+json')
    expect(await answer.json()).toMatchObject({ status: 400, errors: [{ path: 'events.1.at' }] })
    expect((await exported()).some((each) => each.uid === good.uid)).toBe(false)
  })

  it.each<[string, object]>([
    ['a visitor that is too short', { visitor: 'short', events: [pageView('/', AT)] }],
    ['no events', { visitor: 'visitor-6', events: [] }],
    ['more than 100 events', { visitor: 'visitor-6', events: Array.from({ length: 101 }, () => pageView('/', AT)) }],
    ['a value with five decimals', { visitor: 'visitor-6', events: [{ ...pageView('/', AT), value: 1.23456 }] }],
    ['data that is not flat', { visitor: 'visitor-6', events: [{ ...pageView('/', AT), data: { deep: { er: 1 } } }] }],
    ['data larger than 4 KiB', { visitor: 'visitor-6', events: [{ ...pageView('/', AT), data: { long: 'x'.repeat(4096) } }] }],
    ['an address that is none', { visitor: 'visitor-6', events: [{ ...pageView('/', AT), url: 'javascript:alert(1)' }] }],
    ['a day that does not exist', { visitor: 'visitor-6', events: [pageView('/', '2026-02-30T10:00:00Z')] }],
    ['a year before 2000', { visitor: 'visitor-6', events: [pageView('/', '1999-12-31T23:59:59Z')] }],
  ])('refuses %s', async (_, body) => {
    const answer = await fetch(`${server.url}/c/${key}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
    expect(answer.status).toBe(400)
  })

  it('answers 404 for an unknown key, 413 for a body over 64 KiB, 400 for what is no JSON', async () => {
    expect((await server.collect('nosuchkey', 'visitor-7', [pageView('/', AT)])).status).toBe(404)
    const large = await fetch(`${server.url}/c/${key}`, { method: 'POST', headers: { 'content-type': 'text/plain' }, body: ' '.repeat(65_537) })
    expect(large.status).toBe(413)
    const broken = await fetch(`${server.url}/c/${key}`, { method: 'POST', headers: { 'content-type': 'text/plain' }, body: '{"visitor":' })
    expect(broken.status).toBe(400)
  })

  it('lets any page send from its script', async () => {
    const answer = await fetch(`${server.url}/c/${key}`, { method: 'OPTIONS' })
    expect(answer.headers.get('access-control-allow-origin')).toBe('*')
  })

  it('drops what says of itself that it crawls, without complaint', async () => {
    const event = pageView('/crawled', AT)
    const answer = await fetch(`${server.url}/c/${key}`, {
      method: 'POST',
      headers: { 'content-type': 'text/plain', 'user-agent': 'Mozilla/5.0 (compatible; ExampleCrawler/1.0; +http://crawler.example/bot.html)' },
      body: JSON.stringify({ visitor: 'visitor-8', events: [event] }),
    })
    expect(answer.status).toBe(204)
    expect((await exported()).some((each) => each.uid === event.uid)).toBe(false)
  })

  it('counts a page view by image where scripts are off', async () => {
    const answer = await fetch(`${server.url}/c/${key}.gif?url=${encodeURIComponent('https://altolucero.example/plain?a=1')}`)
    expect(answer.headers.get('content-type')).toBe('image/gif')
    expect((await exported()).some((each) => each.url === 'https://altolucero.example/plain?a=1' && each.name === 'page-view')).toBe(true)
  })

  it('keeps text of any kind apart from what the database or a browser would make of it', async () => {
    const hostile = `'; DROP TABLE events; -- <script>alert("1")</script> \u0000 \ud800 =cmd()`
    await server.collect(key, 'visitor-9', [
      { ...pageView('/hostile', AT), uid: 'hostile', title: hostile, order: hostile, data: { __proto__x: hostile, [hostile]: 1 } },
    ])
    expect((await exported()).find((each) => each.uid === 'hostile')).toMatchObject({ title: hostile.replace('\ud800', '\ufffd') })
  })
})

describe('rate limit', () => {
  it('answers 429 with Retry-After beyond the limit', async () => {
    const limited = await startTestServer(inject('databaseUrl'), { ACEQUIA_COLLECT_LIMIT: '3' })
    const site = await limited.addSite()
    const answers: Response[] = []
    for (let i = 0; i < 4; i++) answers.push(await limited.collect(site, 'visitor-1', [pageView('/', AT)]))
    expect(answers.map((answer) => answer.status)).toEqual([204, 204, 204, 429])
    expect(answers[3]?.headers.get('retry-after')).toBe('10')
    await limited.stop()
  })
})
