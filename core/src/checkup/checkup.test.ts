import { describe, expect, it } from 'vitest'
import { goalSchema } from '../goals/goalSchema.js'
import { recipeSchema } from '../recipes/recipeSchema.js'
import { siteSchema } from '../sites/siteSchema.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { wiringSchema, type Wiring } from '../wiring/wiringSchema.js'
import type { CheckupInput } from './Check.js'
import { checkUp } from './checkUp.js'
import { applyPatch, type Finding } from './Finding.js'
import { SiteTraffic } from './SiteTraffic.js'

const NOW = Date.UTC(2026, 4, 31)
const site = siteSchema.parse({ name: 'Altolucero', hosts: ['altolucero.example'], timeZone: 'UTC', currency: 'EUR' })
const recipe = recipeSchema.parse({
  recipe: 1,
  id: 'lamp',
  name: 'Lamp',
  ids: [{ name: 'account', label: 'Account', pattern: '^L\\d+$', example: 'L1' }],
  events: [{ name: 'sale', label: 'Sale', categories: ['purchase'] }],
  clickId: { parameter: 'beam', source: 'lamp', medium: 'cpc' },
  calls: { base: { label: 'Base', steps: [{ image: 'https://lamp.example/b' }] }, event: { label: 'Event', steps: [{ image: 'https://lamp.example/e' }] } },
})
const channel = { id: 'lamp', name: 'Lamp', recipe: 'lamp', ids: { account: 'L1' } }

const where = (...conditions: [reading: string, op: string, value: string][]): object => ({
  any: [{ all: conditions.map(([reading, op, value]) => ({ reading, op, value })) }],
})
const view = (id: string, ...conditions: Parameters<typeof where>): object => ({
  id,
  moment: { type: 'page-view' },
  ...(conditions.length && { where: where(...conditions) }),
})
const tell = (id: string, triggers: string[], does: object = {}, more: object = {}): object => ({
  id,
  name: id,
  triggers,
  does: { type: 'channel-event', channel: 'lamp', call: 'event', event: 'sale', value: { type: 'reading', reading: 'value' }, ...does },
  ...more,
})
const BASE = tell('base', ['everywhere'], { call: 'base', value: { type: 'none' } })
const WIRED = { triggers: [view('everywhere'), view('thanks', ['path', 'is', '/thanks'])], tags: [BASE, tell('sale', ['thanks'])] }

type Step = string | [path: string, more: Record<string, unknown>]
let number = 0
/** One visitor with one visit, so many days before now. */
const visit = (days: number, ...steps: Step[]): { visitor: string; events: Record<string, unknown>[] } => ({
  visitor: `visitor-${number++}`,
  events: steps.map((step, index) => {
    const [path, more] = typeof step === 'string' ? [step, {}] : step
    return { uid: `u${number++}`, at: NOW - days * 86_400_000 + index * 30_000, name: 'page-view', url: `https://altolucero.example${path}`, ...more }
  }),
})
const times = (n: number, make: (index: number) => ReturnType<typeof visit>): ReturnType<typeof visit>[] => Array.from({ length: n }, (_, index) => make(index))
/** Enough ordinary traffic that nothing about it is remarkable. */
const ORDINARY = (): ReturnType<typeof visit>[] =>
  times(30, (index) => visit(1 + (index % 25), '/', '/form', ['/thanks', { value: 18, order: `o${number++}` }]))

function findings(
  given: Partial<Omit<CheckupInput, 'wiring' | 'goals' | 'traffic'>> & { wiring?: object; goals?: object[]; visits?: ReturnType<typeof visit>[] } = {},
): Finding[] {
  const { wiring: draft = WIRED, goals: named = [], visits = ORDINARY(), ...more } = given
  const wiring = wiringSchema.parse(draft)
  const goals = named.map((goal, index) => ({ id: `g${index}`, goal: goalSchema.parse({ name: 'Goal', ...goal }) }))
  const settings = more.site ?? site
  const gather = new SiteTraffic(settings, wiring, goals, ['beam'], NOW)
  for (const { visitor, events } of visits) gather.addVisitor(visitor, deriveVisits(events as never, settings))
  return checkUp({
    now: NOW,
    site: settings,
    wiring,
    draftChangedAt: null,
    live: wiring,
    liveSince: NOW - 20 * 86_400_000,
    channels: [channel],
    recipes: [recipe],
    goals,
    pages: null,
    refusedHosts: [],
    claims: [],
    claimShare: 0.3,
    traffic: gather.result(),
    ...more,
  })
}
const kinds = (list: Finding[]): string[] => [...new Set(list.map(({ id }) => id.split(' ')[0] as string))]
const patched = (wiring: object, finding: Finding | undefined): Wiring => {
  if (finding?.mend.type !== 'wiring') throw new Error('This is mended elsewhere.')
  const parsed = wiringSchema.parse(wiring)
  return wiringSchema.parse({ ...parsed, ...applyPatch(parsed, finding.mend.patch) })
}
const wired = (triggers: object[], tags: object[]): object => ({ triggers: [...WIRED.triggers, ...triggers], tags: [...WIRED.tags, ...tags] })

describe('the checkup', () => {
  it('finds nothing where nothing is wrong', () => {
    const goal = { kind: { type: 'page', where: where(['path', 'is', '/thanks']) }, category: 'purchase', value: { type: 'reading', reading: 'value' } }
    expect(findings({ goals: [goal] })).toEqual([])
  })

  it.each<[kind: string, wiring: object]>([
    ['never-holds', wired([view('both', ['path', 'is', '/form'], ['path', 'is', '/thanks'])], [tell('x', ['both'], { event: 'other' })])],
    ['matches-everything', wired([], [tell('x', ['everywhere'], { event: 'other' })])],
    ['fires-on-landing', wired([view('start', ['path', 'is', '/'])], [tell('x', ['start'], { event: 'other' })])],
    ['base-missing', { triggers: WIRED.triggers, tags: [tell('sale', ['thanks'])] }],
    ['base-missing', { triggers: WIRED.triggers, tags: [{ ...BASE, triggers: ['thanks'] }, tell('sale', ['thanks'])] }],
    ['reported-twice', wired([], [tell('again', ['thanks'])])],
    ['tag-without-trigger', wired([], [tell('x', [])])],
    ['trigger-without-tag', wired([view('idle', ['path', 'is', '/form'])], [])],
    ['value-missing', wired([view('other', ['path', 'contains', 'thanks'])], [tell('x', ['other'], { value: { type: 'none' } })])],
    ['misses-narrowly', wired([view('slash', ['path', 'is', '/thanks/'])], [tell('x', ['slash'], { event: 'other' })])],
    [
      'selector-matches-nothing',
      wired(
        [{ id: 'seen', moment: { type: 'element-seen', selector: '#none' } }],
        [{ id: 'x', name: 'x', triggers: ['seen'], does: { type: 'own-event', name: 'seen' } }],
      ),
    ],
  ])('finds %s, and its action mends it where there is one', (kind, wiring) => {
    const visits = times(80, (index) => visit(1 + (index % 25), '/', '/form', ['/thanks', { value: 18, order: `o${number++}` }]))
    const found = findings({ wiring, visits })
    expect(kinds(found)).toContain(kind)
    const finding = found.find(({ id }) => id.startsWith(kind))
    if (finding?.mend.type === 'wiring') expect(kinds(findings({ wiring: patched(wiring, finding), visits }))).not.toContain(kind)
  })

  it('finds triggers that must happen together on one page but need two', () => {
    const both = { id: 'both', moment: { type: 'all', triggers: ['form', 'thanks'] } }
    const apart = wired([view('form', ['path', 'is', '/form']), both], [tell('x', ['both'], { event: 'other' })])
    expect(kinds(findings({ wiring: apart }))).toContain('never-together')
    const possible = wired([view('form', ['path', 'contains', 'thanks']), both], [tell('x', ['both'], { event: 'other' })])
    expect(kinds(findings({ wiring: possible }))).not.toContain('never-together')
  })

  it('moves a tag from the page where visits begin to the one reached after its form', () => {
    const wiring = wired([view('offer', ['path', 'is', '/offer'])], [tell('x', ['offer'], { event: 'other' })])
    const visits = times(25, () => visit(2, '/offer', ['/offer', { name: 'form-sent', data: { formId: 'ask' } }], '/done'))
    const finding = findings({ wiring, visits }).find(({ id }) => id.startsWith('fires-on-landing'))
    expect(patched(wiring, finding).triggers.find(({ id }) => id === 'offer')?.where).toMatchObject(where(['path', 'is', '/done']))
  })

  it('offers to take a missed address only where it is the address that misses', () => {
    const sent = { id: 'sent', moment: { type: 'form-sent' }, where: where(['path', 'is', '/form'], ['data.formId', 'is', 'ask ']) }
    const visits = times(5, () => visit(2, '/form', ['/form', { name: 'form-sent', data: { formId: 'ask' } }]))
    const finding = findings({ wiring: wired([sent], [tell('x', ['sent'], { event: 'other' })]), visits }).find(({ id }) => id === 'misses-narrowly sent')
    expect(finding?.mend).toMatchObject({ type: 'open', screen: 'trigger', id: 'sent' })
  })

  it('asks for ids only where they are used, and for consent only where the site does', () => {
    const wrong = { ...channel, ids: { account: 'nonsense' } }
    expect(kinds(findings({ channels: [wrong] }))).toContain('id-missing')
    expect(kinds(findings({ channels: [wrong], wiring: { triggers: [], tags: [] } }))).not.toContain('id-missing')
    const wiring = { ...WIRED, tags: [BASE, tell('sale', ['thanks'], {}, { consent: 'none' })] }
    expect(kinds(findings({ wiring }))).not.toContain('consent-missing')
    const asking = findings({ wiring, site: { ...site, consent: 'ask' } }).find(({ id }) => id.startsWith('consent-missing'))
    expect(patched(wiring, asking).tags.find(({ id }) => id === 'sale')).not.toHaveProperty('consent')
  })

  it.each<[kind: string, goal: object, wrong: ReturnType<typeof visit>[], right: ReturnType<typeof visit>[]]>([
    ['reached-without-step', { count: 'visit' }, [...ORDINARY(), ...times(5, () => visit(3, '/thanks'))], ORDINARY()],
    ['reloads-count', { count: 'every' }, times(20, () => visit(2, '/form', '/thanks', '/thanks')), times(20, () => visit(2, '/form', '/thanks'))],
    ['order-missing', { count: 'order' }, times(20, () => visit(2, '/form', '/thanks')), ORDINARY()],
    ['order-repeated', { count: 'visit' }, times(20, () => visit(2, '/form', ['/thanks', { order: 'same' }])), ORDINARY()],
    ['worth-nothing', { category: 'purchase' }, ORDINARY(), []],
    ['fell-to-zero', {}, times(20, () => visit(12, '/form', '/thanks')), times(20, (index) => visit(1 + index, '/form', '/thanks'))],
    ['misses-narrowly-goal', {}, times(20, () => visit(2, '/form', '/Thanks/')), ORDINARY()],
  ])('finds %s of a goal', (kind, more, wrong, right) => {
    const goal = { kind: { type: 'page', where: where(['path', 'is', '/thanks']) }, ...more }
    expect(kinds(findings({ goals: [goal], visits: wrong }))).toContain(kind)
    expect(kinds(findings({ goals: [goal], visits: right }))).not.toContain(kind)
  })

  it('mends a goal so that it is found no more', () => {
    const goal = { kind: { type: 'page', where: where(['path', 'is', '/thanks']) }, count: 'every' }
    const visits = [...times(20, () => visit(2, '/form', '/thanks', '/thanks')), ...times(5, () => visit(3, '/thanks'))]
    for (const kind of ['reloads-count', 'reached-without-step']) {
      const finding = findings({ goals: [goal], visits }).find(({ id }) => id.startsWith(kind))
      if (finding?.mend.type !== 'goal') throw new Error('No goal to save.')
      expect(kinds(findings({ goals: [finding.mend.goal], visits }))).not.toContain(kind)
    }
  })

  it.each(['formId', 'formName', 'formAction'])('finds forms that are sent but seldom accepted, if a goal counts each sending; known by %s', (part) => {
    const goal = { kind: { type: 'event', event: 'form-sent', where: where([`data.${part}`, 'is', 'ask']) } }
    const sent: Step = ['/form', { name: 'form-sent', data: { [part]: 'ask' } }]
    const visits = [...times(20, () => visit(2, '/form', sent)), ...times(5, () => visit(2, '/form', sent, '/thanks'))]
    expect(kinds(findings({ goals: [goal], visits }))).toContain('hardly-accepted')
    expect(kinds(findings({ goals: [], visits }))).not.toContain('hardly-accepted')
    expect(kinds(findings({ goals: [goal], visits: times(25, () => visit(2, '/form', sent, '/thanks')) }))).not.toContain('hardly-accepted')
  })

  it('finds a page that is no longer reached', () => {
    expect(kinds(findings({ visits: [...times(10, () => visit(60, '/thanks')), ...times(30, () => visit(2, '/'))] }))).toContain('no-longer-seen')
    expect(kinds(findings({ visits: [...times(10, () => visit(60, '/thanks')), ...ORDINARY()] }))).not.toContain('no-longer-seen')
  })

  it('finds what is wrong with the site around it', () => {
    const page = (url: string, ...each: ('present' | 'missing' | 'twice')[]) => ({ url, status: 200, title: null, findings: each, detail: null })
    const around = findings({
      pages: [
        page('https://altolucero.example/', 'present'),
        page('https://altolucero.example/old', 'missing'),
        page('https://altolucero.example/two', 'twice'),
      ],
      refusedHosts: [{ host: 'copy.example', events: 12 }],
      claims: [{ channel: 'lamp', claimed: 40, counted: 20 }],
      draftChangedAt: NOW - 9 * 86_400_000,
    })
    expect(kinds(around)).toEqual(['pages-without-loader', 'unknown-host', 'claim-differs', 'loader-twice', 'old-draft'])
    expect(around.find(({ id }) => id.startsWith('unknown-host'))?.mend).toMatchObject({ settings: { hosts: ['altolucero.example', 'copy.example'] } })
    const fine = findings({
      pages: [page('https://altolucero.example/', 'present')],
      claims: [{ channel: 'lamp', claimed: 24, counted: 20 }],
      draftChangedAt: NOW - 86_400_000,
    })
    expect(fine).toEqual([])
  })

  it('finds what traffic gives away: referrers, lost campaigns, personal data, failing tags', () => {
    const visits = [
      ...ORDINARY(),
      ...times(35, () => visit(3, ['/', { referrer: 'https://starry.example/list' }])),
      ...times(6, () => visit(3, '/?beam=abc')),
      ...times(6, () => visit(3, '/?utm_campaign=autumn')),
      visit(3, '/?mail=lucia%40altolucero.example'),
      visit(3, ['/', { name: 'tag-failed', data: { tag: 'sale', message: 'x is not defined' } }]),
    ]
    const found = findings({ visits })
    expect(kinds(found).sort()).toEqual(['large-referrer', 'personal-data', 'tag-throws', 'untagged-campaign'])
    expect(found.find(({ id }) => id === 'untagged-campaign beam')?.mend).toMatchObject({
      settings: { clickIds: [{ parameter: 'beam', source: 'lamp', medium: 'cpc' }] },
    })
    const known = {
      ...site,
      clickIds: [{ parameter: 'beam', source: 'lamp', medium: 'cpc' }],
      sourceRules: [{ host: 'starry.example', source: 'starry', medium: 'referral' }],
    }
    expect(kinds(findings({ visits: visits.slice(0, 71), site: known }))).toEqual([])
  })

  it('removes a trigger together with what waits for it', () => {
    const wiring = wiringSchema.parse(WIRED)
    const { triggers, tags } = applyPatch(wiring, { triggers: { thanks: null } })
    expect(triggers.map(({ id }) => id)).toEqual(['everywhere'])
    expect(tags.find(({ id }) => id === 'sale')?.triggers).toEqual([])
  })
})
