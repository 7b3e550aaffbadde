import { join } from 'node:path'
import { Router } from 'express'
import compressedFiles from 'express-static-gzip'
import { Problem } from '../api/Problem.js'

/**
 * Serves the built interface: its files, in the compressed form that the build left beside them where the browser takes
 * one, and its page at every other path, because screens have addresses of their own.
 * @param folder the built interface
 */
export function webRouter(folder: string): Router {
  const router = Router()
  const compressed = { index: false, enableBrotli: true, orderPreference: ['br', 'gzip'] }
  // A name under assets/ stands for its content, so it never has to be asked for again.
  router.use('/assets', compressedFiles(join(folder, 'assets'), { ...compressed, serveStatic: { immutable: true, maxAge: '1y', fallthrough: false } }))
  router.use(compressedFiles(folder, compressed))
  router.get('/{*screen}', (request, response, next) => {
    if (!request.accepts('html')) return next(new Problem('not-found', `There is nothing at ${request.path}.`))
    response.setHeader('Cache-Control', 'no-cache')
    response.sendFile(join(folder, 'index.html'))
  })
  return router
}
