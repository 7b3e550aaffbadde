import { eventSchema } from '@acequia/core/events/eventSchema'
import { deriveVisits } from '@acequia/core/visits/deriveVisits'
import type { IncomingEvent } from '@acequia/server/events/EventWriter'
import { describe, expect, it } from 'vitest'
import type { FiredTags } from './FiredTags.js'
import { HISTORY_DAYS, simulateHistory } from './history.js'
import { Random } from './Random.js'

const NOW = Date.UTC(2026, 10, 25, 15, 30)
const SHOP = 'http://altolucero.localhost:4601'
/** What the wiring does is none of this test's business. */
const unwired = { note: () => undefined } as unknown as FiredTags
const history = (now = NOW): IncomingEvent[][] => [...simulateHistory(now, SHOP, unwired)]
const days = history()
const events = days.flat()

describe('the history that the demo begins with', () => {
  it('is the same each time it is made at the same moment', () => {
    expect(JSON.stringify(history())).toBe(JSON.stringify(days))
  })

  it('goes over ninety days up to now, and not beyond', () => {
    expect(days).toHaveLength(HISTORY_DAYS + 1)
    const times = events.map(({ event }) => event.at)
    expect(Math.max(...times)).toBeLessThan(NOW)
    expect(Math.min(...times)).toBeGreaterThanOrEqual(Math.floor(NOW / 86_400_000) * 86_400_000 - HISTORY_DAYS * 86_400_000)
    for (const day of days.slice(0, -1)) expect(day.length).toBeGreaterThan(100)
  })

  it('is what a loader could have sent: every event is one that the collector takes', () => {
    for (const { event } of events) {
      const { at, ...rest } = JSON.parse(JSON.stringify(event)) as Record<string, unknown> & { at: number }
      const checked = eventSchema.safeParse({ ...rest, at: new Date(at).toISOString() })
      expect(checked.error?.issues, JSON.stringify(event)).toBeUndefined()
    }
    expect(new Set(events.map(({ event }) => event.uid)).size).toBe(events.length)
  })

  it('has no real place or person in it: everything happens on the made-up website, with made-up sources', () => {
    for (const { event } of events) {
      expect(new URL(event.url).origin).toBe(SHOP)
      if (event.referrer) expect(new URL(event.referrer).hostname).toMatch(/\.(localhost|example)$/)
    }
  })

  it('has what a marketer would ask of it: people who come back, sales with an order and a value, each order once, ads and more', () => {
    const byVisitor = grouped(events)
    const site = { hosts: ['altolucero.localhost'], passThroughHosts: [], sourceRules: [], clickIds: [] }
    const visits = [...byVisitor.values()].map((its) =>
      deriveVisits(
        its.map(({ event }) => event as never),
        site,
      ),
    )
    expect(visits.filter(({ length }) => length > 1).length).toBeGreaterThan(visits.length / 20)
    const orders = events.flatMap(({ event }) => (event.order && event.value ? [event.order] : []))
    expect(new Set(orders).size).toBeGreaterThan(100)
    const kinds = new Set(visits.flat().map(({ source }) => source.kind))
    expect([...kinds].sort()).toEqual(['campaign', 'direct', 'referral'])
  })
})

describe('random numbers', () => {
  it('are the same for the same seed, and spread evenly', () => {
    const [one, other, third] = [new Random(7), new Random(7), new Random(8)]
    const draw = (random: Random): number[] => Array.from({ length: 1000 }, () => random.next())
    const drawn = draw(one)
    expect(draw(other)).toEqual(drawn)
    expect(draw(third)).not.toEqual(drawn)
    expect(drawn.every((each) => each >= 0 && each < 1)).toBe(true)
    const random = new Random(1)
    const counts = new Map<number, number>()
    for (let times = 0; times < 6000; times++) {
      const each = random.whole(1, 6)
      counts.set(each, (counts.get(each) ?? 0) + 1)
    }
    expect([...counts.keys()].sort()).toEqual([1, 2, 3, 4, 5, 6])
    for (const count of counts.values()) expect(Math.abs(count - 1000)).toBeLessThan(150)
  })

  it('choose by weight, and never what weighs nothing', () => {
    const random = new Random(3)
    const chosen = Array.from({ length: 3000 }, () =>
      random.weighted([
        ['often', 9],
        ['seldom', 1],
        ['never', 0],
      ] as const),
    )
    const often = chosen.filter((each) => each === 'often').length
    expect(chosen).not.toContain('never')
    expect(often).toBeGreaterThan(2550)
    expect(often).toBeLessThan(2850)
  })
})

function grouped(list: IncomingEvent[]): Map<string, IncomingEvent[]> {
  const groups = new Map<string, IncomingEvent[]>()
  for (const each of list) groups.set(each.visitor, [...(groups.get(each.visitor) ?? []), each])
  return groups
}
