import { hash, randomUUID } from 'node:crypto'
import { batchSchema, LARGEST_BODY, type CheckedEvent } from '@acequia/core/events/eventSchema'
import { urlParts } from '@acequia/core/readings/url'
import { hostIsListed } from '@acequia/core/sites/hosts'
import express, { Router, type Request, type Response } from 'express'
import { ipKeyGenerator, rateLimit } from 'express-rate-limit'
import { badInput, inputProblem, notFound, Problem } from '../api/Problem.js'
import type { Services } from '../app/Services.js'
import { isAway, type Database } from '../database/Database.js'
import type { Site } from '../sites/sitesTable.js'
import { CannotStoreError, TooBusyError } from './EventWriter.js'
import { noteRefusedHost } from '../checkup/checkupTables.js'
import { isCrawler } from './isCrawler.js'

/** A transparent pixel. */
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')
const RATE_WINDOW_MS = 10_000

/** `POST /c/KEY` and `GET /c/KEY.gif`: takes events from visitors' browsers. */
export function collectRouter({ config, database, sites, writer, places }: Services): Router {
  const router = Router()
  router.use((request, response, next) => {
    // Any page of the site may send; who may is decided by the hosts in the events, not by CORS.
    response.setHeader('Access-Control-Allow-Origin', '*')
    response.setHeader('Access-Control-Allow-Methods', 'POST, GET')
    response.setHeader('Access-Control-Allow-Headers', 'Content-Type')
    response.setHeader('Access-Control-Max-Age', '86400')
    response.setHeader('Cross-Origin-Resource-Policy', 'cross-origin')
    response.setHeader('Cache-Control', 'no-store')
    if (request.method === 'OPTIONS') response.status(204).end()
    else next()
  })
  router.use(
    rateLimit({
      windowMs: RATE_WINDOW_MS,
      limit: config.collectLimit,
      // Addresses are only held in memory, hashed, for the window.
      keyGenerator: (request) => hash('sha256', ipKeyGenerator(request.ip ?? ''), 'base64'),
      standardHeaders: false,
      legacyHeaders: false,
      handler: (_request, response) => {
        response.setHeader('Retry-After', String(RATE_WINDOW_MS / 1000))
        throw new Problem('too-many', 'Too many requests from this address; send again in ten seconds.')
      },
    }),
  )
  const body = express.raw({ type: ['application/json', 'text/plain'], limit: LARGEST_BODY })

  router.post('/:key', body, async (request: Request, response: Response) => {
    const site = await siteOf(String(request.params.key))
    const batch = batchSchema.safeParse(parse(request.body))
    if (!batch.success) throw inputProblem(batch.error)
    const { visitor, events } = batch.data
    for (const event of events) admit(database, site, event)
    await store(site, visitor, events, request, response)
    response.status(204).end()
  })

  router.get('/:key.gif', async (request: Request, response: Response) => {
    const site = await siteOf(String(request.params.key))
    const url = typeof request.query.url === 'string' ? request.query.url : request.headers.referer
    // Without scripts nothing can be kept in the browser; a day's hash of what the request shows anyway
    // joins the page views of one visit and cannot be followed to the next day.
    const day = new Date().toISOString().slice(0, 10)
    const visitor = hash('sha256', [site.key, day, request.ip, request.headers['user-agent']].join('\n')).slice(0, 32)
    const batch = batchSchema.safeParse({ visitor, events: [{ uid: randomUUID(), at: new Date().toISOString(), name: 'page-view', url }] })
    if (!batch.success) throw inputProblem(batch.error)
    const [event] = batch.data.events as [CheckedEvent]
    admit(database, site, event)
    await store(site, visitor, [event], request, response)
    response.type('image/gif').send(PIXEL)
  })

  return router

  async function siteOf(key: string): Promise<Site> {
    try {
      const site = await sites.byKey(key)
      if (!site) throw notFound('site key')
      return site
    } catch (error) {
      throw isAway(error) ? new Problem('unavailable', 'The database is away; send again later.') : error
    }
  }

  async function store(site: Site, visitor: string, events: CheckedEvent[], request: Request, response: Response): Promise<void> {
    const userAgent = request.headers['user-agent']?.slice(0, 1024)
    if (isCrawler(userAgent)) return
    const place = places.of(request.ip, request.headers)
    try {
      await writer.store({ siteId: site.id, bytes: sizeOf(request), events: events.map((event) => ({ visitor, event, userAgent, place })) })
    } catch (error) {
      if (error instanceof TooBusyError) {
        response.setHeader('Retry-After', '1')
        throw new Problem('too-many', error.message)
      }
      if (error instanceof CannotStoreError) throw new Problem('unavailable', error.message)
      throw error
    }
  }
}

/** An event takes about three times its text while it waits. */
function sizeOf(request: Request): number {
  return Buffer.isBuffer(request.body) ? request.body.length * 3 : 1024
}

function parse(body: unknown): unknown {
  if (!Buffer.isBuffer(body)) throw badInput([{ path: '', message: 'Send a JSON body as application/json or text/plain.' }])
  try {
    return JSON.parse(body.toString('utf8'))
  } catch {
    throw badInput([{ path: '', message: 'The body is no valid JSON.' }])
  }
}

function admit(database: Database, site: Site, event: CheckedEvent): void {
  const { host } = urlParts(event.url)
  if (!hostIsListed(host, site.settings.hosts)) {
    // The checkup tells of it; where it cannot be noted, the answer stays the same.
    noteRefusedHost(database, site.id, host.slice(0, 255)).catch(() => undefined)
    throw new Problem('foreign-host', `The host "${host}" is not one of the site's hosts. If it belongs to the site, add it under Site, Hosts.`)
  }
}
