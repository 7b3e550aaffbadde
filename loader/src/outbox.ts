import { config } from './config.js'
import type { PageEvent } from './PageEvent.js'
import { quietly } from './quietly.js'
import { load, randomId, save } from './storage.js'

/** Events wait this long for company, in ms. */
const GATHER_MS = 100
const MOST_IN_BATCH = 50
/** Below what a keepalive request may carry (64 KiB over all of them). */
const LARGEST_BATCH = 50_000
const MOST_KEPT = 200

/** Everything not yet acknowledged, on this page and from pages before. */
let waiting: PageEvent[] = []
let sending: PageEvent[] = []
let timer: ReturnType<typeof setTimeout> | undefined
let pause = 2000
let keeping: Promise<void> | undefined
let visitor: string | undefined
const address = `${config.origin}/c/${config.key}`

/** Starts sending; only called once statistics may be kept. Sends first what pages before could not. */
export function openOutbox(): void {
  waiting = [...(load<PageEvent[]>('outbox') ?? []), ...waiting]
  visitor = load<string>('visitor')
  if (!visitor) save('visitor', (visitor = randomId()))
  addEventListener('pagehide', beacon)
  document.addEventListener('visibilitychange', () => document.visibilityState === 'hidden' && beacon())
  addEventListener('online', flush)
  later(GATHER_MS)
}

/** Who this browser is to us; undefined before statistics may be kept. */
export function visitorId(): string | undefined {
  return visitor
}

/** Takes an event. Until it is acknowledged it stays in the browser's storage, safe from navigation. */
export function post(event: PageEvent): void {
  waiting = [...waiting, event].slice(-MOST_KEPT)
  if (!visitor) return
  // Once for all events of this turn.
  keeping ??= Promise.resolve().then(keep)
  later(GATHER_MS)
}

const keep = quietly((): void => {
  keeping = undefined
  save('outbox', [...sending, ...waiting])
})

function later(ms: number): void {
  timer ??= setTimeout(flush, ms)
}

const flush = quietly((): void => {
  clearTimeout(timer)
  timer = undefined
  if (sending.length || !waiting.length) return
  sending = nextBatch()
  waiting = waiting.slice(sending.length)
  fetch(address, { method: 'POST', body: body(sending), keepalive: true, credentials: 'omit' }).then(
    // What is refused for good would be refused for ever; the rest is tried again.
    (answer) => settle(answer.ok || (answer.status < 500 && answer.status !== 429)),
    () => settle(false),
  )
})

const settle = quietly((done: boolean): void => {
  if (!done) waiting = [...sending, ...waiting]
  sending = []
  keep()
  pause = done ? 2000 : Math.min(pause * 2, 60_000)
  if (waiting.length) later(done ? 0 : pause)
})

/** The page is going away: sends what no request carries yet. It stays stored; a second copy is known by its uid. */
const beacon = quietly((): void => {
  const batch = nextBatch()
  if (visitor && batch.length && navigator.sendBeacon(address, body(batch))) waiting = waiting.slice(batch.length)
  save('outbox', [...sending, ...batch, ...waiting])
})

function nextBatch(): PageEvent[] {
  let count = 0
  for (let size = 0; count < Math.min(waiting.length, MOST_IN_BATCH); count++) {
    size += JSON.stringify(waiting[count]).length
    if (count && size > LARGEST_BATCH) break
  }
  return waiting.slice(0, count)
}

function body(events: PageEvent[]): string {
  return JSON.stringify({ visitor, events })
}
