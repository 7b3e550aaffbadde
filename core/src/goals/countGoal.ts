import type { LoggedEvent } from '../events/LoggedEvent.js'
import { convertAmount, parseAmount, type Amount } from '../money/Amount.js'
import { readEvent } from '../readings/readEvent.js'
import { urlParts, type UrlParts } from '../readings/url.js'
import { judge, type PreparedRule } from '../rules/judge.js'
import type { Visit } from '../visits/deriveVisits.js'
import type { PreparedGoal } from './prepareGoal.js'

/** One event that reached a goal, before or after repeats were ruled out. */
export interface Conversion<E extends LoggedEvent = LoggedEvent> {
  event: E
  visit: Visit<E>
  /** As read, in `currency`; ten-thousandths. */
  amount: Amount
  currency: string
  /** In site money; null where there is no rate for `currency`. */
  value: Amount | null
  /**
   * Set where the goal counts each order once: the first conversion of the whole site with this
   * order counts, which one visitor's events alone cannot tell.
   */
  order: string | null
}

/** How many events of one visitor passed each filter, by their event. */
export interface GoalCount<E extends LoggedEvent = LoggedEvent> {
  /** Passed the kind. */
  ofKind: { event: E; visit: Visit<E> }[]
  /** Passed kind and path. */
  afterPath: { event: E; visit: Visit<E> }[]
  /** Passed kind, path and count rule, but for orders that another visitor may have first. */
  conversions: Conversion<E>[]
}

/**
 * Counts a goal over all visits of one visitor, oldest visit first. Filters apply in the order
 * kind, path, count (contract "Goals").
 */
export function countGoal<E extends LoggedEvent>(goal: PreparedGoal, visits: readonly Visit<E>[], partsOf: (url: string) => UrlParts = urlParts): GoalCount<E> {
  const result: GoalCount<E> = { ofKind: [], afterPath: [], conversions: [] }
  const orders = new Set<string>()
  for (const visit of visits) {
    const ofKind = eventsOfKind(goal, visit, partsOf)
    if (!ofKind.length) continue
    const ready = pathMetFrom(goal.required, visit, partsOf)
    const afterPath = ofKind.filter((index) => index >= ready)
    let withoutOrder = 0
    let inVisit = 0
    for (const index of afterPath) {
      const event = visit.events[index] as E
      const order = goal.count === 'order' ? event.order || null : null
      const repeated =
        (goal.count === 'visit' && inVisit > 0) ||
        (goal.count === 'visitor' && result.conversions.length > 0) ||
        (goal.count === 'order' && (order === null ? withoutOrder > 0 : orders.has(order)))
      inVisit++
      if (goal.count === 'order' && order === null) withoutOrder++
      if (order !== null) orders.add(order)
      if (!repeated) result.conversions.push({ event, visit, ...worth(goal, event, visit, partsOf), order })
    }
    const named = (index: number): { event: E; visit: Visit<E> } => ({ event: visit.events[index] as E, visit })
    result.ofKind.push(...ofKind.map(named))
    result.afterPath.push(...afterPath.map(named))
  }
  return result
}

/** Positions in the visit of the events that are of the goal's kind. */
function eventsOfKind(goal: PreparedGoal, visit: Visit, partsOf: (url: string) => UrlParts): number[] {
  const { kind } = goal
  const found: number[] = []
  if (kind.type === 'time') {
    const index = visit.events.findIndex((event) => event.at - visit.startedAt >= kind.seconds * 1000)
    return index < 0 ? [] : [index]
  }
  let pages = 0
  for (const [index, event] of visit.events.entries()) {
    if (kind.type === 'depth') {
      if (event.name === 'page-view' && ++pages === kind.pages) return [index]
    } else if (event.name === (kind.type === 'page' ? 'page-view' : kind.event) && judge(goal.where, readEvent(event, visit.source, partsOf))) {
      found.push(index)
    }
  }
  return found
}

/**
 * The position in the visit from which on all required steps lie behind: greedily the earliest page
 * view for each, in order. Infinity when they are never all met.
 */
function pathMetFrom(steps: readonly PreparedRule[], visit: Visit, partsOf: (url: string) => UrlParts): number {
  let step = 0
  if (steps.length === 0) return 0
  for (const [index, event] of visit.events.entries()) {
    if (event.name !== 'page-view' || !judge(steps[step] as PreparedRule, readEvent(event, visit.source, partsOf))) continue
    if (++step === steps.length) return index + 1
  }
  return Infinity
}

function worth(goal: PreparedGoal, event: LoggedEvent, visit: Visit, partsOf: (url: string) => UrlParts): Pick<Conversion, 'amount' | 'currency' | 'value'> {
  if (goal.value.type === 'none') return { amount: 0, currency: goal.currency, value: 0 }
  if (goal.value.type === 'reading') {
    const text = readEvent(event, visit.source, partsOf)(goal.value.reading)
    const amount = text === undefined ? null : parseAmount(text)
    if (text !== undefined && amount !== null) {
      const currency = event.currency || goal.currency
      const rate = currency === goal.currency ? '1' : Object.prototype.hasOwnProperty.call(goal.rates, currency) ? goal.rates[currency] : undefined
      return { amount, currency, value: rate === undefined ? null : convertAmount(text, rate) }
    }
  }
  return { amount: goal.amount, currency: goal.currency, value: goal.amount }
}
