import { agentOf } from '@acequia/core/dimensions/dimensions'
import { explainGoal } from '@acequia/core/goals/explainGoal'
import { rememberingUrlParts } from '@acequia/core/readings/rememberingUrlParts'
import { deriveVisits } from '@acequia/core/visits/deriveVisits'
import { notFound } from '../api/Problem.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { hashOf } from '../dictionaries/Dictionary.js'
import { shownDerivation } from '../visits/derivationsTable.js'
import { EventLog } from '../events/EventLog.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import { draftOf } from '../wiring/draftsTable.js'
import { releaseOf } from '../wiring/releasesTable.js'

/** What one visitor did, in all visits. */
export function visitorsRoutes({ database, dictionaries }: Services): Route[] {
  const log = new EventLog(database, dictionaries)
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/visitors/{visitor}',
      summary: 'All visits of a visitor with their events, what fired, what counted, and why the rest did not',
      handle: async ({ site, params }) => {
        const visitor = String(params.visitor)
        const known = await database.row<{ id: number }>('SELECT id FROM visitors WHERE site_id = ? AND hash = ?', [site.id, hashOf(visitor)])
        if (!known) throw notFound('visitor')
        const [[found], goals, draft, live, taken] = await Promise.all([
          log.ofVisitors(site.id, [known.id], database.pool),
          goalsOfSites(database, [site.id]),
          draftOf(database, site.id),
          releaseOf(database, site.id),
          database.rows<{ goal_no: number; uid: string }>('SELECT goal_no, uid FROM conversions WHERE derivation_no = ? AND visitor_id = ? AND counted = 0', [
            await shownDerivation(database, site.id),
            known.id,
          ]),
        ])
        const partsOf = rememberingUrlParts()
        const visits = deriveVisits(found?.events ?? [], site.settings)
        const others = new Set(taken.map((row) => `${row.goal_no} ${row.uid}`))
        const verdicts = new Map<string, { goal: string; name: string; counted: boolean; why: string | null }[]>()
        for (const { no, id, goal } of goals) {
          for (const { uid, counted, why } of explainGoal(goal, site.settings, visits, partsOf)) {
            // Only the whole site's conversions tell who had an order first.
            const elsewhere = counted && others.has(`${no} ${uid}`)
            const verdict = { goal: id, name: goal.name, counted: counted && !elsewhere, why: elsewhere ? 'another visitor had this order first' : why }
            verdicts.set(uid, [...(verdicts.get(uid) ?? []), verdict])
          }
        }
        const names = new Map([...(live?.document.wiring.tags ?? []), ...draft.wiring.tags].map((tag) => [tag.id, tag.name]))
        return {
          visitor,
          visits: visits.map(({ startedAt, endedAt, source, events }) => {
            const [first] = events
            return {
              startedAt: new Date(startedAt).toISOString(),
              endedAt: new Date(endedAt).toISOString(),
              source: source.source,
              medium: source.medium,
              campaign: source.campaign,
              ...agentOf(first?.userAgent),
              country: first?.place?.country ?? null,
              events: events.map((event) => ({
                uid: event.uid,
                at: new Date(event.at).toISOString(),
                name: event.name,
                url: event.url,
                path: partsOf(event.url).path,
                title: event.title ?? null,
                data: event.data ?? null,
                value: event.value ?? null,
                currency: event.currency ?? null,
                order: event.order ?? null,
                fired: (event.fired ?? []).map((id) => names.get(id) ?? id),
                goals: verdicts.get(event.uid) ?? [],
              })),
            }
          }),
        }
      },
    }),
  ]
}
