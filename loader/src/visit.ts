import { urlParts } from '@acequia/core/readings/url'
import { sourceOf, type VisitSource } from '@acequia/core/sources/sourceOf'
import { startsNewVisit } from '@acequia/core/visits/startsNewVisit'
import { config } from './config.js'
import type { PageEvent } from './PageEvent.js'
import { load, save } from './storage.js'

/** What is remembered of the running visit. */
export interface KeptVisit {
  lastAt: number
  source: VisitSource
  /** Path of the page it began on. */
  landing: string
  /** Tags that fired in it, as far as a limit asks. */
  tags?: string[]
  /** Time its pages were visible, in ms. */
  visible?: number
  /** Its events, as far as goals need them. */
  events?: PageEvent[]
}

let current: KeptVisit | undefined
let keeping = false

/**
 * The visit an event belongs to, by the same functions as the server's derivation.
 * @param keep whether the browser may remember it for the next page
 */
export function visitOf(event: PageEvent, keep: boolean): KeptVisit {
  const at = Date.parse(event.at)
  keeping = keep
  if (keep) current = load<KeptVisit>('visit') ?? current
  const fresh = !current || startsNewVisit({ ...event, at }, current, config.site)
  if (fresh || !current) {
    current = { lastAt: at, source: sourceOf(event, config.site), landing: urlParts(event.url).path }
    if (ACEQUIA_READINGS && keep && !load('first')) save('first', current)
  }
  current.lastAt = at
  keepVisit()
  return current
}

/** The running visit; undefined before the first event. */
export function runningVisit(): KeptVisit | undefined {
  return current
}

/** Takes the visit as somebody else knows it. */
export function setVisit(visit: KeptVisit): void {
  current = visit
}

/** Remembers what changed in the running visit, as far as the browser may. */
export function keepVisit(): void {
  if (keeping) save('visit', current)
}
