import { urlParts } from '@acequia/core/readings/url'
import { hostIsListed } from '@acequia/core/sites/hosts'
import * as z from 'zod'
import { badInput } from '../api/Problem.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { homeOf } from '../sites/homeOf.js'
import { publicUrlOf } from '../wiring/loaderRouter.js'
import { USUAL_PAGES } from './Surveyor.js'
import { pagesOfSurvey, surveysOfSite } from './surveysTable.js'

/** Surveys: which pages have the loader, and which do not. */
export function surveysRoutes({ config, database, surveyor }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/survey',
      summary: 'The latest survey with its pages as far as it has come, and what the one before it found',
      handle: async ({ site }) => {
        const surveys = await surveysOfSite(database, site.id)
        const [last, before] = surveys
        const older = surveys.slice(1).find((each) => each.state === 'done') ?? before
        return {
          home: await homeOf(database, site),
          survey: last && {
            id: last.id,
            state: last.state,
            startedAt: new Date(last.started_at).toISOString(),
            endedAt: last.ended_at && new Date(last.ended_at).toISOString(),
            startedBy: last.started_by,
            waiting: last.waiting,
            note: last.note,
            pages: await pagesOfSurvey(database, last.id),
          },
          before: older && { startedAt: new Date(older.started_at).toISOString(), pages: await pagesOfSurvey(database, older.id) },
        }
      },
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/survey',
      summary: 'Begin a survey of the pages of the site, from its sitemap or the address given',
      body: z.object({ start: z.string().trim().max(2000).optional(), mostPages: z.number().int().min(1).max(2000).default(USUAL_PAGES) }),
      status: 202,
      handle: async ({ site, body, actor, request }) => {
        const home = await homeOf(database, site)
        const start = body.start?.startsWith('/') ? home.slice(0, -1) + body.start : body.start || home
        if (!URL.canParse(start) || !/^https?:$/.test(new URL(start).protocol) || !hostIsListed(urlParts(start).host, site.settings.hosts))
          throw badInput([{ path: 'start', message: `Start from an address of the site, on one of its hosts: ${site.settings.hosts.join(', ')}.` }])
        return { id: await surveyor.begin(site, { start, origin: publicUrlOf(request, config.publicUrl), mostPages: body.mostPages, by: actor.name }) }
      },
    }),
    siteRoute('editor', {
      method: 'delete',
      path: '/sites/{key}/survey',
      summary: 'Stop the survey that runs; what it found stays',
      handle: ({ site }) => surveyor.end(site.id),
    }),
  ]
}
