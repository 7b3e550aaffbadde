import { Pool } from 'undici'
import { Random } from '../../demo/src/visitors/Random.js'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { startTestServer, TOKEN, type TestServer } from '../start/testServer.js'

/** `npm run test:faults` sends all hundred thousand over HTTP. */
const BODIES = process.env.ACEQUIA_FAULTS === 'long' ? 100_000 : 8_000
const LINES = 100_000
let server: TestServer
let key: string
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'), { ACEQUIA_COLLECT_LIMIT: '1000000000' })
  key = await server.addSite()
})
afterAll(() => server.stop())

const EVIL = [
  '',
  ' ',
  '\u0000',
  '\ud800',
  '\udfff\ud800',
  '\u202e\ufeff',
  "'; DROP TABLE events; --",
  '" OR 1=1 --',
  '<script>alert(1)</script>',
  '<img src=x onerror=alert(1)>',
  '=cmd|’/c calc’!A0',
  '@SUM(1+1)',
  '../../../etc/passwd',
  'x'.repeat(2000),
  '💧'.repeat(600),
  'ﷺ'.repeat(300),
  '__proto__',
  'constructor',
  '%00%ff%c0%ae',
  '(a+)+$',
  '\\',
  '\r\nSet-Cookie: a=b',
]
const NUMBERS = [0, -0, -1, 1e308, -1e308, 1e-320, 2 ** 53, 2 ** 63, 2 ** 64, 1.00001, 99999999999.9999, 4294967296]
const TIMES = [
  '1900-01-01T00:00:00Z',
  '2200-01-01T00:00:00Z',
  '2026-02-30T00:00:00Z',
  '2026-05-04T25:00:00Z',
  'now',
  '',
  '0',
  '-271821-04-20T00:00:00Z',
  '2026-05-04',
]

/** Makes up a body that is wrong in one or several ways, always the same for the same seed. */
class Bodies {
  constructor(private readonly random: Random) {}

  /** As it goes over the wire; mostly JSON. */
  body(): string | Buffer {
    const { random } = this
    const whole = JSON.stringify(this.batch())
    switch (random.whole(0, 9)) {
      case 0:
        return whole.slice(0, random.whole(0, whole.length))
      case 1:
        return '['.repeat(random.whole(1, 20_000))
      case 2: {
        const depth = random.whole(1, 3000)
        return '{"visitor":"visitor-1","events":' + '[{"data":'.repeat(depth) + '1' + '}]'.repeat(depth) + '}'
      }
      case 3:
        return Buffer.from(Array.from({ length: random.whole(0, 300) }, () => random.whole(0, 255)))
      case 4:
        return whole.replace(/"/g, () => (random.chance(0.05) ? '' : '"'))
      default:
        return whole
    }
  }

  /** An import's line. */
  line(): string {
    const { events, ...rest } = this.batch() as { events?: unknown }
    const event = Array.isArray(events) ? (events[0] as object) : {}
    const line = JSON.stringify({ ...rest, ...event, country: this.pick(['ES', 'es', 'ESP', 7, null]), userAgent: this.evil(), language: this.value() })
    return this.random.chance(0.1) ? line.slice(0, this.random.whole(0, line.length)) : line
  }

  private batch(): object {
    const events = Array.from({ length: this.random.whole(0, 3) }, () => this.event())
    const batch: Record<string, unknown> = {
      visitor: this.random.chance(0.7) ? 'visitor-1' : this.value(),
      events: this.random.chance(0.9) ? events : this.value(),
    }
    if (this.random.chance(0.1)) batch[String(this.evil())] = this.value()
    return batch
  }

  private event(): Record<string, unknown> {
    const event: Record<string, unknown> = {
      uid: `hostile-${this.random.hex(16)}`,
      at: '2026-05-04T10:00:00Z',
      name: 'page-view',
      url: 'https://altolucero.example/',
    }
    for (const field of ['uid', 'at', 'name', 'url', 'title', 'referrer', 'data', 'value', 'currency', 'order', 'fired'])
      if (this.random.chance(0.1)) event[field] = field === 'at' ? this.pick(TIMES) : field === 'data' ? this.data() : this.value()
    if (this.random.chance(0.1)) delete event[this.pick(Object.keys(event))]
    return event
  }

  private data(): unknown {
    return this.random.chance(0.3) ? this.value() : Object.fromEntries(Array.from({ length: this.random.whole(0, 30) }, () => [this.evil(), this.value()]))
  }

  private value(): unknown {
    switch (this.random.whole(0, 7)) {
      case 0:
        return null
      case 1:
        return this.pick(NUMBERS)
      case 2:
        return [this.evil(), [[]]]
      case 3:
        return { a: { b: { c: this.evil() } } }
      case 4:
        return this.random.chance(0.5)
      case 5:
        return `https://altolucero.example/${this.evil()}?${this.evil()}#${this.evil()}`
      default:
        return this.evil()
    }
  }

  private evil(): string {
    return this.pick(EVIL)
  }

  private pick<T>(list: readonly T[]): T {
    return list[this.random.whole(0, list.length - 1)] as T
  }
}

describe('whatever is sent', () => {
  it(`to the collector, ${BODIES} bodies, is stored or refused with a reason, and never breaks it`, async () => {
    const client = new Pool(server.url, { connections: 16 })
    const bodies = new Bodies(new Random(99))
    const statuses = new Map<number, number>()
    let left = BODIES
    await Promise.all(
      Array.from({ length: 16 }, async () => {
        while (left-- > 0) {
          const answer = await client.request({ path: `/c/${key}`, method: 'POST', headers: { 'content-type': 'text/plain' }, body: bodies.body() })
          const text = await answer.body.text()
          statuses.set(answer.statusCode, (statuses.get(answer.statusCode) ?? 0) + 1)
          if (answer.statusCode !== 204) {
            expect(answer.headers['content-type']).toContain('application/problem+json')
            expect((JSON.parse(text) as { detail: string }).detail.length).toBeGreaterThan(5)
          }
        }
      }),
    )
    await client.close()
    expect([...statuses.keys()].filter((status) => ![204, 400, 403, 413].includes(status))).toEqual([])
    expect(statuses.get(204) ?? 0).toBeGreaterThan(100)
    expect(statuses.get(400) ?? 0).toBeGreaterThan(1000)
    expect((await fetch(`${server.url}/readyz`)).status).toBe(200)
  }, 600_000)

  it(`as ${LINES} lines of an import, is accounted for line by line`, async () => {
    const bodies = new Bodies(new Random(100))
    // A line is a line: what a body would break over several is not sent here.
    const lines = Array.from(
      { length: LINES },
      () =>
        bodies
          .line()
          .replace(/[\n\r]/g, ' ')
          .trim() || '-',
    )
    const answer = await fetch(`${server.url}/api/v1/sites/${key}/events:import`, {
      method: 'POST',
      headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/x-ndjson' },
      body: lines.join('\n'),
    })
    expect(answer.status).toBe(200)
    const result = (await answer.json()) as { accepted: number; known: number; rejected: object[]; rejectedLines: number }
    expect(result.accepted + result.known + result.rejectedLines).toBe(LINES)
    expect(result.accepted).toBeGreaterThan(1000)
    expect(result.rejected.length).toBe(100)
  })

  it('comes out of every door again as data, never as markup or formula', async () => {
    await server.derived()
    const range = 'from=2026-05-01&to=2026-06-01'
    const { body: goal } = await server.api<{ id: string }>('POST', `/sites/${key}/goals`, { name: 'All', kind: { type: 'page' }, count: 'every' })
    await server.derived()
    const doors = [
      `/sites/${key}/events?${range}`,
      `/sites/${key}/overview?${range}`,
      `/sites/${key}/goals/${goal.id}/conversions?${range}`,
      `/sites/${key}/goals/${goal.id}/report?${range}`,
      `/sites/${key}/values?${range}&reading=title`,
      `/sites/${key}/values?${range}&reading=data.x`,
      `/sites/${key}/goals:suggest?${range}`,
      `/sites/${key}/visitors/visitor-1`,
      `/sites/${key}/arrivals`,
      `/sites/${key}/checkup`,
    ]
    for (const door of doors) {
      const answer = await server.api('GET', door)
      expect([door, answer.status]).toEqual([door, 200])
      expect(answer.headers.get('content-type')).toMatch(/json/)
      expect(answer.headers.get('x-content-type-options')).toBe('nosniff')
    }
    const csv = await fetch(`${server.url}/api/v1/sites/${key}/goals/${goal.id}/conversions?${range}`, {
      headers: { authorization: `Bearer ${TOKEN}`, accept: 'text/csv' },
    })
    const cells = (await csv.text()).split(/[\n,]/)
    expect(cells.length).toBeGreaterThan(1000)
    expect(cells.filter((cell) => /^"?[=+@]/.test(cell))).toEqual([])
  })

  it('as a rule, a pattern that explodes elsewhere is judged at once', async () => {
    const pattern = { any: [{ all: [{ reading: 'title', op: 'matches', value: '^(a+)+$' }] }] }
    const answer = await server.api('POST', `/sites/${key}/goals:backtest`, {
      goal: { name: 'P', kind: { type: 'page', where: pattern } },
      from: '2026-05-01',
      to: '2026-06-01',
    })
    expect(answer.status).toBe(200)
  })
})
