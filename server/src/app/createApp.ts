import express, { type Express } from 'express'
import helmet from 'helmet'
import type { Logger } from 'pino'
import { apiRouter, problemHandler } from '../api/apiRouter.js'
import { openApi } from '../api/openApi.js'
import { Problem } from '../api/Problem.js'
import { openRoute, type Route } from '../api/Route.js'
import { channelsRoutes } from '../channels/channelsRoutes.js'
import { checkupRoutes } from '../checkup/checkupRoutes.js'
import { collectRouter } from '../events/collectRouter.js'
import { eventsRoutes } from '../events/eventsRoutes.js'
import { valuesRoutes } from '../events/valuesRoutes.js'
import { elsewhereRoutes } from '../elsewhere/elsewhereRoutes.js'
import { funnelsRoutes } from '../funnels/funnelsRoutes.js'
import { goalsRoutes } from '../goals/goalsRoutes.js'
import { overviewRoutes } from '../goals/overviewRoutes.js'
import { liveRoutes } from '../live/liveRoutes.js'
import { peopleRoutes } from '../people/peopleRoutes.js'
import { progressRoutes } from '../sites/progressRoutes.js'
import { mailRoutes } from '../mail/mailRoutes.js'
import { probeRouter } from '../probes/probeRouter.js'
import { probesRoutes } from '../probes/probesRoutes.js'
import { relayRouter } from '../relays/relayRouter.js'
import { derivationRoutes } from '../visits/derivationRoutes.js'
import { visitorsRoutes } from '../visitors/visitorsRoutes.js'
import { surveysRoutes } from '../survey/surveysRoutes.js'
import { sitesRoutes } from '../sites/sitesRoutes.js'
import { loaderRouter, publicUrlOf } from '../wiring/loaderRouter.js'
import { dryRunRoutes } from '../wiring/dryRunRoutes.js'
import { wiringRoutes } from '../wiring/wiringRoutes.js'
import { requestLog } from './requestLog.js'
import type { Services } from './Services.js'
import { webRouter } from './webRouter.js'

/** All routes of the API, in one list: the only place that says who may call what. */
export function apiRoutes(services: Services): Route[] {
  const routes: Route[] = [
    ...peopleRoutes(services.people),
    ...sitesRoutes(services),
    ...progressRoutes(services),
    ...eventsRoutes(services),
    ...valuesRoutes(services),
    ...goalsRoutes(services),
    ...overviewRoutes(services),
    ...derivationRoutes(services),
    ...funnelsRoutes(services),
    ...elsewhereRoutes(services),
    ...visitorsRoutes(services),
    ...channelsRoutes(services),
    ...wiringRoutes(services),
    ...dryRunRoutes(services),
    ...checkupRoutes(services),
    ...probesRoutes(services),
    ...surveysRoutes(services),
    ...mailRoutes(services),
    ...liveRoutes(services),
    openRoute({
      method: 'get',
      path: '/openapi.json',
      summary: 'This description',
      handle: ({ request }) => Promise.resolve(openApi(routes, publicUrlOf(request, services.config.publicUrl))),
    }),
  ]
  return routes
}

/**
 * The whole HTTP application.
 * @param webFolder the built interface
 * @param log where failures are written
 */
export function createApp(services: Services, webFolder: string, log: Logger): Express {
  const app = express()
  app.disable('x-powered-by')
  app.set('trust proxy', services.config.trustProxy)
  app.set('query parser', 'simple')
  const { roles } = services.config
  app.use(requestLog(log, services.metrics))
  if (roles.has('collect')) {
    app.use('/c', collectRouter(services))
    app.use('/l', loaderRouter(services))
    app.use('/p', probeRouter(services))
    app.use('/r', relayRouter(services))
  }
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          scriptSrc: ["'self'"],
          styleSrc: ["'self'"],
          fontSrc: ["'self'"],
          imgSrc: ["'self'", 'data:'],
          connectSrc: ["'self'"],
          formAction: ["'self'"],
          baseUri: ["'none'"],
          frameAncestors: ["'none'"],
        },
      },
      // Plain HTTP is allowed on loopback; the proxy that adds TLS also adds this.
      strictTransportSecurity: false,
    }),
  )
  app.get('/healthz', (_request, response) => void response.json({ serves: true }))
  app.get('/readyz', async (_request, response) => {
    try {
      await services.database.row('SELECT name FROM migrations LIMIT 1')
      response.json({ ready: true })
    } catch {
      throw new Problem('unavailable', 'The database does not answer.')
    }
  })
  app.get('/metrics', async (_request, response) => {
    const { type, text } = await services.metrics.text()
    response.type(type).send(text)
  })
  if (!roles.has('api')) {
    app.use((request) => {
      throw new Problem('not-found', `This process does not serve ${request.path}; it was started with ACEQUIA_ROLE=${[...roles].join(',')}.`)
    })
    app.use(problemHandler(log))
    return app
  }
  app.use('/api/v1', apiRouter(apiRoutes(services), services.people, services.sites))
  app.use(webRouter(webFolder))
  app.use(problemHandler(log))
  return app
}
