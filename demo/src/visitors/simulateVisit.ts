import { WATCH } from '../demoWiring.js'
import { SEAT_PRICE } from '../website/Orders.js'
import type { Random } from './Random.js'

/** Something a simulated visitor does, some seconds after what came before. */
export interface SimulatedEvent {
  /** Seconds after the event before. */
  after: number
  name: string
  /** Path and query. */
  path: string
  title: string
  referrer?: string
  data?: Record<string, string>
  value?: number
  currency?: string
  order?: string
}

/** What a visit is made of. */
export interface SimulatedVisit {
  events: SimulatedEvent[]
  userAgent: string
  country: string
}

type Entry = { query: string; referrer: string; landing: readonly (readonly [string, number])[] }

const AGENTS = [
  ['Mozilla/5.0 (Linux; Android 15; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Mobile Safari/537.36', 46],
  ['Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36', 30],
  ['Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0', 14],
  ['Mozilla/5.0 (Linux; Android 14; Tablet; rv:140.0) Gecko/140.0 Firefox/140.0', 10],
] as const

const TITLES: Record<string, string> = {
  '/': 'Home',
  '/nights': 'Star nights',
  '/nights/book': 'Book seats',
  '/nights/thanks': 'See you there',
  '/nights/thanks/': 'See you there',
  '/calendar': 'Sky calendar',
  '/calendar/thanks': 'It is on its way',
  '/shop': 'Eyepieces',
  '/shop/basket': 'Basket',
  '/shop/thanks': 'On its way',
  '/groups': 'Groups',
  '/groups/thanks': 'We will call you',
  '/journal': 'Journal',
  '/journal/reading-the-winter-sky': 'Reading the winter sky',
  '/members/enter': 'Members',
  '/members': 'Members',
}

const HOME = [
  ['/', 60],
  ['/nights', 20],
  ['/journal', 10],
  ['/members/enter', 10],
] as const
const NIGHTS = [
  ['/nights', 85],
  ['/', 15],
] as const
const CALENDAR = [
  ['/calendar', 90],
  ['/', 10],
] as const
const JOURNAL = [
  ['/journal/reading-the-winter-sky', 70],
  ['/nights', 20],
  ['/', 10],
] as const

/** Ways people come, each with its weight; the click id is filled in where there is a `*`. */
const ENTRIES: readonly (readonly [Entry, number])[] = [
  [{ query: '', referrer: '', landing: HOME }, 26],
  [
    {
      query: '',
      referrer: 'https://lumbre.example/search',
      landing: [
        ['/', 40],
        ['/nights', 30],
        ['/journal/reading-the-winter-sky', 30],
      ],
    },
    20,
  ],
  [
    { query: '?utm_source=farola&utm_medium=cpc&utm_campaign=perseids&utm_content=dome&lantern=*', referrer: 'http://farola.localhost:4601/', landing: NIGHTS },
    15,
  ],
  [{ query: '?utm_source=farola&utm_medium=cpc&utm_campaign=sky-calendar&lantern=*', referrer: 'http://farola.localhost:4601/', landing: CALENDAR }, 9],
  [{ query: '?utm_source=corrillo&utm_medium=social&utm_campaign=comet', referrer: 'https://corrillo.example/', landing: JOURNAL }, 12],
  [{ query: '?utm_source=vela&utm_medium=display&utm_campaign=perseids', referrer: 'https://vela.example/', landing: NIGHTS }, 5],
  [
    {
      query: '?utm_source=letters&utm_medium=email&utm_campaign=letter',
      referrer: '',
      landing: [
        ['/nights', 60],
        ['/journal/reading-the-winter-sky', 40],
      ],
    },
    6,
  ],
  [
    {
      query: '',
      referrer: 'https://valleherald.example/weekend',
      landing: [
        ['/nights', 70],
        ['/groups', 30],
      ],
    },
    5,
  ],
  // A bookmarked or indexed receipt: the success page, reached by people who did not book.
  [{ query: '', referrer: '', landing: [['/nights/thanks', 1]] }, 1.4],
  [{ query: '', referrer: '', landing: [['/groups', 1]] }, 1.6],
]

/** Makes up one visit of the observatory's website, as a plausible chain of pages and forms. */
export function simulateVisit(random: Random, nextOrder: () => string): SimulatedVisit {
  const entry = random.weighted(ENTRIES)
  const events: SimulatedEvent[] = []
  const view = (path: string, after: number, more: Partial<SimulatedEvent> = {}): void => {
    events.push({ after, name: 'page-view', path, title: `${TITLES[path.split('?')[0] ?? ''] ?? 'Altolucero'} · Altolucero Observatory`, ...more })
  }
  /** Something that a wired moment records on a page. */
  const moment = (name: string, path: string, after: number, data: Record<string, string>, more: Partial<SimulatedEvent> = {}): void => {
    events.push({ after, name, path, title: `${TITLES[path] ?? 'Altolucero'} · Altolucero Observatory`, data, ...more })
  }
  const send = (path: string, formId: string, after: number, more: Record<string, string> = {}): void => {
    events.push({
      after,
      name: 'form-sent',
      path,
      title: `${TITLES[path] ?? ''} · Altolucero Observatory`,
      data: { formId, formName: formId, formAction: path, ...more },
    })
  }
  const landing = random.weighted(entry.landing)
  const query = entry.query.replace('*', () => random.hex(12))
  view(landing + query, 0, entry.referrer ? { referrer: entry.referrer } : {})
  let here: string | null = landing
  for (let steps = 0; here !== null && steps < 14; steps++) here = go(here)
  return {
    events,
    userAgent: random.weighted(AGENTS),
    country: random.weighted([
      ['ES', 78],
      ['PT', 8],
      ['FR', 8],
      ['DE', 6],
    ] as const),
  }

  /** What people do next on a page. @returns the page they are on then, null when they left */
  function go(path: string): string | null {
    const open = (next: string, after = random.whole(8, 95)): string => {
      view(next, after)
      return next
    }
    switch (path) {
      case '/': {
        if (random.chance(0.04)) {
          send('/', 'newsletter', random.whole(15, 60))
          // Now and then the address is not taken.
          if (random.chance(0.88))
            moment('form-accepted', '/', 1, { formId: 'newsletter', formName: 'newsletter', watch: WATCH.lettersAccepted, formPage: '/' })
        }
        const next = random.weighted([
          ['/nights', 26],
          ['/calendar', 9],
          ['/journal', 10],
          ['/groups', 3],
          ['/shop', 7],
          [null, 45],
        ] as const)
        return next && open(next)
      }
      case '/nights': {
        if (random.chance(0.42)) {
          moment('element-seen', '/nights', random.whole(6, 30), { watch: WATCH.lodgeSeen, elementId: 'lodge-offers' })
          if (!events.some((event) => event.name === 'lodge-offer-seen')) moment('lodge-offer-seen', '/nights', 0, {})
          if (random.chance(0.12)) moment('click', '/nights', random.whole(3, 20), { watch: WATCH.linkClicked, clickText: 'Map (PDF)', clickFile: 'pdf' })
          if (random.chance(0.14)) moment('relay-passed', '/nights', random.whole(3, 20), { watch: WATCH.relay })
        }
        const next = random.weighted([
          ['/nights/book', 34],
          ['/', 8],
          ['/calendar', 5],
          ['/groups', 2],
          [null, 51],
        ] as const)
        return next && open(next)
      }
      case '/nights/book': {
        if (!random.chance(0.46)) return random.chance(0.2) ? open('/nights') : null
        send('/nights/book', 'booking', random.whole(30, 150), {
          'own.night': random.weighted([
            ['Friday: the moons of Jupiter', 3],
            ['Saturday: galaxies of spring', 5],
            ['Sunday: the dark lane', 2],
          ] as const),
        })
        // The payment page is elsewhere; some never come back from it.
        if (!random.chance(0.86)) return null
        const seats = random.weighted([
          [1, 12],
          [2, 58],
          [3, 12],
          [4, 14],
          [6, 4],
        ] as const)
        const order = nextOrder()
        // A link in the mail has a slash too many.
        const receipt = random.chance(0.05) ? '/nights/thanks/' : '/nights/thanks'
        const paid = { value: seats * SEAT_PRICE, currency: 'EUR', order, referrer: 'http://caja.localhost:4601/' }
        view(`${receipt}?order=${order}`, random.whole(25, 110), paid)
        while (random.chance(0.08)) view(`${receipt}?order=${order}`, random.whole(5, 600), paid)
        return random.chance(0.15) ? open('/journal') : null
      }
      case '/calendar':
        if (!random.chance(0.52)) return random.chance(0.15) ? open('/nights') : null
        send('/calendar', 'calendar', random.whole(15, 60))
        return open('/calendar/thanks', random.whole(1, 3))
      case '/calendar/thanks':
        return random.chance(0.18) ? open('/nights') : null
      case '/groups':
        if (!random.chance(0.18)) return null
        send('/groups', 'enquiry', random.whole(30, 120))
        // The form can fail; many give up then.
        if (random.chance(0.45)) {
          view('/groups', random.whole(1, 3))
          return random.chance(0.4) ? '/groups' : null
        }
        return open('/groups/thanks', random.whole(1, 3))
      case '/journal':
        return random.chance(0.6) ? open('/journal/reading-the-winter-sky') : null
      case '/shop': {
        if (!random.chance(0.3)) return null
        const price = random.weighted([
          [89, 2],
          [64.5, 3],
          [19, 5],
        ] as const)
        moment(
          'basket-filled',
          '/shop',
          random.whole(10, 60),
          { item: price === 89 ? 'wide-24' : price === 64.5 ? 'planet-9' : 'moon-filter' },
          { value: price, currency: 'EUR' },
        )
        view('/shop/basket', random.whole(5, 40))
        if (!random.chance(0.5)) return null
        send('/shop/basket', 'checkout', random.whole(5, 40))
        const order = nextOrder().replace('Q', 'S')
        view(`/shop/thanks?order=${order}`, random.whole(25, 90), { value: price, currency: 'EUR', order, referrer: 'http://caja.localhost:4601/' })
        return null
      }
      case '/journal/reading-the-winter-sky':
        if (random.chance(0.34)) {
          moment('time-spent', path, 120, { watch: WATCH.longRead, seconds: '120' })
          moment('read-on', path, 0, {})
        }
        return random.chance(0.24) ? open(random.chance(0.7) ? '/nights' : '/calendar', random.whole(60, 420)) : null
      case '/members/enter':
        if (!random.chance(0.8)) return null
        send('/members/enter', 'member', random.whole(8, 25))
        return open('/members', 2)
      default:
        return null
    }
  }
}
