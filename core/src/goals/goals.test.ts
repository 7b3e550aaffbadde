import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import type { SourceSettings } from '../sources/sourceOf.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { Backtest, type BacktestResult } from './Backtest.js'
import { countGoal } from './countGoal.js'
import { goalSchema } from './goalSchema.js'
import { prepareGoal } from './prepareGoal.js'

const site: SourceSettings = { hosts: ['a.example'], passThroughHosts: [], sourceRules: [], clickIds: [] }
const money = { currency: 'EUR', rates: { USD: '0.5' } }
const where = (path: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value: path }] }] })
const page = (path: string): object => ({ type: 'page', where: where(path) })
const goalOf = (given: object): ReturnType<typeof prepareGoal> => prepareGoal(goalSchema.parse({ name: 'Goal', count: 'every', ...given }), money)
const START = Date.parse('2026-05-04T10:00:00Z')
const event = (second: number, path: string, more: Partial<LoggedEvent> = {}): LoggedEvent => ({
  uid: `u${String(second).padStart(6, '0')}`,
  at: START + second * 1000,
  name: 'page-view',
  url: `https://a.example${path}`,
  ...more,
})
const countOf = (given: object, events: LoggedEvent[]): number[] =>
  countGoal(goalOf(given), deriveVisits(events, site)).conversions.map((each) => (each.event.at - START) / 1000)
const LATER = 3600

describe('kinds', () => {
  it('page counts page views only', () => {
    expect(countOf({ kind: page('/t') }, [event(0, '/t'), event(1, '/t', { name: 'form-sent' }), event(2, '/T')])).toEqual([0, 2])
  })
  it('event takes its name exactly', () => {
    expect(countOf({ kind: { type: 'event', event: 'form-sent' } }, [event(0, '/', { name: 'form-sent' }), event(1, '/', { name: 'Form-Sent' })])).toEqual([0])
  })
  it('time is the first event at which the visit has lasted that long', () => {
    expect(countOf({ kind: { type: 'time', seconds: 60 } }, [event(0, '/'), event(59, '/'), event(60, '/'), event(90, '/'), event(LATER, '/')])).toEqual([60])
  })
  it('depth is the nth page view of the visit', () => {
    expect(
      countOf({ kind: { type: 'depth', pages: 2 } }, [event(0, '/'), event(1, '/', { name: 'x' }), event(2, '/'), event(3, '/'), event(LATER, '/')]),
    ).toEqual([2])
  })
  it('return is the first event of the nth visit and of each later one', () => {
    const events = [event(0, '/'), event(1, '/'), event(LATER, '/', { name: 'x' }), event(LATER + 1, '/'), event(2 * LATER, '/'), event(3 * LATER, '/')]
    expect(countOf({ kind: { type: 'return', visits: 2 } }, events)).toEqual([LATER, 2 * LATER, 3 * LATER])
    expect(countOf({ kind: { type: 'return', visits: 3 }, count: 'visitor' }, events)).toEqual([2 * LATER])
  })
})

describe('the path', () => {
  const path = [
    { name: 'A', where: where('/a'), required: true },
    { name: 'Maybe', where: where('/m') },
    { name: 'B', where: where('/b'), required: true },
  ]
  it('wants its required steps before, in order, others may lie between', () => {
    expect(countOf({ kind: page('/t'), path }, [event(0, '/a'), event(1, '/x'), event(2, '/b'), event(3, '/t')])).toEqual([3])
    expect(countOf({ kind: page('/t'), path }, [event(0, '/b'), event(1, '/a'), event(2, '/t')])).toEqual([])
  })
  it('wants a different event for each step, the goal’s own included', () => {
    const twice = [
      { name: 'A', where: where('/a'), required: true },
      { name: 'A', where: where('/a'), required: true },
    ]
    expect(countOf({ kind: page('/a'), path: twice }, [event(0, '/a'), event(1, '/a'), event(2, '/a')])).toEqual([2])
  })
  it('wants them in the same visit', () => {
    expect(countOf({ kind: page('/t'), path }, [event(0, '/a'), event(1, '/b'), event(LATER, '/t')])).toEqual([])
  })
  it('comes before the count rule: the first event of a visit may fail and the second count', () => {
    expect(countOf({ kind: page('/t'), path, count: 'visit' }, [event(0, '/t'), event(1, '/a'), event(2, '/b'), event(3, '/t'), event(4, '/t')])).toEqual([3])
  })
})

describe('count rules', () => {
  const events = [
    event(0, '/t', { order: 'Q1' }),
    event(1, '/t', { order: 'Q1' }),
    event(2, '/t'),
    event(3, '/t'),
    event(LATER, '/t', { order: 'Q2' }),
    event(LATER + 1, '/t', { order: 'Q1' }),
    event(LATER + 2, '/t', { order: '' }),
  ]
  it.each([
    ['every', [0, 1, 2, 3, LATER, LATER + 1, LATER + 2]],
    ['visit', [0, LATER]],
    ['visitor', [0]],
    ['order', [0, 2, LATER, LATER + 2]],
  ])('%s', (count, expected) => expect(countOf({ kind: page('/t'), count }, events)).toEqual(expected))
})

describe('values', () => {
  const worthOf = (value: object, more: Partial<LoggedEvent>): unknown => {
    const [conversion] = countGoal(goalOf({ kind: page('/t'), value }), deriveVisits([event(0, '/t', more)], site)).conversions
    return [conversion?.amount, conversion?.currency, conversion?.value]
  }
  const reading = { type: 'reading', reading: 'value', fallback: 18 }
  it.each<[object, Partial<LoggedEvent>, unknown]>([
    [{ type: 'none' }, { value: 5 }, [0, 'EUR', 0]],
    [{ type: 'fixed', amount: '2.5' }, { currency: 'USD' }, [25_000, 'EUR', 25_000]],
    [reading, { value: 36 }, [360_000, 'EUR', 360_000]],
    [reading, { value: 36, currency: 'USD' }, [360_000, 'USD', 180_000]],
    [reading, { value: 36, currency: 'CLP' }, [360_000, 'CLP', null]],
    [reading, { value: 36, currency: 'constructor' }, [360_000, 'constructor', null]],
    [reading, { currency: 'USD' }, [180_000, 'EUR', 180_000]],
    [{ ...reading, reading: 'data.total' }, { data: { total: '1,50' } }, [180_000, 'EUR', 180_000]],
    [{ ...reading, reading: 'data.total' }, { data: { total: ' 1.50 ' } }, [15_000, 'EUR', 15_000]],
  ])('%j of %j', (value, more, expected) => expect(worthOf(value, more)).toEqual(expected))
})

describe('a backtest', () => {
  const calendar = calendarOf('UTC')
  const range = { from: Date.parse('2026-05-04T00:00:00Z'), to: Date.parse('2026-05-06T00:00:00Z') }
  const run = (given: object, visitors: Record<string, LoggedEvent[]>): BacktestResult => {
    const backtest = new Backtest(goalOf(given), range, calendar)
    for (const [visitor, events] of Object.entries(visitors)) backtest.addVisitor(visitor, deriveVisits(events, site))
    return backtest.result()
  }
  const DAY = 86_400

  it('gives an order to the visitor who had it first, whoever is added first', () => {
    const visitors = { late: [event(10, '/t', { order: 'Q', uid: 'b' })], early: [event(5, '/t', { order: 'Q', uid: 'a' })] }
    expect(run({ kind: page('/t'), count: 'order' }, visitors)).toMatchObject({
      conversions: 1,
      convertingVisits: 1,
      visits: 2,
      examples: [{ visitor: 'early' }],
    })
  })

  it('sees what came before the range: the first ever of a visitor may lie there', () => {
    const visitors = { v: [event(-DAY, '/t'), event(0, '/t')] }
    expect(run({ kind: page('/t'), count: 'visitor' }, visitors)).toMatchObject({ conversions: 0, visits: 1, convertingVisits: 0, rate: 0 })
  })

  it('counts a visit by its start and a conversion by its event', () => {
    const lastMinute = (range.to - START) / 1000 - 60
    const visitors = { v: [event(lastMinute, '/'), event(lastMinute + 120, '/t')] }
    expect(run({ kind: page('/t') }, visitors)).toMatchObject({ conversions: 0, visits: 1, convertingVisits: 1, rate: 1 })
  })

  it('has no rate without visits, and every day of the range', () => {
    expect(run({ kind: page('/t') }, {})).toMatchObject({ rate: null, daily: [{ day: '2026-05-04' }, { day: '2026-05-05' }] })
  })

  it('adds up: days to the whole, each part to at most the one before', () => {
    const arbitrary = fc.array(
      fc.record({
        visitor: fc.constantFrom('a', 'b', 'c'),
        second: fc.integer({ min: -DAY, max: 3 * DAY }),
        path: fc.constantFrom('/', '/a', '/t'),
        order: fc.constantFrom('', 'Q1', 'Q2'),
        value: fc.integer({ min: -50, max: 50 }),
      }),
      { maxLength: 60 },
    )
    fc.assert(
      fc.property(arbitrary, fc.constantFrom('every', 'visit', 'visitor', 'order'), fc.boolean(), (given, count, required) => {
        const visitors: Record<string, LoggedEvent[]> = {}
        for (const [index, { visitor, second, path, order, value }] of given.entries())
          (visitors[visitor] ??= []).push(event(second, path, { uid: `u${index}`, order, value }))
        const result = run(
          { kind: page('/t'), count, value: { type: 'reading', reading: 'value' }, path: [{ name: 'A', where: where('/a'), required }] },
          visitors,
        )
        expect(result.daily.reduce((sum, day) => sum + day.conversions, 0)).toBe(result.conversions)
        expect(result.daily.reduce((sum, day) => sum + day.value, 0)).toBe(result.value)
        expect(result.parts.kind).toBeGreaterThanOrEqual(result.parts.path)
        expect(result.parts.path).toBeGreaterThanOrEqual(result.parts.count)
        expect(result.convertingVisits).toBeLessThanOrEqual(result.visits)
        const reversed = run(
          { kind: page('/t'), count, value: { type: 'reading', reading: 'value' }, path: [{ name: 'A', where: where('/a'), required }] },
          Object.fromEntries(
            Object.entries(visitors)
              .reverse()
              .map(([visitor, events]) => [visitor, [...events].reverse()]),
          ),
        )
        expect(reversed).toEqual(result)
      }),
    )
  })
})
