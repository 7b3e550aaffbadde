import type { LoggedEvent } from '../events/LoggedEvent.js'
import { readEvent } from '../readings/readEvent.js'
import { urlParts, type UrlParts } from '../readings/url.js'
import { judge, type PreparedRule } from '../rules/judge.js'
import type { Visit } from '../visits/deriveVisits.js'
import type { PreparedGoal } from './prepareGoal.js'

/** An event in its visit. */
export interface VisitEvent<E extends LoggedEvent = LoggedEvent> {
  event: E
  visit: Visit<E>
}

/** An event that a goal counts, but for orders that another visitor may have first. */
export interface CountedEvent<E extends LoggedEvent = LoggedEvent> extends VisitEvent<E> {
  /**
   * Set where the goal counts each order once: the first conversion of the whole site with this
   * order counts, which one visitor's events alone cannot tell.
   */
  order: string | null
}

/** Which events of one visitor passed each filter. */
export interface GoalEvents<E extends LoggedEvent = LoggedEvent> {
  /** Passed the kind. */
  ofKind: VisitEvent<E>[]
  /** Passed kind and path. */
  afterPath: VisitEvent<E>[]
  /** Passed kind, path and count rule. */
  counted: CountedEvent<E>[]
}

/**
 * Finds the events that reach a goal over all visits of one visitor, oldest visit first. Filters
 * apply in the order kind, path, count (contract "Goals"). Decides on the server and on the page.
 */
export function goalEvents<E extends LoggedEvent>(
  goal: PreparedGoal,
  visits: readonly Visit<E>[],
  partsOf: (url: string) => UrlParts = urlParts,
): GoalEvents<E> {
  const result: GoalEvents<E> = { ofKind: [], afterPath: [], counted: [] }
  const { only } = goal
  const orders = new Set<string>()
  for (const visit of visits) {
    const ofKind = eventsOfKind(goal, visit, partsOf)
    if (!ofKind.length) continue
    const ready = pathMetFrom(goal.required, visit, partsOf)
    let withoutOrder = 0
    let inVisit = 0
    for (const index of ofKind) {
      const event = visit.events[index] as E
      result.ofKind.push({ event, visit })
      if (index < ready) continue
      result.afterPath.push({ event, visit })
      const order = goal.count === 'order' ? event.order || null : null
      const repeated =
        (goal.count === 'visit' && inVisit > 0) ||
        (goal.count === 'visitor' && result.counted.length > 0) ||
        (goal.count === 'order' && (order === null ? withoutOrder > 0 : orders.has(order)))
      inVisit++
      if (goal.count === 'order' && order === null) withoutOrder++
      if (order !== null) orders.add(order)
      if (!repeated) result.counted.push({ event, visit, order })
    }
  }
  if (only)
    result.counted = result.counted.filter(({ event, visit }) => {
      const read = readEvent(event, visit.source, partsOf)
      return judge(only.where, read) && !(only.except.length && judge(only.except, read))
    })
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
