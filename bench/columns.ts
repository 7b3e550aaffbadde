import { mergeBacktests, type ColumnBacktestPart } from '../core/src/columns/columnBacktest.js'
import { prepareGoal } from '../core/src/goals/prepareGoal.js'
import { goalSchema } from '../core/src/goals/goalSchema.js'
import { funnelSchema } from '../core/src/funnels/funnelSchema.js'
import { calendarOf } from '../core/src/days/zone.js'
import { Backtest } from '../core/src/goals/Backtest.js'
import { FunnelRun } from '../core/src/funnels/FunnelRun.js'
import { ColumnPool } from '../server/src/columns/ColumnPool.js'
import type { ColumnJob } from '../server/src/columns/ColumnJob.js'
import { HISTORY_DAYS, HISTORY_START, makeColumns } from './makeColumns.js'
import { p95Of, spreadOf, type Row } from './Row.js'

const VISITS = 2_000_000
const RUNS = 20
const WARM = 3
const TARGET_MS = 500
const timeZone = 'Europe/Madrid'
const range = { from: HISTORY_START, to: HISTORY_START + HISTORY_DAYS * 86_400_000 }
const path = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })

/** Backtests and funnels over 10 million events and 2 million visits, against a bare loop over the same numbers. */
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
      if (job.type === 'funnel') {
        const whole = new FunnelRun(job.funnel, range, calendarOf(timeZone))
        for (const part of parts) whole.merge(part as never)
        whole.result()
      } else {
        const whole = new Backtest(job.goal, range, calendarOf(timeZone))
        mergeBacktests(made, parts as ColumnBacktestPart[], job.goal, range, calendarOf(timeZone), whole)
        whole.result()
      }
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
      target: `≤ ${TARGET_MS} ms, ≤ 4 ×`,
      met: p95 <= TARGET_MS && p95 <= 4 * bare,
    })
  }
  await pool.close()
  return rows
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
