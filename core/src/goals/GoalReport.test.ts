import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { GoalReport } from './GoalReport.js'
import type { GoalReportResult } from './GoalReportTally.js'
import { goalSchema } from './goalSchema.js'
import { prepareGoal } from './prepareGoal.js'
import type { SeriesUnit } from './reportSpans.js'

const START = Date.UTC(2026, 4, 4)
const DAY = 86_400_000
const site = { hosts: [], passThroughHosts: [], sourceRules: [], clickIds: [] }
const calendar = calendarOf('UTC')
let number = 0
const view = (minute: number, path: string, more: Partial<LoggedEvent> = {}): LoggedEvent => ({
  uid: `u${number++}`,
  at: START + minute * 60_000,
  name: 'page-view',
  url: `https://altolucero.example${path}`,
  ...more,
})
const goal = goalSchema.parse({
  name: 'Booked',
  kind: { type: 'page', where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/thanks' }] }] } },
  value: { type: 'reading', reading: 'value' },
})
function report(unit: SeriesUnit, days: number, ...visitors: LoggedEvent[][]): GoalReportResult {
  const one = new GoalReport(prepareGoal(goal, { currency: 'EUR', rates: {} }), { from: START, to: START + days * DAY }, calendar, unit)
  for (const events of visitors) one.addVisitor(deriveVisits(events, site))
  return one.result()
}

describe('a goal’s report', () => {
  const result = report(
    'day',
    2,
    [view(0, '/?utm_source=farola'), view(5, '/form'), view(6, '/thanks', { value: 36 })],
    [view(10, '/offer'), view(1440, '/offer'), view(1441, '/form'), view(1445, '/thanks', { value: 18 })],
    [view(20, '/offer')],
  )

  it('has a series with every span, also the empty ones', () => {
    expect(result.series).toEqual([
      { key: '2026-05-04', conversions: 1, value: 36, visits: 3 },
      { key: '2026-05-05', conversions: 1, value: 18, visits: 1 },
    ])
    expect(report('hour', 1).series).toHaveLength(24)
    expect(report('week', 9).series.map((each) => each.key)).toEqual(['2026-W19', '2026-W20'])
    expect(report('month', 60).series.map((each) => each.key)).toEqual(['2026-05', '2026-06', '2026-07'])
  })

  it('tells conversions, value and rate apart by the visit', () => {
    expect(result.by.source).toEqual([
      { key: 'direct', visits: 3, conversions: 1, value: 18, rate: 1 / 3 },
      { key: 'farola', visits: 1, conversions: 1, value: 36, rate: 1 },
    ])
    expect(result.by.landing.map(({ key, visits }) => [key, visits])).toEqual([
      ['/offer', 3],
      ['/', 1],
    ])
    expect(result.by.hour).toEqual([{ key: 0, visits: 4, conversions: 2, value: 54, rate: 0.5 }])
  })

  it('tells which pages came before, after how many visits, and after how long', () => {
    expect(result.before).toEqual([
      [{ path: '/form', count: 2 }],
      [
        { path: '/', count: 1 },
        { path: '/offer', count: 1 },
      ],
      [{ path: null, count: 2 }],
    ])
    expect(result.visitsUntil).toEqual([
      { visits: 1, count: 1 },
      { visits: 2, count: 1 },
    ])
    expect(result.timeUntil.filter((each) => each.count)).toEqual([
      { upTo: '10 minutes', count: 1 },
      { upTo: 'a day', count: 1 },
    ])
  })
})
