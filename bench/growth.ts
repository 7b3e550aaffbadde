import { startChildServer } from './childServer.js'
import { fillLog } from './fillLog.js'
import { FORM_GOAL, FROM, ORDER_GOAL, TO, untilDerived } from './log.js'
import { HISTORY_DAYS } from './makeColumns.js'
import { median, spreadOf, type Row } from './Row.js'

const RUNS = 20
const WARM = 3
const VISITS = 40_000

/** The same questions with as many matches, before and after the log has grown to ten times its size by older events. */
export async function growth(): Promise<Row[]> {
  const server = await startChildServer({ bufferPool: '4G', environment: { ACEQUIA_COLUMNS_FROM: '100000000' } })
  try {
    const key = await server.addSite()
    for (const goal of [FORM_GOAL, ORDER_GOAL]) await server.api('POST', `/sites/${key}/goals`, goal)
    const [, order] = await server.api<{ id: string }[]>('GET', `/sites/${key}/goals`)
    const questions: [string, string][] = [
      ['visits and two goals by day', `/sites/${key}/overview?from=${FROM}&to=${TO}`],
      ['the same, cutting through days', `/sites/${key}/overview?from=${FROM}T01:00:00Z&to=${TO}T01:00:00Z`],
      ['conversions of a week', `/sites/${key}/goals/${order?.id}/conversions?from=2026-09-10&to=2026-09-17`],
    ]
    const measure = async (): Promise<{ times: number[]; answer: string }[]> => {
      await server.api('POST', `/sites/${key}/derivation:begin`)
      await untilDerived(server, key)
      const found: { times: number[]; answer: string }[] = []
      for (const [, path] of questions) {
        const times: number[] = []
        let answer = ''
        for (let run = 0; run < RUNS + WARM; run++) {
          const began = performance.now()
          answer = JSON.stringify(await server.api('GET', path))
          if (run >= WARM) times.push(performance.now() - began)
        }
        found.push({ times, answer })
      }
      return found
    }
    const few = await fillLog(server.mariaDb.url, key, VISITS)
    const before = await measure()
    const more = await fillLog(server.mariaDb.url, key, 9 * VISITS, 2 * HISTORY_DAYS * 86_400_000)
    const after = await measure()
    return questions.map(([what], index) => {
      const [small, large] = [before[index], after[index]] as [(typeof before)[number], (typeof after)[number]]
      if (withoutBefore(small.answer) !== withoutBefore(large.answer)) throw new Error(`${what}: the answer has changed.`)
      const [mine, limit] = [median(large.times), median(small.times)]
      return {
        what: `over HTTP: ${what}, ${((few + more) / 1e6).toFixed(1)} million events, as many in the range as before`,
        measured: `${mine.toFixed(1)} ms`,
        limit: `${limit.toFixed(1)} ms when the log had ${(few / 1e6).toFixed(1)} million`,
        ratio: mine / limit,
        spread: `${spreadOf(large.times, 'ms')}; before ${spreadOf(small.times, 'ms')}`,
        target: '≤ 1.5 ×',
        met: mine <= 1.5 * limit,
      }
    })
  } finally {
    await server.stop()
  }
}

/** An answer without what it says of the range before, where events have come. */
function withoutBefore(answer: string): string {
  return JSON.stringify(JSON.parse(answer), (name, value: unknown) => (name === 'before' || name === 'visitsBefore' ? undefined : value))
}
