import { campaignOf, type SourceSettings, type VisitSource } from '../sources/sourceOf.js'

/** A visit ends after more than this many ms without an event. */
export const VISIT_PAUSE = 30 * 60_000

/**
 * Tells whether an event begins a new visit rather than joining the current one: after more than
 * 30 minutes of quiet, or as a page view that arrives from another campaign than the visit's own.
 * Used by derivation and, so that the loader judges rules alike, by the loader.
 */
export function startsNewVisit(
  event: { at: number; name: string; url: string },
  current: { lastAt: number; source: VisitSource },
  site: Pick<SourceSettings, 'clickIds'>,
): boolean {
  if (event.at - current.lastAt > VISIT_PAUSE) return true
  const arriving = event.name === 'page-view' ? campaignOf(event.url, site) : null
  if (!arriving) return false
  const { kind, source, medium, campaign } = current.source
  return kind !== 'campaign' || arriving.source !== source || arriving.medium !== medium || arriving.campaign !== campaign
}
