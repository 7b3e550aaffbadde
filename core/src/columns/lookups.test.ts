import * as fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import { ValueSum } from '../goals/ValueSum.js'
import { dayFinder } from './dayFinder.js'
import { anyNumbers, wholeNumbers } from './GrowingList.js'
import { lastStartingBy } from './lastStartingBy.js'
import { QuickSum } from './QuickSum.js'

describe('the part in which a position lies', () => {
  it('is the last one that begins at or before it', () => {
    const lengths = fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 40 })
    fc.assert(
      fc.property(lengths, fc.nat(), (sizes, some) => {
        const starts = new Uint32Array(sizes.length + 1)
        for (const [index, size] of sizes.entries()) starts[index + 1] = (starts[index] as number) + size
        const position = some % (starts[sizes.length] as number)
        const part = lastStartingBy(starts, position, 0, sizes.length)
        expect(starts[part]).toBeLessThanOrEqual(position)
        expect(starts[part + 1]).toBeGreaterThan(position)
        // Looked for among fewer, it is the same one.
        expect(lastStartingBy(starts, position, part, Math.min(part + 3, sizes.length))).toBe(part)
      }),
    )
  })
})

describe('the day of an instant', () => {
  it.each(['Europe/Madrid', 'America/Lima', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'Africa/Cairo', 'Pacific/Chatham', 'UTC'])(
    "found by where days begin is the calendar's, in %s",
    (zone) => {
      const calendar = calendarOf(zone)
      const range = { from: calendar.startOfDay('2026-03-01'), to: calendar.startOfDay('2026-11-15') }
      const { days, indexOf, ends } = dayFinder(range, calendar)
      const edges = days.map((day) => calendar.startOfDay(day))
      const instant = fc.oneof(
        fc.integer({ min: range.from, max: range.to - 1 }),
        fc.tuple(fc.constantFrom(...edges), fc.integer({ min: -2, max: 2 })).map(([edge, off]) => Math.min(range.to - 1, Math.max(range.from, edge + off))),
      )
      fc.assert(
        fc.property(instant, (at) => {
          const index = indexOf(at)
          expect(days[index]).toBe(calendar.dayOf(at))
          expect(at).toBeLessThan(ends[index] as number)
        }),
        { numRuns: 400 },
      )
    },
  )

  it('before or after the range is its first or last day', () => {
    const calendar = calendarOf('Europe/Madrid')
    const range = { from: calendar.startOfDay('2026-03-01'), to: calendar.startOfDay('2026-03-11') }
    const { days, indexOf } = dayFinder(range, calendar)
    expect(days).toHaveLength(10)
    expect([indexOf(range.from - 1), indexOf(0), indexOf(range.to), indexOf(range.to + 1e10)]).toEqual([0, 0, 9, 9])
  })
})

describe('a quick sum', () => {
  const largest = 900_000_000_000 * 10_000
  const worth = fc.record({
    value: fc.option(fc.integer({ min: -largest, max: largest })),
    amount: fc.integer({ min: -largest, max: largest }),
    currency: fc.constantFrom('EUR', 'USD', 'CLP'),
  })

  it('is exact, however large it gets, and equals the one that is taken slowly', () => {
    fc.assert(
      fc.property(fc.array(worth, { maxLength: 300 }), (all) => {
        const [quick, slow] = [new QuickSum(), new ValueSum()]
        for (const each of all) {
          quick.addWorth(each)
          slow.add(each)
        }
        const merged = new ValueSum()
        merged.merge(quick.state())
        expect(merged.result()).toEqual(slow.result())
      }),
    )
  })

  it('may be taken in pieces', () => {
    fc.assert(
      fc.property(fc.array(worth, { maxLength: 60 }), fc.nat(60), (all, cut) => {
        const whole = new QuickSum()
        const [one, other] = [new QuickSum(), new QuickSum()]
        for (const [index, each] of all.entries()) {
          whole.addWorth(each)
          ;(index < cut ? one : other).addWorth(each)
        }
        const [together, expected] = [new ValueSum(), new ValueSum()]
        together.merge(one.state())
        together.merge(other.state())
        expected.merge(whole.state())
        expect(together.result()).toEqual(expected.result())
      }),
    )
  })
})

describe('a growing list', () => {
  it('keeps every number, alone and in memory that threads share', () => {
    const numbers = Array.from({ length: 5000 }, (_, index) => (index * 2_654_435_761) % 2 ** 32)
    const [whole, any] = [wholeNumbers(), anyNumbers()]
    for (const number of numbers) {
      whole.push(number)
      any.push(number / 7)
    }
    expect([...whole.list()]).toEqual(numbers)
    expect([...whole.shared()]).toEqual(numbers)
    expect([...any.shared()]).toEqual(numbers.map((number) => number / 7))
    expect(any.shared().buffer).toBeInstanceOf(SharedArrayBuffer)
  })

  it('may be empty', () => {
    expect(wholeNumbers().list()).toHaveLength(0)
    expect(wholeNumbers().shared()).toHaveLength(0)
  })
})
