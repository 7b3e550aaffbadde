import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Page } from 'playwright-core'
import { startBrowser } from '../tests/start/browser.js'
import { startBenchServer } from './benchServer.js'
import { median, spreadOf, type Row } from './Row.js'

const TAGS = 50
const RUNS = 21
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')

/** What a person waits for: until the page has loaded, and how long the page could not answer meanwhile. */
interface Load {
  load: number
  blocked: number
}

/** A page with the loader and 50 tags, against the same page with the same 50 snippets pasted by hand; and 200 tags on one event. */
export async function pageLoad(): Promise<Row[]> {
  const [server, browser] = await Promise.all([startBenchServer(), startBrowser()])
  const { key } = await server.api<{ key: string }>('POST', '/sites', { name: 'Bench', hosts: ['127.0.0.1'], timeZone: 'UTC', currency: 'EUR' })
  const text = '<p>Under the dome the night is long and the coffee is strong.</p>'.repeat(300)
  const pages = createServer((request, response) => {
    if (request.url?.startsWith('/pixel')) return void response.setHeader('content-type', 'image/gif').end(PIXEL)
    const loader = `<script async src="${server.url}/l/${key}.js"></script>`
    const snippets = Array.from(
      { length: TAGS },
      (_, n) =>
        `<script>(function(){if(location.pathname.indexOf('/')===0){var i=new Image();i.src='/pixel.gif?by=hand&n=${n}&p='+encodeURIComponent(location.pathname)}})()</script>`,
    ).join('')
    response.setHeader('content-type', 'text/html')
    response.end(`<!doctype html><title>Bench</title>${request.url?.startsWith('/loader') ? loader : request.url?.startsWith('/hand') ? snippets : ''}${text}`)
  })
  await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve))
  const origin = `http://127.0.0.1:${(pages.address() as AddressInfo).port}`
  const wire = async (count: number, moment: object): Promise<void> => {
    const { revision } = await server.api<{ revision: number }>('GET', `/sites/${key}/wiring`)
    const where = (n: number): object => ({
      any: [
        { all: [{ reading: 'path', op: 'starts', value: count === TAGS ? '/' : '/never' }] },
        { all: [{ reading: 'query.never', op: 'is', value: String(n) }] },
      ],
    })
    await server.api('PUT', `/sites/${key}/wiring`, {
      revision,
      triggers: Array.from({ length: count }, (_, n) => ({ id: `t${n}`, moment, where: where(n) })),
      tags: Array.from({ length: count }, (_, n) => ({
        id: `g${n}`,
        name: `g${n}`,
        triggers: [`t${n}`],
        does: { type: 'image', address: `${origin}/pixel.gif?by=loader&n=${n}&p={path}` },
      })),
    })
    await server.api('POST', `/sites/${key}/releases`, { name: `${count} tags` })
  }
  try {
    await wire(TAGS, { type: 'page-view' })
    const context = await browser.newContext()
    const page = await context.newPage()
    await page.addInitScript(() => {
      const seen = { blocked: 0 }
      Object.assign(window, { seen })
      new PerformanceObserver((list) => list.getEntries().forEach((entry) => (seen.blocked += entry.duration))).observe({ type: 'longtask', buffered: true })
    })
    const byHand: Load[] = []
    const byLoader: Load[] = []
    for (let run = 0; run < RUNS + 2; run++) {
      // In turn, so that whatever else the machine does falls on both.
      const hand = await measure(page, `${origin}/hand?${run}`)
      const loader = await measure(page, `${origin}/loader?${run}`)
      // The first two warm the browser up.
      if (run < 2) continue
      byHand.push(hand)
      byLoader.push(loader)
    }
    const compare = (what: string, of: (load: Load) => number): Row => {
      const [mine, theirs] = [median(byLoader.map(of)), median(byHand.map(of))]
      return {
        what,
        measured: `${mine.toFixed(1)} ms with the loader`,
        limit: `${theirs.toFixed(1)} ms with 50 snippets`,
        ratio: theirs ? mine / theirs : null,
        spread: spreadOf(byLoader.map(of), 'ms'),
        target: '≤ 1 × the snippets',
        met: mine <= theirs * 1.05 + 1,
      }
    }
    const rows = [
      compare('page with the loader and 50 tags: until it has loaded', ({ load }) => load),
      compare('the same: time in long tasks', ({ blocked }) => blocked),
    ]
    // Every rule is judged on the signal; none holds, so that only judging is measured.
    await wire(200, { type: 'signal', name: 'bench' })
    rows.push(await rulesRow(page, `${origin}/loader?rules`))
    await context.close()
    return rows
  } finally {
    pages.close()
    pages.closeAllConnections()
    await browser.close()
    await server.stop()
  }
}

async function measure(page: Page, url: string): Promise<Load> {
  await page.goto(url, { waitUntil: 'load' })
  // What the loader does after the load event counts as well, as far as it holds the page up.
  await page.waitForTimeout(250)
  return page.evaluate(() => {
    const [entry] = performance.getEntriesByType('navigation') as PerformanceNavigationTiming[]
    return { load: entry?.loadEventEnd ?? 0, blocked: (window as unknown as { seen: { blocked: number } }).seen.blocked }
  })
}

/** How long one event takes whose 200 triggers are all judged, and none of which fires. */
async function rulesRow(page: Page, url: string): Promise<Row> {
  await page.goto(url, { waitUntil: 'load' })
  await page.waitForTimeout(800)
  const judged = await page.evaluate(async () => {
    const runs: number[] = []
    const { signal } = (window as unknown as { acequia: { signal: (name: string) => void } }).acequia
    for (let run = 0; run < 30; run++) {
      const began = performance.now()
      for (let n = 0; n < 20; n++) signal('bench')
      runs.push((performance.now() - began) / 20)
      await new Promise((resolve) => setTimeout(resolve, 20))
    }
    return runs
  })
  const mine = median(judged)
  return {
    what: 'rules in the browser, 200 tags, one event, all of recording it included',
    measured: `${mine.toFixed(3)} ms`,
    limit: '1 ms',
    ratio: mine,
    spread: spreadOf(judged, 'ms', 3),
    target: '≤ 1 ms',
    met: mine <= 1,
  }
}
