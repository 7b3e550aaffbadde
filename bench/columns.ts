import { mergeBacktests, type ColumnBacktestPart } from '../core/src/columns/columnBacktest.js'
import { mergeGoalReports, type ColumnGoalReportPart } from '../core/src/columns/columnGoalReport.js'
import type { Columns } from '../core/src/columns/Columns.js'
import { prepareGoal } from '../core/src/goals/prepareGoal.js'
import { goalSchema } from '../core/src/goals/goalSchema.js'
import { funnelSchema } from '../core/src/funnels/funnelSchema.js'
import { calendarOf } from '../core/src/days/zone.js'
import { Backtest } from '../core/src/goals/Backtest.js'
import { GoalReport } from '../core/src/goals/GoalReport.js'
import { FunnelRun, type FunnelPart } from '../core/src/funnels/FunnelRun.js'
import { ValueCount, type SeenValue } from '../core/src/readings/ValueCount.js'
import { ColumnPool } from '../server/src/columns/ColumnPool.js'
import type { ColumnJob } from '../server/src/columns/ColumnJob.js'
import { HISTORY_DAYS, HISTORY_START, makeColumns } from './makeColumns.js'
import { p95Of, spreadOf, type Row } from './Row.js'

const VISITS = 2_000_000
const RUNS = 20
const WARM = 3
const TARGET_MS = 500
/** For reports. */
const REPORT_MS = 1000
const timeZone = 'Europe/Madrid'
const range = { from: HISTORY_START, to: HISTORY_START + HISTORY_DAYS * 86_400_000 }
const path = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })

/** Backtests, funnels and reports over 10 million events and 2 million visits, against a bare loop over the same numbers. */
export async function columns(): Promise<Row[]> {
  const made = makeColumns(VISITS)
  const pool = await ColumnPool.start(made)
  const site = { currency: 'EUR', rates: {} }
  const goal = (kind: object, more: object = {}): ColumnJob => ({
    type: 'backtest',
    goal: prepareGoal(goalSchema.parse({ name: 'Goal', kind, value: { type: 'reading', reading: 'value' }, ...more }), site),
    range,
    timeZone,
  })
  const funnel = (steps: object[], more: object = {}): ColumnJob => ({
    type: 'funnel',
    funnel: funnelSchema.parse({ steps, ...more }),
    range,
    timeZone,
    returns: false,
  })
  const report = (kind: object, more: object = {}): ColumnJob => ({ ...goal(kind, more), type: 'goal-report', unit: 'day' }) as ColumnJob
  const values = (reading: string, search: string): ColumnJob => ({ type: 'values', reading, event: 'page-view', search, range, timeZone })
  const jobs: [string, ColumnJob][] = [
    ['backtest: one page', goal({ type: 'page', where: path('/thanks') })],
    ['backtest: every page, every time', goal({ type: 'page' }, { count: 'every' })],
    [
      'backtest: a page after a required one',
      goal({ type: 'page', where: path('/thanks') }, { path: [{ name: 's', where: path('/page-1'), required: true }] }),
    ],
    ['backtest: each order once', goal({ type: 'page', where: path('/thanks') }, { count: 'order' })],
    [
      'backtest: form with an id',
      goal({ type: 'event', event: 'form-sent', where: { any: [{ all: [{ reading: 'data.formId', op: 'is', value: 'form-3' }] }] } }),
    ],
    ['backtest: campaign visits', goal({ type: 'page', where: { any: [{ all: [{ reading: 'source', op: 'is', value: 'farola' }] }] } })],
    ['backtest: three minutes', goal({ type: 'time', seconds: 180 })],
    ['funnel: five pages', funnel(['/page-0', '/page-1', '/page-2', '/page-3', '/thanks'].map((each) => ({ where: path(each) })))],
    ['funnel: every page first', funnel([{}, { where: path('/page-1') }, { where: path('/page-2') }, { where: path('/page-3') }, { where: path('/thanks') }])],
    [
      'funnel: every page first, joining anywhere',
      funnel([{}, { where: path('/page-1') }, { where: path('/page-2') }, { where: path('/page-3') }, { where: path('/thanks') }], { entry: 'any' }),
    ],
    ['funnel: visitors for 14 days', funnel([{}, { where: path('/page-1') }, { where: path('/thanks') }], { scope: { visitorDays: 14 } })],
    ['report of a goal: each order once', report({ type: 'page', where: path('/thanks') }, { count: 'order' })],
    ['report of a goal: form sent', report({ type: 'event', event: 'form-sent' })],
    ['report of a goal: every page, every time', report({ type: 'page' }, { count: 'every' })],
    ['pages that were seen', values('path', '')],
    ['whole addresses that contain "farola"', values('url', 'farola')],
  ]
  const rows: Row[] = []
  for (const [what, job] of jobs) {
    const times: number[] = []
    const bares: number[] = []
    for (let run = 0; run < WARM + RUNS; run++) {
      // In turn, so that whatever else the machine does falls on both.
      const alone = bareLoop(made)
      const began = performance.now()
      const parts = await pool.run(job)
      conclude(made, job, parts)
      // The first runs warm up the compiler; once warm is what is promised.
      if (run < WARM) continue
      times.push(performance.now() - began)
      bares.push(alone)
    }
    const [p95, bare] = [p95Of(times), p95Of(bares)]
    rows.push({
      what: `${what}, ${(made.events / 1e6).toFixed(1)} million events, 2 million visits`,
      measured: `p95 ${p95.toFixed(0)} ms`,
      limit: `p95 ${bare.toFixed(0)} ms, a bare loop over three columns on one core, in turn`,
      ratio: p95 / bare,
      spread: spreadOf(times, 'ms', 0),
      ...(job.type === 'backtest' || job.type === 'funnel'
        ? { target: `≤ ${TARGET_MS} ms, ≤ 4 ×`, met: p95 <= TARGET_MS && p95 <= 4 * bare }
        : { target: `≤ ${REPORT_MS} ms`, met: p95 <= REPORT_MS }),
    })
  }
  await pool.close()
  return rows
}

/** Makes the answer of what threads found, as the server does. */
function conclude(made: Columns, job: ColumnJob, parts: unknown[]): void {
  const calendar = calendarOf(timeZone)
  switch (job.type) {
    case 'funnel': {
      const whole = new FunnelRun(job.funnel, range, calendar)
      for (const part of parts as FunnelPart[]) whole.merge(part)
      whole.result()
      return
    }
    case 'backtest': {
      const whole = new Backtest(job.goal, range, calendar)
      mergeBacktests(made, parts as ColumnBacktestPart[], job.goal, range, calendar, whole)
      whole.result()
      return
    }
    case 'goal-report': {
      const whole = new GoalReport(job.goal, range, calendar, job.unit)
      mergeGoalReports(made, parts as ColumnGoalReportPart[], job.goal, range, calendar, job.unit, whole)
      whole.result()
      return
    }
    case 'values': {
      const whole = new ValueCount(job.reading, range, job.event)
      for (const part of parts as SeenValue[][]) whole.merge(part)
      whole.result(job.search, 50)
    }
  }
}

/** What is the least to do: for each event compare its name and address, by visits. */
function bareLoop({ visits, visitStart, name, address, at }: ReturnType<typeof makeColumns>): number {
  const began = performance.now()
  let found = 0
  for (let visit = 0; visit < visits; visit++) {
    const to = visitStart[visit + 1] as number
    for (let position = visitStart[visit] as number; position < to; position++)
      if (name[position] === 1 && address[position] === 7 && (at[position] as number) > 0) found++
  }
  return performance.now() - began + (found < 0 ? 1 : 0)
}
