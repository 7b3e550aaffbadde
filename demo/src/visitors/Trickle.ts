import { randomBytes } from 'node:crypto'
import { browsePages } from './browsePages.js'
import type { FiredTags } from './FiredTags.js'
import { Random } from './Random.js'
import { eventsOfVisit } from './history.js'
import { simulateVisit } from './simulateVisit.js'

/** Average time between two simulated visits, in ms. */
const PAUSE_MS = 12_000
/** Simulated people hurry: pauses between their pages are shortened by this factor. */
const HURRY = 5
/** Share of visits that go through real pages. */
const REAL = 0.25

/**
 * Simulated visitors who come while the demo runs. Some go through the real pages with the real
 * loader; of the others each event is sent to the collector at the moment it happens, as the loader would.
 */
export class Trickle {
  private timer: NodeJS.Timeout | undefined
  private readonly timers = new Set<NodeJS.Timeout>()
  private readonly random = new Random(randomBytes(4).readUInt32LE())
  private order = Date.now() % 1_000_000_000

  /**
   * @param collect address of the collector with the site's key
   * @param shop origin of the website
   * @param fired notes which tags fire
   */
  constructor(
    private readonly collect: string,
    private readonly shop: string,
    private readonly fired: FiredTags,
  ) {}

  /** Whether visitors are coming. */
  get on(): boolean {
    return this.timer !== undefined
  }

  /** Lets visitors come, or ends it. */
  turn(on: boolean): void {
    clearTimeout(this.timer)
    this.timer = undefined
    if (on) this.next()
    else for (const timer of this.timers) clearTimeout(timer)
  }

  private next(): void {
    this.timer = setTimeout(
      () => {
        this.visit()
        this.next()
      },
      this.random.next() * 2 * PAUSE_MS,
    )
  }

  private visit(): void {
    if (this.random.chance(REAL)) {
      const start = this.random.weighted([
        ['/', 3],
        ['/nights', 2],
        ['/journal/reading-the-winter-sky', 1],
      ] as const)
      browsePages(this.shop + start, this.random, () => !this.on).catch(() => undefined)
      return
    }
    const visit = simulateVisit(this.random, () => `Q-${this.order++}`)
    const hurried = { ...visit, events: visit.events.map((event) => ({ ...event, after: event.after / HURRY })) }
    const start = Date.now()
    const incoming = eventsOfVisit(hurried, start, randomBytes(16).toString('hex'), this.shop, () => randomBytes(16).toString('hex'))
    this.fired.note(incoming)
    for (const { visitor, event, userAgent } of incoming) {
      const timer = setTimeout(() => {
        this.timers.delete(timer)
        const body = JSON.stringify({ visitor, events: [{ ...event, at: new Date().toISOString() }] })
        // The demo may be stopping; nobody waits for a simulated visitor.
        fetch(this.collect, { method: 'POST', headers: { 'content-type': 'text/plain', 'user-agent': userAgent ?? '' }, body }).catch(() => undefined)
      }, event.at - start)
      this.timers.add(timer)
    }
  }
}
