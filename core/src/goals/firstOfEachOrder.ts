import { compareEvents } from '../events/LoggedEvent.js'

/**
 * Keeps, of conversions of a whole site, the first with each order by `(at, uid)`, and all that have
 * no order. What `countGoal` finds in one visitor's events becomes final here.
 */
export function firstOfEachOrder<C extends { event: { at: number; uid: string }; order: string | null }>(conversions: readonly C[]): C[] {
  const first = new Map<string, C>()
  for (const conversion of conversions) {
    if (conversion.order === null) continue
    const other = first.get(conversion.order)
    if (!other || compareEvents(conversion.event, other.event) < 0) first.set(conversion.order, conversion)
  }
  return conversions.filter((conversion) => conversion.order === null || first.get(conversion.order) === conversion)
}

/** The event that is first with each order, as far as these conversions go. */
export function firstEvents<C extends { event: { at: number; uid: string }; order: string | null }>(
  conversions: readonly C[],
): Map<string, { at: number; uid: string }> {
  return new Map(firstOfEachOrder(conversions).flatMap(({ event: { at, uid }, order }) => (order === null ? [] : [[order, { at, uid }] as const])))
}
