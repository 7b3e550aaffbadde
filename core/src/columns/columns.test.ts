import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { FunnelRun } from '../funnels/FunnelRun.js'
import { funnelSchema } from '../funnels/funnelSchema.js'
import { Backtest } from '../goals/Backtest.js'
import { GoalReport } from '../goals/GoalReport.js'
import { SERIES_UNITS } from '../goals/reportSpans.js'
import { LatestValues } from '../readings/LatestValues.js'
import { ValueCount } from '../readings/ValueCount.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { FiredCount } from '../wiring/FiredCount.js'
import { columnBacktest, mergeBacktests } from './columnBacktest.js'
import { columnFired } from './columnFired.js'
import { columnFunnel } from './columnFunnel.js'
import { columnGoalReport, mergeGoalReports } from './columnGoalReport.js'
import { columnLatest } from './columnLatest.js'
import { columnValues } from './columnValues.js'
import { columnVisits } from './columnVisits.js'
import { calendar, columnsOf, divided, range, site, someGoal, someRule, someVisitors } from './someLog.js'

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

          const { columns, parts, beside } = divided(visitors, cut)
          const run = new FunnelRun(funnel, range, calendar, split, undefined, true)
          for (const part of parts) run.merge(columnFunnel(columns, part, funnel, range, calendar, split, true))
          run.addVisitor('v0', beside)
          const byKey = <T extends { split?: { key: unknown }[] }>(result: T): T => ({
            ...result,
            ...(result.split && { split: [...result.split].sort((a, b) => (String(a.key) < String(b.key) ? -1 : 1)) }),
          })
          expect(byKey(run.result())).toEqual(byKey(whole.result()))
        },
      ),
      { numRuns: 200 },
    )
  })
})

describe('over columns, a goal', () => {
  it('is backtested exactly as over visits: count, value, days, near misses, addresses', () => {
    fc.assert(
      fc.property(someVisitors, someGoal, fc.nat(12), (visitors, goal, cut) => {
        const whole = new Backtest(goal, range, calendar)
        visitors.forEach((events, index) => whole.addVisitor(`#${index + 1}`, deriveVisits(events, site)))
        const { columns, parts, beside } = divided(visitors, cut)
        const backtest = new Backtest(goal, range, calendar)
        backtest.addVisitor('#1', beside)
        const made = parts.map((part) => columnBacktest(columns, part, goal, range, calendar))
        mergeBacktests(columns, made, goal, range, calendar, backtest)
        const sorted = <T extends { examples: object[] }>(result: T): T => ({
          ...result,
          examples: result.examples.map((each) => JSON.stringify(each)).sort(),
        })
        const [mine, theirs] = [sorted(backtest.result()), sorted(whole.result())]
        // Of several at the same instant, either may be among the twenty latest.
        if (mine.conversions > 15) mine.examples = theirs.examples = []
        expect(mine).toEqual(theirs)
      }),
      { numRuns: 250 },
    )
  })

  it.each(SERIES_UNITS)('is reported exactly as over visits, by the %s', (unit) => {
    fc.assert(
      fc.property(someVisitors, someGoal, fc.nat(12), (visitors, goal, cut) => {
        const whole = new GoalReport(goal, range, calendar, unit)
        for (const events of visitors) whole.addVisitor(deriveVisits(events, site))
        const { columns, parts, beside } = divided(visitors, cut)
        const report = new GoalReport(goal, range, calendar, unit)
        report.addVisitor(beside)
        const made = parts.map((part) => columnGoalReport(columns, part, goal, range, calendar, unit))
        mergeGoalReports(columns, made, goal, range, calendar, unit, report)
        expect(report.result()).toEqual(whole.result())
      }),
      { numRuns: 150 },
    )
  })
})

describe('over columns', () => {
  it('values of readings are counted exactly as over visits, whatever is looked for', () => {
    const reading = fc.constantFrom(
      'path',
      'url',
      'title',
      'value',
      'query',
      'query.utm_source',
      'data.formId',
      'data.seats',
      'source',
      'event',
      'referrerHost',
    )
    fc.assert(
      fc.property(
        someVisitors,
        reading,
        fc.constantFrom(undefined, 'page-view', 'never-seen'),
        fc.constantFrom('', 'A', 'vela'),
        fc.nat(12),
        (visitors, its, event, search, cut) => {
          const whole = new ValueCount(its, range, event)
          for (const events of visitors) whole.add(deriveVisits(events, site))
          const { columns, parts, beside } = divided(visitors, cut)
          const values = new ValueCount(its, range, event)
          values.add(beside)
          for (const part of parts) values.merge(columnValues(columns, part, its, range, event, search))
          expect(values.result(search, 50)).toEqual(whole.result(search, 50))
        },
      ),
      { numRuns: 300 },
    )
  })

  it('tags that fired, and failed, are counted exactly as over visits', () => {
    fc.assert(
      fc.property(someVisitors, fc.nat(12), (visitors, cut) => {
        const whole = new FiredCount(range, calendar)
        for (const events of visitors) whole.add(deriveVisits(events, site))
        const { columns, parts, beside } = divided(visitors, cut)
        const count = new FiredCount(range, calendar)
        count.add(beside)
        for (const part of parts) count.merge(columnFired(columns, part, range, calendar))
        expect(count.tags).toEqual(whole.tags)
      }),
      { numRuns: 200 },
    )
  })

  it('the latest texts of readings are the same as over visits', () => {
    fc.assert(
      fc.property(someVisitors, fc.nat(12), (visitors, cut) => {
        const readings = ['data.formId', 'data.seats', 'own.nothing']
        const { columns, parts, beside } = divided(visitors, cut)
        const found = parts.map((part) => columnLatest(columns, part, readings))
        for (const [index, reading] of readings.entries()) {
          const whole = new LatestValues(reading)
          for (const events of visitors) whole.add(deriveVisits(events, site))
          const latest = new LatestValues(reading)
          latest.add(beside)
          for (const part of found) latest.merge(part[index] ?? [])
          const at = (values: LatestValues): Map<string, string> => new Map(values.result().map(({ text, at: instant }) => [text, instant]))
          expect(at(latest)).toEqual(at(whole))
        }
      }),
      { numRuns: 100 },
    )
  })

  it('visits are there again as they were, of everybody who was there in the range', () => {
    fc.assert(
      fc.property(someVisitors, (visitors) => {
        const columns = columnsOf(visitors)
        const found = new Map([...columnVisits(columns, { from: 0, to: visitors.length }, range)].map(({ visitor, visits }) => [visitor, visits]))
        for (const [index, events] of visitors.entries()) {
          const visits = deriveVisits(events, site)
          const wasThere = visits[0] && visits[0].startedAt < range.to && (visits.at(-1)?.endedAt ?? 0) >= range.from
          // What columns do not keep: empty texts and lists, uids without an order, browser and place but of a visit's first event.
          const kept = visits.map(({ events: all, ...visit }) => ({
            ...visit,
            events: all.map(({ uid, title, fired, userAgent, place, ...event }, nth) => ({
              ...event,
              uid: event.order ? uid : '',
              title: title || undefined,
              fired: fired?.length ? fired : undefined,
              userAgent: nth ? undefined : userAgent,
              place: nth ? undefined : place,
            })),
          }))
          if (wasThere) expect(found.get(index)).toEqual(kept)
          else expect(found.has(index)).toBe(false)
        }
      }),
      { numRuns: 200 },
    )
  })
})
