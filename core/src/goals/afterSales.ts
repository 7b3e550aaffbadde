import type { LoggedEvent } from '../events/LoggedEvent.js'
import { amountToText, convertAmount, parseAmount, type Amount } from '../money/Amount.js'
import type { PreparedGoal } from './prepareGoal.js'

/** Name of the event that says an order was cancelled. */
export const ORDER_CANCELLED = 'order-cancelled'
/** Name of the event that says a part of an order was paid back. */
export const ORDER_REFUNDED = 'order-refunded'

/** What became of a visitor's orders afterwards. */
export interface AfterSales {
  cancelled: Set<string>
  refunds: Map<string, { value: number; currency: string | null }[]>
}

/** Collects what became of orders out of all events of one visitor; null where nothing did. */
export function afterSalesOf(events: Iterable<LoggedEvent>): AfterSales | null {
  let found: AfterSales | null = null
  for (const { name, order, value, currency } of events) {
    if ((name !== ORDER_CANCELLED && name !== ORDER_REFUNDED) || !order) continue
    found ??= { cancelled: new Set(), refunds: new Map() }
    if (name === ORDER_CANCELLED) found.cancelled.add(order)
    else if (value) found.refunds.set(order, [...(found.refunds.get(order) ?? []), { value, currency: currency ?? null }])
  }
  return found
}

/**
 * What a conversion is worth after what was paid back of its order, in its own currency and in site money;
 * never less than nothing. Refunds without a rate only lessen amounts in their own currency.
 */
export function lessRefunds<W extends { amount: Amount; currency: string; value: Amount | null }>(
  worth: W,
  order: string | null | undefined,
  sales: AfterSales,
  goal: Pick<PreparedGoal, 'currency' | 'rates'>,
): W {
  const refunds = order ? sales.refunds.get(order) : undefined
  if (!refunds) return worth
  let { amount, value } = worth
  for (const refund of refunds) {
    const currency = refund.currency || goal.currency
    const text = amountToText(parseAmount(String(refund.value)) ?? 0)
    const rate = currency === goal.currency ? '1' : Object.prototype.hasOwnProperty.call(goal.rates, currency) ? goal.rates[currency] : undefined
    if (value !== null && rate !== undefined) value = Math.max(0, value - (convertAmount(text, rate) ?? 0))
    if (currency === worth.currency) amount = Math.max(0, amount - (parseAmount(text) ?? 0))
  }
  return { ...worth, amount, value }
}
