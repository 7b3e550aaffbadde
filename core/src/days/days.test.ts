import { describe, expect, it } from 'vitest'
import { parseLocalTime } from './parseLocalTime.js'
import { parseTime } from './parseTime.js'
import { BadRangeError, daysOf, resolveRange } from './Range.js'
import { calendarOf, isDay, isTimeZone } from './zone.js'

describe('days', () => {
  it('begin at local midnight, also where clocks change', () => {
    const madrid = calendarOf('Europe/Madrid')
    const length = (day: string, next: string): number => (madrid.startOfDay(next) - madrid.startOfDay(day)) / 3_600_000
    expect(new Date(madrid.startOfDay('2026-05-04')).toISOString()).toBe('2026-05-03T22:00:00.000Z')
    expect(length('2026-03-29', '2026-03-30')).toBe(23)
    expect(length('2026-10-25', '2026-10-26')).toBe(25)
    expect(madrid.dayOf(Date.parse('2026-05-03T21:59:59.999Z'))).toBe('2026-05-03')
    expect(madrid.dayOf(Date.parse('2026-05-03T22:00:00.000Z'))).toBe('2026-05-04')
  })

  it('begin at one o’clock where midnight is skipped', () => {
    const santiago = calendarOf('America/Santiago')
    const start = santiago.startOfDay('2026-09-06')
    expect(santiago.dayOf(start)).toBe('2026-09-06')
    expect(santiago.dayOf(start - 1)).toBe('2026-09-05')
  })

  it('follow zones that are not on the hour', () => {
    expect(new Date(calendarOf('Asia/Kathmandu').startOfDay('2026-05-04')).toISOString()).toBe('2026-05-03T18:15:00.000Z')
  })

  it('of a range are all listed, its end not included', () => {
    const calendar = calendarOf('Europe/Madrid')
    const range = resolveRange({ from: '2026-10-24', to: '2026-10-27' }, calendar)
    expect(daysOf(range, calendar)).toEqual(['2026-10-24', '2026-10-25', '2026-10-26'])
    expect(daysOf(resolveRange({ from: '2026-05-04T23:00:00Z', to: '2026-05-05T23:00:00Z' }, calendar), calendar)).toEqual(['2026-05-05', '2026-05-06'])
  })

  it('are refused where they do not exist', () => {
    const calendar = calendarOf('UTC')
    for (const from of ['2026-02-30', 'today', '']) expect(() => resolveRange({ from, to: '2026-05-05' }, calendar)).toThrow(BadRangeError)
    expect(() => resolveRange({ from: '2026-05-05', to: '2026-05-04' }, calendar)).toThrow(/ends before it begins/)
    expect(isDay('2024-02-29')).toBe(true)
    expect(isTimeZone('Europe/Nowhere')).toBe(false)
  })
})

describe('times', () => {
  it.each([
    ['2026-05-04T10:00:00.000Z', 1_777_888_800_000],
    ['2026-05-04T10:00:00Z', 1_777_888_800_000],
    ['2026-05-04T10:00:00.0009Z', 1_777_888_800_000],
    ['2026-05-04T12:00:00.1+02:00', 1_777_888_800_100],
    ['2026-05-04', null],
    ['2026-05-04T24:00:00Z', null],
    ['2026-05-04T10:00:00', null],
  ])('%s is %s', (text, at) => expect(parseTime(text)).toBe(at))
})

describe('times without a zone', () => {
  const madrid = calendarOf('Europe/Madrid')
  const read = (text: string): string | null => {
    const at = parseLocalTime(text, madrid)
    return at === null ? null : new Date(at).toISOString()
  }
  it('are on the site’s clock, a day alone its noon; those with a zone are as they say', () => {
    expect(read('2026-05-04 10:30')).toBe('2026-05-04T08:30:00.000Z')
    expect(read('2026-01-04T10:30:05.25')).toBe('2026-01-04T09:30:05.250Z')
    expect(read(' 2026-05-04 ')).toBe('2026-05-04T10:00:00.000Z')
    expect(read('2026-05-04T10:30:00-03:00')).toBe('2026-05-04T13:30:00.000Z')
  })
  it('are the first of two where the clock is put back, and just after where it skips them', () => {
    expect(read('2026-10-25 02:30')).toBe('2026-10-25T00:30:00.000Z')
    expect(read('2026-03-29 02:30')).toBe('2026-03-29T00:30:00.000Z')
  })
  it.each(['', 'yesterday', '2026-02-30', '2026-05-04 24:00', '04/05/2026'])('are none in “%s”', (text) => expect(read(text)).toBeNull())
})
