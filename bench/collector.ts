import { Pool } from 'undici'
import { createPool } from 'mysql2/promise'
import type { LoggedEvent } from '../core/src/events/LoggedEvent.js'
import { startChildServer, type ChildServer } from './childServer.js'
import { makeVisitors } from './makeColumns.js'
import { median, spreadOf, type Row } from './Row.js'

/** Events that go to the log at once where nothing but the insert is measured. */
const GROUP = 2000
const EVENTS = 200_000
/** How often the collector and the bare insert are measured in turn. */
const ROUNDS = 3
/** Batches on their way at the same time. */
const AT_ONCE = 64

interface Batch {
  visitor: string
  events: LoggedEvent[]
}

/**
 * How many durable events a second one collector takes over HTTP, against the bare insert of the same rows; then
 * how it answers at half of that.
 * @param seconds how long half the load is kept up; ten minutes is what is promised
 */
export async function collector(seconds = Number(process.env.ACEQUIA_BENCH_SECONDS ?? 600)): Promise<Row[]> {
  const server = await startChildServer({ environment: { ACEQUIA_ROLE: 'collect,api' } })
  const client = new Pool(server.url, { connections: AT_ONCE, pipelining: 1 })
  try {
    const key = await server.addSite()
    const send = sender(client, key)
    // Once through with other events, so that dictionaries and compiler are warm.
    await sendAll(batches('warm', 20_000, 20), send)
    const measure = async (name: string, size: number): Promise<number> => {
      const list = batches(name, EVENTS, size)
      const began = performance.now()
      await sendAll(list, send)
      return EVENTS / ((performance.now() - began) / 1000)
    }
    // In turn, so that whatever else the machine does falls on both.
    const full: number[] = []
    const bares: number[] = []
    for (let round = 0; round < ROUNDS; round++) {
      full.push(await measure(`full-${round}`, 100))
      bares.push(await bareInsert(server, 60_000 + round))
    }
    const bare = median(bares)
    const row = (perSecond: number, size: number, spread: string): Row => ({
      what: `collector: durable events a second, one process, ${size} in a batch at most, ${AT_ONCE} requests at once`,
      measured: `${Math.round(perSecond)} events/s`,
      limit: `${Math.round(bare)} events/s, the same rows through mysql2 alone`,
      ratio: perSecond / bare,
      spread,
      // Small batches are a matter of HTTP; what is promised is about what the log takes.
      target: size === 100 ? '≥ 0.5 ×' : '–',
      met: size < 100 || perSecond >= 0.5 * bare,
    })
    const usual = await measure('usual', 20)
    const rows = [
      row(median(full), 100, `${spreadOf(full, 'events/s', 0)}; alone ${spreadOf(bares, 'events/s', 0)}`),
      row(usual, 20, `one run of ${EVENTS} events`),
      row(await measure('small', 5), 5, `one run of ${EVENTS} events`),
    ]
    rows.push(...(await atHalf(server, send, usual / 2, seconds)))
    return rows
  } finally {
    await client.close()
    await server.stop()
  }
}

/** Batches of made-up visitors, about as many events as wanted. */
function batches(name: string, events: number, size: number): Batch[] {
  const list: Batch[] = []
  let left = events
  let open: Batch | undefined
  for (const { visitorId, visits } of makeVisitors(events)) {
    for (const { events: its } of visits) {
      for (const event of its) {
        if (!open || open.events.length >= size) list.push((open = { visitor: `${name}-${visitorId}-visitor`, events: [] }))
        open.events.push({ ...event, uid: `${name}-${event.uid}-0123456789abcdef` })
        if (--left === 0) return list
      }
    }
    // Small batches are one visitor's; large ones, as a server sends them, are filled up.
    if (size < 50) open = undefined
  }
  return list
}

function sender(client: Pool, key: string): (batch: Batch) => Promise<number> {
  return async ({ visitor, events }) => {
    const body = JSON.stringify({ visitor, events: events.map(({ at, userAgent: _, ...event }) => ({ ...event, at: new Date(at).toISOString() })) })
    const began = performance.now()
    const answer = await client.request({ path: `/c/${key}`, method: 'POST', headers: { 'content-type': 'text/plain' }, body })
    await answer.body.dump()
    if (answer.statusCode !== 204) throw new Error(`The collector answered ${answer.statusCode}.`)
    return performance.now() - began
  }
}

async function sendAll(list: Batch[], send: (batch: Batch) => Promise<number>): Promise<void> {
  let next = 0
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      while (next < list.length) await send(list[next++] as Batch)
    }),
  )
}

/** The rows of one site once more under another, through mysql2 alone. @returns events a second */
async function bareInsert(server: ChildServer, siteId: number): Promise<number> {
  const pool = createPool({ uri: server.mariaDb.url, connectionLimit: 2, charset: 'utf8mb4_bin' })
  const [rows] = await pool.query<never[]>('SELECT * FROM events WHERE site_id < 60000 LIMIT ?', [EVENTS])
  const columns = Object.keys((rows as Record<string, unknown>[])[0] as object).filter((name) => name !== 'id')
  const tuples = (rows as Record<string, unknown>[]).map((row) => columns.map((name) => (name === 'site_id' ? siteId : row[name])))
  const began = performance.now()
  for (let start = 0; start < tuples.length; start += GROUP)
    await pool.query(`INSERT INTO events (${columns.join(', ')}) VALUES ?`, [tuples.slice(start, start + GROUP)])
  const perSecond = tuples.length / ((performance.now() - began) / 1000)
  await pool.end()
  return perSecond
}

/** How long the windows are by which answer times are told apart, in ms. */
const WINDOW_MS = 20_000
const p99Of = (times: number[]): number => [...times].sort((a, b) => a - b)[Math.max(0, Math.ceil(times.length * 0.99) - 1)] ?? 0

/** Sends at a steady rate, and looks at answer times and memory. */
async function atHalf(server: ChildServer, send: (batch: Batch) => Promise<number>, perSecond: number, seconds: number): Promise<Row[]> {
  const size = 20
  const times: number[] = []
  /** Where each window begins among the times. */
  const windows: number[] = [0]
  const memory: number[] = []
  const began = performance.now()
  let sent = 0
  let round = 0
  let list: Batch[] = []
  const waiting = new Set<Promise<void>>()
  let failed: unknown
  while (performance.now() - began < seconds * 1000) {
    const due = Math.floor((perSecond * (performance.now() - began)) / 1000)
    while (sent < due) {
      // Few at once: making them up must not hold back what is being answered.
      if (!list.length) list = batches(`half-${round++}`, 400, size)
      const batch = list.pop() as Batch
      sent += batch.events.length
      const one = send(batch)
        .then((ms) => void times.push(ms))
        .catch((error: unknown) => void (failed = error))
        .finally(() => waiting.delete(one))
      waiting.add(one)
    }
    if (failed) throw failed
    if (windows.length * WINDOW_MS <= performance.now() - began) windows.push(times.length)
    if (memory.length < (performance.now() - began) / 5000) memory.push(await residentMemory(server))
    await new Promise((resolve) => setTimeout(resolve, 5))
  }
  await Promise.all(waiting)
  const byWindow = windows.map((from, index) => p99Of(times.slice(from, windows[index + 1]))).sort((a, b) => a - b)
  times.sort((a, b) => a - b)
  const p99 = p99Of(times)
  const [middle, end] = [memory[Math.floor(memory.length / 2)] as number, memory[memory.length - 1] as number]
  return [
    {
      what: `collector: answer time at half of that (${Math.round(perSecond)} events/s) for ${seconds} s`,
      measured: `p99 ${p99.toFixed(0)} ms`,
      limit: '100 ms',
      ratio: p99 / 100,
      spread: `median ${(times[times.length >> 1] as number).toFixed(1)} ms, largest ${(times[times.length - 1] as number).toFixed(0)} ms, ${times.length} batches; p99 of each ${WINDOW_MS / 1000} s: ${(byWindow[byWindow.length >> 1] as number).toFixed(0)} ms in the middle, ${(byWindow[byWindow.length - 1] as number).toFixed(0)} ms at worst`,
      target: '≤ 100 ms',
      met: p99 <= 100,
    },
    {
      what: 'collector: memory over that time',
      measured: `${Math.round(end / 1e6)} MB at the end`,
      limit: `${Math.round(middle / 1e6)} MB half-way`,
      ratio: end / middle,
      spread: `${Math.round(Math.min(...memory) / 1e6)} to ${Math.round(Math.max(...memory) / 1e6)} MB`,
      target: '≤ 1.2 ×',
      met: end <= 1.2 * middle,
    },
  ]
}

async function residentMemory(server: ChildServer): Promise<number> {
  const text = await (await fetch(`${server.url}/metrics`)).text()
  return Number(/^acequia_process_resident_memory_bytes (\S+)$/m.exec(text)?.[1] ?? NaN)
}
