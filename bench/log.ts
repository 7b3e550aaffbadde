import { createConnection, type Connection } from 'mysql2/promise'
import { startChildServer, type ChildServer } from './childServer.js'
import { fillLog } from './fillLog.js'
import { HISTORY_DAYS, HISTORY_START } from './makeColumns.js'
import { median, p95Of, spreadOf, type Row } from './Row.js'

const RUNS = 20
const day = (at: number): string => new Date(at).toISOString().slice(0, 10)
/** The days that the made-up history covers. */
export const FROM = day(HISTORY_START)
export const TO = day(HISTORY_START + HISTORY_DAYS * 86_400_000)
const RANGE = { from: FROM, to: TO }
const path = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })
/** Each order once, with its value. */
export const ORDER_GOAL = { name: 'Bought', kind: { type: 'page', where: path('/thanks') }, count: 'order', value: { type: 'reading', reading: 'value' } }
/** Each visit once in which a form was sent. */
export const FORM_GOAL = { name: 'Asked', kind: { type: 'event', event: 'form-sent' } }

/**
 * A log of ten million events in MariaDB: how long making everything anew takes, how quickly reports are, and the
 * first answers after a start. `ACEQUIA_BENCH_VISITS` makes it smaller.
 */
export async function log(visits = Number(process.env.ACEQUIA_BENCH_VISITS ?? 2_000_000)): Promise<Row[]> {
  const server = await startChildServer({ bufferPool: '4G', environment: { ACEQUIA_COLUMNS_FROM: '100000' } })
  const connection = await createConnection({ uri: server.mariaDb.url, charset: 'utf8mb4_bin' })
  try {
    const key = await server.addSite()
    const began = performance.now()
    const events = await fillLog(server.mariaDb.url, key, visits)
    const filled = (performance.now() - began) / 1000
    const size = `${(events / 1e6).toFixed(1)} million events, ${(visits / 1e6).toFixed(1)} million visits`
    const rows: Row[] = [
      {
        what: `filling a log with ${size}, past the collector`,
        measured: `${filled.toFixed(0)} s`,
        limit: 'minutes',
        ratio: null,
        spread: 'one run',
        target: '–',
        met: true,
      },
    ]
    rows.push(await rebuild(server, connection, key, events, size))
    rows.push(...(await reports(server, connection, key, size)))
    rows.push(...(await firstAnswers(server, key, size)))
    return rows
  } finally {
    await connection.end()
    await server.stop()
  }
}

/** Two goals are added; the derivation that follows goes over the whole log. */
async function rebuild(server: ChildServer, connection: Connection, key: string, events: number, size: string): Promise<Row> {
  const read = performance.now()
  let rows = 0
  const stream = connection as unknown as { connection: { query: (sql: string) => { stream: (options: object) => AsyncIterable<unknown> } } }
  for await (const _ of stream.connection.query('SELECT * FROM events ORDER BY site_id, visitor_id, at').stream({ highWaterMark: 1000 })) rows++
  const reading = rows / ((performance.now() - read) / 1000)
  const began = performance.now()
  await server.api('POST', `/sites/${key}/goals`, FORM_GOAL)
  await server.api('POST', `/sites/${key}/goals`, ORDER_GOAL)
  await untilDerived(server, key)
  const perSecond = events / ((performance.now() - began) / 1000)
  return {
    what: `deriver: everything made anew, one process, ${size}, two goals`,
    measured: `${Math.round(perSecond)} events/s`,
    limit: `${Math.round(reading)} events/s, reading the same rows in order and doing nothing`,
    ratio: perSecond / reading,
    spread: 'one run',
    target: '≥ 50000 events/s',
    met: perSecond >= 50_000,
  }
}

/** Waits until everything of a site is derived anew. */
export async function untilDerived(server: ChildServer, key: string): Promise<void> {
  while ((await server.api<{ state: string }>('GET', `/sites/${key}/derivation`)).state !== 'shown') await new Promise((resolve) => setTimeout(resolve, 500))
}

/** What screens ask of derived rows, each against the cheapest SQL over the same rows. */
async function reports(server: ChildServer, connection: Connection, key: string, size: string): Promise<Row[]> {
  const goals = await server.api<{ id: string }[]>('GET', `/sites/${key}/goals`)
  const count = async (sql: string): Promise<number> => {
    const times: number[] = []
    for (let run = 0; run < 5; run++) {
      const began = performance.now()
      await connection.query(sql)
      times.push(performance.now() - began)
    }
    return median(times)
  }
  const between = `BETWEEN ${HISTORY_START} AND ${HISTORY_START + HISTORY_DAYS * 86_400_000}`
  const shown = "(SELECT no FROM derivations WHERE state = 'shown')"
  const touched =
    (await count(`SELECT COUNT(day) FROM visits WHERE derivation_no = ${shown} AND started_at ${between}`)) +
    (await count(`SELECT COUNT(value) FROM conversions WHERE derivation_no = ${shown} AND counted = 1 AND at ${between}`))
  /** With null as target, nothing is promised of it. */
  const asked: [string, () => Promise<unknown>, target?: null][] = [
    ['report of visits and two goals by day', () => server.api('GET', `/sites/${key}/overview?from=${FROM}&to=${TO}`)],
    ['conversions of one day', () => server.api('GET', `/sites/${key}/goals/${goals[1]?.id}/conversions?from=2026-09-10&to=2026-09-11`)],
    ['everything about one goal', () => server.api('GET', `/sites/${key}/goals/${goals[1]?.id}/report?from=${FROM}&to=${TO}`)],
    ['pages whose path contains "page-12"', () => server.api('GET', `/sites/${key}/values?reading=path&event=page-view&search=page-12&from=${FROM}&to=${TO}`)],
    ['backtest of a goal', () => server.api('POST', `/sites/${key}/goals:backtest`, { goal: ORDER_GOAL, ...RANGE })],
    ['goals that the log suggests, over visits made up again', () => server.api('GET', `/sites/${key}/goals:suggest?from=${FROM}&to=${TO}`), null],
  ]
  const rows: Row[] = []
  for (const [what, ask, target] of asked) {
    const times: number[] = []
    const runs = target === null ? 3 : RUNS
    for (let run = 0; run < runs + 2; run++) {
      const began = performance.now()
      await ask()
      if (run >= 2) times.push(performance.now() - began)
    }
    const p95 = p95Of(times)
    rows.push({
      what: `over HTTP: ${what}, ${size}`,
      measured: `p95 ${p95.toFixed(0)} ms`,
      limit: `${touched.toFixed(0)} ms, SQL that only counts the range's visits and conversions`,
      ratio: p95 / touched,
      spread: spreadOf(times, 'ms', 0),
      target: target === null ? '–' : '≤ 1000 ms',
      met: target === null || p95 <= 1000,
    })
  }
  return rows
}

/** Columns are saved by now: a server that has just started reads them back. */
async function firstAnswers(server: ChildServer, key: string, size: string): Promise<Row[]> {
  const times: number[] = []
  for (let run = 0; run < 3; run++) {
    await server.restart()
    const began = performance.now()
    await server.api('POST', `/sites/${key}/goals:backtest`, { goal: ORDER_GOAL, ...RANGE })
    times.push(performance.now() - began)
  }
  const worst = Math.max(...times)
  return [
    {
      what: `the very first backtest after a start, ${size}`,
      measured: `${(worst / 1000).toFixed(1)} s`,
      limit: '5 s',
      ratio: worst / 5000,
      spread: spreadOf(times, 'ms', 0),
      target: '≤ 5 s',
      met: worst <= 5000,
    },
  ]
}
