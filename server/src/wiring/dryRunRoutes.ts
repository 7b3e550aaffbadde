import { DryRun } from '@acequia/core/dryRun/DryRun'
import { unjudgedTriggers } from '@acequia/core/dryRun/unjudged'
import { compileWiring } from '@acequia/core/wiring/compileWiring'
import { EMPTY_WIRING } from '@acequia/core/wiring/wiringSchema'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import { documentOf } from './documentOf.js'
import { draftOf } from './draftsTable.js'
import { releaseOf } from './releasesTable.js'

/** How often progress is told, in ms. */
const TELL_MS = 200

/** The dry run: the draft over recorded events, against the live release. */
export function dryRunRoutes({ columns, database }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/wiring:dry-run',
      summary:
        'What the draft would have fired in a range, against the live release; lines of JSON: { progress }, at last { result }. Ending the request ends it',
      body: rangeQuery,
      handle: async ({ site, body, response }) => {
        const range = rangeOn(site, body)
        const [draft, live, goals] = await Promise.all([draftOf(database, site.id), releaseOf(database, site.id), goalsOfSites(database, [site.id])])
        const compiled = async (document: Parameters<typeof compileWiring>[0]) => compileWiring(document, goals, site.settings)
        const nothing = { wiring: EMPTY_WIRING, channels: [], recipes: [] }
        const run = new DryRun(
          await compiled(live?.document ?? nothing),
          await compiled(await documentOf(database, site.id, draft.wiring, database.pool)),
          range,
          range.calendar,
        )
        const watched = new Map<string, Set<string>>()
        response.type('application/x-ndjson').setHeader('Cache-Control', 'no-store')
        response.flushHeaders()
        let told = Date.now()
        await columns.each(
          site,
          range,
          ({ visitor, visits }) => {
            run.addVisitor(visitor, visits)
            for (const { events } of visits) {
              for (const event of events) {
                if (event.at < range.from || event.at >= range.to) continue
                let known = watched.get(event.name)
                if (!known) watched.set(event.name, (known = new Set()))
                if (event.data?.watch !== undefined) known.add(String(event.data.watch))
              }
            }
          },
          (share) => {
            if (response.destroyed) return false
            if (Date.now() - told < TELL_MS) return true
            told = Date.now()
            response.write(JSON.stringify({ progress: share }) + '\n')
            return true
          },
        )
        if (response.destroyed) return
        const unjudged = unjudgedTriggers(draft.wiring, live?.document.wiring, watched)
        const result = run.result()
        for (const tag of result.tags) tag.examples = await columns.named(tag.examples)
        response.end(JSON.stringify({ result: { ...result, unjudged, live: live?.number ?? null } }) + '\n')
      },
    }),
  ]
}
