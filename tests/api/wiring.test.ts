import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { RECIPE } from '../start/recipe.js'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

interface Draft {
  revision: number
  live: number | null
  changes: { change: string; what: string; to?: string }[]
  triggers: { id: string }[]
}

let server: TestServer
let key: string
let channel: string
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
})
afterAll(() => server.stop())

const wiring = (): object => ({
  triggers: [
    { id: 'any', moment: { type: 'page-view' } },
    { id: 'receipt', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'path', op: 'matches', value: '^/nights/(thanks|gracias)$' }] }] } },
  ],
  tags: [
    { id: 'base', name: 'Base', triggers: ['any'], does: { type: 'channel-event', channel, call: 'base' } },
    { id: 'event', name: 'Night', triggers: ['receipt'], does: { type: 'channel-event', channel, call: 'event', event: 'sale' } },
  ],
})
const put = (body: object): ReturnType<typeof server.api<Draft>> => server.api<Draft>('PUT', `/sites/${key}/wiring`, body)
const loader = async (): Promise<string> => (await fetch(`${server.url}/l/${key}.js`)).text()

describe('the draft and releases', () => {
  beforeAll(async () => {
    key = await server.addSite()
    await server.api('POST', `/sites/${key}/recipes`, RECIPE)
    channel = (await server.api<{ id: string }>('POST', `/sites/${key}/channels`, { name: 'Farola', recipe: 'farola-search', ids: { account: 'LN-204518' } }))
      .body.id
  })

  it('begin empty: the loader records, nothing fires', async () => {
    expect((await server.api<Draft>('GET', `/sites/${key}/wiring`)).body).toMatchObject({ revision: 0, live: null, changes: [], triggers: [] })
    expect(await loader()).toContain('"release":0')
  })

  it('save only over the current revision, and show both otherwise', async () => {
    expect((await put(wiring())).status).toBe(409)
    const saved = await put({ ...wiring(), revision: 0 })
    expect(saved.body).toMatchObject({ revision: 1, live: null })
    expect(saved.body.changes).toHaveLength(4)
    const stale = await server.api<{ current: Draft; yours: object }>('PUT', `/sites/${key}/wiring`, { triggers: [], tags: [], revision: 0 })
    expect(stale.status).toBe(409)
    expect(stale.body.current).toMatchObject({ revision: 1, triggers: [{ id: 'any' }, { id: 'receipt' }] })
    expect(stale.body.yours).toMatchObject({ triggers: [], tags: [] })
  })

  it('go live at once, compiled into the loader', async () => {
    const release = await server.api<{ number: number; live: boolean; checksum: string; changes: object[] }>('POST', `/sites/${key}/releases`, {
      name: 'First',
      note: 'Everything',
    })
    expect(release).toMatchObject({ status: 201, body: { number: 1, live: true, name: 'First', note: 'Everything' } })
    expect(release.body.checksum).toMatch(/^[0-9a-f]{64}$/)
    const script = await loader()
    expect(script).toContain('"release":1')
    expect(script).toContain('"id.account":"LN-204518"')
    const first = await fetch(`${server.url}/l/${key}.js`)
    const again = await fetch(`${server.url}/l/${key}.js`, { headers: { 'if-none-match': first.headers.get('etag') ?? '' } })
    expect(again.status).toBe(304)
    expect((await server.api<Draft>('GET', `/sites/${key}/wiring`)).body).toMatchObject({ live: 1, changes: [] })
  })

  it('reach pages compressed, as their browser can take it', async () => {
    const loader = async (encoding: string): Promise<{ encoding: string | null; text: string }> => {
      const answer = await fetch(`${server.url}/l/${key}.js`, { headers: { 'accept-encoding': encoding } })
      return { encoding: answer.headers.get('content-encoding'), text: await answer.text() }
    }
    const [plain, br, gzip] = await Promise.all(['identity', 'gzip, deflate, br', 'gzip'].map(loader))
    expect([plain?.encoding, br?.encoding, gzip?.encoding]).toEqual([null, 'br', 'gzip'])
    expect([br?.text, gzip?.text]).toEqual([plain?.text, plain?.text])
  })

  it('are compared in sentences, and restored as a new release', async () => {
    const { body: draft } = await server.api<Draft>('GET', `/sites/${key}/wiring`)
    await put({ triggers: [{ id: 'any', moment: { type: 'page-view' } }], tags: [], revision: draft.revision })
    await server.api('POST', `/sites/${key}/releases`, { name: 'Nothing' })
    expect(await loader()).not.toContain('LN-204518')
    expect(
      (await server.api<{ changes: { change: string; from: string }[] }>('GET', `/sites/${key}/releases/2`)).body.changes.map(
        (each) => `${each.change}: ${each.from}`,
      ),
    ).toEqual([
      'removed: When a page is viewed whose path matches the pattern ^/nights/(thanks|gracias)$',
      'removed: Base: When a page is viewed, any page, then tell Farola that the page was viewed',
      'removed: Night: When a page is viewed whose path matches the pattern ^/nights/(thanks|gracias)$, then tell Farola about the event sale with no value',
    ])
    const restored = await server.api('POST', `/sites/${key}/releases/1:restore`)
    expect(restored.body).toMatchObject({ number: 3, restores: 1, live: true })
    expect(await loader()).toContain('LN-204518')
    expect((await server.api<object[]>('GET', `/sites/${key}/releases`)).body).toMatchObject([
      { number: 3, live: true },
      { number: 2, live: false },
      { number: 1, live: false },
    ])
  })

  it('cannot go live with a tag whose channel was not finished', async () => {
    const { body: draft } = await server.api<Draft>('GET', `/sites/${key}/wiring`)
    await put({ triggers: [], tags: [{ id: 'lost', name: 'Lost', does: { type: 'channel-event', channel: 'gone', call: 'base' } }], revision: draft.revision })
    const refused = await server.api<{ detail: string }>('POST', `/sites/${key}/releases`, { name: 'Broken' })
    expect(refused.status).toBe(400)
    expect(refused.body.detail).toContain('"Lost" reports to a channel that does not exist')
    expect((await server.api<object[]>('GET', `/sites/${key}/releases`)).body).toHaveLength(3)
  })

  it('travel as a file: a dry import says what it would change, and changes nothing', async () => {
    const { body: file } = await server.api<{ wiring: object }>('GET', `/sites/${key}/wiring:export`)
    const { body: before } = await server.api<Draft>('GET', `/sites/${key}/wiring`)
    const dry = await server.api<{ applied: boolean; changes: { change: string }[] }>('POST', `/sites/${key}/wiring:import`, { wiring: wiring() })
    expect(dry.body).toMatchObject({ applied: false })
    expect(dry.body.changes.map((each) => each.change).sort()).toEqual(['added', 'added', 'added', 'added', 'removed'])
    expect((await server.api<Draft>('GET', `/sites/${key}/wiring`)).body).toEqual(before)
    const applied = await server.api('POST', `/sites/${key}/wiring:import`, { wiring: wiring(), apply: true, revision: before.revision })
    expect(applied.body).toMatchObject({ applied: true, revision: before.revision + 1 })
    expect((await server.api<{ wiring: object }>('GET', `/sites/${key}/wiring:export`)).body.wiring).not.toEqual(file.wiring)
  })

  it('keep readings and relay links that a save does not speak of', async () => {
    const { body: draft } = await server.api<Draft>('GET', `/sites/${key}/wiring`)
    const readings = [{ name: 'total', from: { type: 'element', selector: '#total' } }]
    await put({ ...wiring(), revision: draft.revision, readings })
    const { body } = await put({ ...wiring(), revision: draft.revision + 1 })
    expect(body).toMatchObject({ readings })
  })

  it('refuse a script that cannot be read, saying where', async () => {
    const { body: draft } = await server.api<Draft>('GET', `/sites/${key}/wiring`)
    const broken = (code: string): object => ({ ...wiring(), revision: draft.revision, tags: [{ id: 's', name: 'Partner', does: { type: 'script', code } }] })
    for (const code of ['var a = ;', '}); alert(1); (function(){', '`unfinished']) {
      const answer = await server.api<{ errors: { path: string; message: string }[] }>('PUT', `/sites/${key}/wiring`, broken(code))
      expect(answer.status).toBe(400)
      expect(answer.body.errors[0]).toMatchObject({
        path: 'tags.0.does.code',
        message: expect.stringMatching(/"Partner" cannot be read: .*line \d+/) as string,
      })
    }
  })

  it('show how often each trigger happened, and each tag fired', async () => {
    await server.collect(key, 'visitor-1', [
      pageView('/', '2026-05-04T10:00:00Z', { fired: ['base'] }),
      pageView('/nights/Gracias', '2026-05-04T10:01:00Z', { fired: ['base', 'night'] }),
    ])
    const { body } = await server.api<object>('GET', `/sites/${key}/wiring:evidence?from=2026-05-01&to=2026-06-01`)
    expect(body).toMatchObject({
      triggers: [
        { id: 'any', events: 2 },
        { id: 'receipt', events: 1 },
      ],
      tags: [
        { id: 'base', fired: 2 },
        { id: 'night', fired: 1 },
      ],
    })
  })
})

describe('a dry run', () => {
  interface Answer {
    result: {
      events: number
      live: number
      unjudged: { trigger: string }[]
      tags: { id: string; now: number; draft: number; newVisits: number; lostVisits: number }[]
    }
  }
  const dryRun = async (range: object): Promise<Answer[]> => {
    const { body } = await server.api<string>('POST', `/sites/${key}/wiring:dry-run`, range)
    return body
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Answer)
  }
  it('runs the draft over recorded events, against what is live, and says what it cannot judge', async () => {
    const { body: draft } = await server.api<Draft>('GET', `/sites/${key}/wiring`)
    const triggers = [
      { id: 'any', moment: { type: 'page-view' } },
      { id: 'receipt', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/nowhere' }] }] } },
      { id: 'seen', moment: { type: 'element-seen', selector: '#x' } },
    ]
    await put({ ...wiring(), triggers, revision: draft.revision })
    const lines = await dryRun({ from: '2026-05-01', to: '2026-06-01' })
    const result = lines.at(-1)?.result
    expect(result).toMatchObject({ events: 2, unjudged: [{ trigger: 'seen' }] })
    const night = result?.tags.find((tag) => tag.now !== tag.draft || tag.newVisits + tag.lostVisits > 0)
    expect(result?.live).toBeGreaterThan(0)
    expect(night).toBeDefined()
    expect((await server.api('POST', `/sites/${key}/wiring:dry-run`, { from: 'x', to: '2026-06-01' })).status).toBe(400)
  })
  it('compares any two releases, and one with the draft', async () => {
    const { body } = await server.api<{ changes: { change: string }[] }>('GET', `/sites/${key}/releases:compare?from=1&to=draft`)
    expect(body.changes.length).toBeGreaterThan(0)
    expect((await server.api<{ changes: object[] }>('GET', `/sites/${key}/releases:compare?from=1&to=1`)).body.changes).toEqual([])
    expect(
      (await server.api<{ changes: { change: string }[] }>('GET', `/sites/${key}/releases:compare?from=0&to=1`)).body.changes.every(
        (each) => each.change === 'added',
      ),
    ).toBe(true)
    expect((await server.api('GET', `/sites/${key}/releases:compare?from=1&to=99`)).status).toBe(404)
  })
})

describe('channels', () => {
  it('check ids by the recipe, and stay while tags report to them', async () => {
    const wrong = await server.api<{ errors: object[] }>('POST', `/sites/${key}/channels`, { name: 'Farola', recipe: 'farola-search', ids: { account: '12' } })
    expect(wrong).toMatchObject({ status: 400, body: { errors: [{ path: 'ids.account' }] } })
    expect((await server.api('DELETE', `/sites/${key}/channels/${channel}`)).status).toBe(409)
  })
  it('refuse a recipe whose pattern is no RE2', async () => {
    const wrong = { ...RECIPE, ids: [{ ...RECIPE.ids[0], pattern: '(' }] }
    expect((await server.api('POST', `/sites/${key}/recipes`, wrong)).status).toBe(400)
  })
})
