import { describe, expect, it } from 'vitest'
import { fillAddress, fillTemplate } from './fillTemplate.js'
import { idErrors } from './idErrors.js'
import { eventForCategory, recipeSchema, scriptHostsOf } from './recipeSchema.js'

const RECIPE = {
  recipe: 1,
  id: 'lamp',
  name: 'Lamp',
  ids: [
    { name: 'account', label: 'Account', pattern: '^L\\d{3}$', example: 'L123' },
    { name: 'place', label: 'Place', pattern: '^(north|south)$', example: 'north' },
  ],
  events: [
    { name: 'sale', label: 'Sale', categories: ['purchase', 'booking'] },
    { name: 'ask', label: 'Ask', categories: ['lead', 'booking'] },
  ],
  calls: {
    base: { label: 'Base', steps: [{ script: 'https://cdn.Lamp.example/l.js' }, { queue: 'lamp', push: ['{id.account}'] }] },
    event: { label: 'Event', steps: [{ script: 'https://cdn.lamp.example/e.js' }, { script: 'http://other.example:8080/x.js' }] },
  },
}
const changed = (more: object): boolean => recipeSchema.safeParse({ ...RECIPE, ...more }).success
const withStep = (step: object): boolean => changed({ calls: { event: { label: 'Event', steps: [step] } } })

describe('a recipe', () => {
  it('says from which hosts it loads scripts, each once', () => {
    expect(scriptHostsOf(recipeSchema.parse(RECIPE))).toEqual(['cdn.lamp.example', 'other.example:8080'])
  })

  it("knows the channel's own name for one of ours: the first that means it", () => {
    const recipe = recipeSchema.parse(RECIPE)
    expect(['purchase', 'lead', 'booking', 'download', undefined].map((category) => eventForCategory(recipe, category))).toEqual([
      'sale',
      'ask',
      'sale',
      undefined,
      undefined,
    ])
  })

  it.each<[string, object]>([
    ['no id', { id: '' }],
    ['an id with spaces', { id: 'my lamp' }],
    ['another version', { recipe: 2 }],
    ['a call without steps', { calls: { event: { label: 'Event', steps: [] } } }],
    ['a click id kept for years', { clickId: { parameter: 'p', days: 4000, source: 's', medium: 'm' } }],
    ['a status page of no web address', { statusPage: 'javascript:alert(1)' }],
  ])('with %s is refused', (_, more) => expect(changed(more)).toBe(false))

  it.each<[string, object]>([
    ['a script from a host that is filled in', { script: 'https://{id.account}.example/x.js' }],
    ['a script with a user name in front of the host', { script: 'https://lamp.example@evil.example/x.js' }],
    ['code instead of an address', { image: 'javascript:alert(1)' }],
    ['a queue that is no name', { queue: 'lamp; alert(1)', push: [] }],
    ['a method that pixels have no use for', { request: 'https://lamp.example/', method: 'DELETE' }],
    ['a step that nobody knows', { evaluate: 'alert(1)' }],
  ])('cannot have %s', (_, step) => expect(withStep(step)).toBe(false))
})

describe('ids of a channel', () => {
  const recipe = recipeSchema.parse(RECIPE)
  it('are right when they look as the recipe says', () => {
    expect(idErrors(recipe, { account: 'L123', place: 'south' })).toEqual([])
  })

  it('are told what is wrong, each by its name, with an example', () => {
    expect(idErrors(recipe, { account: 'X1' })).toEqual([
      { path: 'ids.account', message: 'Account does not look right; it looks like L123.' },
      { path: 'ids.place', message: 'Place is missing; it looks like north.' },
    ])
  })

  it('are compared with upper and lower case as written', () => {
    expect(idErrors(recipe, { account: 'l123', place: 'North' })).toHaveLength(2)
  })
})

describe('filling in', () => {
  const values: Record<string, string | number | Record<string, unknown> | undefined> = {
    value: 36.5,
    order: 'Q&7/ü',
    event: 'sale',
    extra: { seats: 2, 'a b': 'c&d' },
  }
  const value = (name: string): string | number | Record<string, unknown> | undefined => values[name]

  it('an address encodes whatever comes from the page, so that it cannot change where the request goes', () => {
    expect(fillAddress('https://lamp.example/e?o={order}&v={value}{extra}', value)).toBe('https://lamp.example/e?o=Q%267%2F%C3%BC&v=36.5&seats=2&a%20b=c%26d')
    expect(fillAddress('https://lamp.example/{missing}/x', value)).toBe('https://lamp.example//x')
  })

  it('a text keeps numbers as numbers where they stand alone, and leaves out what is absent', () => {
    expect(fillTemplate({ v: '{value}', t: 'worth {value}', m: '{missing}', n: { deep: ['{event}', '{missing}'] } }, value)).toEqual({
      v: 36.5,
      t: 'worth 36.5',
      n: { deep: ['sale', null] },
    })
  })

  it('a text is never taken for another placeholder, however it looks', () => {
    const sly = (name: string): string => (name === 'order' ? '{value} {order}' : 'x')
    expect(fillTemplate('{order}!', sly)).toBe('{value} {order}!')
  })

  it('members of "..." stand beside those that are written', () => {
    expect(fillTemplate({ a: 1, '...': '{extra}' }, value)).toEqual({ a: 1, seats: 2, 'a b': 'c&d' })
  })
})
