import { config } from '../config.js'
import { quietly } from '../quietly.js'
import { record, turnPage } from '../record.js'
import { limited, money } from '../text.js'

/** A view counts once the new title has had this long to settle, in ms. */
const TITLE_MS = 80

interface DigitalData {
  transaction?: { transactionID?: unknown; total?: { transactionTotal?: unknown; basePrice?: unknown; currency?: unknown } }
}

type Way = 'push' | 'replace' | 'back' | 'fragment'

const listeners: (() => void)[] = []

/** Calls back when the address changed without a new page. */
export function onAddress(listener: () => void): void {
  listeners.push(listener)
}

/** Records a page view, with the order where the page tells of one in its `digitalData` (W3C). */
const viewPage = quietly((referrer: string, when: { url?: string; at?: string } = {}): void => {
  const { transaction } = (window as { digitalData?: DigitalData }).digitalData ?? {}
  const total = transaction?.total
  turnPage()
  record({
    ...when,
    name: 'page-view',
    referrer: limited(referrer, 8192),
    value: money(total?.transactionTotal ?? total?.basePrice),
    currency: limited(total?.currency, 16),
    order: limited(transaction?.transactionID, 255),
  })
})

/** Listens for page views: the first, those of single-page navigation, and returns from the back-forward cache. */
export const watchPages = quietly((): void => {
  const place = (): string => location.pathname + (config.pageChanges.query ? location.search : '') + (config.pageChanges.fragment ? location.hash : '')
  let last = place()
  let lastUrl = location.href
  const changed = quietly((changedBy: Way): void => {
    const from = lastUrl
    lastUrl = location.href
    if (from === lastUrl) return
    if (ACEQUIA_ACCEPTED) for (const listener of listeners) listener()
    // Address and time are those of the navigation, even if the next one comes before the title settled.
    const when = { url: location.href.slice(0, 8192), at: new Date().toISOString() }
    const isView = place() !== last
    last = place()
    if (!isView && !ACEQUIA_ADDRESS) return
    setTimeout(
      quietly(() => {
        if (isView) viewPage(from, when)
        if (ACEQUIA_ADDRESS) record({ ...when, name: 'address-change', referrer: limited(from, 8192), data: { changedBy } })
      }),
      TITLE_MS,
    )
  })
  for (const [name, way] of [
    ['pushState', 'push'],
    ['replaceState', 'replace'],
  ] as const) {
    const original = history[name]
    history[name] = function (...args) {
      const result = original.apply(this, args)
      changed(way)
      return result
    }
  }
  const base = (url: string): string => url.replace(/#.*/, '')
  addEventListener('popstate', () => changed(base(lastUrl) === base(location.href) ? 'fragment' : 'back'))
  addEventListener('hashchange', () => changed('fragment'))
  addEventListener('pageshow', (event) => event.persisted && viewPage(document.referrer))
  viewPage(document.referrer)
})
