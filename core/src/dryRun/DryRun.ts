import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { goalEvents } from '../goals/goalEvents.js'
import { readEvent, type Reader } from '../readings/readEvent.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { asksForAddress } from '../rules/asksForAddress.js'
import { judge } from '../rules/judge.js'
import type { Visit } from '../visits/deriveVisits.js'
import { holdReason } from '../wiring/holdReason.js'
import type { CompiledWiring, LoaderTag, LoaderTrigger } from '../wiring/LoaderConfig.js'

/** What a dry run says about one tag. */
export interface DryRunTag {
  id: string
  /** Times it fires with the live release, and with the draft. */
  now: number
  draft: number
  daily: { day: Day; now: number; draft: number }[]
  /** Visits in which it fires only with the draft, or only with the live release. */
  newVisits: number
  lostVisits: number
  /** The latest such visits, newest first. */
  examples: { at: string; visitor: string; path: string; change: 'new' | 'lost' }[]
  warnings: string[]
}

/** The answer of a dry run. */
export interface DryRunResult {
  events: number
  visits: number
  pageViews: number
  tags: DryRunTag[]
}

const MOST_EXAMPLES = 8
const AGREED = { none: true, statistics: true, marketing: true }

interface Tally {
  now: number
  draft: number
  daily: Map<Day, { now: number; draft: number }>
  visits: number
  newVisits: number
  lostVisits: number
  examples: { at: number; visitor: string; path: string; change: 'new' | 'lost' }[]
}

/**
 * Runs two wirings over recorded events: the one that is live and the draft. Feed it every visitor once.
 * Everybody is taken to have agreed to everything, and every channel to answer, because the log does not
 * know better.
 */
export class DryRun {
  private readonly partsOf = rememberingUrlParts()
  private readonly tallies = new Map<string, Tally>()
  private readonly live: WiringRun
  private readonly draft: WiringRun
  private events = 0
  private visits = 0
  private pageViews = 0

  constructor(
    live: CompiledWiring,
    draft: CompiledWiring,
    private readonly range: Range,
    private readonly calendar: Calendar,
  ) {
    this.live = new WiringRun(live)
    this.draft = new WiringRun(draft)
    for (const { id } of [...live.tags, ...draft.tags])
      this.tallies.set(id, { now: 0, draft: 0, daily: new Map(), visits: 0, newVisits: 0, lostVisits: 0, examples: [] })
  }

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visitor: string, visits: readonly Visit[]): void {
    this.live.begin(visits)
    this.draft.begin(visits)
    for (const visit of visits) {
      this.live.turnVisit()
      this.draft.turnVisit()
      const fired = new Map<string, { now: LoggedEvent | null; draft: LoggedEvent | null }>()
      for (const event of visit.events) {
        const read = this.reader(event, visit)
        const place = placeOf(event.url)
        const inRange = event.at >= this.range.from && event.at < this.range.to
        const now = this.live.fire(event, place, read)
        const draft = this.draft.fire(event, place, read)
        if (inRange && now.length) this.take('now', now, event, fired)
        if (inRange && draft.length) this.take('draft', draft, event, fired)
        if (!inRange) continue
        this.events++
        if (event.name === 'page-view') this.pageViews++
      }
      if (visit.startedAt >= this.range.from && visit.startedAt < this.range.to) this.visits++
      for (const [id, { now, draft }] of fired) {
        const tally = this.tallies.get(id) as Tally
        if (draft) tally.visits++
        const only = now && draft ? null : (now ?? draft)
        if (!only) continue
        const change = draft ? 'new' : 'lost'
        if (change === 'new') tally.newVisits++
        else tally.lostVisits++
        tally.examples.push({ at: only.at, visitor, path: this.partsOf(only.url).path, change })
        if (tally.examples.length > MOST_EXAMPLES * 8) tally.examples = latest(tally.examples)
      }
    }
  }

  /** The answer over all visitors added so far. */
  result(): DryRunResult {
    const days = daysOf(this.range, this.calendar)
    return {
      events: this.events,
      visits: this.visits,
      pageViews: this.pageViews,
      tags: [...this.tallies].map(([id, tally]) => ({
        id,
        now: tally.now,
        draft: tally.draft,
        daily: days.map((day) => ({ day, ...(tally.daily.get(day) ?? { now: 0, draft: 0 }) })),
        newVisits: tally.newVisits,
        lostVisits: tally.lostVisits,
        examples: latest(tally.examples).map((each) => ({ ...each, at: new Date(each.at).toISOString() })),
        warnings: this.warnings(id, tally, days.length),
      })),
    }
  }

  private warnings(id: string, tally: Tally, days: number): string[] {
    const tag = this.draft.tag(id)
    if (!tag) return []
    const warnings: string[] = []
    if (!tally.draft) warnings.push(`fires 0 times in ${days} ${days === 1 ? 'day' : 'days'}`)
    if (!tag.base && this.pageViews >= 20 && tally.draft >= this.pageViews * 0.95) warnings.push('fires on every page')
    if (!tag.base && tally.visits && tally.draft / tally.visits >= 2) warnings.push(`fires on average ${(tally.draft / tally.visits).toFixed(1)} times a visit`)
    return warnings
  }

  private take(
    which: 'now' | 'draft',
    ids: readonly string[],
    event: LoggedEvent,
    fired: Map<string, { now: LoggedEvent | null; draft: LoggedEvent | null }>,
  ): void {
    for (const id of ids) {
      this.count(id, which, event)
      const entry = fired.get(id) ?? { now: null, draft: null }
      entry[which] ??= event
      fired.set(id, entry)
    }
  }

  private count(id: string, which: 'now' | 'draft', event: LoggedEvent): void {
    const tally = this.tallies.get(id) as Tally
    const day = this.calendar.dayOf(event.at)
    const entry = tally.daily.get(day) ?? { now: 0, draft: 0 }
    tally[which]++
    entry[which]++
    tally.daily.set(day, entry)
  }

  /** Hundreds of rules ask for the same few readings of one event. */
  private reader(event: LoggedEvent, visit: Visit): Reader {
    let known: Map<string, string | undefined> | undefined
    const read = readEvent(event, visit.source, this.partsOf)
    return (name) => {
      known ??= new Map()
      if (!known.has(name)) known.set(name, read(name))
      return known.get(name)
    }
  }
}

/** An address up to its query or fragment. */
function placeOf(url: string): string {
  const query = url.indexOf('?')
  const fragment = url.indexOf('#')
  const end = query < 0 ? fragment : fragment < 0 ? query : Math.min(query, fragment)
  return end < 0 ? url : url.slice(0, end)
}

function latest(examples: Tally['examples']): Tally['examples'] {
  return [...examples].sort((a, b) => b.at - a.at).slice(0, MOST_EXAMPLES)
}

const MOST_PLACES = 100_000
const NOTHING: readonly string[] = []

/** The triggers that listen for one name. Those that ask for the address alone are judged once for each address. */
class NamedTriggers {
  private readonly ofPlace: LoaderTrigger[] = []
  private readonly others: LoaderTrigger[] = []
  private readonly known = new Map<string, readonly LoaderTrigger[]>()

  add(trigger: LoaderTrigger): void {
    if (asksForAddress(trigger.where) && asksForAddress(trigger.except ?? [])) this.ofPlace.push(trigger)
    else this.others.push(trigger)
  }

  /** The triggers that happen at an event of their name; `place` is its address up to its query. */
  holding(place: string, read: Reader): readonly LoaderTrigger[] {
    let held = this.known.get(place)
    if (!held) {
      if (this.known.size >= MOST_PLACES) this.known.clear()
      held = this.ofPlace.filter((trigger) => happens(trigger, read))
      this.known.set(place, held)
    }
    if (!this.others.length) return held
    const more = this.others.filter((trigger) => happens(trigger, read))
    return more.length ? [...held, ...more] : held
  }
}

function happens({ where, except }: LoaderTrigger, read: Reader): boolean {
  return judge(where, read) && !(except && judge(except, read))
}

/** One wiring, going through the events of one visitor after the other. */
class WiringRun {
  private readonly triggers = new Map<string, NamedTriggers>()
  private readonly waiting = new Map<string, LoaderTag[]>()
  private readonly tags: Map<string, LoaderTag>
  private happened = new Set<string>()
  private onPage = new Set<string>()
  private inVisit = new Set<string>()
  private ever = new Set<string>()
  /** The events at which each goal is reached. */
  private reached: { id: string; events: Set<LoggedEvent> }[] = []

  constructor(private readonly wiring: CompiledWiring) {
    for (const trigger of wiring.triggers) {
      const named = this.triggers.get(trigger.event) ?? new NamedTriggers()
      named.add(trigger)
      this.triggers.set(trigger.event, named)
    }
    for (const tag of wiring.tags) for (const id of tag.on) this.waiting.set(id, [...(this.waiting.get(id) ?? []), tag])
    this.tags = new Map(wiring.tags.map((tag) => [tag.id, tag]))
  }

  tag(id: string): LoaderTag | undefined {
    return this.tags.get(id)
  }

  begin(visits: readonly Visit[]): void {
    this.ever = new Set()
    this.reached = this.wiring.goals.map(({ id, goal }) => ({ id, events: new Set(goalEvents(goal, visits).counted.map(({ event }) => event)) }))
  }

  turnVisit(): void {
    if (this.inVisit.size) this.inVisit.clear()
    this.turnPage()
  }

  private turnPage(): void {
    if (this.onPage.size) this.onPage.clear()
    if (this.happened.size) this.happened.clear()
  }

  /** @returns ids of the tags that fire at an event */
  fire(event: LoggedEvent, place: string, read: Reader): readonly string[] {
    if (event.name === 'page-view') this.turnPage()
    // What several triggers together made happen is worked out anew, for either wiring.
    let fired = event.name === 'all-happened' ? NOTHING : this.happen(event.name, event, place, read)
    for (const { id, events } of this.reached) {
      if (events.has(event))
        fired = [
          ...fired,
          ...this.happen('goal-reached', event, place, (name) => (name === 'data.watch' ? id : name === 'event' ? 'goal-reached' : read(name))),
        ]
    }
    for (const { id, needs } of this.wiring.together) {
      if (this.happened.has(id) || !needs.every((each) => this.happened.has(each))) continue
      fired = [...fired, ...this.happen('all-happened', event, place, (name) => (name === 'data.watch' ? id : read(name)))]
    }
    return fired
  }

  private happen(name: string, event: LoggedEvent, place: string, read: Reader): readonly string[] {
    const holding = this.triggers.get(name)?.holding(place, read)
    if (!holding?.length) return NOTHING
    let now: Set<LoaderTag> | undefined
    for (const trigger of holding) {
      this.happened.add(trigger.id)
      now ??= new Set()
      for (const tag of this.waiting.get(trigger.id) ?? []) now.add(tag)
    }
    if (!now) return NOTHING
    const fired: string[] = []
    for (const tag of now) {
      const before = { page: this.onPage.has(tag.id), visit: this.inVisit.has(tag.id), visitor: this.ever.has(tag.id) }
      if (holdReason(tag, { now: event.at, consent: AGREED, fired: before, value: (need) => valueOf(tag, need, read) })) continue
      this.onPage.add(tag.id)
      this.inVisit.add(tag.id)
      this.ever.add(tag.id)
      fired.push(tag.id)
    }
    return fired
  }
}

/** What a tag would have had of what its channel needs; click ids are not in the log and taken to be there. */
function valueOf(tag: LoaderTag, need: string, read: Reader): unknown {
  if (need === 'event') return tag.values?.event
  if (need === 'order') return read(tag.order ?? 'order')
  if (need === 'click') return true
  const { value } = tag
  if (value?.type === 'fixed') return true
  return value?.type === 'reading' ? (read(value.reading) ?? value.fallback) : undefined
}
