import { addDays, calendarOf } from '@acequia/core/days/zone'
import type { Services } from '../app/Services.js'
import type { Site } from '../sites/sitesTable.js'
import { draftOf } from '../wiring/draftsTable.js'
import { releaseOf } from '../wiring/releasesTable.js'
import { channelsOfSite } from './channelsTable.js'

/** Days that are looked back on. */
const DAYS = 28
/** A channel that was told something before, but nothing for so many days, is silent. */
const SILENT_DAYS = 3

/** What one channel was told. */
export interface ChannelActivity {
  id: string
  today: number
  total: number
  /** Times that what was told got no good answer. */
  failed: number
  /** ISO 8601 UTC, or null when never in these days. */
  last: string | null
  /** Whether it was told things before but nothing for long, though a live tag reports to it. */
  silent: boolean
}

/** What each channel of a site was told, by what loaders recorded. */
export async function channelActivity({ columns, database }: Services, site: Site): Promise<ChannelActivity[]> {
  const calendar = calendarOf(site.settings.timeZone)
  const today = calendar.dayOf(Date.now())
  const range = { from: calendar.startOfDay(addDays(today, 1 - DAYS)), to: calendar.startOfDay(addDays(today, 1)) }
  const [channels, draft, live] = await Promise.all([channelsOfSite(database, site.id), draftOf(database, site.id), releaseOf(database, site.id)])
  const count = await columns.fired(site, { ...range, calendar })
  return channels.map(({ id }) => {
    const tags = [...(live?.document.wiring.tags ?? []), ...draft.wiring.tags].filter(({ does }) => does.type === 'channel-event' && does.channel === id)
    const ids = [...new Set(tags.map((tag) => tag.id))]
    const fired = ids.flatMap((tag) => count.tags.get(tag) ?? [])
    const last = Math.max(0, ...fired.map((each) => each.last))
    const isLive = !!live?.document.wiring.tags.some((tag) => ids.includes(tag.id) && !tag.paused)
    return {
      id,
      today: fired.reduce((sum, each) => sum + (each.daily.get(today) ?? 0), 0),
      total: fired.reduce((sum, each) => sum + each.total, 0),
      failed: fired.reduce((sum, each) => sum + each.failed, 0),
      last: last ? new Date(last).toISOString() : null,
      silent: isLive && last > 0 && last < Date.now() - SILENT_DAYS * 86_400_000,
    }
  })
}
