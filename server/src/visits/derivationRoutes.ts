import { Problem } from '../api/Problem.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import type { Site } from '../sites/sitesTable.js'
import { beginDerivation, derivationsOfSites, dropFilling, pauseDerivation, readDefinition } from './derivationsTable.js'
import { visitorsLeft } from './partsTable.js'

/** How far the derivation of a site is, as the API tells it. */
export interface DerivationAnswer {
  /** `filling` while figures are being made anew; those of before are shown until it is done. */
  state: 'shown' | 'filling'
  paused: boolean
  /** Visitors gone through, and all of them; 0 until they are counted. */
  done: number
  total: number
  startedAt: string
  /** Whether goals or settings have changed, so that giving up would leave old figures. */
  changes: boolean
}

/** Making everything that was counted anew from the log: begin, pause, go on, give up. */
export function derivationRoutes({ database, deriver }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/derivation',
      summary: 'Whether visits and conversions are being made anew from the log, and how far that is',
      handle: ({ site }) => stateOf(site.id),
    }),
    change('begin', 'Make all visits and conversions anew from the log; what is shown stays until it is done', ({ id }) =>
      database.transaction((connection) => beginDerivation(database, id, connection)),
    ),
    change('pause', 'Pause it; new events still count', ({ id }) => pauseDerivation(database, id, true)),
    change('resume', 'Go on where it was paused', ({ id }) => pauseDerivation(database, id, false)),
    change('cancel', 'Give it up; refused where goals or settings have changed, because their figures would stay old', async ({ id }) => {
      if ((await stateOf(id)).changes)
        throw new Problem('in-use', 'Goals or settings have changed since, and their figures need this. You can pause it; it goes on where it was.')
      await dropFilling(database, id)
    }),
  ]

  function change(name: string, summary: string, work: (site: Site) => Promise<unknown>): Route {
    return siteRoute('owner', {
      method: 'post',
      path: `/sites/{key}/derivation:${name}`,
      summary,
      handle: async ({ site }) => {
        await work(site)
        deriver.nudge()
        return stateOf(site.id)
      },
    })
  }

  async function stateOf(siteId: number): Promise<DerivationAnswer> {
    const derivations = await derivationsOfSites(database, [siteId])
    const shown = derivations.find(({ state }) => state === 'shown')
    const current = derivations.find(({ state }) => state === 'filling') ?? shown
    const total = current?.total ?? 0
    const left = current?.state === 'filling' ? (current.total === null ? 0 : await visitorsLeft(database, current.no)) : 0
    return {
      state: current?.state ?? 'shown',
      paused: current?.paused ?? false,
      done: Math.max(0, total - left),
      total,
      startedAt: new Date(current?.startedAt ?? 0).toISOString(),
      changes: !!shown && !!current && !alike(shown.definition, current.definition),
    }
  }
}

/** Whether two definitions count the same; settings are read, because older ones lack what came since. */
function alike(one: string, other: string): boolean {
  return JSON.stringify(readDefinition(one)) === JSON.stringify(readDefinition(other))
}
