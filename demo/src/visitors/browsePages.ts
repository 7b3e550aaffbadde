import { JSDOM, ResourceLoader, VirtualConsole } from 'jsdom'
import type { Random } from './Random.js'

/** Longest a simulated person stays on a page, in ms. */
const STAY_MS = 4000
const MOST_PAGES = 4

/**
 * A visit through the website's real pages, whose real loader runs in a small browser without a
 * window: what it records, it records as it would for anybody.
 */
export async function browsePages(start: string, random: Random, stopped: () => boolean): Promise<void> {
  const origin = new URL(start).origin
  let url = start
  let referrer = 'https://lumbre.example/'
  let kept: [string, string][] = []
  for (let page = 0; page < MOST_PAGES && !stopped(); page++) {
    const { window } = await JSDOM.fromURL(url, {
      referrer,
      runScripts: 'dangerously',
      resources: new ResourceLoader({ userAgent: 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0' }),
      pretendToBeVisual: true,
      // Pages and pixels may complain about what this browser lacks; nobody reads it.
      virtualConsole: new VirtualConsole(),
      beforeParse(view) {
        const fetchFrom: typeof fetch = (input, init) => fetch(new URL(input as string, view.location.href), { ...init, signal: null })
        Object.assign(view, { fetch: fetchFrom, TextEncoder, TextDecoder })
        Object.defineProperty(view.navigator, 'sendBeacon', {
          value: (to: string, body: string) => (fetchFrom(to, { method: 'POST', body }).catch(() => undefined), true),
        })
        for (const [name, value] of kept) view.localStorage.setItem(name, value)
      },
    })
    await new Promise((resolve) => setTimeout(resolve, 1000 + random.next() * STAY_MS))
    kept = Object.entries(window.localStorage as unknown as Record<string, string>)
    const links = [...window.document.querySelectorAll('main a[href], nav a[href]')]
      .map((link) => (link as unknown as { href: string }).href)
      .filter((href) => href.startsWith(origin) && !href.includes('#') && !/\.\w+$/.test(href))
    window.close()
    referrer = url
    const next = links[random.whole(0, links.length - 1)]
    if (!next || random.chance(0.3)) return
    url = next
  }
}
