import express, { Router } from 'express'
import { rateLimit } from 'express-rate-limit'
import { notFound } from '../api/Problem.js'
import type { Services } from '../app/Services.js'
import { documentOf } from '../wiring/documentOf.js'
import { draftOf } from '../wiring/draftsTable.js'
import { publicUrlOf } from '../wiring/loaderRouter.js'
import { insertReports, noteAsked, probeByToken } from './probesTable.js'
import { pickerScript } from './pickerScript.js'

const LARGEST_REPORTS = 512 * 1024
const LARGEST_REPORT = 60_000

/** `/p/TOKEN.js`: the loader of somebody who watches; `/p/TOKEN/reports`: what it tells. */
export function probeRouter({ config, database, sites, loader }: Services): Router {
  const router = Router()
  router.use((request, response, next) => {
    response.setHeader('Access-Control-Allow-Origin', '*')
    response.setHeader('Access-Control-Allow-Headers', 'Content-Type')
    response.setHeader('Cross-Origin-Resource-Policy', 'cross-origin')
    response.setHeader('Cache-Control', 'no-store')
    if (request.method === 'OPTIONS') response.status(204).end()
    else next()
  })
  // Nobody watches more than a few pages a second; a guessed token opens nothing anyway.
  router.use(rateLimit({ windowMs: 10_000, limit: 600, standardHeaders: false, legacyHeaders: false }))
  router.get('/:token.js', async (request, response) => {
    const token = String(request.params.token)
    const probe = await probeByToken(database, token)
    const site = probe && (await sites.byId(probe.site_id))
    if (!probe || !site) throw notFound('probe, or it has ended')
    await noteAsked(database, probe.id)
    const rehearsal = probe.kind === 'rehearsal'
    const draft = rehearsal ? await documentOf(database, site.id, (await draftOf(database, site.id)).wiring, database.pool) : undefined
    const { script } = await loader.make(
      site,
      publicUrlOf(request, config.publicUrl),
      {
        features: rehearsal ? ['PROBE', 'REHEARSAL', 'TAGS'] : ['PROBE'],
        adjust: (full) => ({ ...full, ...(probe.hold_back && { holdBack: true }) }),
        places: { __ACEQUIA_PROBE_TOKEN__: JSON.stringify(token) },
      },
      draft,
    )
    response.type('text/javascript').send(probe.kind === 'pick' ? `${script}\n${await pickerScript(publicUrlOf(request, config.publicUrl), token)}` : script)
  })
  router.post('/:token/reports', express.text({ type: '*/*', limit: LARGEST_REPORTS }), async (request, response) => {
    const probe = await probeByToken(database, String(request.params.token))
    if (!probe) throw notFound('probe, or it has ended')
    let reports: unknown
    try {
      reports = JSON.parse(String(request.body))
    } catch {
      reports = null
    }
    const texts = (Array.isArray(reports) ? reports : []).map((report) => JSON.stringify(report)).filter((text) => text && text.length <= LARGEST_REPORT)
    await insertReports(database, probe.id, texts.slice(0, 500))
    response.status(204).end()
  })
  return router
}
