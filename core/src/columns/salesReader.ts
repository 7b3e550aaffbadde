import type { LoggedEvent } from '../events/LoggedEvent.js'
import { afterSalesOf, ORDER_CANCELLED, ORDER_REFUNDED, type AfterSales } from '../goals/afterSales.js'
import { amountToNumber } from '../money/Amount.js'
import type { Columns } from './Columns.js'

/** Tells what became of a visitor's orders; null where the site has no such events at all. */
export function salesReader({ name, order, value, currency, visitStart, visitorStart, texts }: Columns): ((visitor: number) => AfterSales | null) | null {
  const [cancelled, refunded] = [texts.names.indexOf(ORDER_CANCELLED), texts.names.indexOf(ORDER_REFUNDED)]
  if (cancelled < 0 && refunded < 0) return null
  return (visitor) => {
    const [from, to] = [visitStart[visitorStart[visitor] as number] as number, visitStart[visitorStart[visitor + 1] as number] as number]
    const events: LoggedEvent[] = []
    for (let position = from; position < to; position++) {
      if (name[position] !== cancelled && name[position] !== refunded) continue
      const amount = value[position] as number
      events.push({
        uid: '',
        at: 0,
        url: '',
        name: texts.names[name[position] as number] as string,
        order: texts.orders[order[position] as number] as string,
        value: Number.isNaN(amount) ? null : amountToNumber(amount),
        currency: texts.currencies[currency[position] as number] || null,
      })
    }
    return events.length ? afterSalesOf(events) : null
  }
}
