import type { Listener } from '@acequia/core/wiring/LoaderConfig'
import { config } from '../config.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'
import { findAll, isShown } from '../roots.js'
import { load, save } from '../storage.js'
import { attribute, type dataOf } from '../text.js'
import { onAddress } from './pages.js'

type Accepted = Extract<Listener, { type: 'form-accepted' }>
type FormData_ = ReturnType<typeof dataOf>

/** A form that was sent and whose acceptance is awaited; kept in this tab, because the proof may be the next page. */
interface Pending {
  watch: string
  data: FormData_
  /** ms since 1970. */
  at: number
  url: string
}

const moments = (): Accepted[] => config.listen.filter((moment) => moment.type === 'form-accepted')
const momentOf = ({ watch }: Pending): Accepted | undefined => moments().find((each) => each.watch === watch)
let pending: Pending[] = []
/** On the page of the form itself: the form, and elements that showed before it was sent. */
const here = new Map<Pending, { form: HTMLFormElement; before: Set<Element> }>()
let observer: MutationObserver | undefined

/** Begins to wait for the proof that a form was accepted. */
export const awaitAcceptance = quietly((form: HTMLFormElement, data: FormData_): void => {
  for (const moment of moments()) {
    const entry: Pending = { watch: moment.watch ?? '', data, at: Date.now(), url: location.href }
    // What appears now is the answer to the form that was sent last.
    pending = [...pending.filter((each) => each.watch !== entry.watch), entry]
    here.set(entry, { form, before: new Set(moment.selector ? findAll(moment.selector).filter(isShown) : []) })
  }
  keep()
  look()
})

/** Takes up what the page before still awaited, and looks again whenever this page changes. */
export const watchAcceptance = quietly((): void => {
  // A page that comes back at the same address is how most sites say that they did not take it.
  pending = (load<Pending[]>('pending', sessionStorage) ?? []).filter(
    (entry) => momentOf(entry)?.by !== 'address' || new URL(entry.url).pathname !== location.pathname,
  )
  keep()
  onAddress(look)
  look()
})

function keep(): void {
  save('pending', pending, sessionStorage)
}

const look = quietly((): void => {
  const now = Date.now()
  const left: Pending[] = []
  for (const entry of pending) {
    const moment = momentOf(entry)
    if (!moment || now - entry.at > moment.seconds * 1000) here.delete(entry)
    else if (isProved(moment, entry)) {
      here.delete(entry)
      record({ name: 'form-accepted', data: { ...entry.data, watch: entry.watch, formPage: new URL(entry.url).pathname } })
    } else left.push(entry)
  }
  const changed = left.length !== pending.length
  pending = left
  if (changed) keep()
  if (!pending.length) {
    observer?.disconnect()
    observer = undefined
  } else if (!observer) {
    observer = new MutationObserver(look)
    observer.observe(document, { childList: true, subtree: true, attributes: true, attributeFilter: ['class', 'style', 'hidden', 'open'] })
  }
})

function isProved(moment: Accepted, entry: Pending): boolean {
  const onPage = here.get(entry)
  if (moment.by === 'address') return location.pathname !== new URL(entry.url).pathname || (!!onPage && location.href !== entry.url)
  if (moment.by === 'gone')
    return onPage ? !onPage.form.isConnected || !isShown(onPage.form) : !findAll('form').some((form) => isShown(form) && isSame(form, entry))
  const shown = findAll(moment.selector ?? '').filter(isShown)
  // A message of an earlier sending must have gone before it can appear again.
  if (onPage) for (const element of onPage.before) if (!shown.includes(element)) onPage.before.delete(element)
  return shown.some((element) => !onPage?.before.has(element))
}

function isSame(form: Element, { data }: Pending): boolean {
  return (['id', 'name', 'class', 'action'] as const).every(
    (name) => (attribute(form, name) ?? '') === (data['form' + name[0]?.toUpperCase() + name.slice(1)] ?? ''),
  )
}
