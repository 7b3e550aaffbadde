import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { resolveRange } from '../days/Range.js'
import { calendarOf } from '../days/zone.js'
import { siteSchema } from '../sites/siteSchema.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { Backtest } from './Backtest.js'
import { goalSchema, type Goal } from './goalSchema.js'
import { prepareGoal } from './prepareGoal.js'

/*
 * The contracts read once more, by hand and as plainly as can be: nothing here is shared with what is tested, nothing is
 * quick, and every sentence of the contracts stands beside the lines that follow it.
 */

interface Event {
  visitor: string
  uid: string
  at: number
  name: string
  url: string
  referrer?: string
  order?: string
  value?: number
  currency?: string
}
interface Visit {
  visitor: string
  events: Event[]
  source: Source
}
interface Source {
  kind: string
  source: string
  medium: string
  campaign: string | null
}

const SITE = {
  name: 'Altolucero',
  hosts: ['altolucero.example', '*.altolucero.example'],
  timeZone: 'Europe/Madrid',
  currency: 'EUR',
  rates: { USD: '0.92', GBP: '1.1625' },
  sourceRules: [{ host: 'lumbre.example', source: 'lumbre', medium: 'organic' }],
  passThroughHosts: ['caja.example'],
  clickIds: [
    { parameter: 'lantern', source: 'farola', medium: 'cpc' },
    { parameter: 'vela', source: 'vela', medium: 'display' },
  ],
}
const DAYS = ['2026-03-28', '2026-03-29', '2026-03-30']

/** By code point, never by a collation. */
function isBefore(a: Event, b: Event): boolean {
  if (a.at !== b.at) return a.at < b.at
  const [one, other] = [[...a.uid], [...b.uid]]
  for (let index = 0; index < Math.min(one.length, other.length); index++)
    if (one[index] !== other[index]) return (one[index]?.codePointAt(0) ?? 0) < (other[index]?.codePointAt(0) ?? 0)
  return one.length < other.length
}
const inOrder = (events: Event[]): Event[] => [...events].sort((a, b) => (isBefore(a, b) ? -1 : 1))

/** "`path` without query and fragment, empty → `/`, trailing slash kept, percent-decoded once." */
function pathOf(url: string): string {
  const rest = url.slice(url.indexOf('//') + 2)
  const start = rest.search(/[/?#]/)
  const path = start < 0 || rest[start] !== '/' ? '' : rest.slice(start).replace(/[?#].*$/, '')
  return path === '' ? '/' : decodeURIComponent(path)
}
/** "`query.NAME` decoded (`+` is a space), first of repeated ones"; an empty text is absent. */
function parameter(url: string, name: string): string | undefined {
  const query = /\?([^#]*)/.exec(url)?.[1] ?? ''
  for (const pair of query.split('&')) {
    const [key = '', ...value] = pair.split('=')
    if (decodeURIComponent(key.replaceAll('+', ' ')) === name) return decodeURIComponent(value.join('=').replaceAll('+', ' ')) || undefined
  }
  return undefined
}
/** "Compared in lower case, without port, a leading `www.` ignored." */
const hostOf = (url: string): string =>
  (/^[a-z]+:\/\/([^/?#]*)/i.exec(url)?.[1] ?? '')
    .toLowerCase()
    .replace(/:\d+$/, '')
    .replace(/^www\./, '')
const utm = (url: string, name: string): string | null => parameter(url, `utm_${name}`)?.trim().toLowerCase() || null

function campaignOf(url: string): Source | null {
  // 1. a click-id parameter that is not empty → its source and medium; campaign from its UTM parameters. The first in the list wins.
  for (const click of SITE.clickIds)
    if (parameter(url, click.parameter)) return { kind: 'campaign', source: click.source, medium: click.medium, campaign: utm(url, 'campaign') }
  // 2. else `utm_source`, not empty after trimming: `utm_medium` (`unknown` if missing), `utm_campaign`.
  const source = utm(url, 'source')
  return source === null ? null : { kind: 'campaign', source, medium: utm(url, 'medium') ?? 'unknown', campaign: utm(url, 'campaign') }
}

function sourceOf({ url, referrer }: Event): Source {
  const campaign = campaignOf(url)
  if (campaign) return campaign
  // 3. else a referrer host, not one of the site's own nor on its pass-through list: the source rule for it, or the host.
  const host = referrer ? hostOf(referrer) : ''
  const own = host === 'altolucero.example' || host.endsWith('.altolucero.example')
  if (host && !own && host !== 'caja.example')
    return host === 'lumbre.example'
      ? { kind: 'referral', source: 'lumbre', medium: 'organic', campaign: null }
      : { kind: 'referral', source: host, medium: 'referral', campaign: null }
  // 4. else source `direct`, medium `none`.
  return { kind: 'direct', source: 'direct', medium: 'none', campaign: null }
}

function visitsOf(visitor: string, events: Event[]): Visit[] {
  const visits: Visit[] = []
  for (const event of inOrder(events)) {
    const visit = visits[visits.length - 1]
    const last = visit?.events[visit.events.length - 1]
    const arrival = event.name === 'page-view' ? campaignOf(event.url) : null
    // "After more than 30 minutes without an event, or at a page-view that arrives from a campaign whose source, medium or
    // campaign differs from the visit's own (a direct or referral visit always differs)."
    const other =
      arrival &&
      visit &&
      (visit.source.kind !== 'campaign' ||
        arrival.source !== visit.source.source ||
        arrival.medium !== visit.source.medium ||
        arrival.campaign !== visit.source.campaign)
    if (!visit || !last || event.at - last.at > 30 * 60_000 || other) visits.push({ visitor, events: [event], source: sourceOf(event) })
    else visit.events.push(event)
  }
  return visits
}

/** Readings that the rules below use; "an empty text is absent, for every reading". */
function read(reading: string, event: Event, visit: Visit): string | undefined {
  if (reading === 'path') return pathOf(event.url)
  if (reading === 'order') return event.order || undefined
  if (reading === 'source') return visit.source.source
  if (reading === 'campaign') return visit.source.campaign ?? undefined
  if (reading === 'referrerHost') return event.referrer ? /\/\/([^/:?#]*)/.exec(event.referrer)?.[1]?.toLowerCase() : undefined
  if (reading === 'value') return event.value === undefined ? undefined : String(event.value)
  return parameter(event.url, reading.slice('query.'.length))
}

function satisfies(where: Goal['path'][number]['where'], event: Event, visit: Visit): boolean {
  // "An empty `any` matches everything."
  if (!where.any.length) return true
  return where.any.some(({ all }) =>
    all.every(({ reading, op, value, not, caseSensitive }) => {
      const found = read(reading, event, visit)
      const fold = (text: string): string => (caseSensitive ? text : text.toLowerCase())
      // "An absent reading satisfies no condition, except with `not`."
      let holds = false
      if (found !== undefined) {
        const [text, wanted] = [fold(found), Array.isArray(value) ? value.map((each) => fold(String(each))) : fold(String(value))]
        if (op === 'present') holds = true
        else if (op === 'in') holds = wanted.includes(text)
        else if (op === 'is') holds = text === wanted
        else if (op === 'contains') holds = text.includes(wanted as string)
        else if (op === 'starts') holds = text.startsWith(wanted as string)
        else if (op === 'ends') holds = text.endsWith(wanted as string)
        else if (op === 'above') holds = Number(found) > Number(value)
        else if (op === 'below') holds = Number(found) < Number(value)
      }
      return holds !== not
    }),
  )
}

/** Events of a visit that qualify by the goal's kind. */
function ofKind({ kind }: Goal, visit: Visit): Event[] {
  const { events } = visit
  if (kind.type === 'page') return events.filter((event) => event.name === 'page-view' && satisfies(kind.where, event, visit))
  if (kind.type === 'event') return events.filter((event) => event.name === kind.event && satisfies(kind.where, event, visit))
  // "The first event at which the visit, from its first event, has lasted at least that long."
  if (kind.type === 'time') return events.filter((event) => event.at - (events[0]?.at ?? 0) >= kind.seconds * 1000).slice(0, 1)
  // "The nth page-view of the visit."
  if (kind.type === 'depth') return events.filter((event) => event.name === 'page-view').slice(kind.pages - 1, kind.pages)
  return []
}

/** "Only if all required steps were met earlier in the same visit, in order, by different events (greedily, the earliest each)." */
function hasPath({ path }: Goal, visit: Visit, event: Event): boolean {
  const earlier = visit.events.slice(0, visit.events.indexOf(event))
  for (const step of path.filter(({ required }) => required)) {
    const met = earlier.findIndex((each) => each.name === 'page-view' && satisfies(step.where, each, visit))
    if (met < 0) return false
    earlier.splice(0, met + 1)
  }
  return true
}

/** What a conversion is worth in site money, in ten-thousandths; a currency with the amount where there is no rate. */
function worth({ value }: Goal, event: Event): { site: bigint } | { currency: string; amount: bigint } {
  const exact = (amount: number | string): bigint => BigInt(Math.round(Number(amount) * 10_000))
  if (value.type === 'none') return { site: 0n }
  if (value.type === 'fixed') return { site: exact(value.amount) }
  // "The fallback where the reading is absent or no number"; it is in the site's currency.
  if (event.value === undefined) return { site: exact(value.fallback) }
  const currency = event.currency || SITE.currency
  const amount = exact(event.value)
  if (currency === SITE.currency) return { site: amount }
  const rate = (SITE.rates as Record<string, string | undefined>)[currency]
  if (!rate) return { currency, amount }
  // "Each conversion rounded to 4 decimals, half away from zero."
  const product = amount * exact(rate)
  const size = product < 0n ? -product : product
  const rounded = (size + 5000n) / 10_000n
  return { site: product < 0n ? -rounded : rounded }
}

/** A day on the site's clock. */
const dayOf = (at: number): string => new Intl.DateTimeFormat('en-CA', { timeZone: SITE.timeZone, dateStyle: 'short' }).format(at)
const inRange = (at: number): boolean => dayOf(at) === DAYS[0] || dayOf(at) === DAYS[1]

function byHand(goal: Goal, log: Event[]): object {
  const visits = [...new Set(log.map(({ visitor }) => visitor))].flatMap((visitor) =>
    visitsOf(
      visitor,
      log.filter((event) => event.visitor === visitor),
    ),
  )
  // "Filters apply in this order: kind, path, count."
  const qualifying = visits.flatMap((visit) =>
    ofKind(goal, visit)
      .filter((event) => hasPath(goal, visit, event))
      .map((event) => ({ event, visit })),
  )
  const first = (same: (each: (typeof qualifying)[number]) => boolean): Event | undefined => inOrder(qualifying.filter(same).map(({ event }) => event))[0]
  const counted = qualifying.filter(({ event, visit }) => {
    if (goal.count === 'every') return true
    if (goal.count === 'visit') return event === first((each) => each.visit === visit)
    if (goal.count === 'visitor') return event === first((each) => each.visit.visitor === visit.visitor)
    // "The first ever over all visitors for each distinct `order`, and where there is none, the first without an order in each visit."
    return event.order ? event === first((each) => each.event.order === event.order) : event === first((each) => each.visit === visit && !each.event.order)
  })
  const started = visits.filter((visit) => inRange(visit.events[0]?.at ?? 0))
  const converting = started.filter((visit) => counted.some((each) => each.visit === visit))
  const daily = DAYS.slice(0, 2).map((day) => ({ day, conversions: 0, sum: 0n }))
  const without = new Map<string, bigint>()
  for (const { event } of counted) {
    const entry = daily.find(({ day }) => day === dayOf(event.at))
    if (!entry) continue
    entry.conversions++
    const each = worth(goal, event)
    if ('site' in each) entry.sum += each.site
    else without.set(each.currency, (without.get(each.currency) ?? 0n) + each.amount)
  }
  return {
    conversions: daily.reduce((sum, { conversions }) => sum + conversions, 0),
    value: Number(daily.reduce((all, { sum }) => all + sum, 0n)) / 10_000,
    unconverted: without.size ? Object.fromEntries([...without].map(([currency, sum]) => [currency, String(Number(sum) / 10_000)])) : undefined,
    visits: started.length,
    convertingVisits: converting.length,
    rate: started.length ? converting.length / started.length : null,
    daily: daily.map(({ day, conversions, sum }) => ({ day, conversions, value: Number(sum) / 10_000 })),
  }
}

function byAcequia(goal: Goal, log: Event[]): object {
  const site = siteSchema.parse(SITE)
  const calendar = calendarOf(site.timeZone)
  const backtest = new Backtest(prepareGoal(goal, site), resolveRange({ from: DAYS[0] as string, to: DAYS[2] as string }, calendar), calendar)
  for (const visitor of new Set(log.map((event) => event.visitor)))
    backtest.addVisitor(
      visitor,
      deriveVisits(
        log.filter((event) => event.visitor === visitor),
        site,
      ),
    )
  const { conversions, value, unconverted, visits, convertingVisits, rate, daily } = backtest.result()
  return {
    conversions,
    value,
    unconverted,
    visits,
    convertingVisits,
    rate,
    daily: daily.map((each) => ({ day: each.day, conversions: each.conversions, value: each.value })),
  }
}

// The night in which the clocks of the site change, and the days around it; often exactly half an hour apart, or a moment more.
const START = Date.parse('2026-03-27T21:00:00Z')
const at = fc.tuple(fc.integer({ min: 0, max: 6 * 24 * 3 }), fc.constantFrom(0, 0, 0, 1)).map(([tens, more]) => START + tens * 600_000 + more)
const paths = ['', '/', '/nights', '/Nights', '/nights/', '/nights/thanks', '/nights/thanks/', '/n%69ghts', '/a%2Fb', '/caf%C3%A9']
const queries = [
  '',
  '',
  '',
  '?x=1',
  '?order=Q7',
  '?utm_source=Farola&utm_medium=cpc&utm_campaign=Perseids',
  '?utm_source=farola&utm_medium=cpc&utm_campaign=leonids',
  '?utm_source=%20&utm_medium=cpc',
  '?utm_source=letters',
  '?lantern=abc',
  '?lantern=&vela=1&utm_campaign=Dome',
  '?vela=2&lantern=1',
  '?UTM_SOURCE=farola',
  '#utm_source=farola',
]
const event = fc
  .record({
    visitor: fc.constantFrom('visitor-a', 'visitor-b', 'visitor-c'),
    uid: fc.string({ unit: fc.constantFrom('a', 'B', 'é', '😀', '~'), minLength: 1, maxLength: 5 }),
    at,
    name: fc.constantFrom('page-view', 'page-view', 'page-view', 'form-sent', 'Form-sent'),
    path: fc.constantFrom(...paths),
    query: fc.constantFrom(...queries),
    referrer: fc.constantFrom(
      undefined,
      undefined,
      'https://www.altolucero.example/x',
      'https://shop.Altolucero.example:443/',
      'https://caja.example/pay',
      'https://WWW.lumbre.example/?q=1',
      'https://www.valleherald.example:8080/a',
    ),
    order: fc.constantFrom(undefined, undefined, '', 'Q1', 'q1', 'Q1 ', 'Q2'),
    value: fc.constantFrom(undefined, undefined, 0, 18, 2.5, -3.25, 0.01, 1234.56),
    currency: fc.constantFrom(undefined, undefined, 'EUR', 'USD', 'GBP', 'CLP', 'usd'),
  })
  .map(({ path, query, ...rest }) => ({ ...rest, url: `https://altolucero.example${path}${query}` }) as Event)
/** A uid is unique in a site: of two that are the same the first one stored is there. */
const log = fc
  .array(event, { minLength: 5, maxLength: 60, size: 'max' })
  .map((events) => [...new Map(events.reverse().map((each) => [each.uid, each])).values()])

const condition = fc.oneof(
  fc.record({
    reading: fc.constant('path'),
    op: fc.constantFrom('is', 'starts', 'ends', 'contains'),
    value: fc.constantFrom('/nights', '/nights/thanks', '/', 'café'),
  }),
  fc.record({ reading: fc.constant('path'), op: fc.constant('in'), value: fc.constant(['/NIGHTS', '/nights/thanks/', '/a/b']) }),
  fc.record({
    reading: fc.constantFrom('source', 'campaign'),
    op: fc.constantFrom('is', 'contains'),
    value: fc.constantFrom('farola', 'direct', 'Perseids', 'lumbre'),
  }),
  fc.record({ reading: fc.constantFrom('order', 'query.x', 'query.order', 'campaign', 'referrerHost', 'value'), op: fc.constant('present') }),
  fc.record({ reading: fc.constant('order'), op: fc.constant('is'), value: fc.constantFrom('Q1', 'q1', 'Q1 ') }),
  fc.record({ reading: fc.constant('value'), op: fc.constantFrom('above', 'below'), value: fc.constantFrom(0, 2.5, 100) }),
)
const where = fc
  .array(fc.array(fc.tuple(condition, fc.boolean(), fc.boolean()), { minLength: 1, maxLength: 2 }), { maxLength: 2, size: 'max' })
  .map((groups) => ({ any: groups.map((all) => ({ all: all.map(([each, not, caseSensitive]) => ({ ...each, not, caseSensitive })) })) }))
const kind = fc.oneof(
  fc.record({ type: fc.constant('page'), where }),
  fc.record({ type: fc.constant('event'), event: fc.constantFrom('form-sent', 'page-view'), where }),
  fc.record({ type: fc.constant('time'), seconds: fc.constantFrom(1, 600, 1800, 3600) }),
  fc.record({ type: fc.constant('depth'), pages: fc.integer({ min: 1, max: 4 }) }),
)
const goal = fc
  .record({
    kind,
    count: fc.constantFrom('every', 'visit', 'visitor', 'order'),
    value: fc.oneof(
      fc.constant({ type: 'none' }),
      fc.constant({ type: 'fixed', amount: '2.5' }),
      fc.record({ type: fc.constant('reading'), reading: fc.constant('value'), fallback: fc.constantFrom(0, 18, '0.0001') }),
    ),
    path: fc.array(fc.record({ name: fc.constant('Step'), where, required: fc.boolean() }), { maxLength: 2 }),
  })
  .map((given) => goalSchema.parse({ name: 'Goal', ...given }))

describe('goals', () => {
  it('are counted exactly as the contracts say, read by hand', () => {
    fc.assert(
      fc.property(goal, log, (each, events) => {
        expect(byAcequia(each, events)).toEqual(byHand(each, events))
      }),
      { numRuns: 700 },
    )
  })

  it('count the same in whatever order their events are stored', () => {
    fc.assert(
      fc.property(goal, log, fc.infiniteStream(fc.nat()), (each, events, random) => {
        const shuffled = events
          .map((one) => [random.next().value as number, one] as const)
          .sort(([a], [b]) => a - b)
          .map(([, one]) => one)
        expect(byAcequia(each, shuffled)).toEqual(byAcequia(each, events))
      }),
      { numRuns: 300 },
    )
  })

  it('are looked at where it matters: most of these logs have conversions, and few have all there are', () => {
    let [some, value, without, filtered] = [0, 0, 0, 0]
    for (const [each, events] of fc.sample(fc.tuple(goal, log), { numRuns: 400, seed: 20_260_329 })) {
      const found = byHand(each, events) as { conversions: number; value: number; unconverted?: object; visits: number }
      if (found.conversions) some++
      if (found.value) value++
      if (found.unconverted) without++
      if (found.conversions && found.conversions < events.length / 2) filtered++
    }
    expect(Math.min(some, filtered)).toBeGreaterThan(100)
    expect(value).toBeGreaterThan(50)
    expect(without).toBeGreaterThan(5)
  })
})
