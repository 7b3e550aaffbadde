import type { Browser } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { startBrowser } from '../start/browser.js'
import { startTestServer, type TestServer } from '../start/testServer.js'
import { PageServer, type TestSite } from './pageServer.js'

let server: TestServer
let browser: Browser
let pages: PageServer
let site: TestSite
const any = { id: 'any', moment: { type: 'page-view' } }

beforeAll(async () => {
  ;[server, browser] = await Promise.all([startTestServer(inject('databaseUrl')), startBrowser()])
  pages = new PageServer(server, browser)
  await pages.start()
})
afterAll(async () => {
  await browser.close()
  pages.stop()
  await server.stop()
})
beforeEach(async () => {
  site = await pages.open()
})
afterEach(() => site.window_.close())

const visit = async (path: string): Promise<void> => {
  await site.page.goto(site.shop + path)
  await site.page.waitForTimeout(450)
}
const script = (id: string, code: string, more: object = {}): object => ({ id, name: id, triggers: ['any'], does: { type: 'script', code }, ...more })

describe('own readings', () => {
  it('are taken from the page, cleaned, used by rules and tags, and kept with the event', async () => {
    await site.wire({
      triggers: [{ id: 'big', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'own.total', op: 'above', value: 1000 }] }] } }],
      tags: [site.pixelTag('big', ['big'], {}, '&t={own.total}&p={own.plan}&k={own.kind}&c={own.cookie}&d={own.layer}&a={own.link}')],
      readings: [
        { name: 'total', from: { type: 'element', selector: '#total' }, clean: { number: ',' } },
        { name: 'plan', from: { type: 'global', path: 'shop.cart[0].plan' }, clean: { lowerCase: true } },
        { name: 'kind', from: { type: 'table', reading: 'own.plan', rows: [{ op: 'matches', value: '^gold', result: 'best' }], otherwise: 'rest' } },
        { name: 'cookie', from: { type: 'cookie', name: 'tier' } },
        { name: 'layer', from: { type: 'digital-data', path: 'page.category' }, clean: { otherwise: 'none' } },
        { name: 'link', from: { type: 'element', selector: 'a', attribute: 'href' } },
        { name: 'unused', from: { type: 'constant', value: 'x' } },
      ],
    })
    site.bodies['/cart'] =
      `<b id="total">Total: 1.234,50 €</b><a href="/pay">Pay</a><script>window.shop = { cart: [{ plan: 'Gold-2' }] }; document.cookie = 'tier=b%20c'</script>`
    await visit('/cart')
    expect(site.pixels).toEqual(['?tag=big&t=1234.50&p=gold-2&k=best&c=b c&d=none&a=/pay'])
    const [event] = await site.settled(1)
    expect(event?.data).toMatchObject({ 'own.total': '1234.50', 'own.plan': 'gold-2' })
    expect(event?.data).not.toHaveProperty('own.unused')
    const { body } = await server.api<{ name: string; values: { text: string }[] }[]>('GET', `/sites/${site.key}/readings:latest`)
    expect(body.find((each) => each.name === 'total')?.values[0]?.text).toBe('1234.50')
  })
})

describe('a tag', () => {
  it('fires nothing where the page was copied to another host, and the checkup says where that is', async () => {
    await site.wire({ triggers: [any], tags: [site.pixelTag('copied', ['any'])] })
    const copy = new URL(site.shop)
    copy.hostname = 'copied.localhost'
    await site.page.goto(`${copy.origin}/a`)
    await site.page.waitForTimeout(450)
    expect(site.pixels).toEqual([])
    expect(await site.events()).toEqual([])
    const { body } = await server.api<object[]>('GET', `/sites/${site.key}/checkup`)
    expect(JSON.stringify(body)).toContain('copied.localhost')
    // On the site itself the same page fires.
    await visit('/a')
    expect(site.pixels).toHaveLength(1)
  })

  it('fires as often as it may: every time, once a page, a visit, a visitor', async () => {
    await site.wire({
      triggers: [{ id: 'any', moment: { type: 'signal', name: 'ping' } }],
      tags: ['every', 'page', 'visit', 'visitor'].map((limit) => site.pixelTag(limit, ['any'], { limit })),
    })
    const ping = async (): Promise<void> => {
      await site.page.evaluate(`acequia.signal('ping')`)
      await site.page.waitForTimeout(200)
    }
    await visit('/a')
    await ping()
    await ping()
    await visit('/b')
    await ping()
    // Another visit: another campaign.
    await visit('/c?utm_source=letters')
    await ping()
    const times = (tag: string): number => site.pixels.filter((each) => each.replace(/&again=.*/, '') === `?tag=${tag}`).length
    expect([times('every'), times('page'), times('visit'), times('visitor')]).toEqual([4, 3, 2, 1])
  })

  it('fires within its time only, and not while it is paused', async () => {
    const hour = (offset: number): string => new Date(Date.now() + offset * 3_600_000).toISOString()
    await site.wire({
      triggers: [any],
      tags: [
        site.pixelTag('early', ['any'], { schedule: { from: hour(1) } }),
        site.pixelTag('now', ['any'], { schedule: { from: hour(-1), to: hour(1) } }),
        site.pixelTag('late', ['any'], { schedule: { to: hour(-1) } }),
        site.pixelTag('paused', ['any'], { paused: true }),
      ],
    })
    await visit('/')
    expect(site.pixels).toEqual(['?tag=now'])
  })

  it('waits for the tag before it, and for its working where that is asked', async () => {
    await site.wire({
      triggers: [any, { id: 'ping', moment: { type: 'signal', name: 'ping' } }],
      tags: [
        site.pixelTag('second', ['any'], { after: { tag: 'first' } }),
        site.pixelTag('third', ['any'], { after: { tag: 'broken', ifWorked: true } }),
        site.pixelTag('fourth', ['any'], { after: { tag: 'broken' } }),
        site.pixelTag('waiting', ['any'], { after: { tag: 'later' } }),
        script('first', `return new Promise(function (done) { setTimeout(function () { fetch('/pixel.gif?tag=first'); done() }, 200) })`),
        script('broken', `throw new Error('no such thing')`),
        site.pixelTag('later', ['ping']),
      ],
    })
    await visit('/')
    await site.page.waitForTimeout(400)
    expect(site.pixels).toEqual(['?tag=fourth', '?tag=first', '?tag=second'])
    await site.page.evaluate(`acequia.signal('ping')`)
    await expect.poll(() => site.pixels.slice(3)).toEqual(['?tag=later', '?tag=waiting'])
    const events = await site.settled(4)
    expect(events.find((event) => event.name === 'tag-failed')?.data).toEqual({ tag: 'broken', message: 'no such thing' })
    const fired = events.filter((event) => event.fired).map((event) => `${event.name}: ${event.fired?.join(' ') ?? ''}`)
    expect(fired.sort()).toEqual(['fired-later: waiting', 'page-view: broken first fourth second', 'ping: later'])
  })

  it('waits for the consent it needs, and fires then with what was read at its own moment', async () => {
    site = await pages.open({ consent: 'ask' })
    await site.wire({
      triggers: [any],
      tags: [
        site.pixelTag('always', ['any'], { consent: 'none' }),
        site.pixelTag('count', ['any'], { consent: 'statistics' }),
        site.pixelTag('ads', ['any'], {}, '&total={own.total}&path={path}'),
      ],
      readings: [{ name: 'total', from: { type: 'element', selector: '#total' } }],
    })
    site.bodies['/cart'] = '<b id="total">12</b>'
    await visit('/cart')
    expect(site.pixels).toEqual(['?tag=always'])
    await site.page.evaluate(`document.getElementById('total').textContent = '99'; acequia.consent({ statistics: true })`)
    await expect.poll(() => site.pixels).toEqual(['?tag=always', '?tag=count'])
    await site.page.evaluate(`acequia.consent({ marketing: true })`)
    await expect.poll(() => site.pixels[2]).toBe('?tag=ads&total=12&path=/cart')
    const fired = (await site.settled(3)).flatMap((event) => event.fired ?? [])
    expect(fired.sort()).toEqual(['ads', 'always', 'count'])
  })

  it('records an event of our own, which other triggers hear, and which cannot go round in circles', async () => {
    await site.wire({
      triggers: [
        { id: 'offer', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/offer' }] }] } },
        { id: 'seen', moment: { type: 'signal', name: 'offer-seen' } },
      ],
      tags: [
        {
          id: 'own',
          name: 'own',
          triggers: ['offer'],
          does: { type: 'own-event', name: 'offer-seen', value: { type: 'fixed', amount: 2.5 }, data: [{ name: 'page', reading: 'path' }] },
        },
        { id: 'loop', name: 'loop', triggers: ['seen'], does: { type: 'own-event', name: 'offer-seen' } },
        site.pixelTag('heard', ['seen'], {}, '&v={value}'),
      ],
    })
    await visit('/offer')
    const events = await site.settled(2)
    const [first] = events.filter((event) => event.name === 'offer-seen' && event.value)
    expect(first).toMatchObject({ value: 2.5, currency: 'EUR', data: { page: '/offer' } })
    expect(events.filter((event) => event.name === 'offer-seen').length).toBeLessThan(6)
    expect(site.pixels).toContain('?tag=heard&v=2.5')
  })

  it('sends requests as JSON, inserts HTML whose scripts run, and keeps failures apart', async () => {
    await site.wire({
      triggers: [any],
      tags: [
        script('throws', `null.nothing`),
        {
          id: 'html',
          name: 'html',
          triggers: ['any'],
          does: { type: 'html', html: '<p id="added">Added</p><script>document.title = "From the tag"</script>' },
        },
        {
          id: 'hook',
          name: 'hook',
          triggers: ['any'],
          does: { type: 'request', address: `${site.shop}/hook?page={path}`, method: 'POST', body: { page: '{path}', n: '{own.n}', list: ['{title}', 1] } },
        },
        script('reads', `window.readByTag = read('path') + ' ' + event.name`),
      ],
      readings: [{ name: 'n', from: { type: 'constant', value: '7' } }],
    })
    await visit('/some')
    expect(site.pixels.map((each) => JSON.parse(each) as object)).toEqual([{ page: '/some', n: '7', list: ['Page /some', 1] }])
    expect(await site.page.evaluate(`[document.getElementById('added').textContent, document.title, window.readByTag]`)).toEqual([
      'Added',
      'From the tag',
      '/some page-view',
    ])
  })

  it('carries the click id with which its channel sent the visitor, days later', async () => {
    const recipe = {
      recipe: 1,
      id: 'lantern',
      name: 'Lantern',
      clickId: { parameter: 'lantern', days: 30, source: 'farola', medium: 'cpc' },
      calls: { event: { label: 'Event', needs: ['event', 'click'], steps: [{ image: `${site.shop}/pixel.gif?e={event}&click={click}{extra}` }] } },
    }
    await server.api('POST', `/sites/${site.key}/recipes`, recipe)
    const { body } = await server.api<{ id: string }>('POST', `/sites/${site.key}/channels`, { name: 'Lantern', recipe: 'lantern' })
    await site.wire({
      triggers: [{ id: 'sold', moment: { type: 'signal', name: 'sold' } }],
      tags: [
        {
          id: 't',
          name: 't',
          triggers: ['sold'],
          does: { type: 'channel-event', channel: body.id, call: 'event', event: 'sale', extra: [{ name: 'seats', reading: 'data.seats' }] },
        },
      ],
    })
    await visit('/')
    await site.page.evaluate(`acequia.signal('sold', { seats: 1 })`)
    await site.page.waitForTimeout(300)
    expect(site.pixels).toEqual([])
    await visit('/?lantern=c1f0a7')
    await visit('/later')
    await site.page.evaluate(
      `localStorage.setItem('acequia.clicks', localStorage.getItem('acequia.clicks').replace(/"at":(\\d+)/, (_, at) => '"at":' + (at - 29 * 86400000)))`,
    )
    await visit('/days-later')
    await site.page.evaluate(`acequia.signal('sold', { seats: 2 })`)
    await expect.poll(() => site.pixels).toEqual(['?e=sale&click=c1f0a7&seats=2'])
    await site.page.evaluate(
      `localStorage.setItem('acequia.clicks', localStorage.getItem('acequia.clicks').replace(/"at":(\\d+)/, (_, at) => '"at":' + (at - 2 * 86400000)))`,
    )
    await visit('/too-late')
    await site.page.evaluate(`acequia.signal('sold', { seats: 3 })`)
    await site.page.waitForTimeout(300)
    expect(site.pixels).toHaveLength(1)
  })
})

describe('hard pages', () => {
  it('with a strict policy and a nonce: the loader works, its channels get the nonce, no text is run as code', async () => {
    site.bodies['/lib.js'] = '//script\nwindow.libraryRan = true'
    site.bodies['/ loader'] = `<script nonce="n0nce" src="${server.url}/l/${site.key}.js"></script>`
    site.bodies['/ headers'] =
      `content-security-policy: default-src 'none'; script-src 'nonce-n0nce' 'strict-dynamic'; connect-src ${server.url}; img-src 'self'`
    const recipe = { recipe: 1, id: 'lib', name: 'Lib', calls: { base: { label: 'Base', steps: [{ script: `${site.shop}/lib.js` }] } } }
    expect((await server.api('POST', `/sites/${site.key}/recipes`, recipe)).status).toBe(409)
    await server.api('POST', `/sites/${site.key}/recipes?allow=yes`, recipe)
    const { body } = await server.api<{ id: string }>('POST', `/sites/${site.key}/channels`, { name: 'Lib', recipe: 'lib' })
    await site.wire({
      triggers: [any],
      tags: [
        { id: 'lib', name: 'lib', triggers: ['any'], does: { type: 'channel-event', channel: body.id, call: 'base' } },
        script('own', `window.ownRan = read('path')`),
      ],
    })
    await visit('/')
    expect(await site.page.evaluate('[window.libraryRan, window.ownRan]')).toEqual([true, '/'])
    expect((await site.settled(1))[0]?.fired).toEqual(['lib', 'own'])
  })

  it('that broke the built-in objects: recorded as ever, and left as the page had them', async () => {
    await site.wire({ triggers: [any], tags: [site.pixelTag('seen', ['any'], {}, '&p={path}')] })
    site.bodies['/broken loader'] = `<script>
      Array.prototype.toJSON = function () { return 'spoilt' }
      Array.prototype.map = function () { throw new Error('mine') }
      Array.prototype.filter = function () { return 'mine' }
      Array.from = function () { return null }
      String.prototype.startsWith = function () { return true }
      Object.keys = function () { return [] }
      Object.prototype.extra = function () {}
      Array.prototype.each = function () {}
    </script><script src="${server.url}/l/${site.key}.js"></script>`
    await visit('/broken')
    await site.page.goto(`${site.shop}/next`)
    const events = await site.settled(2)
    expect(events.map((event) => [event.name, new URL(event.url).pathname])).toEqual([
      ['page-view', '/broken'],
      ['page-view', '/next'],
    ])
    expect(site.pixels[0]).toBe('?tag=seen&p=/broken')
    await site.page.goto(`${site.shop}/broken`)
    await site.page.waitForTimeout(300)
    expect(await site.page.evaluate(`[[].filter(), Object.keys({ a: 1 }).length, JSON.stringify([1])]`)).toEqual(['mine', 0, '"spoilt"'])
    expect(await site.page.evaluate(`document.querySelectorAll('iframe').length`)).toBe(0)
  })

  it('whose own scripts throw, or where a channel is blocked: everything else goes on', async () => {
    await site.page.route('**/blocked.gif', (route) => route.abort())
    await site.wire({
      triggers: [any],
      tags: [
        { id: 'blocked', name: 'blocked', triggers: ['any'], does: { type: 'request', address: `${site.shop}/blocked.gif`, method: 'GET' } },
        site.pixelTag('fine', ['any']),
      ],
    })
    site.bodies['/throws'] = `<script>addEventListener('error', function () { throw new Error('again') }); throw new Error('the page is ill')</script>`
    await visit('/throws')
    const events = await site.settled(2)
    expect(events.find((event) => event.name === 'tag-failed')?.data?.tag).toBe('blocked')
    expect(site.pixels).toEqual(['?tag=fine'])
  })

  it('that come back from the back-forward cache: viewed again, once', async () => {
    await visit('/one')
    await visit('/two')
    await site.page.goBack()
    const events = await site.settled(3)
    expect(events.map((event) => new URL(event.url).pathname)).toEqual(['/one', '/two', '/one'])
  })
})

describe('a rehearsal', () => {
  it('goes along to other hosts of the site, by links and forms, and nowhere else', async () => {
    const port = new URL(site.shop).port
    await site.window_.close()
    site = await pages.open({ hosts: ['altolucero.localhost', 'members.localhost'] })
    const members = `http://members.localhost:${port}`
    site.bodies['/start'] = `<a href="${members}/inside">Inside</a> <a href="http://elsewhere.localhost:${port}/foreign">Elsewhere</a>`
    site.bodies['/inside'] = `<form id="back" action="${site.shop}/end"><input name="action" value="x"><button>Back</button></form>`
    await site.wire({ triggers: [any], tags: [site.pixelTag('base', ['any'])] })
    const { body } = await server.api<{ id: number; open: string }>('POST', `/sites/${site.key}/probes`, {
      kind: 'rehearsal',
      address: `${site.shop}/start`,
      holdBack: true,
    })
    const badge = site.page.getByText('Rehearsal of the draft')
    await site.page.goto(body.open)
    await badge.waitFor()
    await site.page.getByRole('link', { name: 'Inside' }).click()
    await site.page.waitForURL(`${members}/inside`)
    await badge.waitFor()
    // The browser drops a form's fragment when it adds the fields; this host was visited before, so the tab remembers.
    await site.page.getByRole('button', { name: 'Back' }).click()
    await site.page.waitForURL(/\/end\?/)
    await badge.waitFor()
    await site.page.goto(`${site.shop}/start`)
    await badge.waitFor()
    await site.page.waitForTimeout(300)
    expect(site.pixels).toEqual([])
    await site.page.getByRole('link', { name: 'Elsewhere' }).click()
    await site.page.waitForURL(/elsewhere/)
    expect(site.page.url()).not.toContain('acequia=')
    const { body: told } = await server.api<{ reports: { report: { kind: string; event?: { name: string; url: string } } }[] }>(
      'GET',
      `/sites/${site.key}/probes/${body.id}`,
    )
    const viewed = told.reports.flatMap(({ report }) =>
      report.kind === 'event' && report.event?.name === 'page-view' ? [new URL(report.event.url).pathname] : [],
    )
    expect(viewed).toEqual(['/start', '/inside', '/end', '/start'])
    expect(await site.events()).toEqual([])
  })
})
