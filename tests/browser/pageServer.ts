import { readFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Browser, BrowserContext, Page } from 'playwright-core'
import { expect } from 'vitest'
import { openWindow } from '../start/browser.js'
import type { TestServer } from '../start/testServer.js'

const VIDEO = new URL('../../demo/assets/sky-turning.webm', import.meta.url)

/** An event as the export gives it. */
export interface Sent {
  name: string
  visitor: string
  url: string
  referrer?: string
  data?: Record<string, unknown>
  value?: number
  currency?: string
  order?: string
  fired?: string[]
}

/** A small website whose pages each test writes, with the loader on them, and a pixel that notes what it is asked for. */
export interface TestSite {
  shop: string
  key: string
  page: Page
  window_: BrowserContext
  /** What pages consist of beside the loader, by path; `PATH loader` and `PATH headers` replace those. */
  bodies: Record<string, string>
  /** Requests of the pixel, oldest first: the query, or the body. */
  pixels: string[]
  events: () => Promise<Sent[]>
  /** Waits for so many events and a moment more, so that one too many would be seen. */
  settled: (count: number) => Promise<Sent[]>
  /** Puts a wiring live: triggers by id, tags that request the pixel with what is asked. */
  wire: (wiring: { triggers: object[]; tags?: object[]; readings?: object[]; relays?: object[] }) => Promise<void>
  /** A tag that requests the pixel with its own id and a query. */
  pixelTag: (id: string, triggers: string[], more?: object, query?: string) => object
}

/** Serves the pages of test sites. */
export class PageServer {
  private server: Server | undefined
  readonly bodies: Record<string, string> = {}
  readonly pixels: string[] = []
  key = ''

  constructor(
    private readonly acequia: TestServer,
    private readonly browser: Browser,
  ) {}

  async start(): Promise<void> {
    const { bodies, pixels, acequia } = this
    this.server = createServer((request, response) => {
      const url = new URL(request.url ?? '/', 'http://x')
      response.setHeader('access-control-allow-origin', '*')
      if (url.pathname === '/pixel.gif' || url.pathname === '/hook') {
        let body = ''
        request.on('data', (chunk: Buffer) => (body += chunk.toString()))
        request.on('end', () => {
          pixels.push(url.pathname === '/hook' ? body : decodeURIComponent(url.search))
          response.setHeader('content-type', 'image/gif')
          response.statusCode = url.searchParams.get('fail') ? 500 : 200
          response.end(Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64'))
        })
        return
      }
      if (url.pathname === '/sky.webm') {
        response.setHeader('content-type', 'video/webm')
        return void response.end(readFileSync(VIDEO))
      }
      if (bodies[url.pathname]?.startsWith('//script')) {
        response.setHeader('content-type', 'text/javascript')
        return void response.end(bodies[url.pathname])
      }
      response.setHeader('content-type', 'text/html')
      for (const line of (bodies[`${url.pathname} headers`] ?? '').split('\n').filter(Boolean)) {
        const [name = '', ...value] = line.split(': ')
        response.setHeader(name, value.join(': '))
      }
      const loader = bodies[`${url.pathname} loader`] ?? `<script async src="${acequia.url}/l/${this.key}.js"></script>`
      response.end(`<!doctype html><title>Page ${url.pathname}</title>${loader}${bodies[url.pathname] ?? '<h1>Page</h1>'}`)
    })
    await new Promise<void>((resolve) => this.server?.listen(0, '127.0.0.1', resolve))
  }

  get shop(): string {
    return `http://altolucero.localhost:${(this.server?.address() as AddressInfo).port}`
  }

  /** An empty site and a window of somebody who has not been there. */
  async open(settings: object = {}): Promise<TestSite> {
    const { acequia, shop } = this
    this.key = await acequia.addSite({ hosts: ['altolucero.localhost'], ...settings })
    for (const path of Object.keys(this.bodies)) delete this.bodies[path]
    this.pixels.length = 0
    const window_ = await openWindow(this.browser)
    const page = await window_.newPage()
    const { key } = this
    const events = async (): Promise<Sent[]> => {
      const { body } = await acequia.api<string>('GET', `/sites/${key}/events?from=2020-01-01&to=2100-01-01`)
      return body
        .split('\n')
        .filter(Boolean)
        .map((line) => JSON.parse(line) as Sent)
    }
    return {
      shop,
      key,
      page,
      window_,
      bodies: this.bodies,
      pixels: this.pixels,
      events,
      async settled(count) {
        await expect.poll(async () => (await events()).length).toBeGreaterThanOrEqual(count)
        await page.waitForTimeout(400)
        return events()
      },
      async wire(wiring) {
        const { body: draft } = await acequia.api<{ revision: number }>('GET', `/sites/${key}/wiring`)
        const saved = await acequia.api('PUT', `/sites/${key}/wiring`, { revision: draft.revision, ...wiring })
        expect(saved.status, JSON.stringify(saved.body)).toBe(200)
        const released = await acequia.api('POST', `/sites/${key}/releases`, { name: 'Test' })
        expect(released.status, JSON.stringify(released.body)).toBe(201)
      },
      pixelTag: (id, triggers, more = {}, query = '') => ({
        id,
        name: id,
        triggers,
        does: { type: 'image', address: `${shop}/pixel.gif?tag=${id}${query}` },
        ...more,
      }),
    }
  }

  stop(): void {
    this.server?.close()
  }
}
