import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { FunnelRun, type FunnelResult, type Listing } from './FunnelRun.js'
import { funnelSchema } from './funnelSchema.js'

const START = Date.UTC(2026, 4, 4)
const MINUTE = 60_000
const DAY = 86_400_000
const site = { hosts: [], passThroughHosts: [], sourceRules: [], clickIds: [] }
const calendar = calendarOf('UTC')
let number = 0
const view = (minute: number, path: string, more: Partial<LoggedEvent> = {}): LoggedEvent => ({
  uid: `e${String(number++).padStart(6, '0')}`,
  at: START + minute * MINUTE,
  name: 'page-view',
  url: `https://altolucero.example${path}`,
  ...more,
})
const step = (path: string, more: object = {}): object => ({ name: path, where: { any: [{ all: [{ reading: 'path', op: 'is', value: path }] }] }, ...more })
function run(
  funnel: object,
  visitors: LoggedEvent[][],
  { days = 7, split, listing, returns }: { days?: number; split?: 'source' | 'weekday' | 'path'; listing?: Listing; returns?: boolean } = {},
): FunnelRun {
  const one = new FunnelRun(funnelSchema.parse(funnel), { from: START, to: START + days * DAY }, calendar, split, listing, returns)
  visitors.forEach((events, index) => one.addVisitor(`visitor-${index}`, deriveVisits(events, site)))
  return one
}
const numbers = (result: Pick<FunnelResult, 'steps'>): number[][] =>
  result.steps.map(({ entered, arrived, continued, left }) => [entered, arrived, continued, left])
const FUNNEL = { steps: [step('/offer'), step('/form'), step('/thanks')] }

describe('a funnel', () => {
  it('counts each visit once, the earliest event for the first step, then the earliest later one for the next', () => {
    const result = run(FUNNEL, [
      [view(0, '/offer'), view(1, '/about'), view(2, '/form'), view(4, '/thanks')],
      [view(0, '/thanks'), view(1, '/offer'), view(3, '/form'), view(5, '/form')],
      [view(0, '/form'), view(1, '/thanks')],
      [view(0, '/offer'), view(1, '/shop'), view(90, '/offer'), view(91, '/form')],
    ]).result()
    expect(numbers(result)).toEqual([
      [4, 0, 3, 1],
      [0, 3, 1, 2],
      [0, 1, 0, 0],
    ])
    expect(result.completed).toBe(1)
    expect(result.steps.map((each) => each.rate)).toEqual([0.75, 1 / 3, null])
    expect(result.steps.map((each) => each.medianSeconds)).toEqual([120, 120, null])
    expect(result.steps.map((each) => each.leftTo)).toEqual([
      [{ path: '/shop', count: 1 }],
      [
        { path: '/form', count: 1 },
        { path: null, count: 1 },
      ],
      [],
    ])
  })

  it('asks of a direct step to be the very next page, and tries once', () => {
    const direct = { steps: [step('/offer'), step('/form', { direct: true })] }
    const result = run(direct, [
      [view(0, '/offer'), view(1, '/x', { name: 'click' }), view(2, '/form')],
      [view(0, '/offer'), view(1, '/about'), view(2, '/form')],
      [view(0, '/offer'), view(1, '/offer'), view(2, '/form')],
    ]).result()
    expect(numbers(result)[0]).toEqual([3, 0, 1, 2])
  })

  it('refuses a direct first step, and one that is no page view', () => {
    expect(funnelSchema.safeParse({ steps: [step('/a', { direct: true })] }).success).toBe(false)
    expect(funnelSchema.safeParse({ steps: [step('/a'), step('/b', { direct: true, event: 'click' })] }).success).toBe(false)
    expect(funnelSchema.safeParse({ steps: Array.from({ length: 13 }, () => step('/a')) }).success).toBe(false)
  })

  it('lets a visit join at any step, where that is wanted', () => {
    const result = run({ ...FUNNEL, entry: 'any' }, [
      [view(0, '/form'), view(1, '/thanks'), view(2, '/offer')],
      [view(0, '/offer'), view(1, '/form')],
      [view(0, '/thanks')],
      [view(0, '/about')],
    ]).result()
    expect(numbers(result)).toEqual([
      [1, 0, 1, 0],
      [1, 1, 1, 1],
      [1, 1, 0, 0],
    ])
    expect(result.completed).toBe(2)
  })

  it('belongs to the range by its first step met', () => {
    const before = -10
    expect(run(FUNNEL, [[view(before, '/offer'), view(5, '/offer'), view(6, '/form')]]).result().steps[0]?.entered).toBe(0)
    expect(run(FUNNEL, [[view(before, '/about'), view(5, '/offer')]]).result().steps[0]?.entered).toBe(1)
    expect(numbers(run(FUNNEL, [[view(7 * 1440 - 1, '/offer'), view(7 * 1440 + 5, '/form')]]).result())[0]).toEqual([1, 0, 1, 0])
  })

  it('follows a visitor over visits for so many days, the last moment included, also after the range', () => {
    const funnel = { ...FUNNEL, scope: { visitorDays: 2 } }
    const result = run(
      funnel,
      [
        [view(-60, '/offer'), view(60, '/offer'), view(60 + 2 * 1440, '/form'), view(61 + 2 * 1440, '/thanks')],
        [view(0, '/offer'), view(1440, '/form'), view(2000, '/thanks'), view(2100, '/offer')],
        [view(1430, '/offer'), view(1430 + 2880, '/form'), view(1430 + 2881, '/thanks')],
      ],
      { days: 1 },
    ).result()
    expect(numbers(result)).toEqual([
      [3, 0, 3, 0],
      [0, 3, 1, 2],
      [0, 1, 0, 0],
    ])
    expect(result.steps[1]?.leftTo).toEqual([{ path: '/thanks', count: 2 }])
  })

  it('tells who left came back later and met what was missing', () => {
    const result = run(
      FUNNEL,
      [
        [view(0, '/offer'), view(300, '/form'), view(301, '/thanks')],
        [view(0, '/offer'), view(300, '/thanks')],
      ],
      { returns: true },
    ).result()
    expect(result.steps.map((each) => each.cameBack)).toEqual([1, 0, 0])
  })

  it('is told apart by the visit of the first step met', () => {
    const result = run(
      FUNNEL,
      [
        [view(0, '/offer?utm_source=Farola'), view(1, '/form')],
        [view(0, '/offer?utm_source=farola')],
        [view(0, '/offer'), view(5, '/offer?utm_source=vela'), view(6, '/form')],
      ],
      { split: 'source' },
    ).result()
    expect(result.split?.map(({ key, completed, steps }) => [key, completed, steps[0]?.entered, steps[1]?.arrived])).toEqual([
      ['farola', 0, 2, 1],
      ['direct', 0, 1, 0],
      ['vela', 0, 1, 1],
    ])
  })

  it('lists the visits behind each number', () => {
    const visitors = [[view(0, '/offer'), view(2, '/form'), view(4, '/thanks')], [view(10, '/offer'), view(12, '/shop')], [view(20, '/offer')]]
    const listed = (listing: Listing): string[] =>
      run(FUNNEL, visitors, { listing })
        .visits()
        .map((each) => each.visitor)
    expect(listed({ step: 0, what: 'entered' })).toEqual(['visitor-2', 'visitor-1', 'visitor-0'])
    expect(listed({ step: 0, what: 'left' })).toEqual(['visitor-2', 'visitor-1'])
    expect(listed({ step: 0, what: 'left', to: null })).toEqual(['visitor-2'])
    expect(listed({ step: 0, what: 'left', to: '/shop' })).toEqual(['visitor-1'])
    expect(listed({ step: 2, what: 'completed' })).toEqual(['visitor-0'])
  })
})

/** The contract read again, one visit at a time, without looking at how it is built. */
function byHand(events: LoggedEvent[], steps: { path: string; direct: boolean }[], entry: 'first' | 'any'): number[] {
  const is = (at: number, which: number): boolean => new URL(events[at]!.url).pathname === steps[which]!.path
  const path: number[] = steps.map(() => -1)
  let at = -1
  let current = -1
  for (let index = 0; index < events.length && current < 0; index++)
    for (let which = 0; which < (entry === 'any' ? steps.length : 1) && current < 0; which++)
      if (is(index, which)) {
        current = which
        at = index
        path[which] = index
      }
  if (current < 0) return path
  for (let which = current + 1; which < steps.length; which++) {
    const rest = events.map((_, index) => index).filter((index) => index > at)
    const next = steps[which]!.direct ? rest.slice(0, 1).find((index) => is(index, which)) : rest.find((index) => is(index, which))
    if (next === undefined) break
    path[which] = at = next
  }
  return path
}

describe('of any funnel and any visits', () => {
  const paths = fc.constantFrom('/a', '/b', '/c', '/d')
  const steps = fc
    .array(fc.record({ path: paths, direct: fc.boolean() }), { minLength: 1, maxLength: 5 })
    .map((list) => list.map((each, index) => ({ ...each, direct: index > 0 && each.direct })))
  const visits = fc.array(fc.array(paths, { minLength: 1, maxLength: 9 }), { minLength: 1, maxLength: 8 })

  it('entered + arrived = continued + left on every step but the last, and it agrees with a reading by hand', () => {
    fc.assert(
      fc.property(steps, visits, fc.constantFrom('first' as const, 'any' as const), (list, walks, entry) => {
        const visitors = walks.map((walk) => walk.map((path, minute) => view(minute, path)))
        const result = run({ entry, steps: list.map(({ path, direct }) => step(path, { direct })) }, visitors, { split: 'weekday' }).result()
        for (const each of result.steps.slice(0, -1)) expect(each.entered + each.arrived).toBe(each.continued + each.left)
        const byHands = visitors.map((events) => byHand(events, list, entry))
        for (const [index, each] of result.steps.entries()) {
          expect(each.entered + each.arrived).toBe(byHands.filter((path) => path[index]! >= 0).length)
          expect(each.leftTo.reduce((sum, { count }) => sum + count, 0)).toBe(each.left)
          if (index) expect(each.arrived).toBe(result.steps[index - 1]?.continued)
        }
        expect(result.completed).toBe(byHands.filter((path) => path[list.length - 1]! >= 0).length)
        expect(result.split?.reduce((sum, part) => sum + part.completed, 0) ?? 0).toBe(result.completed)
      }),
      { numRuns: 400 },
    )
  })

  it('the order in which visitors are fed changes nothing', () => {
    fc.assert(
      fc.property(visits, (walks) => {
        const visitors = walks.map((walk) => walk.map((path, minute) => view(minute, path)))
        const one = run({ steps: [step('/a'), step('/b')] }, visitors).result()
        const other = run({ steps: [step('/a'), step('/b')] }, [...visitors].reverse()).result()
        expect(other).toEqual(one)
      }),
      { numRuns: 100 },
    )
  })
})
