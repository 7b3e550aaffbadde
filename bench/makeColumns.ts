import { ColumnBuilder } from '../core/src/columns/ColumnBuilder.js'
import type { Columns } from '../core/src/columns/Columns.js'
import type { LoggedEvent } from '../core/src/events/LoggedEvent.js'
import type { VisitSource } from '../core/src/sources/sourceOf.js'
import type { Visit } from '../core/src/visits/deriveVisits.js'
import { Random } from '../demo/src/visitors/Random.js'

const DAY = 86_400_000
/** Where the made-up history begins. */
export const HISTORY_START = Date.UTC(2026, 7, 1)
export const HISTORY_DAYS = 90
const PAGES = 2000
const SOURCES: [string, string, number][] = [
  ['direct', 'none', 40],
  ['farola', 'cpc', 20],
  ['lumbre', 'organic', 20],
  ['corrillo', 'social', 12],
  ['vela', 'display', 8],
]
const AGENTS = [
  'Mozilla/5.0 (Linux; Android 15; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Mobile Safari/537.36',
  'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36',
]

/**
 * Makes up the log of a site of any size, always the same: few pages have most views, one visitor in four
 * comes again, some send a form, some buy with an order number. About five events a visit.
 */
export function* makeVisitors(visits: number): Generator<{ visitorId: number; visits: Visit[] }> {
  const random = new Random(20_260_801)
  const sources = SOURCES.map(([source, medium], index): VisitSource => {
    const kind = index === 0 ? 'direct' : index === 2 ? 'referral' : 'campaign'
    return { kind, source, medium, campaign: kind === 'campaign' ? `c${index}` : null, content: null, term: null }
  })
  const weighted = SOURCES.map(([, , weight], index) => [index, weight] as const)
  let [made, visitorId, uid] = [0, 0, 0]
  while (made < visits) {
    const own = Math.min(visits - made, random.chance(0.25) ? random.whole(2, 5) : 1)
    const userAgent = AGENTS[random.whole(0, 1)]
    let at = HISTORY_START + random.next() * HISTORY_DAYS * DAY
    const list: Visit[] = []
    for (let number = 0; number < own; number++) {
      const source = sources[random.weighted(weighted)] as VisitSource
      const events: LoggedEvent[] = []
      const length = random.whole(2, 8)
      const startedAt = Math.floor(at)
      let instant = startedAt
      for (let index = 0; index < length; index++) {
        // The nth page has about one nth of the views of the first.
        const page = Math.floor(PAGES ** random.next()) - 1
        const event: LoggedEvent = {
          uid: `${uid++}`,
          at: instant,
          name: 'page-view',
          url: `https://altolucero.example/page-${page}`,
          title: `Page ${page}`,
          userAgent,
        }
        if (index === 0 && source.kind === 'campaign') event.url += `?utm_source=${source.source}&utm_campaign=${source.campaign}`
        if (index > 1 && random.chance(0.06)) Object.assign(event, { name: 'form-sent', data: { formId: `form-${page % 7}` } })
        if (index === length - 1 && random.chance(0.03))
          Object.assign(event, { url: 'https://altolucero.example/thanks', value: 18 * random.whole(1, 4), order: `Q${uid}` })
        events.push(event)
        instant += random.whole(2_000, 180_000)
      }
      list.push({ startedAt, endedAt: events[events.length - 1]?.at ?? startedAt, source, events })
      at = instant + 3_600_000 + random.next() * 14 * DAY
    }
    made += own
    yield { visitorId: ++visitorId, visits: list }
  }
}

/** The same as columns. */
export function makeColumns(visits: number): Columns {
  const builder = new ColumnBuilder()
  for (const visitor of makeVisitors(visits)) builder.addVisitor(visitor.visitorId, visitor.visits)
  return builder.finish()
}
