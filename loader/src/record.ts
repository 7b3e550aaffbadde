import type { VisitSource } from '@acequia/core/sources/sourceOf'
import { config } from './config.js'
import { openOutbox, post } from './outbox.js'
import type { PageEvent } from './PageEvent.js'
import { quietly } from './quietly.js'
import { randomId } from './storage.js'
import { fireTags } from './tags.js'
import { visitOf } from './visit.js'

/** What a moment knows of its event; the rest is added here. */
export type Moment = Omit<PageEvent, 'uid' | 'at' | 'url' | 'title'> & Partial<PageEvent>

const MOST_WAITING = 100

let statistics = config.consent !== 'ask'
// Global Privacy Control stands until the visitor says otherwise on this very site.
let marketing = config.consent !== 'ask' && !(navigator as { globalPrivacyControl?: boolean }).globalPrivacyControl
/** Events that came before consent, with all they knew then. */
let held: { event: PageEvent; source: VisitSource }[] = []
let open = false

/** Records an event: finds its visit, fires tags, sends it to the log. Each as far as consent goes. */
export const record = quietly((moment: Moment): void => {
  const event: PageEvent = { uid: randomId(), at: new Date().toISOString(), url: location.href.slice(0, 8192), title: document.title.slice(0, 1024), ...moment }
  const source = visitOf(event, statistics)
  if (marketing) fireTags(event, source)
  if (statistics) post(event)
  if ((!marketing || !statistics) && held.length < MOST_WAITING) held.push({ event, source })
})

/** Begins to send what may be sent. */
export const start = quietly((): void => {
  if (statistics && !open) {
    open = true
    openOutbox()
  }
})

/** Takes what the page passes on of the visitor's consent; what waited for it happens now. */
export const consent = quietly((given: { statistics?: boolean; marketing?: boolean }): void => {
  const before = { statistics, marketing }
  if (given.statistics !== undefined) statistics = given.statistics === true
  if (given.marketing !== undefined) marketing = given.marketing === true
  start()
  for (const { event, source } of held) {
    if (statistics && !before.statistics) {
      visitOf(event, true)
      post(event)
    }
    if (marketing && !before.marketing) fireTags(event, source)
  }
  if (statistics && marketing) held = []
})
