import { daysOf, type Range } from '@acequia/core/days/Range'
import { addDays, type Calendar } from '@acequia/core/days/zone'
import * as z from 'zod'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { shownDerivation } from '../visits/derivationsTable.js'
import { visitsByDay, visitsOfDays } from '../visits/visitsTable.js'
import { releasesInRange } from '../wiring/releasesTable.js'
import { latestConversions } from './conversionsTable.js'
import { goalsOfSites } from './goalsTable.js'
import { presentConversions } from './presentConversions.js'
import { summarizeGoals, type GoalSummary, type WholeDays } from './summarizeGoals.js'

const LATEST = 12

/** What *Today* shows: visits, all goals against the range before, releases, the last conversions. */
export function overviewRoutes({ database, reads, dictionaries }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/overview',
      summary: 'Visits and goals of a range, against the range before it',
      query: rangeQuery.extend({ archived: z.enum(['with', 'without']).default('without') }),
      handle: async ({ site, query }) => {
        const { calendar, ...range } = rangeOn(site, query)
        const earlier = rangeBefore(range, calendar)
        const goals = (await goalsOfSites(database, [site.id])).filter((goal) => query.archived === 'with' || goal.archivedAt === null)
        // One derivation for all of these questions, whatever is shown a moment later.
        const shown = await shownDerivation(reads, site.id)
        const counted = goals.map(({ no, goal }) => ({ no, count: goal.count }))
        const [visits, visitsBefore, now, before, releases, latest] = await Promise.all([
          visitsIn(shown, range, calendar),
          visitsIn(shown, earlier, calendar),
          summarizeGoals(reads, shown, counted, range, wholeDays(range, calendar)),
          summarizeGoals(reads, shown, counted, earlier, wholeDays(earlier, calendar)),
          releasesInRange(database, site.id, range.from, range.to),
          latestOf(
            shown,
            goals.map(({ no, id, goal }) => ({ no, id, name: goal.name })),
            range,
          ),
        ])
        const days = daysOf(range, calendar)
        const total = visits.reduce((sum, row) => sum + row.n, 0)
        const totalBefore = visitsBefore.reduce((sum, row) => sum + row.n, 0)
        const visitsOn = new Map(visits.map((row) => [row.day, row.n]))
        return {
          visits: total,
          visitsBefore: totalBefore,
          before: { from: new Date(earlier.from).toISOString(), to: new Date(earlier.to).toISOString() },
          daily: days.map((day) => ({ day, visits: visitsOn.get(day) ?? 0 })),
          goals: goals.map(({ no, id, goal, archivedAt }) => ({
            id,
            name: goal.name,
            category: goal.category,
            archived: archivedAt !== null,
            ...onEveryDay(now.get(no) as GoalSummary, days),
            rate: total ? (now.get(no) as GoalSummary).convertingVisits / total : null,
            before: {
              conversions: (before.get(no) as GoalSummary).conversions,
              value: (before.get(no) as GoalSummary).value,
              rate: totalBefore ? (before.get(no) as GoalSummary).convertingVisits / totalBefore : null,
            },
          })),
          releases: releases.map((release) => ({ number: release.number, name: release.name, at: new Date(release.released_at).toISOString() })),
          latest,
        }
      },
    }),
  ]

  /** Whole days are counted from their sums; anything else visit by visit. */
  function visitsIn(shown: number, range: Range, calendar: Calendar): ReturnType<typeof visitsByDay> {
    const days = wholeDays(range, calendar)
    return days ? visitsOfDays(reads, shown, days.first, days.end) : visitsByDay(reads, shown, range.from, range.to)
  }

  async function latestOf(shown: number, goals: { no: number; id: string; name: string }[], range: Range): Promise<object[]> {
    const rows = (
      await latestConversions(
        reads,
        shown,
        goals.map((goal) => goal.no),
        range.from,
        range.to,
        LATEST,
      )
    ).reverse()
    const presented = await presentConversions(dictionaries, rows)
    return presented.map((conversion, index) => {
      const goal = goals.find((each) => each.no === rows[index]?.goal_no)
      return { ...conversion, goal: goal?.id, goalName: goal?.name }
    })
  }
}

function onEveryDay(summary: GoalSummary, days: string[]): GoalSummary {
  const known = new Map(summary.daily.map((entry) => [entry.day, entry]))
  return { ...summary, daily: days.map((day) => known.get(day) ?? { day, conversions: 0, value: 0 }) }
}

/** The days of a range, from the first one to the day after the last, where it begins and ends with a day; else null. */
function wholeDays(range: Range, calendar: Calendar): WholeDays | null {
  const first = calendar.dayOf(range.from)
  const end = addDays(calendar.dayOf(range.to - 1), 1)
  return calendar.startOfDay(first) === range.from && calendar.startOfDay(end) === range.to ? { first, end } : null
}

/** The range of as many days (or as much time) right before another. */
function rangeBefore(range: Range, calendar: Calendar): Range {
  const days = wholeDays(range, calendar)
  if (!days) return { from: range.from - (range.to - range.from), to: range.from }
  return { from: calendar.startOfDay(addDays(days.first, -daysOf(range, calendar).length)), to: range.from }
}
