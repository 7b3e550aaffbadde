import { createSession, type Session } from 'better-sse'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { countEventsSince } from '../events/eventsTable.js'
import { latestConversions } from '../goals/conversionsTable.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import { presentConversions } from '../goals/presentConversions.js'
import { shownDerivation } from '../visits/derivationsTable.js'
import type { Site } from '../sites/sitesTable.js'

/** Changes within this time are told together, in ms. */
const GATHER_MS = 200
/** How often the pulse is told at least, in ms. */
const PULSE_MS = 5000
/** Older conversions are history that arrived late, not news. */
const NEWS_MS = 3_600_000

/**
 * The live stream of a site, as server-sent events: `pulse` (events of the last minute), `changed`
 * (figures may be asked for again) and `conversions` (those that just came).
 */
export function liveRoutes({ changes, database, dictionaries }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/live',
      summary: 'What happens on the site right now, as server-sent events',
      handle: async ({ site, request, response }) => {
        const session = await createSession(request, response, { retry: 2000 })
        follow(session, site)
      },
    }),
  ]

  function follow(session: Session, site: Site): void {
    const fresh = new Set<string>()
    let gathering: NodeJS.Timeout | undefined
    let changed = false
    const tell = async (): Promise<void> => {
      gathering = undefined
      const keys = new Set(fresh)
      fresh.clear()
      if (!session.isConnected) return
      session.push({ perMinute: await countEventsSince(database, site.id, Date.now() - 60_000) }, 'pulse')
      if (changed) session.push({}, 'changed')
      changed = false
      if (!keys.size) return
      const goals = await goalsOfSites(database, [site.id])
      const rows = await latestConversions(
        database,
        await shownDerivation(database, site.id),
        goals.map((goal) => goal.no),
        Date.now() - NEWS_MS,
        Date.now() + NEWS_MS,
        200,
      )
      const news = rows.filter((row) => keys.has(`${row.goal_no} ${row.uid}`))
      const presented = await presentConversions(dictionaries, news)
      const conversions = presented.map((conversion, index) => {
        const goal = goals.find((each) => each.no === news[index]?.goal_no)
        return { ...conversion, goal: goal?.id, goalName: goal?.goal.name }
      })
      if (conversions.length && session.isConnected) session.push(conversions, 'conversions')
    }
    const soon = (): void => {
      gathering ??= setTimeout(() => void tell().catch(() => undefined), GATHER_MS)
    }
    const stopListening = changes.listen((change) => {
      if (change.siteId !== site.id) return
      changed = true
      for (const key of change.newConversions) fresh.add(key)
      soon()
    })
    const pulse = setInterval(soon, PULSE_MS)
    soon()
    session.once('disconnected', () => {
      stopListening()
      clearInterval(pulse)
      clearTimeout(gathering)
    })
  }
}
