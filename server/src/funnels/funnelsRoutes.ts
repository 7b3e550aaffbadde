import { FrequentWays } from '@acequia/core/funnels/frequentWays'
import { FunnelRun } from '@acequia/core/funnels/FunnelRun'
import { funnelSchema, splitSchema, type Funnel } from '@acequia/core/funnels/funnelSchema'
import { prepareGoal } from '@acequia/core/goals/prepareGoal'
import { nanoid } from 'nanoid'
import * as z from 'zod'
import { notFound, Problem } from '../api/Problem.js'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { goalById } from '../goals/goalsTable.js'
import type { Site } from '../sites/sitesTable.js'
import { deleteFunnel, funnelById, funnelsOfSite, insertFunnel, updateFunnel, type StoredFunnel } from './funnelsTable.js'

const namedFunnel = funnelSchema.refine((funnel) => funnel.name !== '', { path: ['name'], message: 'Give the funnel a name.' })
const runBody = funnelSchema.and(z.object({ ...rangeQuery.shape, split: splitSchema.optional(), returns: z.boolean().default(false) }))
const listing = z.object({
  step: z.number().int().min(0).max(11),
  what: z.enum(['entered', 'arrived', 'continued', 'left', 'completed']),
  to: z.string().max(8192).nullish(),
})

/** Funnels: how many pass each step, and where the others go. */
export function funnelsRoutes({ columns, database }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/funnels:run',
      summary: 'Run a funnel over history; nothing is saved',
      body: runBody,
      handle: async ({ site, body }) => {
        const range = rangeOn(site, body)
        const { from: _, to: __, split, returns, ...funnel } = body
        return columns.funnel(site, funnel as Funnel, range, split, returns)
      },
    }),
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/funnels:visits',
      summary: 'The visits behind one number of a funnel, newest first, at most 200',
      body: funnelSchema.and(z.object({ ...rangeQuery.shape, listing })),
      handle: async ({ site, body }) => {
        const range = rangeOn(site, body)
        const run = new FunnelRun(body, range, range.calendar, undefined, {
          step: body.listing.step,
          what: body.listing.what,
          ...(body.listing.to !== undefined && { to: body.listing.to }),
        })
        await columns.each(site, range, ({ visitor, visits }) => run.addVisitor(visitor, visits))
        return columns.named(run.visits())
      },
    }),
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/funnels:suggest',
      summary: 'The most frequent ways to a goal, found from the log',
      body: z.object({ goal: z.string().max(40), ...rangeQuery.shape }),
      handle: async ({ site, body }) => {
        const stored = await goalById(database, site.id, body.goal)
        if (!stored) throw notFound('goal')
        const range = rangeOn(site, body)
        const ways = new FrequentWays(prepareGoal(stored.goal, site.settings), range.from, range.to)
        await columns.each(site, range, ({ visits }) => ways.addVisitor(visits))
        return ways.result()
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/funnels',
      summary: 'The saved funnels of a site',
      handle: async ({ site }) => (await funnelsOfSite(database, site.id)).map(present),
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/funnels',
      summary: 'Save a funnel',
      body: namedFunnel,
      status: 201,
      handle: async ({ site, actor, body }) => {
        const id = nanoid(12)
        await insertFunnel(database, site.id, id, body, actor.name)
        return present(await find(site, id))
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/funnels/{id}',
      summary: 'A saved funnel',
      handle: async ({ site, params }) => present(await find(site, params.id)),
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/funnels/{id}',
      summary: 'Change a funnel. With a revision, only if nobody else did in between',
      body: namedFunnel.and(z.object({ revision: z.number().int().optional() })),
      handle: async ({ site, actor, params, body }) => {
        const { revision, ...funnel } = body
        await find(site, params.id)
        if (!(await updateFunnel(database, site.id, String(params.id), funnel as Funnel, revision, actor.name)))
          throw new Problem('conflict', 'Somebody saved this funnel while you were changing it; nothing of yours was saved.', {
            current: present(await find(site, params.id)),
          })
        return present(await find(site, params.id))
      },
    }),
    siteRoute('editor', {
      method: 'delete',
      path: '/sites/{key}/funnels/{id}',
      summary: 'Remove a saved funnel; the events stay',
      handle: async ({ site, params }) => {
        if (!(await deleteFunnel(database, site.id, String(params.id)))) throw notFound('funnel')
      },
    }),
  ]

  async function find(site: Site, id: string | undefined): Promise<StoredFunnel> {
    const stored = await funnelById(database, site.id, String(id))
    if (!stored) throw notFound('funnel')
    return stored
  }
}

function present({ id, revision, funnel, changedAt, changedBy }: StoredFunnel): object {
  return { id, ...funnel, revision, changedAt: new Date(changedAt).toISOString(), changedBy }
}
