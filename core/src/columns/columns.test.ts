import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { FunnelRun } from '../funnels/FunnelRun.js'
import { funnelSchema } from '../funnels/funnelSchema.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { ColumnBuilder } from './ColumnBuilder.js'
import { Backtest } from '../goals/Backtest.js'
import { goalSchema } from '../goals/goalSchema.js'
import { prepareGoal } from '../goals/prepareGoal.js'
import { columnBacktest, mergeBacktests } from './columnBacktest.js'
import { columnFunnel } from './columnFunnel.js'
import type { Columns } from './Columns.js'

const START = Date.UTC(2026, 4, 4)
const DAY = 86_400_000
const site = { hosts: ['altolucero.example'], passThroughHosts: [], sourceRules: [], clickIds: [] }
const calendar = calendarOf('Europe/Madrid')
const range = { from: START, to: START + 5 * DAY }
let number = 0

/** Events as the log may hold them: many on few pages, odd texts, long pauses, the same instant twice. */
export const someEvents = fc
  .array(
    fc.record({
      minute: fc.integer({ min: -1440, max: 8 * 1440 }),
      name: fc.constantFrom('page-view', 'page-view', 'page-view', 'page-view', 'form-sent', 'click', 'order-cancelled', 'order-refunded'),
      path: fc.constantFrom('/a', '/b', '/c', '/A/', '/%C3%A9'),
      query: fc.constantFrom('', '', '?utm_source=farola', '?utm_source=vela&utm_campaign=x', '?q=1#top', '#end'),
      title: fc.constantFrom(undefined, 'Home', ''),
      referrer: fc.constantFrom(undefined, 'https://starry.example/', 'https://altolucero.example/a'),
      value: fc.constantFrom(undefined, 0, 18, 36.5),
      currency: fc.constantFrom(undefined, 'EUR', 'USD', 'CLP'),
      order: fc.constantFrom(undefined, 'Q1', 'Q2', 'q1'),
      data: fc.constantFrom<LoggedEvent['data'][]>(undefined, { formId: 'ask' }, { formId: 'book', seats: 2 }),
    }),
    { minLength: 1, maxLength: 14 },
  )
  .map((list) =>
    list.map(({ minute, path, query, ...rest }): LoggedEvent => ({
      ...rest,
      uid: `u${String(number++ * 7919).padStart(9, '0')}`,
      at: START + minute * 60_000,
      url: `https://altolucero.example${path}${query}`,
    })),
  )
export const someVisitors = fc.array(someEvents, { minLength: 1, maxLength: 12 })

export function columnsOf(visitors: readonly LoggedEvent[][]): Columns {
  const builder = new ColumnBuilder()
  visitors.forEach((events, index) => builder.addVisitor(index + 1, deriveVisits(events, site)))
  return builder.finish()
}

const condition = fc.oneof(
  fc.record({ reading: fc.constant('path'), op: fc.constantFrom('is', 'contains', 'starts'), value: fc.constantFrom('/a', '/b', '/c') }),
  fc.record({
    reading: fc.constantFrom('source', 'query.utm_source', 'data.formId', 'title', 'order', 'currency', 'referrerHost'),
    op: fc.constantFrom('is', 'present'),
    value: fc.constantFrom('farola', 'ask', 'Home', 'q1', 'EUR'),
  }),
  fc.record({ reading: fc.constant('value'), op: fc.constantFrom('above', 'below'), value: fc.constant('18') }),
  fc.record({ reading: fc.constant('url'), op: fc.constant('ends'), value: fc.constantFrom('#end', '/b') }),
)
export const someRule = fc.array(fc.record({ all: fc.array(condition, { minLength: 1, maxLength: 2 }) }), { maxLength: 2 }).map((any) => ({ any }))

describe('over columns, a funnel', () => {
  it('counts exactly what it counts over visits, in any number of parts, and leaves out who is marked', () => {
    const step = fc.record({ event: fc.constantFrom('page-view', 'page-view', 'form-sent'), where: someRule, direct: fc.boolean() })
    fc.assert(
      fc.property(
        someVisitors,
        fc.array(step, { minLength: 1, maxLength: 4 }),
        fc.constantFrom('visit' as const, { visitorDays: 2 }),
        fc.constantFrom('first' as const, 'any' as const),
        fc.constantFrom(undefined, 'source' as const, 'landing' as const, 'weekday' as const, 'path' as const),
        fc.nat(12),
        (visitors, list, scope, entry, split, cut) => {
          const funnel = funnelSchema.parse({
            scope,
            entry,
            steps: list.map((each, index) => ({ ...each, direct: index > 0 && each.event === 'page-view' && each.direct })),
          })
          const whole = new FunnelRun(funnel, range, calendar, split, undefined, true)
          visitors.forEach((events, index) => whole.addVisitor(`v${index}`, deriveVisits(events, site)))

          const columns = columnsOf(visitors)
          const skip = new Uint8Array(visitors.length)
          skip[0] = 1
          const parts = new FunnelRun(funnel, range, calendar, split, undefined, true)
          const middle = Math.min(cut, visitors.length)
          for (const [from, to] of [
            [0, middle],
            [middle, visitors.length],
          ] as const)
            parts.merge(columnFunnel(columns, { from, to, skip }, funnel, range, calendar, split, true))
          parts.addVisitor('v0', deriveVisits(visitors[0] ?? [], site))
          const byKey = <T extends { split?: { key: unknown }[] }>(result: T): T => ({
            ...result,
            ...(result.split && { split: [...result.split].sort((a, b) => (String(a.key) < String(b.key) ? -1 : 1)) }),
          })
          expect(byKey(parts.result())).toEqual(byKey(whole.result()))
        },
      ),
      { numRuns: 200 },
    )
  })
})

describe('over columns, a goal', () => {
  it('is backtested exactly as over visits: count, value, days, near misses, addresses', () => {
    const kind = fc.oneof(
      fc.record({ type: fc.constant('page' as const), where: someRule }),
      fc.record({ type: fc.constant('event' as const), event: fc.constantFrom('form-sent', 'click', 'page-view'), where: someRule }),
      fc.record({ type: fc.constant('time' as const), seconds: fc.constantFrom(1, 600) }),
      fc.record({ type: fc.constant('depth' as const), pages: fc.constantFrom(1, 2) }),
      fc.record({ type: fc.constant('return' as const), visits: fc.constantFrom(2, 3) }),
    )
    const value = fc.oneof(
      fc.constant({ type: 'none' as const }),
      fc.constant({ type: 'fixed' as const, amount: 2.5 }),
      fc.record({ type: fc.constant('reading' as const), reading: fc.constantFrom('value', 'data.seats'), fallback: fc.constantFrom(0, 18) }),
    )
    fc.assert(
      fc.property(
        someVisitors,
        kind,
        fc.constantFrom('every' as const, 'visit' as const, 'visitor' as const, 'order' as const),
        value,
        fc.array(someRule, { maxLength: 2 }),
        fc.nat(12),
        (visitors, its, count, worth, steps, cut) => {
          const goal = prepareGoal(
            goalSchema.parse({
              name: 'Goal',
              kind: its,
              count,
              value: worth,
              path: steps.map((where, index) => ({ name: `${index}`, where, required: index === 0 })),
            }),
            { currency: 'EUR', rates: { USD: '0.92' } },
          )
          const whole = new Backtest(goal, range, calendar)
          visitors.forEach((events, index) => whole.addVisitor(`#${index + 1}`, deriveVisits(events, site)))
          const columns = columnsOf(visitors)
          const skip = new Uint8Array(visitors.length)
          skip[0] = 1
          const parts = new Backtest(goal, range, calendar)
          const middle = Math.min(cut, visitors.length)
          parts.addVisitor('#1', deriveVisits(visitors[0] ?? [], site))
          const made = [
            { from: 0, to: middle, skip },
            { from: middle, to: visitors.length, skip },
          ].map((part) => columnBacktest(columns, part, goal, range, calendar))
          mergeBacktests(columns, made, goal, range, calendar, parts)
          const sorted = <T extends { examples: object[] }>(result: T): T => ({
            ...result,
            examples: result.examples.map((each) => JSON.stringify(each)).sort(),
          })
          const [mine, theirs] = [sorted(parts.result()), sorted(whole.result())]
          // Of several at the same instant, either may be among the twenty latest.
          if (mine.conversions > 15) mine.examples = theirs.examples = []
          expect(mine).toEqual(theirs)
        },
      ),
      { numRuns: 250 },
    )
  })
})
