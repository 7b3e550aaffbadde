import { ALWAYS } from '@acequia/core/days/Range'
import { createHash } from 'node:crypto'
import { parseTime } from '@acequia/core/days/parseTime'
import { ORDER_CANCELLED, ORDER_REFUNDED } from '@acequia/core/goals/afterSales'
import { elsewhereSchema, type Elsewhere } from '@acequia/core/goals/elsewhereSchema'
import { rememberingUrlParts } from '@acequia/core/readings/rememberingUrlParts'
import { queryParameter } from '@acequia/core/readings/url'
import { plainHost } from '@acequia/core/sites/hosts'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import type { IncomingEvent } from '../events/EventWriter.js'
import { recipesOfSite } from '../channels/channelsTable.js'
import type { Site } from '../sites/sitesTable.js'

type Row = Elsewhere['rows'][number]

/** Conversions that happened elsewhere, and what became of orders afterwards. */
export function elsewhereRoutes({ columns, database, writer, deriver }: Services): Route[] {
  return [
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/conversions:import',
      summary: 'Record what happened elsewhere with the visitors it belongs to, by click id, order number or user id; the same again changes nothing',
      body: elsewhereSchema,
      handle: async ({ site, body }) => {
        const visitors = await findVisitors(site, body)
        const unmatched: { row: number; key: string; message: string }[] = []
        const events: IncomingEvent[] = []
        const uids = new Set<string>()
        for (const [index, row] of body.rows.entries()) {
          const found = visitors.get(normal(body.match, row.key))
          if (!found) {
            unmatched.push({ row: index + 1, key: row.key, message: row.key ? NOT_FOUND[body.match] : 'The row names nothing to find its visitor by.' })
            continue
          }
          // What became of an order concerns everybody who came with it; something that happened, only its latest visitor.
          for (const visitor of body.as === 'happened' ? found.slice(-1) : found) {
            const event = eventOf(site, body, row, visitor)
            if (uids.has(event.event.uid)) continue
            uids.add(event.event.uid)
            events.push(event)
          }
        }
        let accepted = 0
        for (let start = 0; start < events.length; start += 1000)
          accepted += (await writer.store({ siteId: site.id, events: events.slice(start, start + 1000) })).accepted
        deriver.nudge()
        return { accepted, known: events.length - accepted, unmatched }
      },
    }),
  ]

  /** Visitors by what rows name, in the order in which they came with it. */
  async function findVisitors(site: Site, { match, rows }: Elsewhere): Promise<Map<string, string[]>> {
    const wanted = new Set(rows.map(({ key }) => normal(match, key)).filter(Boolean))
    const found = new Map<string, Map<string, number>>()
    const note = (key: string, visitor: string, at: number): void => {
      if (!wanted.has(key)) return
      const visitors = found.get(key) ?? new Map<string, number>()
      visitors.set(visitor, Math.max(at, visitors.get(visitor) ?? 0))
      found.set(key, visitors)
    }
    const parameters = match === 'click' ? await clickParameters(site) : []
    const partsOf = rememberingUrlParts()
    await columns.each(site, ALWAYS, ({ visitor, visits }) => {
      for (const { events } of visits) {
        for (const event of events) {
          if (match === 'order') {
            if (event.order && event.name !== ORDER_CANCELLED && event.name !== ORDER_REFUNDED) note(event.order, visitor, event.at)
          } else if (match === 'user') {
            if (event.name === 'visitor-known' && event.data?.user) note(String(event.data.user), visitor, event.at)
          } else if (event.url.includes('?')) {
            const { query } = partsOf(event.url)
            for (const parameter of parameters) {
              const id = queryParameter(query, parameter)
              if (id) note(id, visitor, event.at)
            }
          }
        }
      }
    })
    const all = [...new Set([...found.values()].flatMap((visitors) => [...visitors.keys()]))]
    const names = new Map((await columns.named(all.map((visitor) => ({ visitor })))).map(({ visitor }, index) => [all[index] as string, visitor]))
    return new Map([...found].map(([key, visitors]) => [key, [...visitors].sort((a, b) => a[1] - b[1]).map(([visitor]) => names.get(visitor) as string)]))
  }

  async function clickParameters(site: Site): Promise<string[]> {
    const recipes = await recipesOfSite(database, site.id)
    return [...new Set([...site.settings.clickIds.map((each) => each.parameter), ...recipes.flatMap((recipe) => recipe.clickId?.parameter ?? [])])]
  }
}

const NOT_FOUND: Record<Elsewhere['match'], string> = {
  click: 'No visitor came with this click id.',
  order: 'No event carries this order number.',
  user: 'No visitor was made known under this id.',
}

/** User ids are kept as SHA-256 only, of the id just as the site gave it; one that looks like such a hash is taken as it is. */
function normal(match: Elsewhere['match'], key: string): string {
  if (match !== 'user' || !key) return key
  return /^[0-9a-f]{64}$/.test(key) ? key : createHash('sha256').update(key).digest('hex')
}

function eventOf(site: Site, { as, event, match }: Elsewhere, row: Row, visitor: string): IncomingEvent {
  const name = as === 'happened' ? event : as === 'cancelled' ? ORDER_CANCELLED : ORDER_REFUNDED
  const order = as === 'happened' ? row.order || (match === 'order' ? row.key : undefined) : row.key
  const uid = createHash('sha256')
    .update(JSON.stringify([name, match, row.key, as === 'cancelled' ? '' : (row.at ?? ''), as === 'cancelled' ? '' : (row.value ?? ''), order ?? '', visitor]))
    .digest('hex')
    .slice(0, 40)
  return {
    visitor,
    event: {
      uid: `elsewhere-${uid}`,
      at: (row.at ? parseTime(row.at) : null) ?? Date.now(),
      name,
      // Without parameters: it is no arrival, and gets no source of its own.
      url: `https://${plainHost(site.settings.hosts[0] ?? 'localhost').replace(/^\*\./, '')}/`,
      title: undefined,
      referrer: undefined,
      data: { elsewhere: match },
      value: row.value,
      currency: row.currency || undefined,
      order,
      fired: undefined,
    },
    userAgent: undefined,
  }
}
