import { isReading } from '@acequia/core/rules/Rule'
import * as z from 'zod'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'

const MOST = 50

/** What readings really were on a site, for offering values in editors. */
export function valuesRoutes({ columns }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/values',
      summary: 'The texts a reading really had, most frequent first',
      query: rangeQuery.extend({
        reading: z.string().max(300).refine(isReading, { message: 'This is no reading.' }),
        event: z.string().max(100).optional(),
        search: z.string().max(300).default(''),
      }),
      handle: ({ site, query }) => columns.values(site, query.reading, rangeOn(site, query), query.event, query.search, MOST),
    }),
  ]
}
