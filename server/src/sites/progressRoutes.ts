import { calendarOf } from '@acequia/core/days/zone'
import { EMPTY_WIRING } from '@acequia/core/wiring/wiringSchema'
import { wiringDifferences } from '@acequia/core/wiring/wiringDifferences'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { channelsOfSite } from '../channels/channelsTable.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import { draftOf } from '../wiring/draftsTable.js'
import { releaseOf } from '../wiring/releasesTable.js'

/** How far a site has come, for the line of stations. */
export function progressRoutes({ database }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/progress',
      summary: 'What of a site is set up: events, channels, tags, release, goals',
      handle: async ({ site }) => {
        const [event, channels, draft, live, goals] = await Promise.all([
          database.row<{ at: number | null }>('SELECT MIN(at) AS at FROM events WHERE site_id = ?', [site.id]),
          channelsOfSite(database, site.id),
          draftOf(database, site.id),
          releaseOf(database, site.id),
          goalsOfSites(database, [site.id]),
        ])
        const first = event?.at ?? null
        const names = { channels, currency: site.settings.currency }
        const differences = wiringDifferences(live?.document.wiring ?? EMPTY_WIRING, draft.wiring, names)
        return {
          events: first !== null,
          firstDay: first === null ? null : calendarOf(site.settings.timeZone).dayOf(first),
          channels: channels.length,
          tags: draft.wiring.tags.length,
          release: live?.number ?? null,
          goals: goals.length,
          draftDiffers: differences.length,
        }
      },
    }),
  ]
}
