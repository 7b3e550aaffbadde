import { Router, type Request } from 'express'
import type { Services } from '../app/Services.js'

/** The address under which the browser that asks reaches us. */
export function publicUrlOf(request: Request, configured: string | undefined): string {
  return configured ?? `${request.protocol}://${request.get('host') ?? ''}`
}

/** `GET /l/KEY.js`: the loader of a site with its live release. Asked for again on every page, by ETag. */
export function loaderRouter({ config, sites, loader }: Services): Router {
  const router = Router()
  router.get('/:key.js', async (request, response) => {
    response.type('text/javascript').setHeader('Access-Control-Allow-Origin', '*')
    response.setHeader('Cross-Origin-Resource-Policy', 'cross-origin')
    const site = await sites.byKey(String(request.params.key))
    if (!site) {
      response.status(404).setHeader('Cache-Control', 'no-store')
      response.send('console.warn("Acequia: there is no site with this key.")\n')
      return
    }
    const { script, etag, compressed } = await loader.of(site, publicUrlOf(request, config.publicUrl))
    response.setHeader('Cache-Control', 'no-cache')
    response.setHeader('ETag', etag)
    response.setHeader('Vary', 'Accept-Encoding')
    if (request.headers['if-none-match'] === etag) return void response.status(304).end()
    const encoding = (['br', 'gzip'] as const).find((each) => request.acceptsEncodings(each))
    if (!encoding) return void response.send(script)
    response.setHeader('Content-Encoding', encoding)
    response.send(await compressed(encoding))
  })
  return router
}
