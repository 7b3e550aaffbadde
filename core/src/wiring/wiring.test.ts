import { describe, expect, it } from 'vitest'
import type { Channel } from '../recipes/channelSchema.js'
import { fillAddress, fillTemplate } from '../recipes/fillTemplate.js'
import { recipeSchema } from '../recipes/recipeSchema.js'
import { compileWiring, releaseErrors } from './compileWiring.js'
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

describe('compiling a release', () => {
  it('keeps what can fire, base calls first, with ids filled in', () => {
    expect(compileWiring(document).map((tag) => [tag.id, tag.values])).toEqual([
      ['base', { 'id.account': 'LN-204518' }],
      ['event', { 'id.account': 'LN-204518', event: 'sale' }],
    ])
  })
  it('is refused with words for whoever has to mend it', () => {
    expect(releaseErrors(document)).toEqual([])
    expect(releaseErrors({ ...document, channels: [{ ...channel, ids: {} }] })[0]?.message).toContain('Lantern number is missing; it looks like LN-204518')
    expect(releaseErrors({ ...document, channels: [] })[0]?.message).toContain('"Night booked" reports to a channel that does not exist')
  })
})

describe('a wiring', () => {
  it('cannot use an id twice or a trigger that is not there', () => {
    const [first] = wiring.triggers
    expect(wiringSchema.safeParse({ ...wiring, triggers: [first, first] }).success).toBe(false)
    expect(wiringSchema.safeParse({ ...wiring, triggers: [] }).success).toBe(false)
  })
})

describe('differences', () => {
  it('are sentences', () => {
    const [any, last] = wiring.triggers
    const after = { triggers: [any, { ...last, where: { any: [] } }], tags: wiring.tags.filter((tag) => tag.id !== 'base') }
    expect(wiringDifferences(wiring, wiringSchema.parse(after), [channel], 'EUR')).toEqual([
      { change: 'changed', what: 'trigger', id: 'receipt', from: 'When a page is viewed whose path is /nights/thanks', to: 'When a page is viewed, any page' },
      { change: 'removed', what: 'tag', id: 'base', from: 'Base: When a page is viewed, any page, then tell Farola Search that the page was viewed' },
    ])
  })
})

describe('templates', () => {
  it('keep the type of a whole placeholder and leave out what is absent', () => {
    expect(fillTemplate(['{event}', { worth: '{value}', in: '{currency}', note: 'for {event}' }], { event: 'sale', value: 18 })).toEqual([
      'sale',
      { worth: 18, note: 'for sale' },
    ])
    expect(fillAddress('https://a.example/p.gif?e={event}&v={value}', { event: 'a&b' })).toBe('https://a.example/p.gif?e=a%26b&v=')
  })
})
