import { calendarOf } from '@acequia/core/days/zone'
import { countGoal } from '@acequia/core/goals/countGoal'
import { prepareGoal } from '@acequia/core/goals/prepareGoal'
import { rememberingUrlParts } from '@acequia/core/readings/rememberingUrlParts'
import type { VisitSource } from '@acequia/core/sources/sourceOf'
import { deriveVisits, pageViewsOf } from '@acequia/core/visits/deriveVisits'
import type { VisitorEvents } from '../events/EventLog.js'
import type { ConversionTuple } from '../goals/conversionsTable.js'
import type { StoredGoal } from '../goals/goalsTable.js'
import type { Site } from '../sites/sitesTable.js'
import type { VisitTuple } from './visitsTable.js'

/** What is derived of some visitors: rows to be written, still with sources as texts. */
export interface Derived {
  /** The last field is filled from `sources` by `withSourceIds`. */
  visits: { tuple: VisitTuple; source: string }[]
  conversions: { tuple: ConversionTuple; source: string }[]
}

/** A visit's source as the dictionary keeps it. */
export function sourceText(source: VisitSource): string {
  return JSON.stringify([source.kind, source.source, source.medium, source.campaign, source.content, source.term])
}

/** The source that a dictionary entry stands for. */
export function sourceFromText(text: string): VisitSource {
  const [kind, source, medium, campaign, content, term] = JSON.parse(text) as [VisitSource['kind'], string, string, string | null, string | null, string | null]
  return { kind, source, medium, campaign, content, term }
}

/** Makes the deriving function for a site and its goals; reading rules once for many visitors. */
export function deriverFor(site: Site, goals: StoredGoal[]): (visitors: VisitorEvents[]) => Derived {
  const calendar = calendarOf(site.settings.timeZone)
  const partsOf = rememberingUrlParts()
  const prepared = goals.map((stored) => ({ no: stored.no, goal: prepareGoal(stored.goal, site.settings) }))
  return (visitors) => {
    const derived: Derived = { visits: [], conversions: [] }
    for (const { visitorId, events } of visitors) {
      const visits = deriveVisits(events, site.settings)
      const numbers = new Map(visits.map((visit, index) => [visit, index]))
      const sources = new Map(visits.map((visit) => [visit, sourceText(visit.source)]))
      for (const [index, visit] of visits.entries()) {
        const pages = pageViewsOf(visit)
        derived.visits.push({
          source: sources.get(visit) as string,
          tuple: [
            site.id,
            visitorId,
            index,
            visit.startedAt,
            visit.endedAt,
            calendar.dayOf(visit.startedAt),
            0,
            pages[0]?.addressId ?? null,
            pages[pages.length - 1]?.addressId ?? null,
            pages.length,
            visit.events.length,
          ],
        })
      }
      for (const { no, goal } of prepared) {
        for (const { event, visit, amount, currency, value, order } of countGoal(goal, visits, partsOf).conversions) {
          derived.conversions.push({
            source: sources.get(visit) as string,
            tuple: [
              site.id,
              no,
              visitorId,
              event.at,
              event.uid,
              numbers.get(visit) as number,
              visit.startedAt,
              calendar.dayOf(event.at),
              1,
              amount,
              currency,
              value,
              event.order ?? null,
              order,
              event.addressId,
              0,
            ],
          })
        }
      }
    }
    return derived
  }
}
