import { channelSchema } from '@acequia/core/recipes/channelSchema'
import { recipeSchema } from '@acequia/core/recipes/recipeSchema'
import { tagSchema, type TagAction } from '@acequia/core/wiring/tagSchema'
import { describe, expect, it } from 'vitest'
import { stepsSent } from './stepsSent'

const recipe = recipeSchema.parse({
  recipe: 1,
  id: 'lamp',
  name: 'Lamp',
  ids: [{ name: 'account', label: 'Account', pattern: '^L\\d+$', example: 'L1' }],
  events: [{ name: 'sale', label: 'Sale', categories: ['purchase'] }],
  calls: {
    base: { label: 'Base', steps: [{ script: 'https://lamp.example/l.js' }, { queue: 'lamp', push: ['init', '{id.account}'] }] },
    event: {
      label: 'Event',
      steps: [
        { queue: 'lamp', push: ['event', '{event}', { value: '{value}', currency: '{currency}', order: '{order}', '...': '{extra}' }] },
        { image: 'https://lamp.example/e?a={id.account}&v={value}&c={click}{extra}' },
        { request: 'https://lamp.example/r/{order}', body: { event: '{event}' } },
      ],
    },
  },
})
const channel = { id: 'lamp', ...channelSchema.parse({ name: 'Lamp', recipe: 'lamp', ids: { account: 'L7' } }) }
const tag = (does: object): TagAction => tagSchema.parse({ id: 't', name: 'T', triggers: ['x'], does }).does
const sale = (more: object = {}): TagAction => tag({ type: 'channel-event', channel: 'lamp', call: 'event', category: 'purchase', ...more })
const sent = (does: TagAction, example?: Parameters<typeof stepsSent>[3]): string[] =>
  stepsSent(does, channel, recipe, example, 'EUR').map(({ what, how }) => `${what} ${how}`)

describe('what a tag will send', () => {
  it("is shown with the channel's ids and the latest event of the site filled in", () => {
    expect(sent(sale({ value: { type: 'reading', reading: 'value' } }), { path: '/thanks', order: 'Q-1042', value: 54 })).toEqual([
      'calls lamp("event", "sale", {"value":54,"currency":"EUR","order":"Q-1042"})',
      'requests https://lamp.example/e?a=L7&v=54&c=c1f0a7',
      'sends POST to https://lamp.example/r/Q-1042 {"event":"sale"}',
    ])
  })

  it('is shown with an example where nothing was recorded yet', () => {
    expect(sent(sale({ value: { type: 'reading', reading: 'value' } }))[0]).toContain('"value":36')
  })

  it('carries a fixed amount as it is, and neither amount nor currency where there is none', () => {
    expect(sent(sale({ value: { type: 'fixed', amount: 9.5 } }))[0]).toContain('"value":9.5,"currency":"EUR"')
    expect(sent(sale({ value: { type: 'none' } }))[0]).toBe('calls lamp("event", "sale", {"order":"Q-7"})')
  })

  it('names the readings of extra parameters, since they are known on the page only', () => {
    const extra = [
      { name: 'seats', reading: 'own.seats' },
      { name: 'tier', text: 'gold & more' },
    ]
    const steps = sent(sale({ value: { type: 'none' }, extra }))
    expect(steps[0]).toContain('"seats":"‹own.seats›","tier":"gold & more"')
    expect(steps[1]).toContain('&tier=gold%20%26%20more')
  })

  it('loads a script before it is called', () => {
    expect(sent(tag({ type: 'channel-event', channel: 'lamp', call: 'base', value: { type: 'none' } }))).toEqual([
      'loads https://lamp.example/l.js',
      'calls lamp("init", "L7")',
    ])
  })

  it('is the address itself where the tag has one of its own', () => {
    expect(sent(tag({ type: 'image', address: 'https://count.example/i?o={order}&p={path}' }))).toEqual(['requests https://count.example/i?o=Q-7&p=%2F'])
    expect(sent(tag({ type: 'request', address: 'https://count.example/r', method: 'PUT', body: { o: '{order}' } }))).toEqual([
      'sends PUT to https://count.example/r {"o":"Q-7"}',
    ])
  })

  it('is nothing where nothing is to be seen: scripts of the marketer, or a channel that is gone', () => {
    expect(sent(tag({ type: 'script', code: 'console.log(1)' }))).toEqual([])
    expect(stepsSent(sale(), undefined, undefined, undefined, 'EUR')).toEqual([])
  })
})
