import { columnBacktest, type ColumnBacktestPart } from '@acequia/core/columns/columnBacktest'
import { columnFired } from '@acequia/core/columns/columnFired'
import { columnGoalReport, type ColumnGoalReportPart } from '@acequia/core/columns/columnGoalReport'
import { columnFunnel } from '@acequia/core/columns/columnFunnel'
import { columnLatest } from '@acequia/core/columns/columnLatest'
import { columnValues } from '@acequia/core/columns/columnValues'
import type { ColumnPart, Columns } from '@acequia/core/columns/Columns'
import type { Range } from '@acequia/core/days/Range'
import { calendarOf, type Calendar } from '@acequia/core/days/zone'
import type { Dimension } from '@acequia/core/dimensions/dimensions'
import type { FunnelPart } from '@acequia/core/funnels/FunnelRun'
import type { Funnel } from '@acequia/core/funnels/funnelSchema'
import type { PreparedGoal } from '@acequia/core/goals/prepareGoal'
import type { SeriesUnit } from '@acequia/core/goals/reportSpans'
import type { LatestText } from '@acequia/core/readings/LatestValues'
import type { SeenValue } from '@acequia/core/readings/ValueCount'
import type { FiredPart } from '@acequia/core/wiring/FiredCount'

/** A question that workers answer over their part of the columns. */
export type ColumnJob =
  | { type: 'funnel'; funnel: Funnel; range: Range; timeZone: string; split?: Dimension; returns: boolean }
  | { type: 'backtest'; goal: PreparedGoal; range: Range; timeZone: string }
  | { type: 'goal-report'; goal: PreparedGoal; range: Range; timeZone: string; unit: SeriesUnit }
  | { type: 'values'; reading: string; range: Range; timeZone: string; event?: string; search: string }
  | { type: 'fired'; range: Range; timeZone: string }
  | { type: 'latest'; readings: string[] }

/** What is answered to each of them. */
export interface ColumnAnswers {
  funnel: FunnelPart
  backtest: ColumnBacktestPart
  'goal-report': ColumnGoalReportPart
  values: SeenValue[]
  fired: FiredPart
  latest: LatestText[][]
}

/** Answers a question over a part of the columns. */
export function runColumnJob(columns: Columns, part: ColumnPart, job: ColumnJob): ColumnAnswers[ColumnJob['type']] {
  if (job.type === 'latest') return columnLatest(columns, part, job.readings)
  const calendar = calendarFor(job.timeZone)
  switch (job.type) {
    case 'funnel':
      return columnFunnel(columns, part, job.funnel, job.range, calendar, job.split, job.returns)
    case 'backtest':
      return columnBacktest(columns, part, job.goal, job.range, calendar)
    case 'goal-report':
      return columnGoalReport(columns, part, job.goal, job.range, calendar, job.unit)
    case 'values':
      return columnValues(columns, part, job.reading, job.range, job.event, job.search)
    case 'fired':
      return columnFired(columns, part, job.range, calendar)
  }
}

const calendars = new Map<string, Calendar>()

/** The calendar of a time zone; kept, because it remembers what it looked up. */
function calendarFor(timeZone: string): Calendar {
  let calendar = calendars.get(timeZone)
  if (!calendar) calendars.set(timeZone, (calendar = calendarOf(timeZone)))
  return calendar
}
