import { beforeAll, describe, expect, it, vi } from 'vitest'

// The locale is read from the browser when the module is loaded.
let words: typeof import('./formatting')
beforeAll(async () => {
  vi.stubGlobal('navigator', { language: 'en-GB' })
  words = await import('./formatting')
})

describe('money', () => {
  it.each([
    [0, 'EUR', '€0.00'],
    [18, 'EUR', '€18.00'],
    [18.5, 'EUR', '€18.50'],
    [100, 'EUR', '€100'],
    [100.25, 'EUR', '€100.25'],
    [9999.99, 'EUR', '€9,999.99'],
    [12_345.67, 'EUR', '€12,346'],
    [-18, 'EUR', '-€18.00'],
    [5, 'USD', '$5.00'],
  ])('%d of %s reads %s: cents only where they say something', (value, currency, text) => {
    expect(words.money(value, currency)).toBe(text)
  })
})

describe('numbers', () => {
  it('have the separators of the person', () => {
    expect(words.count(1_234_567)).toBe('1,234,567')
    expect(words.rate(0.0456)).toBe('4.6%')
    expect(words.rate(1)).toBe('100.0%')
  })

  it('that do not exist are a dash, not a zero', () => {
    expect(words.rate(null)).toBe('–')
    expect(words.rate(0)).toBe('0.0%')
  })

  it('say how much more or less than before, and nothing where there was nothing before', () => {
    expect(words.changeFrom(100, 150)).toBe('+50%')
    expect(words.changeFrom(100, 50)).toBe('-50%')
    expect(words.changeFrom(100, 100)).toBe('0%')
    expect(words.changeFrom(0, 12)).toBeNull()
  })
})

describe('time', () => {
  it('of a day is that day, wherever the browser is', () => {
    expect(words.dayText('2026-10-25')).toBe('25 Oct')
    expect(words.dayText('2026-01-01', { weekday: 'short', day: 'numeric' })).toMatch(/Thu.*1/)
  })

  it("of an event is on the site's clock, also when it is another day there", () => {
    const at = '2026-10-24T23:30:00Z'
    expect(words.timeText(at, 'Europe/Madrid')).toMatch(/25 Oct 2026,? (at )?01:30/)
    expect(words.timeText(at, 'America/Lima')).toMatch(/24 Oct 2026,? (at )?18:30/)
  })

  it.each([
    [0, 'now'],
    [20, '20 seconds ago'],
    [59.4, '59 seconds ago'],
    [100, '2 minutes ago'],
    [3600, '1 hour ago'],
    [86_400, 'yesterday'],
    [10 * 86_400, '10 days ago'],
    [400 * 86_400, 'last year'],
  ])('%d seconds before now is “%s”', (seconds, text) => {
    const now = Date.UTC(2026, 4, 4, 12)
    expect(words.agoText(new Date(now - seconds * 1000).toISOString(), now)).toBe(text)
  })
})
