import { siteSchema } from '@acequia/core/sites/siteSchema'
import { customAlphabet } from 'nanoid'
import * as z from 'zod'
import { Problem } from '../api/Problem.js'
import { knownRoute, siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { arrivalsOf } from '../events/arrivalsTable.js'
import { beginDerivation, firstDerivation } from '../visits/derivationsTable.js'
import { allSites, insertSite, siteForUpdate, updateSite, type Site } from './sitesTable.js'

/** Keys are easy to read out: no letters that look like digits. */
const newKey = customAlphabet('abcdefghjkmnpqrstuvwxyz23456789', 10)

const present = (site: Site) => ({ key: site.key, ...site.settings, revision: site.revision, createdAt: new Date(site.createdAt).toISOString() })

/** Settings that change what was derived; the rest only changes what the loader does. */
const DERIVING = ['hosts', 'timeZone', 'currency', 'rates', 'sourceRules', 'passThroughHosts', 'clickIds'] as const

/** Sites and their settings. */
export function sitesRoutes({ database, deriver, people, sites, loader }: Services): Route[] {
  return [
    knownRoute({
      method: 'get',
      path: '/sites',
      summary: 'The sites one has a part in',
      handle: async ({ actor }) => {
        const mine = await people.sitesOf(actor)
        const all = await allSites(database)
        return all
          .filter((site) => mine === 'all' || mine.has(site.id))
          .map((site) => ({ ...present(site), role: mine === 'all' ? 'owner' : mine.get(site.id) }))
      },
    }),
    knownRoute({
      method: 'post',
      path: '/sites',
      summary: 'Add a site',
      body: siteSchema,
      status: 201,
      handle: async ({ actor, body }) => {
        const key = newKey()
        await database.transaction(async (connection) => {
          const id = await insertSite(database, key, body, connection)
          await firstDerivation(database, id, body, connection)
          await people.ownNewSite(id, actor, connection)
        })
        sites.forget()
        return present((await sites.byKey(key)) as Site)
      },
    }),
    siteRoute('reader', { method: 'get', path: '/sites/{key}', summary: 'The settings of a site', handle: ({ site }) => Promise.resolve(present(site)) }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}',
      summary: 'Change the settings of a site; with a revision, only if nobody else did in between',
      body: siteSchema.extend({ revision: z.number().int().optional() }),
      handle: async ({ site: { key }, body: { revision, ...settings } }) => {
        await database.transaction(async (connection) => {
          const site = (await siteForUpdate(database, key, connection)) as Site
          if (revision !== undefined && revision !== site.revision) {
            throw new Problem('conflict', 'Somebody saved these settings while you were changing them; nothing of yours was saved.', { current: present(site) })
          }
          await updateSite(database, site.id, settings, connection)
          if (DERIVING.some((name) => JSON.stringify(settings[name]) !== JSON.stringify(site.settings[name]))) {
            await beginDerivation(database, site.id, connection)
          }
        })
        sites.forget()
        loader.forget()
        deriver.nudge()
        return present((await sites.byKey(key)) as Site)
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/arrivals',
      summary: 'When the last event came, by host',
      handle: async ({ site }) => {
        const rows = await arrivalsOf(database, site.id)
        return rows.map(({ host, events, last_at }) => ({ host, events, last: new Date(last_at).toISOString() }))
      },
    }),
  ]
}
