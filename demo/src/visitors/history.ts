import type { IncomingEvent } from '@acequia/server/events/EventWriter'
import type { FiredTags } from './FiredTags.js'
import { Random } from './Random.js'
import { simulateVisit, type SimulatedVisit } from './simulateVisit.js'

/** Days of history that the demo begins with. */
export const HISTORY_DAYS = 90
const DAY = 86_400_000
/** Visits a day, by day of the week from Sunday. */
const BY_WEEKDAY = [128, 84, 82, 88, 96, 132, 150]
/** Relative number of visits in each hour of the day. */
const BY_HOUR = [3, 2, 1, 1, 1, 1, 2, 4, 5, 6, 7, 7, 7, 8, 7, 6, 7, 8, 10, 13, 15, 14, 10, 6]
/** Visits that are a known visitor's again. */
const RETURNING = 0.22

/** Turns a simulated visit into events of a site at `shop`, the first at `at` (ms). */
export function eventsOfVisit(visit: SimulatedVisit, at: number, visitor: string, shop: string, newUid: () => string): IncomingEvent[] {
  let time = at
  let last = ''
  return visit.events.map(({ after, path, referrer, ...event }): IncomingEvent => {
    time += after * 1000
    const url = shop + path
    const from = referrer ?? (last && last !== url ? last : undefined)
    if (event.name === 'page-view') last = url
    return {
      visitor,
      event: {
        ...event,
        fired: undefined,
        uid: newUid(),
        at: time,
        url,
        referrer: from,
        data: event.data,
        value: event.value,
        currency: event.currency,
        order: event.order,
      },
      userAgent: visit.userAgent,
      place: { country: visit.country, region: null, city: null, language: languageOf(visit.country) },
    }
  })
}

/** The language that most browsers of a country ask for. */
function languageOf(country: string): string {
  return { ES: 'es', MX: 'es', CL: 'es', FR: 'fr', DE: 'de', PT: 'pt', IT: 'it' }[country] ?? 'en'
}

/**
 * Makes up the history of the demo site, one day at a time: the same for the same day of loading.
 * @param now ms; history ends here
 * @param fired notes what the wiring does at each event
 */
export function* simulateHistory(now: number, shop: string, fired: FiredTags): Generator<IncomingEvent[]> {
  const random = new Random(20_260_504)
  const known: string[] = []
  const newUid = (): string => random.hex(32)
  let order = 10_000
  const today = Math.floor(now / DAY) * DAY
  for (let back = HISTORY_DAYS; back >= 0; back--) {
    const start = today - back * DAY
    const grown = 1 - back / 400
    const visits = Math.round((BY_WEEKDAY[new Date(start).getUTCDay()] as number) * grown * (0.85 + random.next() * 0.3))
    const day: IncomingEvent[] = []
    for (let i = 0; i < visits; i++) {
      const hour = random.weighted(BY_HOUR.map((weight, each) => [each, weight] as const))
      const at = start + hour * 3_600_000 + random.whole(0, 3_599_999)
      const returning = known.length > 50 && random.chance(RETURNING)
      // Most who come again do so within a few weeks.
      const visitor = returning ? (known[known.length - 1 - Math.floor(random.next() ** 2 * known.length)] as string) : random.hex(32)
      if (!returning) known.push(visitor)
      const visit = eventsOfVisit(
        simulateVisit(random, () => `Q-${order++}`),
        at,
        visitor,
        shop,
        newUid,
      )
      fired.note(visit)
      day.push(...visit)
    }
    yield day.filter(({ event }) => event.at < now)
  }
}
