import { limited, money, watchForms, watchPages } from './moments.js'
import { quietly } from './quietly.js'
import { consent, record, start } from './record.js'

/** Names that only the loader itself may use. */
const OWN = /^(page-view|form-sent)$/

/** What pages call. */
interface Acequia {
  signal: (name: string, data?: Record<string, unknown>) => void
  consent: typeof consent
  visitor: (id: string) => void
  push: (...calls: unknown[][]) => void
}

/** A named event of the site's own code. `value`, `currency` and `order` in its data become the event's. */
const signal = quietly((name: string, given: Record<string, unknown> = {}): void => {
  if (!name || OWN.test(name)) return
  const { value, currency, order, ...rest } = given
  const data: Record<string, string | number | boolean> = {}
  for (const [key, each] of Object.entries(rest)) {
    if (typeof each === 'string') data[key] = each.slice(0, 500)
    else if (typeof each === 'boolean' || (typeof each === 'number' && Number.isFinite(each))) data[key] = each
  }
  record({ name: String(name).slice(0, 100), data, value: money(value), currency: limited(currency, 16), order: limited(order, 255) })
})

/** The site's own user id, hashed before it leaves the browser. Needs a secure page. */
const visitor = quietly((id: string): void => {
  void crypto.subtle
    .digest('SHA-256', new TextEncoder().encode(String(id)))
    .then((hash) => record({ name: 'visitor-known', data: { user: Array.from(new Uint8Array(hash), (byte) => byte.toString(16).padStart(2, '0')).join('') } }))
})

quietly(() => {
  const globals = window as unknown as { acequia?: Acequia | unknown[][] }
  const queued = globals.acequia
  // The loader twice on a page works once.
  if (queued && 'signal' in queued) return
  const calls: Record<string, (...args: never[]) => unknown> = { signal, consent, visitor }
  const call = quietly(([name, ...args]: unknown[]) => calls[String(name)]?.(...(args as never[])))
  globals.acequia = { signal, consent, visitor, push: (...list) => list.forEach(call) } as Acequia
  const begin = quietly(() => {
    start()
    if (Array.isArray(queued)) queued.filter((each) => each[0] === 'consent').forEach(call)
    watchForms()
    watchPages()
    if (Array.isArray(queued)) queued.filter((each) => each[0] !== 'consent').forEach(call)
  })
  const whenParsed = (): void => {
    // What stands further down the page, such as an order's data, is there once all of it was read.
    if (document.readyState === 'loading') document.addEventListener('DOMContentLoaded', begin)
    else begin()
  }
  if ((document as { prerendering?: boolean }).prerendering) document.addEventListener('prerenderingchange', whenParsed)
  else whenParsed()
})()
