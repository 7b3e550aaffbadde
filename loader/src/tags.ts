import { isNumberText } from '@acequia/core/money/isNumberText'
import type { Reader } from '@acequia/core/readings/readEvent'
import { fillAddress, fillTemplate, type TemplateValue } from '@acequia/core/recipes/fillTemplate'
import type { Step } from '@acequia/core/recipes/recipeSchema'
import { holdReason, type HoldReason } from '@acequia/core/wiring/holdReason'
import type { LoaderTag } from '@acequia/core/wiring/LoaderConfig'
import type { Parameter, Purpose } from '@acequia/core/wiring/tagSchema'
import { clickId } from './clickIds.js'
import { config, ownScript, scripts } from './config.js'
import type { PageEvent } from './PageEvent.js'
import { report } from './probe.js'
import { quietly } from './quietly.js'
import { record } from './record.js'
import { load, save } from './storage.js'
import { limited } from './text.js'
import { keepVisit, runningVisit } from './visit.js'

/** What does not answer within this time counts as not having worked, in ms. */
const ANSWER_MS = 8000
/** Longest that tags run without letting the page breathe, in ms; beyond 50 people notice. */
const SLICE_MS = 12
/** Longest that tags wait for the page to load, in ms. */
const LOAD_MS = 1500
const MOST_FAILURES = 5
const MOST_WAITING = 200

/** A tag at a moment, with all it needs to run later as it would have run then. */
interface Run {
  tag: LoaderTag
  event: PageEvent
  read: Reader
}

let outcomes: Record<string, Promise<boolean>> = {}
let onPage: Record<string, true> = {}
let failures = 0
/** Runs that wait for consent, and by tag, runs that wait for it. */
let unconsented: Run[] = []
let waiting: Run[] = []
const loaded: Record<string, Promise<boolean>> = {}
const running = new Set<Promise<boolean>>()

/** Forgets what belongs to one page only. */
export function turnTags(): void {
  outcomes = {}
  onPage = {}
  waiting = []
}

/** Resolves when everything that runs now has answered. */
export function tagsDone(): Promise<unknown> {
  return Promise.all([...running])
}

/**
 * Fires a tag whose trigger happened, or holds it.
 * @returns whether it fired at once
 */
export function attempt(tag: LoaderTag, event: PageEvent, read: Reader, consent: Record<Purpose, boolean>): boolean {
  const run = { tag, event, read }
  const reason = holdReason(tag, { now: Date.now(), consent, fired: firedBefore(tag), value: valueOf(run) })
  if (reason !== null && reason !== 'consent') return hold(run, reason)
  // What it will send is what could be read now.
  for (const name of tag.uses ?? []) read('own.' + name)
  if (reason === 'consent') {
    if (unconsented.length < MOST_WAITING) unconsented.push(run)
    return hold(run, reason)
  }
  if (tag.after && !outcomes[tag.after.tag]) {
    waiting.push(run)
    return hold(run, 'waits')
  }
  fire(run)
  // Whether one that waits for another to work fires is not known yet; it is recorded when it does.
  return !tag.after?.ifWorked
}

/** Fires what waited for consent that is there now. @returns ids of the tags that fired */
export function fireConsented(consent: Record<Purpose, boolean>): string[] {
  const due = unconsented.filter(({ tag }) => consent[tag.purpose])
  unconsented = unconsented.filter(({ tag }) => !consent[tag.purpose])
  return due.flatMap(({ tag, event, read }) => (attempt(tag, event, read, consent) ? [tag.id] : []))
}

function hold({ tag, event }: Run, reason: HoldReason): false {
  if (ACEQUIA_PROBE) report({ kind: 'held', tag: tag.id, uid: event.uid, reason })
  return false
}

function firedBefore(tag: LoaderTag): { page: boolean; visit: boolean; visitor: boolean } {
  return {
    page: !!onPage[tag.id],
    visit: tag.limit === 'visit' && !!runningVisit()?.tags?.includes(tag.id),
    visitor: tag.limit === 'visitor' && !!load<string[]>('tags')?.includes(tag.id),
  }
}

function remember({ id, limit }: LoaderTag): void {
  onPage[id] = true
  const visit = runningVisit()
  if (limit === 'visit' && visit) {
    visit.tags = [...(visit.tags ?? []), id].slice(-500)
    keepVisit()
  }
  if (limit === 'visitor') save('tags', [...(load<string[]>('tags') ?? []), id].slice(-500))
}

function fire(run: Run): void {
  const { tag, event } = run
  remember(tag)
  const first = tag.after && outcomes[tag.after.tag]
  // An event of our own costs the page nothing, and belongs to its moment.
  const go = (): Promise<boolean> => (tag.event ? act(run) : new Promise((resolve) => inTurn(() => resolve(act(run)))))
  const follow = quietly((worked: boolean) => {
    if (!tag.after?.ifWorked) return go()
    if (!worked) return hold(run, 'did-not-work')
    record({ name: 'fired-later', fired: [tag.id] })
    return go()
  })
  const outcome = first ? first.then((worked) => follow(worked) ?? false) : go()
  outcomes[tag.id] = outcome
  running.add(outcome)
  void outcome.then(
    quietly((worked: boolean) => {
      running.delete(outcome)
      if (ACEQUIA_PROBE) report({ kind: 'outcome', tag: tag.id, uid: event.uid, worked })
    }),
  )
  const next = waiting.filter((each) => each.tag.after?.tag === tag.id)
  waiting = waiting.filter((each) => each.tag.after?.tag !== tag.id)
  for (const each of next) {
    fire(each)
    if (!each.tag.after?.ifWorked) record({ name: 'fired-later', fired: [each.tag.id] })
  }
}

const queue: (() => void)[] = []
let draining = false
let sliceEnds = 0

/**
 * Runs tags one after the other, letting the page breathe in between, and not before the page has
 * loaded what it needs itself (or a while has passed): tags must not make pages slower.
 */
function inTurn(work: () => void): void {
  queue.push(work)
  if (draining) return
  draining = true
  if (document.readyState === 'complete') return next()
  addEventListener('load', next)
  setTimeout(next, LOAD_MS)
}

const next = quietly((): void => {
  sliceEnds = Math.max(sliceEnds, performance.now() + SLICE_MS)
  while (queue[0] && performance.now() < sliceEnds) queue.shift()?.()
  draining = !!queue[0]
  if (draining) setTimeout(next)
})

// Who leaves takes along what still waits.
addEventListener('pagehide', () => {
  sliceEnds = Infinity
  next()
  sliceEnds = 0
})

/** Does what the tag does. @returns whether it worked */
function act(run: Run): Promise<boolean> {
  const { tag, event, read } = run
  const value = valueOf(run)
  if (ACEQUIA_PROBE) report({ kind: 'fired', tag: tag.id, uid: event.uid })
  try {
    if (tag.event) {
      record({
        name: tag.event,
        url: event.url,
        data: parameters(tag.extra, read),
        value: value('value') as number | undefined,
        currency: value('currency') as string | undefined,
        order: limited(value('order'), 255),
      })
      return Promise.resolve(true)
    }
    if (ACEQUIA_HTML && tag.html !== undefined) {
      document.body.appendChild(document.createRange().createContextualFragment(tag.html))
      return Promise.resolve(true)
    }
    if (ACEQUIA_SCRIPTS && !tag.steps) {
      const result = scripts[tag.id]?.(read, event)
      return within(Promise.resolve(result)).then(
        (answer) => answer !== false,
        (error: unknown) => failed(tag, error),
      )
    }
    return within(Promise.all((tag.steps ?? []).map((step) => take(step, value, tag, event)))).then(
      (answers) => !!answers && answers.every(Boolean),
      (error: unknown) => failed(tag, error),
    )
  } catch (error) {
    return Promise.resolve(failed(tag, error))
  }
}

function failed(tag: LoaderTag, error: unknown): false {
  const message = limited((error as Error | undefined)?.message ?? error, 200) ?? ''
  if (failures++ < MOST_FAILURES) record({ name: 'tag-failed', data: { tag: tag.id, message } })
  if (ACEQUIA_PROBE) report({ kind: 'error', tag: tag.id, message, stack: limited((error as Error | undefined)?.stack, 1000) })
  return false
}

/** The answer, or false when it takes too long. */
function within<T>(answer: Promise<T>): Promise<T | false> {
  return Promise.race([answer, new Promise<false>((resolve) => setTimeout(() => resolve(false), ANSWER_MS))])
}

/** Takes one step. @returns whether the other side answered well */
function take(step: Step, value: TemplateValue, tag: LoaderTag, event: PageEvent): Promise<boolean> {
  if ('script' in step) {
    if (ACEQUIA_PROBE) told(tag, event, step.script)
    if (ACEQUIA_REHEARSAL && config.holdBack) return Promise.resolve(true)
    return (loaded[step.script] ??= new Promise((resolve, reject) => {
      const script = document.createElement('script')
      script.async = true
      if (ownScript?.nonce) script.nonce = ownScript.nonce
      script.onload = () => resolve(true)
      script.onerror = () => reject(new Error(`${step.script} could not be loaded`))
      script.src = step.script
      document.head.appendChild(script)
    }))
  }
  if ('queue' in step) {
    const globals = window as unknown as Record<string, { push: (call: unknown) => void }>
    const call = step.push.map((each) => fillTemplate(each, value))
    if (ACEQUIA_PROBE) told(tag, event, step.queue, JSON.stringify(call))
    if (ACEQUIA_REHEARSAL && config.holdBack) return Promise.resolve(true)
    ;(globals[step.queue] ||= [] as unknown[]).push(call)
    return Promise.resolve(true)
  }
  if ('image' in step) {
    const address = once(fillAddress(step.image, value))
    if (ACEQUIA_PROBE) told(tag, event, address)
    if (ACEQUIA_REHEARSAL && config.holdBack) return Promise.resolve(true)
    return new Promise((resolve) => {
      const image = new Image()
      image.onload = () => resolve(true)
      // It may have arrived all the same: some pixels answer with nothing. So it is no failure to record.
      image.onerror = () => resolve(false)
      image.src = address
    })
  }
  const address = fillAddress(step.request, value)
  const body = step.body === undefined || step.method === 'GET' ? undefined : JSON.stringify(fillTemplate(step.body, value))
  if (ACEQUIA_PROBE) told(tag, event, address, body)
  if (ACEQUIA_REHEARSAL && config.holdBack) return Promise.resolve(true)
  // As text, so that no question goes ahead of it to other origins.
  return fetch(address, { method: step.method, keepalive: true, ...(body !== undefined && { body, headers: { 'content-type': 'text/plain' } }) }).then(
    (answer) => {
      if (!answer.ok) throw new Error(`${address.split('?')[0] ?? ''} answered ${answer.status}`)
      return true
    },
  )
}

const requested = new Set<string>()

/** An address that this page has not asked for yet: browsers show an image again without asking for it again. */
function once(address: string): string {
  const fresh = requested.has(address) ? `${address}${address.includes('?') ? '&' : '?'}again=${requested.size}` : address
  requested.add(fresh)
  return fresh
}

function told({ id }: LoaderTag, { uid }: PageEvent, address: string, body?: string): void {
  report({ kind: 'sent', tag: id, uid, address, body })
}

/** What a tag fills in, by name. */
function valueOf({ tag, read }: Pick<Run, 'tag' | 'read'>): TemplateValue {
  return (name) => {
    if (name === 'value' || name === 'currency') return worth(tag, read)[name]
    if (name === 'order') return read(tag.order ?? 'order')
    if (name === 'extra') return parameters(tag.extra, read)
    if (name === 'click') return ACEQUIA_CLICK_IDS && tag.click ? clickId(tag.click) : undefined
    return tag.values?.[name] ?? read(name)
  }
}

function parameters(list: Parameter[] = [], read: Reader): Record<string, string> {
  const found: Record<string, string> = {}
  for (const each of list) {
    const text = 'text' in each ? each.text : read(each.reading)
    if (text !== undefined) found[each.name] = text
  }
  return found
}

/** The amount a tag reports; of what has no say about it, the event's own. */
function worth({ value }: LoaderTag, read: Reader): { value?: number; currency?: string } {
  if (value?.type === 'none') return {}
  if (value?.type === 'fixed') return { value: value.amount, currency: config.currency }
  const text = read(value?.reading ?? 'value')
  if (text !== undefined && isNumberText(text)) return { value: Number(text), currency: read('currency') ?? config.currency }
  return value?.fallback === undefined ? {} : { value: value.fallback, currency: config.currency }
}
