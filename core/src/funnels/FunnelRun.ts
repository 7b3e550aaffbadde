import { visitDimension, type Dimension, type DimensionValue } from '../dimensions/dimensions.js'
import type { Range } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { readEvent } from '../readings/readEvent.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { asksForAddress } from '../rules/asksForAddress.js'
import { judge } from '../rules/judge.js'
import { prepareRule } from '../rules/prepareRule.js'
import type { Visit } from '../visits/deriveVisits.js'
import type { Funnel } from './funnelSchema.js'
import { FunnelTally, splitKey, type FunnelCount, type FunnelState } from './FunnelTally.js'
import { newWalk, shapeOf, walkFunnel, type Track } from './walkFunnel.js'

/** What a funnel counted. */
export interface FunnelResult extends FunnelCount {
  /** The same for each value of a dimension, the largest first. */
  split?: (FunnelCount & { key: DimensionValue })[]
}

/** What was counted of some of a site's visitors, as it can be handed to another thread. */
export interface FunnelPart {
  all: FunnelState
  parts: { key: DimensionValue; state: FunnelState }[]
}

/** One walk behind a number. */
export interface FunnelVisit {
  visitor: string
  /** ISO 8601 UTC of the first and of the last step met. */
  at: string
  lastAt: string
  /** The page of the first step met. */
  path: string
  first: number
  last: number
  /** The page after the last step met; null for leaving the site. */
  leftTo: string | null
  source: string
  medium: string
}

/** Which walks are listed: those that joined at, arrived at, went on from, or left at a step. */
export interface Listing {
  step: number
  what: 'entered' | 'arrived' | 'continued' | 'left' | 'completed'
  /** Of those who left: only those to this page. */
  to?: string | null
}

const DAY_MS = 86_400_000
/** Somebody who left may come back within this time, in ms. */
export const BACK_MS = 30 * DAY_MS
const MOST_LISTED = 200

/** Runs a funnel over visits. Feed it every visitor of the site once, in any order, then ask for the result. */
export class FunnelRun {
  private readonly partsOf = rememberingUrlParts()
  private readonly rules
  private readonly shape
  private readonly names
  private readonly tally
  private readonly parts = new Map<string, { key: DimensionValue; tally: FunnelTally }>()
  private readonly walk = newWalk()
  private readonly listed: (FunnelVisit & { when: number })[] = []
  private readonly places: (Map<string, boolean> | null)[]

  constructor(
    private readonly funnel: Funnel,
    private readonly range: Range,
    private readonly calendar: Calendar,
    private readonly split?: Dimension,
    private readonly listing?: Listing,
    /** Whether it is looked at who came back later, which looks at much more. */
    private readonly returns = false,
  ) {
    this.rules = funnel.steps.map((step) => ({ event: step.event, where: prepareRule(step.where) }))
    // A rule over path and host alone is judged once for each address.
    this.places = this.rules.map(({ where }) => (asksForAddress(where) ? new Map<string, boolean>() : null))
    this.shape = shapeOf(funnel)
    this.names = funnel.steps.map((step) => step.name)
    this.tally = new FunnelTally(this.names, this.returns)
  }

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visitor: string, visits: readonly Visit[]): void {
    const events: LoggedEvent[] = []
    const visitOf: Visit[] = []
    const starts: number[] = []
    for (const visit of visits) {
      starts.push(events.length)
      for (const event of visit.events) {
        events.push(event)
        visitOf.push(visit)
      }
    }
    starts.push(events.length)
    const track: Track = {
      at: (position) => (events[position] as LoggedEvent).at,
      isPageView: (position) => (events[position] as LoggedEvent).name === 'page-view',
      meets: (step, position) => this.meets(step, events[position] as LoggedEvent, visitOf[position] as Visit),
    }
    const { scope } = this.funnel
    if (scope === 'visit') {
      for (let number = 0; number < visits.length; number++) {
        const [from, to] = [starts[number] as number, starts[number + 1] as number]
        if (walkFunnel(track, this.shape, from, to, to, null, this.walk)) this.note(visitor, track, events, visitOf, to)
      }
      return
    }
    let from = 0
    while (from < events.length && track.at(from) < this.range.from) from++
    let joinBefore = from
    while (joinBefore < events.length && track.at(joinBefore) < this.range.to) joinBefore++
    const deadline = (joined: number): number => track.at(joined) + scope.visitorDays * DAY_MS
    if (!walkFunnel(track, this.shape, from, joinBefore, events.length, deadline, this.walk)) return
    const last = this.walk.positions[this.walk.length - 1] as number
    this.note(visitor, track, events, visitOf, starts.find((start) => start > last) ?? events.length)
  }

  /** Adds what was counted elsewhere, of other visitors. */
  merge({ all, parts }: FunnelPart): void {
    this.tally.merge(all)
    for (const { key, state } of parts) {
      const name = splitKey(key)
      const part = this.parts.get(name) ?? { key, tally: new FunnelTally(this.names, this.returns) }
      part.tally.merge(state)
      this.parts.set(name, part)
    }
  }

  /** What was counted. */
  result(): FunnelResult {
    return {
      ...this.tally.result(),
      ...(this.split && {
        split: [...this.parts.values()].sort((a, b) => b.tally.size - a.tally.size).map(({ key, tally }) => ({ key, ...tally.result() })),
      }),
    }
  }

  /** The walks asked for, newest first. */
  visits(): FunnelVisit[] {
    return newest(this.listed).map(({ when: _, ...visit }) => visit)
  }

  private meets(step: number, event: LoggedEvent, visit: Visit): boolean {
    const { event: name, where } = this.rules[step]!
    if (event.name !== name) return false
    if (!where.length) return true
    const known = this.places[step]
    if (!known) return judge(where, readEvent(event, visit.source, this.partsOf))
    let holds = known.get(event.url)
    if (holds === undefined) {
      holds = judge(where, readEvent(event, visit.source, this.partsOf))
      if (known.size > 200_000) known.clear()
      known.set(event.url, holds)
    }
    return holds
  }

  /** @param visitEnd behind the last position of the visit of the last step met */
  private note(visitor: string, track: Track, events: readonly LoggedEvent[], visitOf: readonly Visit[], visitEnd: number): void {
    const { first } = this.walk
    const positions = [...this.walk.positions.subarray(0, this.walk.length)]
    const joined = positions[0] as number
    const joinedAt = track.at(joined)
    if (joinedAt < this.range.from || joinedAt >= this.range.to) return
    const last = positions[positions.length - 1] as number
    const times = positions.slice(1).map((position, index) => track.at(position) - track.at(positions[index] as number))
    const reached = first + times.length
    const done = reached === this.names.length - 1
    let next = last + 1
    while (next < visitEnd && !track.isPageView(next)) next++
    const leftTo = done || next >= visitEnd ? null : this.partsOf((events[next] as LoggedEvent).url).path
    const cameBack = this.returns && !done && this.funnel.scope === 'visit' && this.metLater(track, reached + 1, visitEnd, events.length, joinedAt + BACK_MS)
    this.tally.add(first, times, leftTo, cameBack)
    const visit = visitOf[joined] as Visit
    if (this.split) {
      const key = visitDimension(this.split, visit, this.calendar, events[joined], this.partsOf)
      const name = splitKey(key)
      const part = this.parts.get(name) ?? { key, tally: new FunnelTally(this.names, this.returns) }
      part.tally.add(first, times, leftTo, cameBack)
      this.parts.set(name, part)
    }
    if (this.listing && this.isListed(this.listing, first, reached, done, leftTo)) {
      this.listed.push({
        when: joinedAt,
        visitor,
        at: new Date(joinedAt).toISOString(),
        lastAt: new Date(track.at(last)).toISOString(),
        path: this.partsOf((events[joined] as LoggedEvent).url).path,
        first,
        last: reached,
        leftTo,
        source: visit.source.source,
        medium: visit.source.medium,
      })
      if (this.listed.length > MOST_LISTED * 8) this.listed.splice(0, this.listed.length, ...newest(this.listed))
    }
  }

  /** Whether all steps from one on are met in order by later events, up to an instant. */
  private metLater(track: Track, step: number, from: number, to: number, until: number): boolean {
    for (let position = from; position < to && track.at(position) <= until; position++) {
      if (track.meets(step, position) && ++step === this.names.length) return true
    }
    return false
  }

  private isListed({ step, what, to }: Listing, first: number, reached: number, done: boolean, leftTo: string | null): boolean {
    if (what === 'completed') return done
    if (step < first || step > reached) return false
    if (what === 'entered') return step === first
    if (what === 'arrived') return step > first
    if (what === 'continued') return step < reached
    return step === reached && !done && (to === undefined || to === leftTo)
  }
}

function newest<T extends { when: number }>(list: readonly T[]): T[] {
  return [...list].sort((a, b) => b.when - a.when).slice(0, MOST_LISTED)
}
