import { describe, expect, it } from 'vitest'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { explainGoal } from './explainGoal.js'
import { goalSchema } from './goalSchema.js'

const site = { hosts: [], passThroughHosts: [], sourceRules: [], clickIds: [] }
const is = (path: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value: path }] }] })
const view = (minute: number, path: string, more: Partial<LoggedEvent> = {}): LoggedEvent => ({
  uid: `u${minute}`,
  at: Date.UTC(2026, 4, 4) + minute * 60_000,
  name: 'page-view',
  url: `https://altolucero.example${path}`,
  ...more,
})
const why = (goal: object, ...events: LoggedEvent[]): Record<string, string | null> =>
  Object.fromEntries(
    explainGoal(
      goalSchema.parse({ name: 'Booked', kind: { type: 'page', where: is('/thanks') }, ...goal }),
      { currency: 'EUR', rates: {} },
      deriveVisits(events, site),
    ).map((each) => [each.uid, each.counted ? 'counted' : each.why]),
  )

describe('why an event counted or not', () => {
  it('is told for each, with the step that is missing', () => {
    const goal = { path: [{ name: 'Offer', where: is('/offer'), required: true }] }
    expect(why(goal, view(0, '/thanks'), view(1, '/offer'), view(2, '/thanks'), view(3, '/thanks'), view(4, '/Thanks/'))).toEqual({
      u0: 'step “Offer” missing before it in this visit',
      u2: 'counted',
      u3: 'second time in this visit',
      u4: 'narrowly missed: differs only by the trailing slash',
    })
  })

  it('is told for every count rule', () => {
    expect(why({ count: 'every' }, view(0, '/thanks'), view(1, '/thanks'))).toEqual({ u0: 'counted', u1: 'counted' })
    expect(why({ count: 'visitor' }, view(0, '/thanks'), view(100, '/thanks'))).toEqual({ u0: 'counted', u100: 'this visitor counted before' })
    expect(
      why({ count: 'order' }, view(0, '/thanks', { order: 'Q1' }), view(100, '/thanks', { order: 'Q1' }), view(101, '/thanks'), view(102, '/thanks')),
    ).toEqual({
      u0: 'counted',
      u100: 'order Q1 counted before',
      u101: 'counted',
      u102: 'without an order number again in this visit',
    })
  })
})
