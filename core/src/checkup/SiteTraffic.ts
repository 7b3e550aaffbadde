import type { LoggedEvent } from '../events/LoggedEvent.js'
import { goalEvents } from '../goals/goalEvents.js'
import { prepareGoal, type PreparedGoal } from '../goals/prepareGoal.js'
import { formIdentity, type FormIdentity } from '../readings/formIdentity.js'
import { readEvent } from '../readings/readEvent.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { queryParameter } from '../readings/url.js'
import { nearMiss } from '../rules/nearMiss.js'
import type { SiteSettings } from '../sites/siteSchema.js'
import type { Visit } from '../visits/deriveVisits.js'
import type { NamedGoal } from '../wiring/compileWiring.js'
import { triggerTest } from '../wiring/triggerTest.js'
import type { Wiring } from '../wiring/wiringSchema.js'

/** What recorded traffic says about one trigger or goal; counts of the last 30 days unless said otherwise. */
export interface RuleTraffic {
  events: number
  /** Events that are the first page view of their visit. */
  onLanding: number
  /** Page views right after a page view of the same address: reloads. */
  reloads: number
  /** Events in the 7 days before now, and in the 21 before those. */
  lastWeek: number
  threeWeeksBefore: number
  /** ms since 1970 of the latest event of all history; 0 without any. */
  lastAt: number
  /** Events of all history. */
  ever: number
  withOrder: number
  /** Events whose order number another visitor had before. */
  repeatedOrders: number
  /** Events with a value above nothing. */
  withValue: number
  /** Page right before, most frequent first. */
  before: { path: string; events: number }[]
  /** Pages reached right after a form was sent on a page where this happened, most frequent first. */
  afterForm: { path: string; events: number }[]
  nearMisses: { path: string; events: number; why: string }[]
}

/** How often a form was sent, and how often something followed that shows it was accepted. */
export interface FormTraffic {
  form: FormIdentity
  path: string
  sent: number
  accepted: number
}

/** What the checkup wants to know of recorded traffic; counts of the last 30 days unless said otherwise. */
export interface Traffic {
  visits: number
  pageViews: number
  triggers: ReadonlyMap<string, RuleTraffic>
  goals: ReadonlyMap<string, RuleTraffic>
  forms: FormTraffic[]
  /** Hosts that visits came from without a source rule. */
  referrers: { host: string; visits: number }[]
  /** Address parameters that tell of an advertisement, in visits that count as direct or referred. */
  untagged: { parameter: string; visits: number; path: string }[]
  failures: { tag: string; message: string; times: number }[]
  /** Places where e-mail addresses were found. */
  personal: { place: string; events: number; path: string }[]
}

const DAY_MS = 86_400_000
/** Days that are looked back on. */
export const CHECKED_DAYS = 30
const FORM_MS = 5 * 60_000
const MOST_LISTED = 10
/** Something before an @ and a host with a dot behind it, also percent-encoded. */
const EMAIL = /[\w.+-]{1,64}(?:@|%40)[\w-]+(?:\.[\w-]+)*\.[a-z]{2,}/i

interface Subject {
  test: PreparedGoal
  traffic: RuleTraffic
  orders: Map<string, string>
  before: Map<string, number>
  afterForm: Map<string, number>
  misses: Map<string, { path: string; events: number; why: string }>
}

/** Gathers what the checkup wants to know, in one pass. Feed it every visitor once, then ask for the result. */
export class SiteTraffic {
  private readonly partsOf = rememberingUrlParts()
  private readonly triggers = new Map<string, Subject>()
  private readonly goals = new Map<string, Subject>()
  private readonly forms = new Map<string, FormTraffic>()
  private readonly referrers = new Map<string, number>()
  private readonly untagged = new Map<string, { parameter: string; visits: number; path: string }>()
  private readonly failures = new Map<string, { tag: string; message: string; times: number }>()
  private readonly personal = new Map<string, { place: string; events: number; path: string }>()
  private visits = 0
  private pageViews = 0
  private readonly from: number

  /**
   * @param now ms since 1970
   * @param adParameters parameters that channels of the site add to addresses of their ads
   */
  constructor(
    private readonly site: SiteSettings,
    wiring: Wiring,
    goals: readonly NamedGoal[],
    private readonly adParameters: readonly string[],
    private readonly now: number,
  ) {
    this.from = now - CHECKED_DAYS * DAY_MS
    for (const trigger of wiring.triggers) {
      const test = triggerTest(site, trigger, goals)
      if (test) this.triggers.set(trigger.id, subjectOf(test))
    }
    for (const { id, goal } of goals) this.goals.set(id, subjectOf(prepareGoal(goal, site)))
  }

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visitor: string, visits: readonly Visit[]): void {
    for (const subject of this.triggers.values()) this.addTo(subject, visitor, visits)
    for (const subject of this.goals.values()) this.addTo(subject, visitor, visits)
    for (const visit of visits) {
      if (visit.endedAt < this.from || visit.startedAt >= this.now) continue
      this.visits++
      this.lookAtSource(visit)
      for (const [index, event] of visit.events.entries()) {
        if (event.at < this.from) continue
        if (event.name === 'page-view') this.pageViews++
        else if (event.name === 'form-sent') this.lookAtForm(visit, index)
        else if (event.name === 'tag-failed') {
          const [tag, message] = [String(event.data?.tag ?? ''), String(event.data?.message ?? '')]
          bump(this.failures, `${tag} ${message}`, () => ({ tag, message, times: 0 })).times++
        }
        this.lookForPersonalData(event)
      }
    }
  }

  /** What was gathered. */
  result(): Traffic {
    const most = <T>(list: Iterable<T>, by: (entry: T) => number): T[] => [...list].sort((a, b) => by(b) - by(a)).slice(0, MOST_LISTED)
    const finish = (subjects: Map<string, Subject>): Map<string, RuleTraffic> =>
      new Map(
        [...subjects].map(([id, { traffic, before, afterForm, misses }]) => {
          const pages = (map: Map<string, number>): RuleTraffic['before'] => most(map, ([, n]) => n).map(([path, events]) => ({ path, events }))
          return [id, { ...traffic, before: pages(before), afterForm: pages(afterForm), nearMisses: most(misses.values(), (each) => each.events) }]
        }),
      )
    return {
      visits: this.visits,
      pageViews: this.pageViews,
      triggers: finish(this.triggers),
      goals: finish(this.goals),
      forms: most(this.forms.values(), (each) => each.sent),
      referrers: most(this.referrers, ([, n]) => n).map(([host, visits]) => ({ host, visits })),
      untagged: most(this.untagged.values(), (each) => each.visits),
      failures: most(this.failures.values(), (each) => each.times),
      personal: most(this.personal.values(), (each) => each.events),
    }
  }

  private addTo(subject: Subject, visitor: string, visits: readonly Visit[]): void {
    const { test, traffic } = subject
    for (const { event, visit } of goalEvents(test, visits, this.partsOf).ofKind) {
      traffic.ever++
      traffic.lastAt = Math.max(traffic.lastAt, event.at)
      const first = event.order ? subject.orders.get(event.order) : undefined
      if (event.order && first === undefined) subject.orders.set(event.order, visitor)
      if (event.at < this.from || event.at >= this.now) continue
      traffic.events++
      if (event.at >= this.now - 7 * DAY_MS) traffic.lastWeek++
      else if (event.at >= this.now - 28 * DAY_MS) traffic.threeWeeksBefore++
      if (event.order) traffic.withOrder++
      if (first !== undefined && first !== visitor) traffic.repeatedOrders++
      if (event.value) traffic.withValue++
      const index = visit.events.indexOf(event)
      const previous = lastPage(visit, index)
      if (event.name === 'page-view') {
        if (!previous) traffic.onLanding++
        else if (previous.url === event.url) traffic.reloads++
      }
      const path = previous && this.partsOf(previous.url).path
      if (path !== undefined && previous?.url !== event.url) subject.before.set(path, (subject.before.get(path) ?? 0) + 1)
      const next = this.pageAfterForm(visit, index)
      if (next !== null) subject.afterForm.set(next, (subject.afterForm.get(next) ?? 0) + 1)
    }
    this.collectMisses(subject, visits)
  }

  /** The page reached right after a form was sent on the page of an event. */
  private pageAfterForm(visit: Visit, index: number): string | null {
    const here = this.partsOf(visit.events[index]?.url ?? '').path
    let sent = false
    for (const event of visit.events.slice(index + 1)) {
      const { path } = this.partsOf(event.url)
      if (event.name === 'form-sent' && path === here) sent = true
      else if (event.name === 'page-view' && path !== here) return sent ? path : null
    }
    return null
  }

  private collectMisses({ test, misses }: Subject, visits: readonly Visit[]): void {
    const { kind, where } = test
    if ((kind.type !== 'page' && kind.type !== 'event') || !where.length) return
    const name = kind.type === 'page' ? 'page-view' : kind.event
    for (const visit of visits) {
      if (visit.endedAt < this.from) continue
      for (const event of visit.events) {
        if (event.name !== name || event.at < this.from) continue
        const why = nearMiss(where, readEvent(event, visit.source, this.partsOf))
        if (!why) continue
        const { path } = this.partsOf(event.url)
        bump(misses, `${why}\n${path}`, () => ({ path, events: 0, why })).events++
      }
    }
  }

  private lookAtForm(visit: Visit, index: number): void {
    const event = visit.events[index] as LoggedEvent
    const { path } = this.partsOf(event.url)
    const form = formIdentity(event.data)
    if (!form) return
    const entry = bump(this.forms, `${form.reading} ${form.value}\n${path}`, () => ({ form, path, sent: 0, accepted: 0 }))
    entry.sent++
    for (const later of visit.events.slice(index + 1)) {
      if (later.at - event.at > FORM_MS || (later.name === 'form-sent' && formIdentity(later.data)?.value === form.value)) return
      const proves = later.name === 'form-accepted' || (later.name === 'page-view' && this.partsOf(later.url).path !== path)
      if (proves) return void entry.accepted++
    }
  }

  private lookAtSource({ source, events }: Visit): void {
    if (
      source.kind === 'referral' &&
      source.medium === 'referral' &&
      source.source.includes('.') &&
      !this.site.sourceRules.some((rule) => rule.source === source.source)
    )
      this.referrers.set(source.source, (this.referrers.get(source.source) ?? 0) + 1)
    const [first] = events
    if (source.kind === 'campaign' || !first) return
    const { query, path } = this.partsOf(first.url)
    if (!query) return
    const parameter = [...this.adParameters, 'utm_campaign', 'utm_medium'].find((name) => queryParameter(query, name))
    if (parameter) bump(this.untagged, parameter, () => ({ parameter, visits: 0, path })).visits++
  }

  private lookForPersonalData(event: LoggedEvent): void {
    const { path } = this.partsOf(event.url)
    const note = (place: string): void => void bump(this.personal, place, () => ({ place, events: 0, path })).events++
    if (EMAIL.test(event.url)) note('the address')
    for (const [name, value] of Object.entries(event.data ?? {})) if (typeof value === 'string' && EMAIL.test(value)) note(`the data ${name}`)
  }
}

function subjectOf(test: PreparedGoal): Subject {
  return {
    test,
    traffic: {
      events: 0,
      onLanding: 0,
      reloads: 0,
      lastWeek: 0,
      threeWeeksBefore: 0,
      lastAt: 0,
      ever: 0,
      withOrder: 0,
      repeatedOrders: 0,
      withValue: 0,
      before: [],
      afterForm: [],
      nearMisses: [],
    },
    orders: new Map(),
    before: new Map(),
    afterForm: new Map(),
    misses: new Map(),
  }
}

function lastPage(visit: Visit, before: number): LoggedEvent | undefined {
  for (let index = before - 1; index >= 0; index--) if (visit.events[index]?.name === 'page-view') return visit.events[index]
  return undefined
}

function bump<T>(map: Map<string, T>, key: string, make: () => T): T {
  let entry = map.get(key)
  if (!entry) map.set(key, (entry = make()))
  return entry
}
