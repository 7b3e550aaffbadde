import { goalEvents } from '@acequia/core/goals/goalEvents'
import type { Reader } from '@acequia/core/readings/readEvent'
import { urlParts } from '@acequia/core/readings/url'
import { judge } from '@acequia/core/rules/judge'
import { hostIsListed } from '@acequia/core/sites/hosts'
import type { Purpose } from '@acequia/core/wiring/tagSchema'
import { keepClickIds } from './clickIds.js'
import { config } from './config.js'
import { openOutbox, post } from './outbox.js'
import type { PageEvent } from './PageEvent.js'
import { report } from './probe.js'
import { quietly } from './quietly.js'
import { readerOf } from './readings.js'
import { load, randomId, save } from './storage.js'
import { attempt, fireConsented, turnTags } from './tags.js'
import { keepVisit, visitOf, type KeptVisit } from './visit.js'

/** What a moment knows of its event; the rest is added here. */
export type Moment = Omit<PageEvent, 'uid' | 'at' | 'url' | 'title'> & Partial<PageEvent>

const MOST_WAITING = 100
const MOST_FIRED = 50
/** Events of a visit that goals may look back on. */
const MOST_REMEMBERED = 200
/** An event of our own may record another one, but not for ever. */
const DEEPEST = 4

let statistics = config.consent !== 'ask'
// Global Privacy Control stands until the visitor says otherwise on this very site.
let marketing = config.consent !== 'ask' && !(navigator as { globalPrivacyControl?: boolean }).globalPrivacyControl
/** Events that came before consent to statistics, with all they knew then. */
let held: PageEvent[] = []
let open = false
let depth = 0
/** Triggers that happened on this page, and those of several that already did. */
let happened: Record<string, true> = {}
const turners: (() => void)[] = []

/** What the visitor agreed to, as far as is known. */
export const given = (): Record<Purpose, boolean> => ({ none: true, statistics, marketing })

/** Calls back when a page of a single-page application gives way to the next. */
export function onTurn(turner: (() => void) | undefined): void {
  if (turner) turners.push(turner)
}

/** Begins another page: what counts once a page counts anew. */
export function turnPage(): void {
  happened = {}
  if (ACEQUIA_TAGS) turnTags()
  for (const turner of turners) turner()
}

/**
 * Records an event: finds its visit, fires tags, sends it to the log. Each as far as consent goes.
 * @param form the form it is about, for readings of its fields
 */
export const record = quietly((moment: Moment, form?: HTMLFormElement): void => {
  if (depth > DEEPEST) return
  depth++
  try {
    const event: PageEvent = {
      uid: randomId(),
      at: new Date().toISOString(),
      url: location.href.slice(0, 8192),
      title: document.title.slice(0, 1024),
      ...moment,
    }
    const visit = visitOf(event, statistics)
    const read = readerOf(event, visit, form)
    // A copy of the page elsewhere fires nothing; that it is there the collector still learns, and says so.
    if (ACEQUIA_TAGS && (ACEQUIA_RELAY_PAGE || hostIsListed(urlParts(location.href).host, config.site.hosts))) {
      const fired = [...(event.fired ?? []), ...happen(event, read)]
      if (ACEQUIA_GOALS) fired.push(...reachGoals(event, visit, read))
      if (fired.length) event.fired = fired.slice(0, MOST_FIRED)
    }
    // Told at the end, with the readings that rules and tags took.
    if (ACEQUIA_PROBE) report({ kind: 'event', event, source: visit.source })
    if (ACEQUIA_RELAY_PAGE || ACEQUIA_REHEARSAL) return
    if (statistics) post(event)
    else if (held.length < MOST_WAITING) held.push(event)
  } finally {
    depth--
  }
})

/** Judges all triggers on an event and fires their tags. @returns ids of the tags that fired */
function happen(event: PageEvent, read: Reader): string[] {
  const now: Record<string, true> = {}
  for (const { id, event: name, where, except } of config.triggers) {
    const isMoment = name === event.name
    const holds = isMoment && judge(where, read)
    const excepted = holds && !!except && judge(except, read)
    if (ACEQUIA_PROBE && isMoment) report({ kind: 'judged', trigger: id, uid: event.uid, holds, excepted })
    if (holds && !excepted) now[id] = happened[id] = true
  }
  const fired = config.tags.filter((tag) => tag.on.some((id) => now[id]) && attempt(tag, event, read, given())).map((tag) => tag.id)
  for (const { id, needs } of config.together) {
    if (happened[id] || !needs.every((each) => happened[each])) continue
    happened[id] = true
    record({ name: 'all-happened', url: event.url, data: { watch: id } })
  }
  return fired
}

/** Counts goals that triggers wait for, by the function that counts them everywhere. @returns ids of the tags that fired */
function reachGoals(event: PageEvent, visit: KeptVisit, read: Reader): string[] {
  if (depth > 1) return []
  visit.events = [...(visit.events ?? []), event].slice(-MOST_REMEMBERED)
  keepVisit()
  const events = visit.events.map((each) => ({ ...each, at: Date.parse(each.at) }))
  return config.goals.flatMap(({ id, goal }) => {
    const { counted } = goalEvents(goal, [{ startedAt: events[0]?.at ?? 0, endedAt: visit.lastAt, source: visit.source, events }])
    const reached = counted.find((each) => each.event.uid === event.uid)
    if (!reached || !isFirst(id, goal.count, reached.order)) return []
    const told: Record<string, string> = { event: 'goal-reached', 'data.watch': id }
    // A fixed value is the goal's; one that is read is what the tag reads too.
    if (goal.value.type === 'fixed') Object.assign(told, { value: String(goal.value.amount), currency: goal.currency })
    return happen({ ...event, name: 'goal-reached' }, (name) => told[name] ?? read(name))
  })
}

/** Whether this browser has not reached the goal before, for goals that count once a visitor or order. */
function isFirst(goal: string, rule: string, order: string | null): boolean {
  if (rule !== 'visitor' && !(rule === 'order' && order)) return true
  const key = rule === 'visitor' ? goal : `${goal} ${order ?? ''}`
  const before = load<string[]>('goals') ?? []
  if (before.includes(key)) return false
  if (statistics) save('goals', [...before, key].slice(-500))
  return true
}

/** Begins to send what may be sent, and to keep what may be kept. */
export const start = quietly((): void => {
  if (ACEQUIA_CLICK_IDS) keepClickIds(marketing)
  if (statistics && !open && !ACEQUIA_RELAY_PAGE && !ACEQUIA_REHEARSAL) {
    open = true
    openOutbox()
  }
})

/** Takes what the page passes on of the visitor's consent; what waited for it happens now. */
export const consent = quietly((answer: { statistics?: boolean; marketing?: boolean }): void => {
  const before = given()
  if (answer.statistics !== undefined) statistics = answer.statistics === true
  if (answer.marketing !== undefined) marketing = answer.marketing === true
  start()
  if (statistics && !before.statistics) {
    for (const event of held) {
      visitOf(event, true)
      post(event)
    }
    held = []
  }
  const fired = ACEQUIA_TAGS ? fireConsented(given()) : []
  if (fired.length) record({ name: 'fired-later', fired })
})
