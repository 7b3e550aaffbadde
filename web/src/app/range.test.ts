import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { useCurrentSite, type SiteAnswer } from '../sites/currentSite'
import { useRange } from './range'

/** What the browser has kept. */
let kept: Map<string, string>
/** The store as a browser makes it that opens the page at this moment. */
function openPage(timeZone = 'Europe/Madrid'): ReturnType<typeof useRange> {
  setActivePinia(createPinia())
  const current = useCurrentSite()
  current.sites = [{ key: 'altolucero', timeZone } as SiteAnswer]
  current.key = 'altolucero'
  return useRange()
}
const shown = (range: ReturnType<typeof useRange>): string => `${range.first} to ${range.last}`

beforeEach(() => {
  kept = new Map()
  vi.stubGlobal('localStorage', { getItem: (name: string) => kept.get(name) ?? null, setItem: (name: string, value: string) => kept.set(name, value) })
  vi.useFakeTimers({ now: Date.UTC(2026, 9, 24, 22, 30) })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('the range in view', () => {
  it("is the last thirty days at first, counted on the site's clock", () => {
    expect(shown(openPage('Europe/Madrid'))).toBe('2026-09-26 to 2026-10-25')
    expect(shown(openPage('America/Lima'))).toBe('2026-09-25 to 2026-10-24')
  })

  it('is asked for up to the day after, and compared with as many days before it', () => {
    const range = openPage()
    range.showSpan(7)
    expect(range.length).toBe(7)
    expect(range.asked).toEqual({ from: '2026-10-19', to: '2026-10-26' })
    expect(range.query).toBe('from=2026-10-19&to=2026-10-26')
    expect(range.before).toEqual({ from: '2026-10-12', to: '2026-10-19' })
  })

  it('counts days of the calendar, not hours: the day on which the clocks change is one day', () => {
    const range = openPage()
    range.showDays('2026-10-24', '2026-10-26')
    expect(range.length).toBe(3)
    expect(range.before).toEqual({ from: '2026-10-21', to: '2026-10-24' })
  })

  it('of days chosen the other way round is the same', () => {
    const range = openPage()
    range.showDays('2026-05-09', '2026-05-04')
    expect(shown(range)).toBe('2026-05-04 to 2026-05-09')
  })

  it('moves by its own length, and not beyond today', () => {
    const range = openPage()
    range.showSpan(7)
    range.move(-1)
    expect(shown(range)).toBe('2026-10-12 to 2026-10-18')
    expect(range.span).toBeNull()
    range.move(-1)
    expect(shown(range)).toBe('2026-10-05 to 2026-10-11')
    range.move(1)
    range.move(1)
    expect(shown(range)).toBe('2026-10-19 to 2026-10-25')
    expect(range.span).toBe(7)
    range.move(1)
    expect(shown(range)).toBe('2026-10-19 to 2026-10-25')
  })

  it('of all days begins with the first that has an event, and does not move', () => {
    const range = openPage()
    range.showAll()
    expect(shown(range)).toBe('2026-10-25 to 2026-10-25')
    useCurrentSite().progress = { firstDay: '2026-02-01' } as never
    expect(shown(range)).toBe('2026-02-01 to 2026-10-25')
    range.move(-1)
    expect(shown(range)).toBe('2026-02-01 to 2026-10-25')
  })

  it.each([
    ['a span', (range: ReturnType<typeof useRange>) => range.showSpan(90)],
    ['days', (range: ReturnType<typeof useRange>) => range.showDays('2026-05-04', '2026-05-09')],
    ['everything', (range: ReturnType<typeof useRange>) => range.showAll()],
  ])('is still there after a reload: %s', async (_, choose) => {
    const range = openPage()
    choose(range)
    await nextTick()
    const again = openPage()
    expect(shown(again)).toBe(shown(range))
    expect([again.span, again.all]).toEqual([range.span, range.all])
  })

  it('of so many days up to today goes along when a new day begins', () => {
    const range = openPage()
    range.showSpan(7)
    // It is half past midnight, and this day has 25 hours.
    vi.advanceTimersByTime(24 * 3_600_000)
    expect(range.last).toBe('2026-10-25')
    vi.advanceTimersByTime(3_600_000)
    expect(shown(range)).toBe('2026-10-20 to 2026-10-26')
  })
})
