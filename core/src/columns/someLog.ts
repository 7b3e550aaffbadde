import fc from 'fast-check'
import { calendarOf } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { goalSchema } from '../goals/goalSchema.js'
import { prepareGoal, type PreparedGoal } from '../goals/prepareGoal.js'
import type { PreparedRule } from '../rules/judge.js'
import { prepareRule } from '../rules/prepareRule.js'
import type { Rule } from '../rules/Rule.js'
import { deriveVisits, type Visit } from '../visits/deriveVisits.js'
import { ColumnBuilder } from './ColumnBuilder.js'
import type { ColumnPart, Columns } from './Columns.js'

/** Made-up logs for tests that hold columns to what is counted over visits. */
const START = Date.UTC(2026, 4, 4)
const DAY = 86_400_000
export const site = { hosts: ['altolucero.example'], passThroughHosts: [], sourceRules: [], clickIds: [] }
export const calendar = calendarOf('Europe/Madrid')
export const range = { from: START, to: START + 5 * DAY }
const PHONE = 'Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.0 Mobile/15E148 Safari/604.1'
const DESKTOP = 'Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0'
let number = 0

/** Events as the log may hold them: many on few pages, odd texts, long pauses, the same instant twice. */
export const someEvents = fc
  .array(
    fc.record({
      minute: fc.integer({ min: -1440, max: 8 * 1440 }),
      name: fc.constantFrom('page-view', 'page-view', 'page-view', 'page-view', 'form-sent', 'click', 'order-cancelled', 'order-refunded', 'tag-failed'),
      path: fc.constantFrom('/a', '/b', '/c', '/A/', '/%C3%A9'),
      query: fc.constantFrom('', '', '?utm_source=farola', '?utm_source=vela&utm_campaign=x', '?q=1#top', '#end'),
      title: fc.constantFrom(undefined, 'Home', ''),
      referrer: fc.constantFrom(undefined, 'https://starry.example/', 'https://altolucero.example/a'),
      value: fc.constantFrom(undefined, 0, 18, 36.5),
      currency: fc.constantFrom(undefined, 'EUR', 'USD', 'CLP'),
      order: fc.constantFrom(undefined, 'Q1', 'Q2', 'q1'),
      data: fc.constantFrom<LoggedEvent['data'][]>(undefined, { formId: 'ask' }, { formId: 'book', seats: 2 }, { tag: 'farola' }),
      fired: fc.constantFrom<string[][]>([], ['farola'], ['farola', 'vela']),
      userAgent: fc.constantFrom(undefined, PHONE, DESKTOP),
      place: fc.constantFrom<LoggedEvent['place'][]>(
        undefined,
        { country: 'CL', region: null, city: null, language: 'es' },
        { country: 'ES', region: null, city: null, language: 'es' },
      ),
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
/** Goals of every kind, with every count rule, and triggers that wait for one. */
export const someGoal = fc
  .record({
    kind,
    count: fc.constantFrom('every', 'visit', 'visitor', 'order'),
    value,
    steps: fc.array(someRule, { maxLength: 2 }),
    only: fc.option(fc.record({ where: someRule, except: someRule }), { freq: 3 }),
  })
  .map(({ steps, only, ...its }): PreparedGoal => {
    const path = steps.map((where, index) => ({ name: `${index}`, where, required: index === 0 }))
    const goal = prepareGoal(goalSchema.parse({ name: 'Goal', ...its, path }), { currency: 'EUR', rates: { USD: '0.92' } })
    const prepared = (rule: object): PreparedRule => prepareRule(rule as Rule)
    return only ? { ...goal, only: { where: prepared(only.where), except: prepared(only.except) } } : goal
  })

/** A log as columns in two parts, one visitor marked as changed and beside them. */
export interface DividedLog {
  columns: Columns
  parts: ColumnPart[]
  beside: Visit[]
}

/** Divides a log at any visitor. */
export function divided(visitors: readonly LoggedEvent[][], cut: number): DividedLog {
  const skip = new Uint8Array(visitors.length)
  skip[0] = 1
  const middle = Math.min(cut, visitors.length)
  const parts = [
    { from: 0, to: middle, skip },
    { from: middle, to: visitors.length, skip },
  ]
  return { columns: columnsOf(visitors), parts, beside: deriveVisits(visitors[0] ?? [], site) }
}
