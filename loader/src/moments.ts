import { config } from './config.js'
import { quietly } from './quietly.js'
import { record } from './record.js'

/** A view counts once the new title has had this long to settle, in ms. */
const TITLE_MS = 80
/** A form sent by script this soon after its own submit event is the same sending, in ms. */
const SAME_SENDING_MS = 3000

interface DigitalData {
  transaction?: { transactionID?: unknown; total?: { transactionTotal?: unknown; basePrice?: unknown; currency?: unknown } }
}

/** A number as the collector takes money: at most 4 decimals. */
export function money(value: unknown): number | undefined {
  const number = Math.round(Number(value) * 1e4) / 1e4
  return value === '' || value === null || value === undefined || !Number.isFinite(number) ? undefined : number
}

/** A text of limited length, or nothing. */
export function limited(value: unknown, most: number): string | undefined {
  return value === undefined || value === null || value === '' ? undefined : String(value).slice(0, most)
}

/** Records a page view, with the order where the page tells of one in its `digitalData` (W3C). */
const viewPage = quietly((referrer: string, when: { url?: string; at?: string } = {}): void => {
  const { transaction } = (window as { digitalData?: DigitalData }).digitalData ?? {}
  const total = transaction?.total
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
  const changed = quietly((): void => {
    const from = lastUrl
    lastUrl = location.href
    if (place() === last) return
    last = place()
    // Address and time are those of the navigation, even if the next one comes before the title settled.
    const when = { url: location.href.slice(0, 8192), at: new Date().toISOString() }
    setTimeout(() => viewPage(from, when), TITLE_MS)
  })
  for (const name of ['pushState', 'replaceState'] as const) {
    const original = history[name]
    history[name] = function (...args) {
      const result = original.apply(this, args)
      changed()
      return result
    }
  }
  addEventListener('popstate', changed)
  addEventListener('hashchange', changed)
  addEventListener('pageshow', (event) => event.persisted && viewPage(document.referrer))
  viewPage(document.referrer)
})

/** Listens for sent forms: their id, name, classes and action, never what was entered. */
export const watchForms = quietly((): void => {
  const sent = new WeakMap<HTMLFormElement, number>()
  const send = quietly((form: HTMLFormElement): void => {
    const now = Date.now()
    if (now - (sent.get(form) ?? 0) < SAME_SENDING_MS && sent.has(form)) return
    // Attributes, because a field named "id" hides the form's own property.
    const attribute = (name: string): string | undefined => limited(form.getAttribute(name), 200)
    const data: Record<string, string> = {}
    for (const [name, value] of Object.entries({
      formId: attribute('id'),
      formName: attribute('name'),
      formClass: attribute('class'),
      formAction: attribute('action'),
    })) {
      if (value) data[name] = value
    }
    sent.set(form, now)
    record({ name: 'form-sent', data })
  })
  const heard = new WeakSet<Event>()
  const hear = quietly((event: Event): void => {
    if (heard.has(event)) return
    heard.add(event)
    const form = (event.composedPath()[0] ?? event.target) as HTMLFormElement
    sent.delete(form)
    send(form)
  })
  addEventListener('submit', hear, true)
  // A listener of the page that came before ours can keep the event from us; then it is heard as it is stopped.
  const stop = Event.prototype.stopImmediatePropagation
  Event.prototype.stopImmediatePropagation = function () {
    if (this.type === 'submit') hear(this)
    stop.call(this)
  }
  const original = HTMLFormElement.prototype.submit
  HTMLFormElement.prototype.submit = function () {
    send(this)
    return original.call(this)
  }
})
