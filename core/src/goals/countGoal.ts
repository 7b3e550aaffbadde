import type { LoggedEvent } from '../events/LoggedEvent.js'
import { convertAmount, parseAmount, type Amount } from '../money/Amount.js'
import { readEvent } from '../readings/readEvent.js'
import { urlParts, type UrlParts } from '../readings/url.js'
import type { Visit } from '../visits/deriveVisits.js'
import { afterSalesOf, lessRefunds } from './afterSales.js'
import { goalEvents, type CountedEvent, type GoalEvents } from './goalEvents.js'
import type { PreparedGoal } from './prepareGoal.js'

/** One event that a goal counts, with what it is worth. */
export interface Conversion<E extends LoggedEvent = LoggedEvent> extends CountedEvent<E> {
  /** As read, in `currency`; ten-thousandths. */
  amount: Amount
  currency: string
  /** In site money; null where there is no rate for `currency`. */
  value: Amount | null
}

/** What passed each filter, with conversions for the events that count. */
export interface GoalCount<E extends LoggedEvent = LoggedEvent> extends Pick<GoalEvents<E>, 'ofKind' | 'afterPath'> {
  conversions: Conversion<E>[]
}

/**
 * Counts a goal over all visits of one visitor, oldest visit first, and says what each conversion is worth. An
 * order that was cancelled does not count; what was paid back of one lessens its value.
 */
export function countGoal<E extends LoggedEvent>(goal: PreparedGoal, visits: readonly Visit<E>[], partsOf: (url: string) => UrlParts = urlParts): GoalCount<E> {
  const { ofKind, afterPath, counted } = goalEvents(goal, visits, partsOf)
  const sales = afterSalesOf(eventsOf(visits))
  const conversions = counted.map((each) => ({ ...each, ...worth(goal, each.event, each.visit, partsOf) }))
  if (!sales) return { ofKind, afterPath, conversions }
  const kept = conversions.filter(({ event }) => !event.order || !sales.cancelled.has(event.order))
  return { ofKind, afterPath, conversions: kept.map((each) => lessRefunds(each, each.event.order, sales, goal)) }
}

function* eventsOf(visits: readonly Visit[]): Generator<LoggedEvent> {
  for (const { events } of visits) yield* events
}

function worth(goal: PreparedGoal, event: LoggedEvent, visit: Visit, partsOf: (url: string) => UrlParts): Worth {
  return worthOf(goal, goal.value.type === 'reading' ? readEvent(event, visit.source, partsOf)(goal.value.reading) : undefined, event.currency)
}

/** What one conversion is worth: as read, and in site money; null where there is no rate. */
export interface Worth {
  amount: Amount
  currency: string
  value: Amount | null
}

/**
 * What a goal's conversion is worth (contract "Goals").
 * @param text of the goal's reading; undefined where it is absent
 * @param given the event's currency
 */
export function worthOf(goal: PreparedGoal, text: string | undefined, given: string | null | undefined): Worth {
  if (goal.value.type === 'none') return { amount: 0, currency: goal.currency, value: 0 }
  const amount = goal.value.type === 'reading' && text !== undefined ? parseAmount(text) : null
  if (text === undefined || amount === null) return { amount: goal.amount, currency: goal.currency, value: goal.amount }
  const currency = given || goal.currency
  const rate = currency === goal.currency ? '1' : Object.prototype.hasOwnProperty.call(goal.rates, currency) ? goal.rates[currency] : undefined
  return { amount, currency, value: rate === undefined ? null : convertAmount(text, rate) }
}
