import { calendarOf } from '@acequia/core/days/zone'
import { countGoal } from '@acequia/core/goals/countGoal'
import { prepareGoal } from '@acequia/core/goals/prepareGoal'
import { rememberingUrlParts } from '@acequia/core/readings/rememberingUrlParts'
import type { VisitSource } from '@acequia/core/sources/sourceOf'
import { deriveVisits, pageViewsOf } from '@acequia/core/visits/deriveVisits'
import type { VisitorEvents } from '../events/EventLog.js'
import type { EventExtra } from '../events/eventsTable.js'
import type { ConversionTuple } from '../goals/conversionsTable.js'
import type { Definition } from './derivationsTable.js'
import type { VisitTuple } from './visitsTable.js'

/** What is derived of some visitors: rows to be written, still with sources as texts. */
export interface Derived {
  /** The last field is filled from `sources` by `withSourceIds`. */
  visits: { tuple: VisitTuple; source: string }[]
  conversions: { tuple: ConversionTuple; source: string }[]
}

const DIRECT = JSON.stringify(['direct', 'direct', 'none', null, null, null])

/** A visit's source as the dictionary keeps it. */
export function sourceText(source: VisitSource): string {
  // Most visits are, and there are millions of them.
  if (source.kind === 'direct') return DIRECT
  return JSON.stringify([source.kind, source.source, source.medium, source.campaign, source.content, source.term])
}

/** The source that a dictionary entry stands for. */
export function sourceFromText(text: string): VisitSource {
  const [kind, source, medium, campaign, content, term] = JSON.parse(text) as [VisitSource['kind'], string, string, string | null, string | null, string | null]
  return { kind, source, medium, campaign, content, term }
}

/** What of events a definition's goals look at, of that which only some goals do. Rather too much than too little. */
export function extrasOf({ goals }: Definition): EventExtra[] {
  const text = JSON.stringify(goals)
  const extras: EventExtra[] = []
  if (text.includes('"title"')) extras.push('title_id')
  if (/"(data|own)\./.test(text)) extras.push('data')
  return extras
}

/** Makes the deriving function of a derivation; reading rules once for many visitors. */
export function deriverFor(derivationNo: number, { settings, goals }: Definition): (visitors: VisitorEvents[]) => Derived {
  const calendar = calendarOf(settings.timeZone)
  const partsOf = rememberingUrlParts()
  const prepared = goals.map(({ no, goal }) => ({ no, goal: prepareGoal(goal, settings) }))
  return (visitors) => {
    const derived: Derived = { visits: [], conversions: [] }
    for (const { visitorId, events } of visitors) {
      const visits = deriveVisits(events, settings)
      const numbers = new Map(visits.map((visit, index) => [visit, index]))
      const sources = new Map(visits.map((visit) => [visit, sourceText(visit.source)]))
      for (const [index, visit] of visits.entries()) {
        const pages = pageViewsOf(visit)
        derived.visits.push({
          source: sources.get(visit) as string,
          tuple: [
            derivationNo,
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
              derivationNo,
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
