import { compareEvents, type LoggedEvent } from '../events/LoggedEvent.js'
import { sourceOf, type SourceSettings, type VisitSource } from '../sources/sourceOf.js'
import { startsNewVisit } from './startsNewVisit.js'

/** Consecutive events of one visitor. */
export interface Visit<E extends LoggedEvent = LoggedEvent> {
  /** ms since 1970, of the first event. */
  startedAt: number
  /** ms since 1970, of the last event. */
  endedAt: number
  source: VisitSource
  /** In order, at least one. */
  events: E[]
}

/**
 * Derives the visits of one visitor from all of that visitor's events, in any order. The only
 * definition of a visit: live derivation, backtests, recounts and dry runs all come through here.
 */
export function deriveVisits<E extends LoggedEvent>(events: readonly E[], site: SourceSettings): Visit<E>[] {
  const visits: Visit<E>[] = []
  let current: Visit<E> | undefined
  for (const event of [...events].sort(compareEvents)) {
    if (!current || startsNewVisit(event, { lastAt: current.endedAt, source: current.source }, site)) {
      current = { startedAt: event.at, endedAt: event.at, source: sourceOf(event, site), events: [] }
      visits.push(current)
    }
    current.events.push(event)
    current.endedAt = event.at
  }
  return visits
}

/** The events of a visit that are page views; the first is its landing, the last its exit. */
export function pageViewsOf<E extends LoggedEvent>(visit: Visit<E>): E[] {
  return visit.events.filter((event) => event.name === 'page-view')
}
