import { createHash } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Browser, BrowserContext, Page } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { openWindow, startBrowser } from '../start/browser.js'
import { startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let browser: Browser
let pages: Server
let shop: string
let key: string
let window_: BrowserContext
let page: Page
/** What pages consist of beside the loader, by path. */
const bodies: Record<string, string> = {}
/** Requests of the channel's pixel, newest last. */
const pixels: string[] = []

beforeAll(async () => {
  ;[server, browser] = await Promise.all([startTestServer(inject('databaseUrl')), startBrowser()])
  pages = createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://x')
    if (url.pathname === '/pixel.gif') {
      pixels.push(url.search)
      response.end()
      return
    }
    response.setHeader('content-type', 'text/html')
    const loader = bodies[`${url.pathname} loader`] ?? `<script async src="${server.url}/l/${key}.js"></script>`
    response.end(`<!doctype html><title>Page ${url.pathname}</title>${loader}${bodies[url.pathname] ?? '<h1>Page</h1>'}`)
  })
  await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve))
  shop = `http://altolucero.localhost:${(pages.address() as AddressInfo).port}`
})
afterAll(async () => {
  await browser.close()
  pages.close()
  await server.stop()
})
beforeEach(async () => {
  key = await server.addSite({ hosts: ['altolucero.localhost'] })
  for (const path of Object.keys(bodies)) delete bodies[path]
  pixels.length = 0
  window_ = await openWindow(browser)
  page = await window_.newPage()
})
afterEach(() => window_.close())

interface Sent {
  name: string
  visitor: string
  url: string
  referrer?: string
  data?: Record<string, unknown>
  value?: number
  currency?: string
  order?: string
}
const events = async (): Promise<Sent[]> => {
  const { body } = await server.api<string>('GET', `/sites/${key}/events?from=2020-01-01&to=2100-01-01`)
  return body
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Sent)
}
/** Waits for so many events and a moment more, so that one too many would be seen. */
const settled = async (count: number): Promise<Sent[]> => {
  await expect.poll(async () => (await events()).length).toBeGreaterThanOrEqual(count)
  await page.waitForTimeout(400)
  return events()
}
const namesAndPaths = (list: Sent[]): string[] =>
  list.map((event) => `${event.name} ${new URL(event.url).pathname}${new URL(event.url).search}${new URL(event.url).hash}`)

/** Puts a pixel on every page that says which event and value it got. */
async function wirePixel(where: object = { any: [] }): Promise<void> {
  const recipe = {
    recipe: 1,
    id: 'pixel',
    name: 'Pixel',
    calls: { event: { label: 'Event', steps: [{ image: `${shop}/pixel.gif?e={event}&v={value}&o={order}` }] } },
  }
  await server.api('POST', `/sites/${key}/recipes`, recipe)
  const { body: channel } = await server.api<{ id: string }>('POST', `/sites/${key}/channels`, { name: 'Pixel', recipe: 'pixel' })
  const does = { type: 'channel-event', channel: channel.id, call: 'event', event: 'seen', value: { type: 'reading', reading: 'value' } }
  await server.api('PUT', `/sites/${key}/wiring`, {
    revision: 0,
    triggers: [{ id: 't', moment: { type: 'page-view' }, where }],
    tags: [{ id: 'g', name: 'Pixel', triggers: ['t'], does }],
  })
  await server.api('POST', `/sites/${key}/releases`, { name: 'Pixel' })
}

describe('page views', () => {
  it('carry the order that the page tells of as digital data', async () => {
    bodies['/thanks'] =
      `<script>window.digitalData = { transaction: { transactionID: 'Q-7', total: { transactionTotal: 36.000001, currency: 'EUR' } } }</script>`
    await page.goto(`${shop}/thanks`)
    expect(await settled(1)).toMatchObject([{ name: 'page-view', value: 36, currency: 'EUR', order: 'Q-7' }])
  })

  it('are counted once for each navigation of a single-page application', async () => {
    await page.goto(`${shop}/app`)
    await page.evaluate(() => {
      history.pushState({}, '', '/app/one')
      history.replaceState({}, '', '/app/one')
      history.replaceState({}, '', '/app/one?tab=2')
      location.hash = 'part'
    })
    await page.waitForTimeout(200)
    await page.evaluate(() => history.pushState({}, '', '/app/two'))
    await page.waitForTimeout(200)
    await page.goBack()
    const list = await settled(4)
    expect(namesAndPaths(list).map((each) => each.split('?')[0])).toEqual(['page-view /app', 'page-view /app/one', 'page-view /app/two', 'page-view /app/one'])
    expect(list[2]?.referrer).toBe(`${shop}/app/one?tab=2#part`)
    expect(new Set(list.map((event) => event.visitor)).size).toBe(1)
  })

  it('count a changed query or fragment only where the site says so', async () => {
    await server.api('PUT', `/sites/${key}`, {
      name: 'x',
      hosts: ['altolucero.localhost'],
      timeZone: 'UTC',
      currency: 'EUR',
      pageChanges: { query: true, fragment: true },
    })
    await page.goto(`${shop}/app`)
    await page.evaluate(() => history.pushState({}, '', '/app?tab=2'))
    await page.waitForTimeout(200)
    await page.evaluate(() => (location.hash = 'part'))
    expect(namesAndPaths(await settled(3))).toEqual(['page-view /app', 'page-view /app?tab=2', 'page-view /app?tab=2#part'])
  })

  it('are counted once though the loader is on the page twice', async () => {
    bodies['/ loader'] = `<script src="${server.url}/l/${key}.js"></script>`.repeat(2)
    await page.goto(`${shop}/`)
    expect(namesAndPaths(await settled(1))).toEqual(['page-view /'])
  })
})

describe('sent forms', () => {
  it('are heard when the page answers itself, stops the event, or sends by script', async () => {
    bodies['/forms'] = `
      <form id="place" action="/x"><input name="id"><button>Place</button></form>
      <form name="stopped"><button>Stopped</button></form>
      <form class="by script" action="/sent" method="get"><input name="secret" value="hush"></form>
      <form id="invalid"><input required><button>Invalid</button></form>
      <script>
        document.forms[0].addEventListener('submit', (event) => event.preventDefault());
        addEventListener('submit', (event) => { if (event.target.getAttribute('name') === 'stopped') { event.stopImmediatePropagation(); event.preventDefault() } }, true);
      </script>`
    await page.goto(`${shop}/forms`)
    await page.getByRole('button', { name: 'Place' }).click()
    await page.getByRole('button', { name: 'Stopped' }).click()
    await page.getByRole('button', { name: 'Invalid' }).click()
    await page.evaluate(() => document.forms[2]?.submit())
    await page.waitForURL(/sent/)
    const list = await settled(5)
    expect(list.filter((event) => event.name === 'form-sent').map((event) => event.data)).toEqual([
      { formId: 'place', formAction: '/x', formPosition: 1 },
      { formName: 'stopped', formPosition: 2 },
      { formClass: 'by script', formAction: '/sent', formPosition: 3 },
    ])
    expect(JSON.stringify(list.filter((event) => event.name === 'form-sent').map((event) => event.data))).not.toContain('hush')
  })
})

describe('calls of the page', () => {
  it('are taken before and after loading', async () => {
    bodies['/'] = `<script>(window.acequia ||= []).push(['signal', 'seats-chosen', { seats: 2, value: 36, order: 'Q-1', list: [1] }])</script>`
    await page.goto(`${shop}/`)
    await settled(2)
    await page.evaluate(() => {
      const { acequia } = window as unknown as { acequia: { signal: (name: string, data?: object) => void; visitor: (id: string) => void } }
      acequia.signal('later')
      acequia.signal('page-view')
      acequia.visitor('ada@mail.example')
    })
    const list = await settled(4)
    expect(list.slice(1).map(({ name, data, value, order }) => ({ name, data, value, order }))).toEqual([
      { name: 'seats-chosen', data: { seats: 2 }, value: 36, order: 'Q-1' },
      { name: 'later', data: undefined, value: undefined, order: undefined },
      // SHA-256 of the address; it never leaves the browser itself.
      { name: 'visitor-known', data: { user: createHash('sha256').update('ada@mail.example').digest('hex') }, value: undefined, order: undefined },
    ])
    expect(JSON.stringify(list)).not.toContain('ada@')
  })
})

describe('tags', () => {
  it('fire where their rule says, with the value, and nowhere else', async () => {
    await wirePixel({
      any: [
        {
          all: [
            { reading: 'path', op: 'matches', value: '^/(thanks|gracias)$' },
            { reading: 'source', op: 'is', value: 'farola' },
          ],
        },
      ],
    })
    bodies['/thanks'] = `<script>window.digitalData = { transaction: { transactionID: 'Q&7', total: { basePrice: '18.5' } } }</script>`
    await page.goto(`${shop}/?utm_source=farola`)
    await settled(1)
    await page.goto(`${shop}/thanks`)
    await settled(2)
    expect(pixels).toEqual(['?e=seen&v=18.5&o=Q%267'])
    const direct = await (await openWindow(browser)).newPage()
    await direct.goto(`${shop}/thanks`)
    await settled(3)
    expect(pixels).toHaveLength(1)
    await direct.context().close()
  })

  it('of channels are held under Global Privacy Control, while the visit is counted', async () => {
    await wirePixel()
    await page.addInitScript(() => Object.defineProperty(Navigator.prototype, 'globalPrivacyControl', { value: true }))
    await page.goto(`${shop}/`)
    await settled(1)
    expect(pixels).toEqual([])
    await page.evaluate(() => (window as unknown as { acequia: { consent: (given: object) => void } }).acequia.consent({ marketing: true }))
    await expect.poll(() => pixels.length).toBe(1)
  })
})

describe('consent', () => {
  it('is waited for where the site asks: nothing is kept or sent before, nothing lost after', async () => {
    await server.api('PUT', `/sites/${key}`, { name: 'x', hosts: ['altolucero.localhost'], timeZone: 'UTC', currency: 'EUR', consent: 'ask' })
    await wirePixel()
    await page.goto(`${shop}/?utm_source=farola`)
    await page.waitForTimeout(700)
    expect(await events()).toEqual([])
    expect(await page.evaluate(() => [Object.keys(localStorage), document.cookie])).toEqual([[], ''])
    await page.evaluate(() => (window as unknown as { acequia: unknown[][] }).acequia.push(['consent', { statistics: true, marketing: false }]))
    expect(namesAndPaths(await settled(1))).toEqual(['page-view /?utm_source=farola'])
    expect(pixels).toEqual([])
    await page.evaluate(() => (window as unknown as { acequia: unknown[][] }).acequia.push(['consent', { marketing: true }]))
    await expect.poll(() => pixels).toEqual(['?e=seen&v=&o='])
    expect((await settled(2)).map((event) => event.name)).toEqual(['page-view', 'fired-later'])
  })
})

describe('trouble', () => {
  it('of the connection keeps events for the next page', async () => {
    await page.goto(`${shop}/`)
    await settled(1)
    await page.route('**/c/*', (route) => route.abort())
    await page.evaluate(() => (window as unknown as { acequia: { signal: (name: string) => void } }).acequia.signal('lost-at-first'))
    await page.waitForTimeout(400)
    expect(await events()).toHaveLength(1)
    await page.unroute('**/c/*')
    await page.goto(`${shop}/next`)
    expect((await settled(3)).map((event) => event.name).sort()).toEqual(['lost-at-first', 'page-view', 'page-view'])
  })

  it('of the page or the browser never reaches the page', async () => {
    const errors: string[] = []
    page.on('pageerror', (error) => errors.push(error.message))
    await wirePixel()
    await page.addInitScript(() => {
      Object.defineProperty(window, 'localStorage', {
        get: () => {
          throw new Error('no storage')
        },
      })
      Object.defineProperty(window, 'digitalData', {
        get: () => {
          throw new Error('no data')
        },
      })
      Object.defineProperty(navigator, 'sendBeacon', {
        value: () => {
          throw new Error('no beacon')
        },
      })
    })
    bodies['/'] =
      '<form id="f"><button>Send</button></form><script>document.forms[0].onsubmit = (event) => { event.preventDefault(); document.title = "Sent" }</script>'
    await page.goto(`${shop}/`)
    await page.getByRole('button').click()
    await expect.poll(() => page.title()).toBe('Sent')
    expect(namesAndPaths(await settled(1))).toContain('form-sent /')
    expect(errors).toEqual([])
  })
})
