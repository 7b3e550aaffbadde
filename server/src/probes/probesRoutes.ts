import { urlParts } from '@acequia/core/readings/url'
import { hostIsListed } from '@acequia/core/sites/hosts'
import * as z from 'zod'
import { badInput, notFound } from '../api/Problem.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { publicUrlOf } from '../wiring/loaderRouter.js'
import { homeOf } from '../sites/homeOf.js'
import type { Site } from '../sites/sitesTable.js'
import { draftOf } from '../wiring/draftsTable.js'
import { whySilent } from './whySilent.js'
import { endProbe, insertProbe, keepProbe, keptProbes, probeById, PROBE_KINDS, reportsAfter, setHoldBack, type Probe } from './probesTable.js'

/** Watching the site in one's own browser: a test visit, choosing an element, a rehearsal. */
export function probesRoutes({ config, database }: Services): Route[] {
  return [
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/probes',
      summary: 'Begin to watch a page of the site in this browser; answers with the address to open',
      body: z.object({ kind: z.enum(PROBE_KINDS), address: z.string().trim().max(2000), holdBack: z.boolean().default(false) }),
      status: 201,
      handle: async ({ site, body, actor }) => {
        const home = await homeOf(database, site)
        const address = addressOn(site, body.address.startsWith('/') || !body.address ? home + body.address.replace(/^\/+/, '') : body.address)
        const { id, token } = await insertProbe(database, site.id, body.kind, address, actor.name, body.holdBack)
        return { id, open: `${address.replace(/#.*$/, '')}#acequia=${token}` }
      },
    }),
    siteRoute('editor', {
      method: 'get',
      path: '/sites/{key}/probes/{id}:silence',
      summary: 'Why a page may not answer: what was tried, and what was found',
      handle: async ({ site, params, request }) => whySilent(site, await find(site, params.id), publicUrlOf(request, config.publicUrl)),
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/probes/{id}',
      summary: 'What was seen since a report number',
      query: z.object({ after: z.coerce.number().int().min(0).default(0) }),
      handle: async ({ site, params, query }) => {
        const probe = await find(site, params.id)
        return {
          id: probe.id,
          kind: probe.kind,
          address: probe.address,
          begunAt: new Date(probe.created_at).toISOString(),
          begunBy: probe.created_by,
          holdBack: !!probe.hold_back,
          name: probe.name,
          wiring: probe.wiring === null ? null : (JSON.parse(probe.wiring) as unknown),
          ended: probe.expires_at <= Date.now(),
          reports: await reportsAfter(database, probe.id, query.after),
        }
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/probes',
      summary: 'Rehearsals that were kept, newest first',
      handle: async ({ site }) =>
        (await keptProbes(database, site.id)).map(({ id, name, address, created_by, created_at }) => ({
          id,
          name,
          address,
          begunBy: created_by,
          begunAt: new Date(created_at).toISOString(),
        })),
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/probes/{id}:keep',
      summary: 'Keep a rehearsal with the draft as it is now, so that everybody on the site can look at it; an empty name lets it go',
      body: z.object({ name: z.string().trim().max(200) }),
      handle: async ({ site, params, body }) => {
        const probe = await find(site, params.id)
        const { wiring } = await draftOf(database, site.id)
        await keepProbe(database, site.id, probe.id, body.name || null, body.name ? JSON.stringify(wiring) : null)
      },
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/probes/{id}',
      summary: 'Let things leave to channels in a rehearsal, or hold them back, from the next page on',
      body: z.object({ holdBack: z.boolean() }),
      handle: async ({ site, params, body }) => setHoldBack(database, site.id, (await find(site, params.id)).id, body.holdBack),
    }),
    siteRoute('editor', {
      method: 'delete',
      path: '/sites/{key}/probes/{id}',
      summary: 'End watching',
      handle: async ({ site, params }) => endProbe(database, site.id, (await find(site, params.id)).id),
    }),
  ]

  async function find(site: Site, id: string | undefined): Promise<Probe> {
    const probe = /^\d{1,9}$/.test(id ?? '') ? await probeById(database, site.id, Number(id)) : undefined
    if (!probe) throw notFound('probe')
    return probe
  }
}

/** An address of the site. @throws Problem for any other */
function addressOn(site: Site, address: string): string {
  if (!URL.canParse(address) || !/^https?:$/.test(new URL(address).protocol) || !hostIsListed(urlParts(address).host, site.settings.hosts))
    throw badInput([{ path: 'address', message: `Give an address of the site, on one of its hosts: ${site.settings.hosts.join(', ')}.` }])
  return new URL(address).href
}
