import express, { Router, type NextFunction, type Request, type Response } from 'express'
import type { People } from '../people/People.js'
import type { SiteDirectory } from '../sites/SiteDirectory.js'
import type { Site } from '../sites/sitesTable.js'
import { badInput, inputProblem, notFound, Problem } from './Problem.js'
import { ROLES, type Actor, type Route } from './Route.js'

/** Largest JSON body of the API. */
const LARGEST_JSON = '2mb'

/** Serves a list of routes: finds out who asks, checks role and input, answers as JSON. */
export function apiRouter(routes: readonly Route[], people: People, sites: SiteDirectory): Router {
  const router = Router()
  const json = express.json({ limit: LARGEST_JSON, strict: false })
  for (const route of routes) {
    // Colons are literal in our paths ("goals:backtest"), and parameters are written {name}.
    const path = route.path.replace(/:/g, '\\:').replace(/\{(\w+)\}/g, ':$1')
    const handler = async (request: Request, response: Response): Promise<void> => {
      const { actor, site } = await admit(route, request, people, sites)
      if (route.body && !route.streams) await parseJson(json, request, response)
      const answer = await route.handle({
        actor,
        site,
        body: check(route.body && !route.streams ? route.body : undefined, request.body),
        query: check(route.query, request.query),
        params: request.params,
        request,
        response,
      } as never)
      if (response.headersSent) return
      if (answer === undefined) response.status(route.status ?? 204).end()
      else response.status(route.status ?? 200).json(answer)
    }
    router[route.method](path, handler)
  }
  router.use((request: Request) => {
    throw new Problem('not-found', `There is no ${request.method} ${request.originalUrl.split('?')[0]}.`)
  })
  return router
}

function check(schema: Route['body'], given: unknown): unknown {
  if (!schema) return undefined
  const parsed = schema.safeParse(given)
  if (!parsed.success) throw inputProblem(parsed.error)
  return parsed.data
}

async function admit(route: Route, request: Request, people: People, sites: SiteDirectory): Promise<{ actor?: Actor; site?: Site }> {
  if (route.access === 'anyone') return {}
  const actor = await people.whoAsks(request)
  if (!actor) throw new Problem('sign-in', 'This needs a session or an API token.')
  if (route.access === 'signed-in') return { actor }
  const site = await sites.byKey(String(request.params.key))
  const role = site && (await people.roleOn(site.id, actor))
  // A site that one has no part in looks like one that does not exist.
  if (!site || !role) throw notFound('site')
  if (ROLES.indexOf(role) < ROLES.indexOf(route.access))
    throw new Problem('forbidden', `Your role on this site is ${role}; this needs ${route.access}. An owner of the site can change it.`)
  return { actor, site }
}

function parseJson(json: express.RequestHandler, request: Request, response: Response): Promise<void> {
  if (!request.is('application/json')) return Promise.reject(badInput([{ path: '', message: 'Send the body as application/json.' }]))
  return new Promise((resolve, reject) => json(request, response, (error?: unknown) => (error ? reject(error) : resolve())))
}

/** Answers whatever was thrown as a problem; what is not ours is logged and answered as 500. */
export function problemHandler(log: { error: (details: object, message: string) => void }) {
  return (error: unknown, request: Request, response: Response, next: NextFunction): void => {
    if (response.headersSent) return next(error)
    const problem = asProblem(error)
    // What we say ourselves, such as that the database is away, is in the log of requests; this is what nobody foresaw.
    if (problem.status === 500) log.error({ err: error, id: response.locals.requestId as string, method: request.method }, 'a request failed')
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem))
  }
}

function asProblem(error: unknown): Problem {
  if (error instanceof Problem) return error
  const { type, status } = error as { type?: string; status?: number }
  if (type === 'entity.too.large') return new Problem('too-large', 'The body is larger than allowed.')
  if (type === 'entity.parse.failed') return badInput([{ path: '', message: 'The body is no valid JSON.' }])
  // Its own message would tell where the files of this server are.
  if (status === 404) return notFound('file')
  if (status && status >= 400 && status < 500) return badInput([{ path: '', message: (error as Error).message }])
  return new Problem('internal', 'The request could not be handled. It was logged; trying again may help.')
}
