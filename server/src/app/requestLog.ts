import { randomUUID } from 'node:crypto'
import type { NextFunction, Request, Response } from 'express'
import type { Logger } from 'pino'
import type { Metrics } from './Metrics.js'

/**
 * Gives every request an id (answered as `X-Request-Id`), and notes it once it is answered: method, route, status,
 * time. The route is the pattern, not the address: addresses can name visitors.
 */
export function requestLog(log: Logger, metrics: Metrics) {
  return (request: Request, response: Response, next: NextFunction): void => {
    const id = randomUUID()
    const began = process.hrtime.bigint()
    response.locals.requestId = id
    response.setHeader('X-Request-Id', id)
    response.once('close', () => {
      const seconds = Number(process.hrtime.bigint() - began) / 1e9
      const { method } = request
      const route = routeOf(request)
      const status = response.writableFinished ? response.statusCode : 499
      metrics.requestSeconds.observe({ method, route, status }, seconds)
      const level = status >= 500 ? 'warn' : 'debug'
      log[level]({ id, method, route, status, ms: Math.round(seconds * 1000) }, 'request')
    })
    next()
  }
}

/** The pattern that answered; one word for everything that none did, so that nobody can make up labels. */
function routeOf(request: Request): string {
  const { route, originalUrl } = request as { route?: { path?: unknown }; originalUrl: string }
  // Once a request is answered it no longer knows the router that it went through.
  const router = /^\/(?:api\/v1|[clpr])(?=\/)/.exec(originalUrl)?.[0] ?? ''
  return typeof route?.path === 'string' ? router + route.path : 'none'
}
