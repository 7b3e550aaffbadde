import { describe, expect, it } from 'vitest'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { countGoal } from './countGoal.js'
import { goalSchema } from './goalSchema.js'
import { prepareGoal } from './prepareGoal.js'

const goal = prepareGoal(goalSchema.parse({ name: 'Sale', kind: { type: 'page' }, count: 'every', value: { type: 'reading', reading: 'value' } }), {
  currency: 'EUR',
  rates: { USD: '0.5' },
})
let number = 0
const event = (minute: number, more: Partial<LoggedEvent>): LoggedEvent => ({
  uid: `u${number++}`,
  at: Date.UTC(2026, 4, 4) + minute * 60_000,
  name: 'page-view',
  url: 'https://altolucero.example/thanks',
  ...more,
})
const values = (...events: LoggedEvent[]): (number | null)[] =>
  countGoal(goal, deriveVisits(events, { hosts: [], passThroughHosts: [], sourceRules: [], clickIds: [] })).conversions.map(({ value }) =>
    value === null ? null : value / 10_000,
  )

describe('an order afterwards', () => {
  const sale = { order: 'Q1', value: 36 }
  it('does not count when it was cancelled, whenever that was told', () => {
    expect(values(event(0, sale), event(1, { order: 'Q2', value: 5 }), event(5000, { name: 'order-cancelled', order: 'Q1' }))).toEqual([5])
  })

  it('is worth less by what was paid back, in any currency with a rate, never less than nothing', () => {
    const refund = (value: number, currency?: string): LoggedEvent => event(60, { name: 'order-refunded', order: 'Q1', value, ...(currency && { currency }) })
    expect(values(event(0, sale), refund(10))).toEqual([26])
    expect(values(event(0, sale), refund(10), refund(4, 'USD'))).toEqual([24])
    expect(values(event(0, sale), refund(100))).toEqual([0])
    expect(values(event(0, sale), refund(10, 'CLP'))).toEqual([36])
    expect(values(event(0, { ...sale, order: 'Q2' }), refund(10))).toEqual([36])
  })

  it('needs a number: other conversions stay as they are', () => {
    expect(values(event(0, { value: 36 }), event(60, { name: 'order-cancelled' }))).toEqual([36])
  })
})
