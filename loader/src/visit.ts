import { sourceOf, type VisitSource } from '@acequia/core/sources/sourceOf'
import { startsNewVisit } from '@acequia/core/visits/startsNewVisit'
import { config } from './config.js'
import type { PageEvent } from './PageEvent.js'
import { load, save } from './storage.js'

interface KeptVisit {
  lastAt: number
  source: VisitSource
}

let current: KeptVisit | undefined

/**
 * The source of the visit an event belongs to, by the same functions as the server's derivation.
 * @param keep whether the browser may remember it for the next page
 */
export function visitOf(event: PageEvent, keep: boolean): VisitSource {
  const at = Date.parse(event.at)
  if (keep) current = load<KeptVisit>('visit') ?? current
  const fresh = !current || startsNewVisit({ ...event, at }, current, config.site)
  current = { lastAt: at, source: fresh || !current ? sourceOf(event, config.site) : current.source }
  if (keep) save('visit', current)
  return current.source
}
