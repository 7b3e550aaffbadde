import { describe, expect, it } from 'vitest'
import type { Channel } from '../recipes/channelSchema.js'
import { fillAddress, fillTemplate } from '../recipes/fillTemplate.js'
import { recipeSchema } from '../recipes/recipeSchema.js'
import { compileWiring } from './compileWiring.js'
import { holdReason } from './holdReason.js'
import { eventNameOf, momentRule, watchOf } from './momentEvent.js'
import { mergeWirings } from './mergeWirings.js'
import { momentSchema } from './momentSchema.js'
import { relaySchema, relayTarget } from './relaySchema.js'
import { releaseErrors } from './releaseErrors.js'
import { wiringDifferences } from './wiringDifferences.js'
import { wiringSchema } from './wiringSchema.js'

const recipe = recipeSchema.parse({
  recipe: 1,
  id: 'farola-search',
  name: 'Farola Search',
  ids: [{ name: 'account', label: 'Lantern number', pattern: '^LN-[0-9]{6}$', example: 'LN-204518' }],
  calls: {
    base: { label: 'Base', steps: [{ queue: 'farola', push: ['seen'] }] },
    event: { label: 'Event', needs: ['event'], steps: [{ queue: 'farola', push: ['told', '{event}', { worth: '{value}' }] }] },
  },
})
const channel: Channel = { id: 'c', name: 'Farola Search', recipe: 'farola-search', ids: { account: 'LN-204518' } }
const receipt = { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights/thanks' }] }] }
const event = { type: 'channel-event', channel: 'c', call: 'event', event: 'sale', value: { type: 'fixed', amount: 18 } }
const wiring = wiringSchema.parse({
  triggers: [
    { id: 'any', moment: { type: 'page-view' } },
    { id: 'receipt', moment: { type: 'page-view' }, where: receipt },
  ],
  tags: [
    { id: 'event', name: 'Night booked', triggers: ['receipt'], does: event },
    { id: 'base', name: 'Base', triggers: ['any'], does: { type: 'channel-event', channel: 'c', call: 'base' } },
    { id: 'paused', name: 'Paused', triggers: ['any'], paused: true, does: event },
    { id: 'loose', name: 'Loose', does: event },
  ],
})
const document = { wiring, channels: [channel], recipes: [recipe] }
const site = { currency: 'EUR', rates: {} }
const compiled = (changes: object): ReturnType<typeof compileWiring> =>
  compileWiring({ ...document, wiring: wiringSchema.parse({ ...wiring, ...changes }) }, [], site)

describe('compiling a release', () => {
  it('keeps what can fire, base calls first, with ids filled in', () => {
    expect(compileWiring(document, [], site).tags.map((tag) => [tag.id, tag.values])).toEqual([
      ['base', { 'id.account': 'LN-204518' }],
      ['event', { 'id.account': 'LN-204518', event: 'sale' }],
    ])
  })
  it('listens for every moment once, also where no tag waits for it', () => {
    const seen = { type: 'element-seen', selector: '#lodge' }
    const { listen, triggers } = compiled({
      triggers: [...wiring.triggers, { id: 'a', moment: seen }, { id: 'b', moment: seen, where: receipt }, { id: 'c', moment: { type: 'scroll', amount: 75 } }],
    })
    expect(listen.map((moment) => moment.type)).toEqual(['element-seen', 'scroll'])
    expect(triggers.map((trigger) => trigger.id)).toEqual(['any', 'receipt'])
  })
  it('brings along what "all of several" waits for', () => {
    const { triggers, together } = compiled({
      triggers: [...wiring.triggers, { id: 'sent', moment: { type: 'form-sent' } }, { id: 'both', moment: { type: 'all', triggers: ['receipt', 'sent'] } }],
      tags: [{ id: 't', name: 'Both', triggers: ['both'], does: event }],
    })
    expect(triggers.map((trigger) => trigger.id)).toEqual(['receipt', 'sent', 'both'])
    expect(together).toEqual([{ id: 'both', needs: ['receipt', 'sent'] }])
  })
  it('takes the channel’s own name for a category, and keeps its click id for its window', () => {
    const named = recipeSchema.parse({
      ...recipe,
      events: [{ name: 'sale', label: 'Sale', categories: ['booking'] }],
      clickId: { parameter: 'lantern', days: 40, source: 'farola', medium: 'cpc' },
    })
    const { tags, clicks } = compileWiring(
      {
        ...document,
        recipes: [named],
        wiring: wiringSchema.parse({ ...wiring, tags: [{ id: 't', name: 'T', triggers: ['any'], does: { ...event, event: undefined, category: 'booking' } }] }),
      },
      [],
      site,
    )
    expect(tags[0]?.values?.event).toBe('sale')
    expect(clicks).toEqual([{ parameter: 'lantern', days: 40 }])
  })
  it('says which own readings a tag takes at its moment, through tables too', () => {
    const readings = [
      { name: 'total', from: { type: 'element', selector: '#total' } },
      { name: 'plan', from: { type: 'table', reading: 'own.code', rows: [{ op: 'is', value: 'A', result: 'alpha' }] } },
      { name: 'code', from: { type: 'cookie', name: 'code' } },
      { name: 'unused', from: { type: 'constant', value: 'x' } },
    ]
    const tag = { id: 't', name: 'T', triggers: ['any'], does: { type: 'image', address: 'https://pixel.example/p.gif?v={own.total}&p={own.plan}' } }
    expect(compiled({ readings, tags: [tag] }).tags[0]?.uses?.sort()).toEqual(['code', 'plan', 'total'])
  })
  it('is refused with words for whoever has to mend it', () => {
    expect(releaseErrors(document, [], [])).toEqual([])
    const message = (changes: object): string | undefined => releaseErrors({ ...document, ...changes }, [], [])[0]?.message
    expect(message({ channels: [{ ...channel, ids: {} }] })).toContain('Lantern number is missing; it looks like LN-204518')
    expect(message({ channels: [] })).toContain('"Night booked" reports to a channel that does not exist')
    expect(message({ wiring: { ...wiring, triggers: [{ ...wiring.triggers[0], moment: { type: 'goal', goal: 'gone' } }] } })).toContain(
      'a goal that does not exist',
    )
    const loading = { ...recipe, calls: { ...recipe.calls, base: { label: 'Base', needs: [], steps: [{ script: 'https://cdn.farola.example/x.js' }] } } }
    expect(message({ recipes: [loading] })).toContain('scripts from cdn.farola.example, which the owner of the site has not allowed')
    expect(releaseErrors({ ...document, recipes: [loading] }, [], ['cdn.farola.example'])).toEqual([])
  })
})

describe('moments', () => {
  const moment = (given: object): ReturnType<typeof momentSchema.parse> => momentSchema.parse(given)
  it('of the same kind are told apart by what they watch', () => {
    const half = moment({ type: 'element-seen', selector: '#lodge' })
    const all = moment({ type: 'element-seen', selector: '#lodge', percent: 100 })
    expect(eventNameOf(half)).toBe('element-seen')
    expect(watchOf(half)).not.toBe(watchOf(all))
    expect(momentRule(half, [], 'x')).toEqual([[{ reading: 'data.watch', op: 'is', text: '#lodge 50% 0s page', caseSensitive: true }]])
  })
  it('add their own condition to every group of a rule', () => {
    const other = { reading: 'path', op: 'is' as const, text: '/' }
    expect(momentRule(moment({ type: 'click', on: 'link' }), [[other], [other, other]], 'x').map((group) => group.length)).toEqual([2, 3])
  })
})

describe('holding back', () => {
  const free = {
    now: 1000,
    consent: { none: true, statistics: true, marketing: true },
    fired: { page: false, visit: false, visitor: false },
    value: () => undefined,
  }
  it.each([
    [{ from: 2000 }, {}, 'too-early'],
    [{ to: 1000 }, {}, 'too-late'],
    [{ limit: 'visit' as const }, { fired: { page: true, visit: true, visitor: false } }, 'limit-visit'],
    [{ limit: 'page' as const }, { fired: { page: false, visit: true, visitor: true } }, null],
    [{ needs: ['order'] }, {}, 'needs'],
    [{ needs: ['order'] }, { value: () => 'Q-7' }, null],
    [{}, { consent: { none: true, statistics: true, marketing: false } }, 'consent'],
    [{ purpose: 'none' as const }, { consent: { none: true, statistics: false, marketing: false } }, null],
    [{}, {}, null],
  ])('%j in %j: %s', (tag, circumstances, reason) => {
    expect(holdReason({ purpose: 'marketing', ...tag }, { ...free, ...circumstances })).toBe(reason)
  })
})

describe('a relay link', () => {
  const relay = relaySchema.parse({
    name: 'lodge',
    targets: ['https://lodge.example/rooms?from=us', 'https://lodge.example/offers'],
    carry: ['utm_source', 'from'],
  })
  const target = (query: string): string => relayTarget(relay, new URLSearchParams(query))
  it('leads to its own targets only', () => {
    expect(target('')).toBe('https://lodge.example/rooms?from=us')
    expect(target('to=https://lodge.example/offers')).toBe('https://lodge.example/offers')
    expect(target('to=https://evil.example/')).toBe('https://lodge.example/rooms?from=us')
  })
  it('carries on what it may, encoded, and leaves what the target says itself', () => {
    expect(target('utm_source=a%26b&from=them&secret=1')).toBe('https://lodge.example/rooms?from=us&utm_source=a%26b')
  })
  it.each(['javascript:alert(1)', 'https://user@evil.example/', '//evil.example', 'https://lodge.example/a b'])('cannot lead to %s', (address) => {
    expect(relaySchema.safeParse({ name: 'lodge', targets: [address] }).success).toBe(false)
  })
})

describe('a wiring', () => {
  it('cannot use an id twice or a trigger that is not there', () => {
    const [first] = wiring.triggers
    expect(wiringSchema.safeParse({ ...wiring, triggers: [first, first] }).success).toBe(false)
    expect(wiringSchema.safeParse({ ...wiring, triggers: [] }).success).toBe(false)
  })
  it('cannot have tags that wait for each other in a ring', () => {
    const tags = ['a', 'b', 'c'].map((id, index) => ({ id, name: id, does: event, after: { tag: ['b', 'c', 'a'][index] } }))
    expect(wiringSchema.safeParse({ tags }).error?.issues[0]?.message).toContain('would wait for itself')
    expect(wiringSchema.safeParse({ tags: [tags[0], tags[1], { ...tags[2], after: undefined }] }).success).toBe(true)
  })
  it('cannot record an event under a name that Acequia uses', () => {
    const tag = { id: 'a', name: 'a', does: { type: 'own-event', name: 'page-view' } }
    expect(wiringSchema.safeParse({ tags: [tag] }).success).toBe(false)
  })
})

describe('two people at once', () => {
  const base = wiring
  const named = (name: string, tag: string, from = base): typeof base => ({
    ...from,
    tags: from.tags.map((each) => (each.id === tag ? { ...each, name } : each)),
  })
  it('both keep what they changed, where it does not collide', () => {
    const mine = { ...named('Mine', 'event'), triggers: [...base.triggers, { ...base.triggers[0], id: 'new' }] } as typeof base
    const theirs = { ...named('Theirs', 'base'), tags: named('Theirs', 'base').tags.filter((tag) => tag.id !== 'paused') }
    const { merged, collisions } = mergeWirings(base, mine, theirs)
    expect(collisions).toEqual([])
    expect(merged.triggers.map((trigger) => trigger.id)).toEqual(['any', 'receipt', 'new'])
    expect(merged.tags.map((tag) => tag.name)).toEqual(['Mine', 'Theirs', 'Loose'])
  })
  it('are told where it does, and theirs stays', () => {
    const { merged, collisions } = mergeWirings(base, named('Mine', 'event'), named('Theirs', 'event'))
    expect(collisions).toEqual([{ what: 'tag', id: 'event' }])
    expect(merged).toEqual(named('Theirs', 'event'))
    const removed = { ...base, tags: base.tags.filter((tag) => tag.id !== 'event') }
    expect(mergeWirings(base, named('Mine', 'event'), removed).collisions).toEqual([{ what: 'tag', id: 'event' }])
    expect(mergeWirings(base, named('Same', 'event'), named('Same', 'event')).collisions).toEqual([])
  })
})

describe('differences', () => {
  it('are sentences', () => {
    const [any, last] = wiring.triggers
    const after = {
      triggers: [any, { ...last, where: { any: [] } }],
      tags: wiring.tags.filter((tag) => tag.id !== 'base'),
      readings: [{ name: 'total', from: { type: 'element', selector: '#total' }, clean: { number: ',' } }],
    }
    expect(wiringDifferences(wiring, wiringSchema.parse(after), { channels: [channel], currency: 'EUR' })).toEqual([
      { change: 'changed', what: 'trigger', id: 'receipt', from: 'When a page is viewed whose path is /nights/thanks', to: 'When a page is viewed, any page' },
      { change: 'removed', what: 'tag', id: 'base', from: 'Base: When a page is viewed, any page, then tell Farola Search that the page was viewed' },
      { change: 'added', what: 'reading', id: 'total', to: 'own.total: the text of #total, as a number with a decimal comma' },
    ])
  })
})

describe('templates', () => {
  const values = (given: Record<string, string | number | Record<string, unknown>>) => (name: string) => given[name]
  it('keep the type of a whole placeholder, leave out what is absent, and spread what is extra', () => {
    const template = ['{event}', { worth: '{value}', in: '{currency}', note: 'for {event}', '...': '{extra}' }]
    expect(fillTemplate(template, values({ event: 'sale', value: 18, extra: { seats: '2' } }))).toEqual(['sale', { worth: 18, note: 'for sale', seats: '2' }])
    expect(fillAddress('https://a.example/p.gif?e={event}&v={value}{extra}', values({ event: 'a&b', extra: { 's t': 'ü' } }))).toBe(
      'https://a.example/p.gif?e=a%26b&v=&s%20t=%C3%BC',
    )
  })
})
