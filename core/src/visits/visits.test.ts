import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { compareCodePoints } from '../text/compareCodePoints.js'
import { sourceOf, type SourceSettings } from '../sources/sourceOf.js'
import { hostIsListed } from '../sites/hosts.js'
import { deriveVisits } from './deriveVisits.js'

const site: SourceSettings = {
  hosts: ['altolucero.example', '*.altolucero.example'],
  passThroughHosts: ['caja.example'],
  sourceRules: [
    { host: '*.lumbre.example', source: 'lumbre', medium: 'organic' },
    { host: 'lumbre.example', source: 'lumbre', medium: 'organic' },
  ],
  clickIds: [
    { parameter: 'lantern', source: 'farola', medium: 'cpc' },
    { parameter: 'vela', source: 'vela', medium: 'display' },
  ],
}
const MINUTE = 60_000
const event = (minute: number, path = '/', more: Partial<LoggedEvent> = {}): LoggedEvent => ({
  uid: `u${minute}`,
  at: minute * MINUTE,
  name: 'page-view',
  url: `https://altolucero.example${path}`,
  ...more,
})
const sources = (...events: LoggedEvent[]): string[] =>
  deriveVisits(events, site).map((visit) => `${visit.source.source}/${visit.source.medium}/${visit.source.campaign ?? '-'}:${visit.events.length}`)

describe('a source', () => {
  const of = (path: string, referrer?: string): string => {
    const { kind, source, medium, campaign, content, term } = sourceOf({ url: 'https://altolucero.example/' + path, referrer }, site)
    return [kind, source, medium, campaign, content, term].map((each) => each ?? '-').join(' ')
  }
  it.each([
    ['', undefined, 'direct direct none - - -'],
    ['', 'https://www.altolucero.example/x', 'direct direct none - - -'],
    ['', 'https://shop.altolucero.example/', 'direct direct none - - -'],
    ['', 'https://www.CAJA.example:443/pay', 'direct direct none - - -'],
    ['', 'https://www.valleherald.example/', 'referral valleherald.example referral - - -'],
    ['', 'https://search.lumbre.example/?q=1', 'referral lumbre organic - - -'],
    ['?utm_source=%20Farola+&utm_campaign=Perseids', undefined, 'campaign farola unknown perseids - -'],
    ['?utm_source=%20&utm_medium=cpc', 'https://lumbre.example/', 'referral lumbre organic - - -'],
    ['?UTM_source=farola', undefined, 'direct direct none - - -'],
    ['?utm_source=&utm_source=farola', undefined, 'direct direct none - - -'],
    ['?vela=1&lantern=2&utm_source=other&utm_content=Dome', undefined, 'campaign farola cpc - dome -'],
    ['?lantern=&vela=3', undefined, 'campaign vela display - - -'],
  ])('of %s from %s is %s', (path, referrer, expected) => expect(of(path, referrer)).toBe(expected))
})

describe('hosts', () => {
  it('ignore case, port and www., and take subdomains only where written', () => {
    expect(hostIsListed('WWW.a.example:80', ['a.example'])).toBe(true)
    expect(hostIsListed('a.example', ['www.A.example:8080'])).toBe(true)
    expect(hostIsListed('b.a.example', ['a.example'])).toBe(false)
    expect(hostIsListed('c.b.a.example', ['*.a.example'])).toBe(true)
    expect(hostIsListed('a.example', ['*.a.example'])).toBe(false)
    expect(hostIsListed('', ['a.example'])).toBe(false)
  })
})

describe('visits', () => {
  it('end after more than thirty minutes of quiet, never at midnight', () => {
    expect(sources(event(0), event(30), event(60))).toEqual(['direct/none/-:3'])
    expect(sources(event(0), { ...event(30), at: 30 * MINUTE + 1 })).toEqual(['direct/none/-:1', 'direct/none/-:1'])
  })

  it('begin anew with a page view from another campaign', () => {
    const farola = '/?utm_source=farola&utm_medium=cpc&utm_campaign=a'
    expect(sources(event(0), event(1, farola))).toEqual(['direct/none/-:1', 'farola/cpc/a:1'])
    expect(sources(event(0, farola), event(1, farola), event(2))).toEqual(['farola/cpc/a:3'])
    expect(sources(event(0, farola), event(1, farola.replace('=a', '=b')))).toEqual(['farola/cpc/a:1', 'farola/cpc/b:1'])
    expect(sources(event(0), event(1, farola, { name: 'form-sent' }))).toEqual(['direct/none/-:2'])
    expect(sources(event(0, farola), event(1, '/', { referrer: 'https://lumbre.example/' }))).toEqual(['farola/cpc/a:2'])
    // A direct visit differs even from a campaign that calls itself direct.
    expect(sources(event(0), event(1, '/?utm_source=direct&utm_medium=none'))).toEqual(['direct/none/-:1', 'direct/none/-:1'])
  })

  it('take their source from their first event, whatever its name', () => {
    expect(sources(event(0, '/', { name: 'form-sent', referrer: 'https://lumbre.example/' }), event(1))).toEqual(['lumbre/organic/-:2'])
  })

  it('are the same in whatever order their events come', () => {
    const arbitrary = fc.array(
      fc.record({
        minute: fc.integer({ min: 0, max: 200 }),
        uid: fc.string({ minLength: 1, maxLength: 3 }),
        campaign: fc.constantFrom('', '?utm_source=a', '?utm_source=b', '?lantern=1'),
      }),
      { maxLength: 25 },
    )
    fc.assert(
      fc.property(arbitrary, fc.infiniteStream(fc.nat()), (given, random) => {
        const events = [...new Map(given.map(({ minute, uid, campaign }) => [uid, event(minute, '/' + campaign, { uid })])).values()]
        const order = new Map(events.map((each) => [each, random.next().value as number]))
        const shuffled = [...events].sort((a, b) => (order.get(a) ?? 0) - (order.get(b) ?? 0))
        expect(deriveVisits(shuffled, site)).toEqual(deriveVisits(events, site))
      }),
    )
  })

  it('order simultaneous events by uid in code points', () => {
    const uids = ['\u{1f600}', '\uffff', 'a', 'B']
    const [visit] = deriveVisits(
      uids.map((uid) => event(0, '/', { uid })),
      site,
    )
    expect(visit?.events.map((each) => each.uid)).toEqual(['B', 'a', '\uffff', '\u{1f600}'])
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme' }),
        fc.string({ unit: 'grapheme' }),
        (a, b) => Math.sign(compareCodePoints(a, b)) === Math.sign(Buffer.compare(Buffer.from(a), Buffer.from(b))),
      ),
    )
  })
})
