import type { Range } from '../days/Range.js'
import { daysOf } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'
import { compareEvents } from '../events/LoggedEvent.js'
import { readEvent } from '../readings/readEvent.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { judgeCondition, type PreparedCondition } from '../rules/judge.js'
import { nearMiss } from '../rules/nearMiss.js'
import { conditionText, opWords, readingWords } from '../sentences/ruleSentence.js'
import type { Visit } from '../visits/deriveVisits.js'
import { countGoal, type Conversion } from './countGoal.js'
import { firstEvents, firstOfEachOrder } from './firstOfEachOrder.js'
import type { PreparedGoal } from './prepareGoal.js'
import { ValueSum, type SummedValue, type ValueSumState } from './ValueSum.js'

/** What a goal would have counted. */
export interface BacktestResult extends SummedValue {
  conversions: number
  /** Visits that start in the range. */
  visits: number
  /** Those of them with a conversion at any time. */
  convertingVisits: number
  /** The one by the other; null without visits. */
  rate: number | null
  /** Every day of the range. `events` match the kind; `visits` start that day. */
  daily: { day: Day; conversions: number; value: number; events: number; visits: number }[]
  /** The latest conversions, newest first. */
  examples: { at: string; visitor: string; path: string; order: string | null; value: number | null; currency: string }[]
  nearMisses: { path: string; events: number; why: string }[]
  /** How many events of the range are left after each filter. */
  parts: { kind: number; path: number; count: number }
  /** Of a rule with several conditions: how many events of the range satisfy each alone. */
  alone: { words: string; events: number }[]
  /** Addresses hit by the kind, most frequent first. */
  addresses: { path: string; events: number; visits: number }[]
}

const MOST_LISTED = 20

/** One event that counts, but for orders that somebody else may have first. */
export interface CountedOnce {
  at: number
  uid: string
  order: string | null
  /** The same for events of the same visit. */
  visit: unknown
  /** ms since 1970, of the visit's start. */
  visitAt: number
  visitor: string
  path: string
  /** The event's own order, whatever the count rule. */
  shownOrder: string | null
  amount: number
  value: number | null
  currency: string
}

/** What was counted of some of a site's visitors, as it can be handed to another thread. */
export interface BacktestPart {
  /** The latest in the range, for examples. */
  counted: CountedOnce[]
  /** Sums over everything that counts for good. */
  conversions: number
  convertingVisits: number
  sum: ValueSumState
  days: [day: Day, conversions: number, sum: ValueSumState][]
  visits: number
  visitsByDay: [day: Day, visits: number][]
  eventsByDay: [day: Day, events: number][]
  ofKind: number
  afterPath: number
  addresses: [path: string, events: number, visits: number][]
  misses: { path: string; events: number; why: string }[]
  alone: number[]
}

/**
 * Runs a goal over history as if it had always been so. Feed it every visitor of the site once, in
 * any order, then ask for the result. Nothing is saved.
 */
export class Backtest {
  private readonly partsOf = rememberingUrlParts()
  private readonly found: { visitor: string; conversion: Conversion }[] = []
  private readonly visitsByDay = new Map<Day, number>()
  private readonly eventsByDay = new Map<Day, number>()
  private readonly addresses = new Map<string, { events: number; visits: number }>()
  private readonly misses = new Map<string, { path: string; events: number; why: string }>()
  private readonly parts: BacktestPart[] = []
  private readonly lost = new Set<string>()
  private visits = 0
  private ofKind = 0
  private afterPath = 0
  private readonly alone: { words: string; condition: PreparedCondition; events: number }[]

  constructor(
    private readonly goal: PreparedGoal,
    private readonly range: Range,
    private readonly calendar: Calendar,
  ) {
    const conditions = goal.where.flat()
    this.alone = conditions.length > 1 ? conditions.map((condition) => ({ words: conditionWords(condition), condition, events: 0 })) : []
  }

  /** Uids of everything counted in the range, to tell goals that count the same; none where others counted a part. */
  countedUids(): Set<string> {
    if (this.parts.length) return new Set()
    const final = new Set(firstOfEachOrder(this.found.map(({ conversion }) => conversion)))
    return new Set(this.found.flatMap(({ conversion }) => (final.has(conversion) && this.inRange(conversion.event.at) ? [conversion.event.uid] : [])))
  }

  /** Takes all visits of one visitor, oldest first, as `deriveVisits` gives them. */
  addVisitor(visitor: string, visits: readonly Visit[]): void {
    const { range } = this
    for (const visit of visits) {
      if (visit.startedAt < range.from || visit.startedAt >= range.to) continue
      this.visits++
      count(this.visitsByDay, this.calendar.dayOf(visit.startedAt))
    }
    const counted = countGoal(this.goal, visits, this.partsOf)
    const seen = new Set<string>()
    for (const { event, visit } of counted.ofKind) {
      if (!this.inRange(event.at)) continue
      this.ofKind++
      count(this.eventsByDay, this.calendar.dayOf(event.at))
      const { path } = this.partsOf(event.url)
      const address = this.addresses.get(path) ?? { events: 0, visits: 0 }
      const inVisit = `${visits.indexOf(visit)} ${path}`
      address.events++
      if (!seen.has(inVisit)) address.visits++
      seen.add(inVisit)
      this.addresses.set(path, address)
    }
    this.afterPath += counted.afterPath.filter(({ event }) => this.inRange(event.at)).length
    for (const conversion of counted.conversions) {
      this.found.push({ visitor, conversion })
    }
    this.collectNearMisses(visits)
  }

  /** The first event with each order among the visitors added so far. */
  firstOrders(): Map<string, { at: number; uid: string }> {
    return firstEvents(this.found.map(({ conversion }) => conversion))
  }

  /** Orders that somebody counted elsewhere had first. */
  loseOrders(orders: Iterable<string>): void {
    for (const order of orders) this.lost.add(order)
  }

  /** Adds what was counted elsewhere, of other visitors. */
  merge(part: BacktestPart): void {
    this.parts.push(part)
    this.visits += part.visits
    this.ofKind += part.ofKind
    this.afterPath += part.afterPath
    for (const [day, n] of part.visitsByDay) this.visitsByDay.set(day, (this.visitsByDay.get(day) ?? 0) + n)
    for (const [day, n] of part.eventsByDay) this.eventsByDay.set(day, (this.eventsByDay.get(day) ?? 0) + n)
    for (const [path, events, visits] of part.addresses) {
      const address = this.addresses.get(path) ?? { events: 0, visits: 0 }
      this.addresses.set(path, { events: address.events + events, visits: address.visits + visits })
    }
    for (const miss of part.misses) {
      const key = `${miss.why}\n${miss.path}`
      const known = this.misses.get(key)
      if (known) known.events += miss.events
      else this.misses.set(key, { ...miss })
    }
    for (const [index, events] of part.alone.entries()) {
      const each = this.alone[index]
      if (each) each.events += events
    }
  }

  /** The answer over all visitors added so far. */
  result(): BacktestResult {
    const own = this.found.map(({ visitor, conversion }) => this.countedOnce(visitor, conversion))
    const final =
      this.goal.count === 'order'
        ? firstOfEachOrder(own.map((each) => ({ event: each, order: each.order, each }))).flatMap(({ each }) =>
            each.order !== null && this.lost.has(each.order) ? [] : each,
          )
        : own
    const counted = final.filter(({ at }) => this.inRange(at)).sort(compareEvents)
    const converting = new Set(final.filter(({ visitAt }) => this.inRange(visitAt)).map(({ visit }) => visit)).size
    const sum = new ValueSum()
    const daily = new Map(daysOf(this.range, this.calendar).map((day) => [day, { conversions: 0, sum: new ValueSum() }]))
    for (const each of counted) {
      sum.add(each)
      const entry = daily.get(this.calendar.dayOf(each.at))
      if (!entry) continue
      entry.conversions++
      entry.sum.add(each)
    }
    let conversions = counted.length
    let convertingVisits = converting
    for (const part of this.parts) {
      conversions += part.conversions
      convertingVisits += part.convertingVisits
      sum.merge(part.sum)
      for (const [day, n, its] of part.days) {
        const entry = daily.get(day)
        if (!entry) continue
        entry.conversions += n
        entry.sum.merge(its)
      }
    }
    const latest = [...counted, ...this.parts.flatMap((part) => part.counted)].sort(compareEvents)
    return {
      conversions,
      ...sum.result(),
      visits: this.visits,
      convertingVisits,
      rate: this.visits ? convertingVisits / this.visits : null,
      daily: [...daily].map(([day, entry]) => ({
        day,
        conversions: entry.conversions,
        value: entry.sum.result().value,
        events: this.eventsByDay.get(day) ?? 0,
        visits: this.visitsByDay.get(day) ?? 0,
      })),
      examples: latest
        .slice(-MOST_LISTED)
        .reverse()
        .map(({ at, visitor, path, shownOrder, value, currency }) => ({
          at: new Date(at).toISOString(),
          visitor,
          path,
          order: shownOrder,
          value: value === null ? null : value / 10_000,
          currency,
        })),
      nearMisses: [...this.misses.values()].sort((a, b) => b.events - a.events || (a.path < b.path ? -1 : 1)).slice(0, MOST_LISTED),
      parts: { kind: this.ofKind, path: this.afterPath, count: conversions },
      alone: this.alone.map(({ words, events }) => ({ words, events })),
      addresses: [...this.addresses]
        .map(([path, entry]) => ({ path, ...entry }))
        .sort((a, b) => b.events - a.events || (a.path < b.path ? -1 : 1))
        .slice(0, MOST_LISTED),
    }
  }

  private countedOnce(visitor: string, { event, visit, order, amount, value, currency }: Conversion): CountedOnce {
    const { path } = this.partsOf(event.url)
    return { at: event.at, uid: event.uid, order, visit, visitAt: visit.startedAt, visitor, path, shownOrder: event.order || null, amount, value, currency }
  }

  private inRange(at: number): boolean {
    return at >= this.range.from && at < this.range.to
  }

  private collectNearMisses(visits: readonly Visit[]): void {
    const { kind, where } = this.goal
    if (kind.type !== 'page' && kind.type !== 'event') return
    const name = kind.type === 'page' ? 'page-view' : kind.event
    for (const visit of visits) {
      for (const event of visit.events) {
        if (event.name !== name || !this.inRange(event.at)) continue
        const read = readEvent(event, visit.source, this.partsOf)
        for (const each of this.alone) if (judgeCondition(each.condition, read(each.condition.reading))) each.events++
        const why = nearMiss(where, read)
        if (!why) continue
        const { path } = this.partsOf(event.url)
        const key = `${why}\n${path}`
        const miss = this.misses.get(key) ?? { path, events: 0, why }
        miss.events++
        this.misses.set(key, miss)
      }
    }
  }
}

function count(map: Map<Day, number>, day: Day): void {
  map.set(day, (map.get(day) ?? 0) + 1)
}

/** A prepared condition in words; a pattern only as such, because what it was made of is not kept. */
function conditionWords({ reading, op, not, text, list, caseSensitive }: PreparedCondition): string {
  return op === 'matches'
    ? `${readingWords(reading)} ${opWords(op, not)}`
    : conditionText({ reading, op, not: not ?? false, value: list ?? text, caseSensitive: caseSensitive ?? false })
}
