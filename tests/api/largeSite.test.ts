import { createHash } from 'node:crypto'
import { existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { DIMENSIONS } from '../../core/src/dimensions/dimensions.js'
import { Random } from '../../demo/src/visitors/Random.js'
import { loadSegment } from '../../server/src/columns/segments.js'
import { RECIPE } from '../start/recipe.js'
import { startTestServer, type TestServer } from '../start/testServer.js'

/** Two servers with the same log, wiring and goals: one keeps it as columns, the other one remembers visits. */
interface World {
  server: TestServer
  key: string
  goal: string
}
let large: World
let small: World

const DAY = 86_400_000
/** Within the days that the checkup and the channels look back on. */
const START = Math.floor(Date.now() / DAY) * DAY - 20 * DAY
const day = (number: number): string => new Date(START + number * DAY).toISOString().slice(0, 10)
const ASKED = `from=${day(0)}&to=${day(21)}`
const RANGE = { from: day(0), to: day(21) }
const is = (reading: string, value: string): object => ({ any: [{ all: [{ reading, op: 'is', value }] }] })

const GOAL = {
  name: 'Night booked',
  kind: { type: 'page', where: is('path', '/nights/thanks') },
  count: 'order',
  value: { type: 'reading', reading: 'value', fallback: 5 },
  path: [{ name: 'Offer', where: is('path', '/nights'), required: true }],
}

/** A log in which everything occurs that some answer looks at. */
function* events(): Generator<object> {
  const random = new Random(17)
  for (let visitor = 0; visitor < 90; visitor++) {
    let at = START + random.whole(0, 18 * 86_400) * 1000
    for (let visit = 0; visit < random.whole(1, 3); visit++) {
      const query = random.weighted([
        ['', 3],
        ['?utm_source=farola&utm_medium=cpc&utm_campaign=autumn', 2],
        [`?lantern=click-${visitor}`, 1],
      ] as const)
      const country = random.weighted([
        ['ES', 2],
        ['CL', 1],
        [undefined, 1],
      ] as const)
      for (let number = 0; number < random.whole(1, 7); number++) {
        at += random.whole(5, 600) * 1000
        const [path, name] = random.weighted([
          [['/', 'page-view'], 3],
          [['/nights', 'page-view'], 3],
          [['/nights/thanks', 'page-view'], 2],
          [['/nights', 'form-sent'], 1],
          [['/nights', 'form-accepted'], 1],
          [['/calendar', 'click'], 1],
          [['/', 'tag-failed'], 1],
          [['/', 'visitor-known'], 1],
        ] as const)
        const data =
          name === 'form-sent' || name === 'form-accepted'
            ? {
                formId: random.weighted([
                  ['book', 2],
                  ['letters', 1],
                ] as const),
                'own.moon': `phase ${random.whole(1, 9)}`,
              }
            : name === 'tag-failed'
              ? { tag: 'night', message: 'no answer' }
              : name === 'visitor-known'
                ? {
                    user: createHash('sha256')
                      .update(`user-${visitor % 20}`)
                      .digest('hex'),
                  }
                : undefined
        yield {
          uid: random.hex(24),
          visitor: `visitor-${String(visitor).padStart(4, '0')}`,
          at: new Date(at).toISOString(),
          name,
          url: `https://altolucero.example${path}${number ? '' : query}`,
          title: `Page ${path}`,
          ...(number === 0 && random.chance(0.5) && { referrer: 'https://starry.example/guide' }),
          ...(country && { country }),
          ...(data && { data }),
          ...(name === 'page-view' && { fired: path === '/nights/thanks' ? ['base', 'night'] : ['base'] }),
          ...(path === '/nights/thanks' &&
            random.chance(0.8) && {
              order: `Q${random.whole(1, 30)}`,
              value: random.whole(10, 60),
              currency: random.weighted([
                ['EUR', 3],
                ['USD', 1],
              ] as const),
            }),
        }
      }
      at += random.whole(3600, 3 * 86_400) * 1000
    }
  }
}
const LOG = [...events()].map((each) => JSON.stringify(each)).join('\n')

const folder = mkdtempSync(join(tmpdir(), 'acequia-large-'))

async function build(columnsFrom: string): Promise<World> {
  const server = await startTestServer(inject('databaseUrl'), { ACEQUIA_COLUMNS_FROM: columnsFrom, ACEQUIA_DATA: join(folder, columnsFrom) })
  const key = await server.addSite({ timeZone: 'Europe/Madrid', rates: { USD: '0.9' }, clickIds: [{ parameter: 'lantern', source: 'farola', medium: 'cpc' }] })
  const call = async <T>(method: string, path: string, body: unknown): Promise<T> => {
    const answer = await server.api<T>(method, `/sites/${key}${path}`, body)
    expect(answer.status, JSON.stringify(answer.body)).toBeLessThan(300)
    return answer.body
  }
  await call('POST', '/recipes', RECIPE)
  const channel = await call<{ id: string }>('POST', '/channels', { name: 'Farola', recipe: 'farola-search', ids: { account: 'LN-204518' } })
  const { id: goal } = await call<{ id: string }>('POST', '/goals', GOAL)
  await call('PUT', '/wiring', {
    revision: 0,
    triggers: [
      { id: 'any', moment: { type: 'page-view' } },
      { id: 'receipt', moment: { type: 'page-view' }, where: is('path', '/nights/thanks') },
      { id: 'book', moment: { type: 'form-sent' }, where: is('data.formId', 'book'), except: is('own.moon', 'phase 3') },
      { id: 'reached', moment: { type: 'goal', goal } },
    ],
    readings: [{ name: 'moon', from: { type: 'element', selector: '#moon' } }],
    tags: [
      { id: 'base', name: 'Base', triggers: ['any'], does: { type: 'channel-event', channel: channel.id, call: 'base' } },
      { id: 'night', name: 'Night', triggers: ['receipt'], does: { type: 'channel-event', channel: channel.id, call: 'event', event: 'sale' } },
      {
        id: 'moon',
        name: 'Moon',
        triggers: ['reached', 'book'],
        limit: 'visitor',
        does: { type: 'channel-event', channel: channel.id, call: 'event', event: 'moon' },
      },
    ],
  })
  const imported = await server.api('POST', `/sites/${key}/events:import`, LOG, { 'content-type': 'application/x-ndjson' })
  expect(imported.status).toBe(200)
  // Most of it came long ago: what has just come is looked at beside the columns.
  const settled = Math.floor(LOG.split('\n').length * 0.9)
  await server.services.database.run('UPDATE events SET received_at = received_at - 3600000 ORDER BY id LIMIT ?', [settled])
  await server.derived()
  return { server, key, goal }
}

beforeAll(async () => {
  ;[large, small] = [await build('20'), await build('1000000')]
})
afterAll(async () => {
  await large.server.stop()
  await small.server.stop()
  rmSync(folder, { recursive: true, force: true })
})

/** What a world answers; ids that each made up itself are told by the same word. */
async function answer({ server, key, goal }: World, method: string, path: string, body?: object): Promise<unknown> {
  const given = JSON.parse(JSON.stringify(body ?? null).replaceAll('GOAL', goal)) as object | null
  const { status, body: got } = await server.api<unknown>(method, `/sites/${key}${path.replace('GOAL', goal)}`, given ?? undefined)
  expect(status, JSON.stringify(got)).toBeLessThan(300)
  return JSON.parse(JSON.stringify(got).replaceAll(goal, 'GOAL').replaceAll(key, 'KEY')) as unknown
}
const both = async (method: string, path: string, body?: object): Promise<[unknown, unknown]> =>
  Promise.all([answer(large, method, path, body), answer(small, method, path, body)])
/** Lists of which the order says nothing, in some order. */
const sorted = (value: unknown): unknown => (Array.isArray(value) ? value.map((each) => JSON.stringify(each)).sort() : value)

describe('a large site answers as a small one does that has the same log:', () => {
  it('it has columns of most of it, and the rest beside them', async () => {
    await both('GET', `/values?reading=path&${ASKED}`)
    const { body } = await large.server.api<{ revision: number }>('GET', `/sites/${large.key}`)
    const saved = (): Promise<{ stamp: { afterId: number }; columns: { events: number } } | null> =>
      loadSegment(join(folder, '20', 'columns'), 1, body.revision)
    await expect.poll(async () => (await saved())?.stamp.afterId ?? 0).toBeGreaterThan(100)
    const all = LOG.split('\n').length
    expect((await saved())?.stamp.afterId).toBeLessThan(all)
    expect((await saved())?.columns.events).toBe(all)
    expect(existsSync(join(folder, '1000000', 'columns'))).toBe(false)
  })

  it.each(['hour', 'day', 'week', 'month'])('everything about a goal, by the %s', async (unit) => {
    const [ours, theirs] = await both('GET', `/goals/GOAL/report?${ASKED}&unit=${unit}`)
    expect(ours).toEqual(theirs)
    expect(JSON.stringify(ours)).toContain('"farola"')
  })

  it.each(['path', 'url', 'title', 'referrerHost', 'query.utm_campaign', 'data.formId', 'own.moon', 'source', 'medium', 'value', 'order', 'currency', 'event'])(
    'what %s really was',
    async (reading) => {
      for (const more of ['', '&search=A', '&event=page-view']) {
        const [ours, theirs] = await both('GET', `/values?reading=${reading}&${ASKED}${more}`)
        expect(sorted(ours)).toEqual(sorted(theirs))
      }
    },
  )

  it('backtests, of goals of every kind', async () => {
    const kinds = [
      GOAL.kind,
      { type: 'event', event: 'form-sent', where: is('data.formId', 'book') },
      { type: 'time', seconds: 300 },
      { type: 'depth', pages: 3 },
      { type: 'return', visits: 2 },
    ]
    for (const kind of kinds) {
      for (const count of ['every', 'visit', 'visitor', 'order']) {
        const [ours, theirs] = (await both('POST', '/goals:backtest', { goal: { ...GOAL, name: 'Other', kind, count }, ...RANGE })) as Record<string, unknown>[]
        // What counts the same is told by uids, which columns do not keep.
        expect({ ...ours, examples: sorted(ours?.examples), sameAs: [] }).toEqual({ ...theirs, examples: sorted(theirs?.examples), sameAs: [] })
      }
    }
  })

  it.each(DIMENSIONS)('a funnel, told apart by %s', async (split) => {
    const steps = [{ name: 'any' }, { name: 'nights', where: is('path', '/nights') }, { name: 'thanks', where: is('path', '/nights/thanks') }]
    const [ours, theirs] = (await both('POST', '/funnels:run', { steps, ...RANGE, split, returns: true })) as { split?: object[] }[]
    expect({ ...ours, split: sorted(ours?.split) }).toEqual({ ...theirs, split: sorted(theirs?.split) })
  })

  it('the visits behind a number of a funnel, by name', async () => {
    const steps = [{ name: 'any' }, { name: 'thanks', where: is('path', '/nights/thanks') }]
    for (const listing of [
      { step: 0, what: 'left' },
      { step: 1, what: 'completed' },
      { step: 0, what: 'entered' },
    ]) {
      const [ours, theirs] = await both('POST', '/funnels:visits', { steps, ...RANGE, listing })
      expect(sorted(ours)).toEqual(sorted(theirs))
      expect(JSON.stringify(ours)).toMatch(/visitor-\d{4}/)
    }
  })

  it('frequent ways to a goal, and goals that the log suggests', async () => {
    const [ways, theirWays] = await both('POST', '/funnels:suggest', { goal: 'GOAL', ...RANGE })
    expect(ways).toEqual(theirWays)
    const [suggested, theirSuggested] = await both('GET', `/goals:suggest?${ASKED}`)
    expect(suggested).toEqual(theirSuggested)
    expect(suggested).not.toEqual([])
  })

  it('evidence of triggers and tags, and one trigger tried', async () => {
    const [ours, theirs] = (await both('GET', `/wiring:evidence?${ASKED}`)) as { tags: object[]; triggers: object[] }[]
    expect({ ...ours, tags: sorted(ours?.tags) }).toEqual({ ...theirs, tags: sorted(theirs?.tags) })
    expect(ours?.triggers).toHaveLength(4)
    const trigger = { moment: { type: 'form-sent' }, where: is('data.formId', 'book') }
    const [tried, theirTried] = (await both('POST', '/wiring:test', { trigger, ...RANGE })) as { examples: object[]; conversions: number }[]
    expect({ ...tried, examples: sorted(tried?.examples) }).toEqual({ ...theirTried, examples: sorted(theirTried?.examples) })
    expect(tried?.conversions).toBeGreaterThan(0)
  })

  it('the latest texts of own readings', async () => {
    const [ours, theirs] = await both('GET', '/readings:latest')
    expect(ours).toEqual(theirs)
    expect(JSON.stringify(ours)).toContain('phase ')
  })

  it('what channels were told, and what the checkup finds', async () => {
    const told = async (world: World): Promise<unknown> =>
      ((await answer(world, 'GET', '/channels:activity')) as { id: string }[]).map(({ id: _, ...rest }) => rest)
    expect(await told(large)).toEqual(await told(small))
    const [ours, theirs] = await both('GET', '/checkup')
    expect(sorted(ours)).toEqual(sorted(theirs))
    expect(ours).not.toEqual([])
  })

  it('a dry run of the draft, with its examples by name', async () => {
    interface Line {
      result?: { tags: { id: string; examples: object[] }[] }
    }
    const [ours, theirs] = ((await both('POST', '/wiring:dry-run', RANGE)) as string[]).map(
      (text) => (JSON.parse(text.trim().split('\n').at(-1) ?? '') as Line).result,
    )
    const shown = (result: typeof ours): object => ({ ...result, tags: result?.tags.map((tag) => ({ ...tag, examples: sorted(tag.examples) })) })
    expect(shown(ours)).toEqual(shown(theirs))
    expect(JSON.stringify(ours?.tags)).toMatch(/visitor-\d{4}/)
  })

  it('conversions from elsewhere, found by click id, order and user', async () => {
    const at = new Date(START + 19 * DAY).toISOString()
    for (const [match, keys] of [
      ['click', ['click-3', 'click-7', 'click-none']],
      ['order', ['Q1', 'Q2', 'Q99']],
      ['user', ['user-1', 'user-2', 'nobody']],
    ] as const) {
      const rows = keys.map((each, index) => ({ key: each, at, value: index + 1 }))
      const [ours, theirs] = (await both('POST', '/conversions:import', { as: 'happened', match, event: 'desk-sale', rows })) as { accepted: number }[]
      expect(ours).toEqual(theirs)
      expect(ours?.accepted).toBeGreaterThan(0)
    }
    // It went to the same visitors, and is in what is asked next.
    const goal = { name: 'Desk', kind: { type: 'event', event: 'desk-sale' }, count: 'every', value: { type: 'reading', reading: 'value' } }
    const [ours, theirs] = (await both('POST', '/goals:backtest', { goal, ...RANGE })) as { examples: object[]; conversions: number }[]
    expect(sorted(ours?.examples)).toEqual(sorted(theirs?.examples))
    expect(ours?.conversions).toBeGreaterThan(3)
  })
})
