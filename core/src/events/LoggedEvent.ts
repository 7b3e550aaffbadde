import { compareCodePoints } from '../text/compareCodePoints.js'
import type { Place } from './Place.js'
import type { ReadableEvent } from '../readings/readEvent.js'

/** An event as the log holds it, for derivation. */
export interface LoggedEvent extends ReadableEvent {
  /** Unique in a site. */
  uid: string
  /** ms since 1970, UTC. */
  at: number
  /** Ids of the tags that fired at it. */
  fired?: string[] | undefined
  /** What the browser says of itself. */
  userAgent?: string | undefined
  place?: Place | undefined
}

/** The order of events everywhere: by time, then by `uid` in code points. */
export function compareEvents(a: { at: number; uid: string }, b: { at: number; uid: string }): number {
  return a.at - b.at || compareCodePoints(a.uid, b.uid)
}
