import type { LoggedEvent } from '../events/LoggedEvent.js'
import { readEvent } from '../readings/readEvent.js'
import { urlParts, type UrlParts } from '../readings/url.js'
import { judge, type PreparedRule } from '../rules/judge.js'
import type { Visit } from '../visits/deriveVisits.js'
import { countVisit, newMemory } from './countVisit.js'
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
  const { kind, only, required } = goal
  const shape = { kind, count: goal.count, steps: required.length }
  const memory = newMemory()
  const name = kind.type === 'event' ? kind.event : 'page-view'
  let visit = visits[0] as Visit<E>
  // Made once for all visits: there are millions of them.
  const track = {
    at: (position: number) => (visit.events[position] as E).at,
    isPageView: (position: number) => (visit.events[position] as E).name === 'page-view',
    isOfKind: (position: number) => (visit.events[position] as E).name === name && holds(goal.where, visit, position, partsOf),
    meetsStep: (step: number, position: number) => holds(required[step] as PreparedRule, visit, position, partsOf),
    order: (position: number) => (visit.events[position] as E).order || null,
  }
  for (visit of visits)
    countVisit(shape, track, 0, visit.events.length, memory, (position, passed) => {
      const found = { event: visit.events[position] as E, visit }
      result.ofKind.push(found)
      if (passed !== 'kind') result.afterPath.push(found)
      if (passed === 'counted') result.counted.push({ ...found, order: (goal.count === 'order' && found.event.order) || null })
    })
  if (only)
    result.counted = result.counted.filter(({ event, visit }) => {
      const read = readEvent(event, visit.source, partsOf)
      return judge(only.where, read) && !(only.except.length && judge(only.except, read))
    })
  return result
}

function holds(rule: PreparedRule, { events, source }: Visit, position: number, partsOf: (url: string) => UrlParts): boolean {
  return judge(rule, readEvent(events[position] as LoggedEvent, source, partsOf))
}
