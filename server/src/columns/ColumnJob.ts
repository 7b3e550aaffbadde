import { columnBacktest, type ColumnBacktestPart } from '@acequia/core/columns/columnBacktest'
import { columnFunnel } from '@acequia/core/columns/columnFunnel'
import type { ColumnPart, Columns } from '@acequia/core/columns/Columns'
import type { Range } from '@acequia/core/days/Range'
import { calendarOf } from '@acequia/core/days/zone'
import type { Dimension } from '@acequia/core/dimensions/dimensions'
import type { FunnelPart } from '@acequia/core/funnels/FunnelRun'
import type { Funnel } from '@acequia/core/funnels/funnelSchema'
import type { PreparedGoal } from '@acequia/core/goals/prepareGoal'

/** A question that workers answer over their part of the columns. */
export type ColumnJob =
  | { type: 'funnel'; funnel: Funnel; range: Range; timeZone: string; split?: Dimension; returns: boolean }
  | { type: 'backtest'; goal: PreparedGoal; range: Range; timeZone: string }

/** Answers a question over a part of the columns. */
export function runColumnJob(columns: Columns, part: ColumnPart, job: ColumnJob): FunnelPart | ColumnBacktestPart {
  const calendar = calendarOf(job.timeZone)
  return job.type === 'funnel'
    ? columnFunnel(columns, part, job.funnel, job.range, calendar, job.split, job.returns)
    : columnBacktest(columns, part, job.goal, job.range, calendar)
}
