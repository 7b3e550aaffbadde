import { isOwnEventName } from '@acequia/core/events/isOwnEventName'
import { showBadge } from './badge.js'
import { config, ownScript } from './config.js'
import { observe } from './observe.js'
import { watchAcceptance } from './moments/accepted.js'
import { watchClicks } from './moments/clicks.js'
import { watchForms } from './moments/forms.js'
import { watchPages } from './moments/pages.js'
import { watchScroll } from './moments/scroll.js'
import { watchSeen } from './moments/seen.js'
import { watchTime } from './moments/time.js'
import { watchVideos } from './moments/video.js'
import { report, send } from './probe.js'
import { quietly } from './quietly.js'
import { consent, onTurn, record, start } from './record.js'
import { passRelay } from './passRelay.js'
import { watchRelays } from './relays.js'
import { load, save } from './storage.js'
import { dataOf, limited, money } from './text.js'

/** What pages call. */
interface Acequia {
  signal: (name: string, data?: Record<string, unknown>) => void
  consent: typeof consent
  visitor: (id: string) => void
  push: (...calls: unknown[][]) => void
}

/** A named event of the site's own code. `value`, `currency` and `order` in its data become the event's. */
const signal = quietly((name: string, given: Record<string, unknown> = {}): void => {
  if (!name || isOwnEventName(name)) return
  const { value, currency, order, ...rest } = given
  const data: Record<string, string | number | boolean> = {}
  for (const key of Object.keys(rest)) {
    const each = rest[key]
    if (typeof each === 'string') data[key] = each.slice(0, 500)
    else if (typeof each === 'boolean' || (typeof each === 'number' && Number.isFinite(each))) data[key] = each
  }
  record({ name: String(name).slice(0, 100), data, value: money(value), currency: limited(currency, 16), order: limited(order, 255) })
})

/** The site's own user id, hashed before it leaves the browser. Needs a secure page. */
const visitor = quietly((id: string): void => {
  void crypto.subtle
    .digest('SHA-256', new TextEncoder().encode(String(id)))
    .then(
      quietly((hash: ArrayBuffer) =>
        record({ name: 'visitor-known', data: dataOf({ user: [...new Uint8Array(hash)].map((byte) => byte.toString(16).padStart(2, '0')).join('') }) }),
      ),
    )
})

/**
 * Somebody who opened this page from Acequia to watch it gets a loader of their own instead. The token
 * comes with the address and stays with this tab.
 * @returns whether the other loader takes over
 */
function handOver(): boolean {
  const place = /[#&]acequia=([\w-]{10,200})/.exec(location.hash)
  const token = place?.[1] ?? load<string>('probe', sessionStorage)
  if (!token) return false
  save('probe', token, sessionStorage)
  if (place) history.replaceState(history.state, '', location.href.replace(place[0], '').replace(/#$/, ''))
  const script = document.createElement('script')
  script.src = `${config.origin}/p/${token}.js`
  if (ownScript?.nonce) script.nonce = ownScript.nonce
  script.onerror = () => {
    // It has ended, or never was: the page is measured like any other.
    sessionStorage.removeItem('acequia.probe')
    run()
  }
  document.head.appendChild(script)
  return true
}

const run = quietly((): void => {
  const globals = window as unknown as { acequia?: Acequia | unknown[][] }
  const queued = globals.acequia
  const calls: Record<string, (...args: never[]) => unknown> = { signal, consent, visitor }
  const call = quietly(([name, ...args]: unknown[]) => calls[String(name)]?.(...(args as never[])))
  globals.acequia = { signal, consent, visitor, push: (...list) => list.forEach(call) } as Acequia
  const begin = quietly(() => {
    if (ACEQUIA_REHEARSAL) showBadge()
    if (ACEQUIA_PROBE) {
      report({ kind: 'ran', url: location.href, release: config.release })
      addEventListener('pagehide', send)
    }
    start()
    if (Array.isArray(queued)) queued.filter((each) => each[0] === 'consent').forEach(call)
    watchForms()
    if (ACEQUIA_CLICK) watchClicks()
    if (ACEQUIA_RELAYS) watchRelays()
    watchPages()
    if (ACEQUIA_ACCEPTED) watchAcceptance()
    if (ACEQUIA_SEEN) onTurn(watchSeen())
    if (ACEQUIA_SCROLL) onTurn(watchScroll())
    if (ACEQUIA_TIME) onTurn(watchTime())
    if (ACEQUIA_REHEARSAL) observe()
    if (ACEQUIA_VIDEO) onTurn(watchVideos())
    if (Array.isArray(queued)) queued.filter((each) => each[0] !== 'consent').forEach(call)
  })
  const whenParsed = (): void => {
    // What stands further down the page, such as an order's data, is there once all of it was read.
    if (document.readyState === 'loading') document.addEventListener('DOMContentLoaded', begin)
    else begin()
  }
  if ((document as { prerendering?: boolean }).prerendering) document.addEventListener('prerenderingchange', whenParsed)
  else whenParsed()
})

quietly(() => {
  if (ACEQUIA_RELAY_PAGE) return passRelay()
  const globals = window as unknown as { acequia?: object; acequiaLoader?: true }
  // The loader twice on a page works once; the one for somebody who watches takes over from it.
  if ((globals.acequia && 'signal' in globals.acequia) || (globals.acequiaLoader && !ACEQUIA_PROBE)) return
  globals.acequiaLoader = true
  if (ACEQUIA_PROBE || !quietly(handOver)()) run()
})()
