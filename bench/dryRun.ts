import { calendarOf } from '../core/src/days/zone.js'
import { DryRun } from '../core/src/dryRun/DryRun.js'
import type { LoggedEvent } from '../core/src/events/LoggedEvent.js'
import type { Visit } from '../core/src/visits/deriveVisits.js'
import { compileWiring } from '../core/src/wiring/compileWiring.js'
import { wiringSchema } from '../core/src/wiring/wiringSchema.js'
import { median, spreadOf, type Row } from './Row.js'

const EVENTS = 1_000_000
const PER_VISIT = 5
const DAY = 86_400_000
const RUNS = 3
const START = Date.UTC(2026, 7, 1)

/** A dry run of 12 triggers and 20 tags over a million recorded events, against a bare loop over the same. */
export function dryRun(): Row[] {
  const visits = makeVisits()
  const where = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })
  const triggers = Array.from({ length: 12 }, (_, n) => ({
    id: `t${n}`,
    moment: { type: n % 4 === 3 ? 'form-sent' : 'page-view' },
    where: where(`/page-${n * 7}`),
  }))
  const tags = Array.from({ length: 20 }, (_, n) => ({
    id: `g${n}`,
    name: `g${n}`,
    triggers: [`t${n % 12}`],
    limit: n % 3 ? 'every' : 'visit',
    does: { type: 'image', address: 'https://pixel.example/' },
  }))
  const compiled = compileWiring({ wiring: wiringSchema.parse({ triggers, tags }), channels: [], recipes: [] }, [], { currency: 'EUR', rates: {} })
  const times: number[] = []
  const bare: number[] = []
  for (let run = 0; run < RUNS; run++) {
    let began = performance.now()
    const dry = new DryRun(compiled, compiled, { from: START, to: START + 90 * DAY }, calendarOf('Europe/Madrid'))
    for (const [index, visit] of visits.entries()) dry.addVisitor(`v${index}`, [visit])
    const { events } = dry.result()
    if (events !== EVENTS) throw new Error(`It saw ${events} events instead of ${EVENTS}.`)
    times.push(performance.now() - began)
    began = performance.now()
    let sum = 0
    for (const visit of visits) for (const event of visit.events) if (event.name === 'page-view' && event.url.endsWith('/page-7')) sum += event.at
    bare.push(performance.now() - began + (sum === 1 ? 1 : 0))
  }
  const [mine, theirs] = [median(times), median(bare)]
  return [
    {
      what: 'dry run over 1 million events, 12 triggers, 20 tags, both wirings',
      measured: `${(mine / 1000).toFixed(2)} s`,
      limit: `${(theirs / 1000).toFixed(3)} s, one comparison an event`,
      ratio: mine / theirs,
      spread: spreadOf(times, 'ms', 0),
      target: '≤ 3 s',
      met: mine <= 3000,
    },
  ]
}

function makeVisits(): Visit[] {
  const source = { kind: 'direct' as const, source: 'direct', medium: 'none', campaign: null, content: null, term: null }
  return Array.from({ length: EVENTS / PER_VISIT }, (_, v) => {
    const startedAt = START + Math.floor((v / (EVENTS / PER_VISIT)) * 89 * DAY)
    const events = Array.from({ length: PER_VISIT }, (__, n): LoggedEvent => ({
      uid: `${v}-${n}`,
      at: startedAt + n * 20_000,
      name: n === 3 ? 'form-sent' : 'page-view',
      url: `https://altolucero.example/page-${(v * 31 + n * 17) % 100}`,
    }))
    return { startedAt, endedAt: startedAt + PER_VISIT * 20_000, source, events }
  })
}
