import { compareCodePoints } from '../text/compareCodePoints.js'
import type { Columns } from './Columns.js'

/** Events that count as far as one part of the visitors goes, with the visit of each; of each order only the first one will. */
export interface OpenOrders {
  positions: Uint32Array
  visits: Uint32Array
}

/** Conversions of visitors who are not in the columns. */
export interface OtherOrders {
  /** The first with each order. */
  firstOrders: () => Map<string, { at: number; uid: string }>
  /** Takes away orders that somebody in the columns had first. */
  loseOrders: (orders: Iterable<string>) => void
}

/**
 * Finds who was first with each order, over all parts and over the visitors beside the columns (contract "Goals", count rule
 * order); those beside the columns lose what was not theirs.
 * @returns position + 1 of the first event by the order's number; 0 where nobody in the columns counts for it
 */
export function firstOfOrders(columns: Columns, parts: readonly OpenOrders[], beside: OtherOrders): Uint32Array {
  const { at, order, orderUid, texts } = columns
  const first = new Uint32Array(texts.orders.length)
  const isBefore = (position: number, other: { at: number; uid: string }): boolean => {
    const apart = (at[position] as number) - other.at
    return apart < 0 || (apart === 0 && compareCodePoints(texts.uids[orderUid[position] as number] as string, other.uid) < 0)
  }
  for (const { positions } of parts) {
    for (const position of positions) {
      const id = order[position] as number
      const known = (first[id] as number) - 1
      if (id && (known < 0 || isBefore(position, { at: at[known] as number, uid: texts.uids[orderUid[known] as number] as string }))) first[id] = position + 1
    }
  }
  const others = beside.firstOrders()
  if (!others.size) return first
  const lost = new Set<string>()
  for (let id = 1; id < first.length; id++) {
    const other = first[id] ? others.get(texts.orders[id] as string) : undefined
    if (!other) continue
    if (isBefore((first[id] as number) - 1, other)) lost.add(texts.orders[id] as string)
    else first[id] = 0
  }
  beside.loseOrders(lost)
  return first
}

/** Whether the event at a position counts, given who was first with each order; events without an order always do. */
export function isFirst({ order }: Columns, first: Uint32Array, position: number): boolean {
  const id = order[position] as number
  return !id || first[id] === position + 1
}
