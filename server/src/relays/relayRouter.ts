import { randomUUID } from 'node:crypto'
import { eventSchema, visitorSchema } from '@acequia/core/events/eventSchema'
import { campaignOf, sourceOf, type VisitSource } from '@acequia/core/sources/sourceOf'
import { VISIT_PAUSE } from '@acequia/core/visits/startsNewVisit'
import { relayTarget, type Relay } from '@acequia/core/wiring/relaySchema'
import { Router, type Request } from 'express'
import type { Services } from '../app/Services.js'
import { isCrawler } from '../events/isCrawler.js'
import type { Site } from '../sites/sitesTable.js'
import { sourceFromText } from '../visits/deriveVisitors.js'
import { lastVisitOf } from '../visits/visitsTable.js'
import { publicUrlOf } from '../wiring/loaderRouter.js'
import { releaseOf } from '../wiring/releasesTable.js'

/**
 * `GET /r/KEY/NAME`: counts, fires the tags of its trigger and passes the visitor on. The page is
 * sandboxed: whatever channels and the marketer's scripts do on it, they do under no origin of ours.
 */
export function relayRouter({ config, database, dictionaries, sites, writer, loader }: Services): Router {
  const router = Router()
  router.get('/:key/:name', async (request, response) => {
    response.setHeader('Cache-Control', 'no-store')
    response.setHeader('Referrer-Policy', 'no-referrer-when-downgrade')
    const site = await sites.byKey(request.params.key)
    const release = site && (await releaseOf(database, site.id))
    const relay = release?.document.wiring.relays.find((each) => each.name === request.params.name)
    if (!site || !relay) {
      response.status(404).type('text/plain').send('This link leads nowhere (any more).')
      return
    }
    const asked = new URL(request.originalUrl, publicUrlOf(request, config.publicUrl))
    const target = relayTarget(relay, asked.searchParams)
    if (isCrawler(request.headers['user-agent'])) return response.redirect(302, target)
    const visitor = visitorOf(request)
    const event = eventSchema.parse({
      uid: randomUUID(),
      at: new Date().toISOString(),
      name: 'relay-passed',
      url: withoutVisitor(asked).slice(0, 8192),
      referrer: request.headers.referer,
      data: { watch: relay.name, relayTarget: target.slice(0, 500) },
    })
    const source = await sourceFor(site, visitor, event)
    // Counting must not hold the visitor up; what cannot be stored at once waits in the spool.
    writer.store({ siteId: site.id, events: [{ visitor, event, userAgent: request.headers['user-agent']?.slice(0, 1024) }] }).catch(() => undefined)
    const agreed = asked.searchParams.get('agreed') === 'marketing'
    const passing = { ...event, at: new Date(event.at).toISOString() }
    const { script } = await loader.make(site, publicUrlOf(request, config.publicUrl), {
      features: ['RELAY_PAGE'],
      adjust: (full) => {
        const triggers = full.triggers.filter((trigger) => trigger.event === 'relay-passed')
        const heard = new Set(triggers.map((trigger) => trigger.id))
        const tags = full.tags.filter((tag) => tag.on.some((id) => heard.has(id)))
        return { ...full, triggers, tags, listen: [], together: [], goals: [], relays: false, ...(agreed && { consent: 'not-needed' }) }
      },
      places: { __ACEQUIA_RELAY__: json({ event: passing, source, target, waitMs: relay.waitMs }) },
    })
    response.setHeader('Content-Security-Policy', "sandbox allow-scripts allow-top-navigation; frame-ancestors 'none'")
    response.type('html').send(page(relay, target, script))
  })
  return router

  /** The source of the visit that passes through: a campaign of the link's own, else the visitor's running visit. */
  async function sourceFor(site: Site, visitor: string, event: { url: string; referrer?: string | undefined }): Promise<VisitSource> {
    const campaign = campaignOf(event.url, site.settings)
    if (campaign) return campaign
    const last = await lastVisitOf(database, site.id, visitor).catch(() => undefined)
    if (last && Date.now() - last.ended_at <= VISIT_PAUSE) {
      const text = (await dictionaries.sources.textsOf([last.source_id])).get(last.source_id)
      if (text) return sourceFromText(text)
    }
    return sourceOf(event, site.settings)
  }
}

/** Who passes: told by the site's loader, else somebody new who is not followed further. */
function visitorOf(request: Request): string {
  const told = visitorSchema.safeParse(request.query.visitor)
  return told.success ? told.data : randomUUID()
}

function withoutVisitor(url: URL): string {
  const copy = new URL(url)
  copy.searchParams.delete('visitor')
  copy.searchParams.delete('agreed')
  return copy.href
}

const escape = (text: string): string => text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`)
const json = (value: unknown): string => JSON.stringify(value).replace(/</g, '\\u003c')

/** A page that leads on by itself: at once without scripts, a moment after the limit whatever the scripts do. */
function page({ waitMs }: Relay, target: string, script: string): string {
  const latest = Math.ceil(waitMs / 1000) + 1
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>One moment …</title><meta name="robots" content="noindex">
<noscript><meta http-equiv="refresh" content="0;url=${escape(target)}"></noscript>
<meta http-equiv="refresh" content="${latest};url=${escape(target)}">
</head><body><script>${script.replace(/<\/(script)/gi, '<\\/$1')}</script>
<p style="font:15px system-ui;text-align:center;margin-top:20vh"><a href="${escape(target)}" rel="noreferrer">Go on</a></p></body></html>
`
}
