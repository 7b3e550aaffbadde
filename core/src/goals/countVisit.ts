import type { CountRule, GoalKind } from './goalSchema.js'

/**
 * Events in order, by position, as a goal sees them. Whoever holds events in another form can so have
 * them counted by the same function.
 */
export interface GoalTrack {
  /** ms since 1970. */
  at(position: number): number
  isPageView(position: number): boolean
  /** Whether an event has the goal's name and satisfies its rule; asked of pages and events only. */
  isOfKind(position: number): boolean
  /** Whether an event satisfies the rule of a required step; asked of page views only. */
  meetsStep(step: number, position: number): boolean
  /** The event's order; null where it has none. */
  order(position: number): string | number | null
}

/** What of a goal decides which events count. */
export interface GoalShape {
  kind: GoalKind
  count: CountRule
  /** Number of required steps. */
  steps: number
}

/** What counted in a visitor's visits so far; begin with `newMemory`. */
export interface CountMemory {
  /** Visits looked at before the one in hand. */
  visits: number
  counted: number
  orders: Set<string | number>
  /** Of the visit in hand: from where on all required steps lie behind (-1: not looked for yet), and what counted. */
  ready: number
  inVisit: number
  withoutOrder: number
}

/** The memory of a visitor who has not been looked at. */
export function newMemory(): CountMemory {
  return { visits: 0, counted: 0, orders: new Set(), ready: -1, inVisit: 0, withoutOrder: 0 }
}

/** How far an event got: it is of the kind, it also comes after the path but is a repeat, it counts. */
export type Passed = 'kind' | 'path' | 'counted'

/**
 * Finds the events of one visit that reach a goal. Filters apply in the order kind, path, count
 * (contract "Goals"). Decides on the server, over columns, and on the page.
 * @param from position of the visit's first event
 * @param to behind its last
 * @param memory of the same visitor's visits before; is brought up to date
 */
export function countVisit(
  shape: GoalShape,
  track: GoalTrack,
  from: number,
  to: number,
  memory: CountMemory,
  note: (position: number, passed: Passed) => void,
): void {
  const { kind } = shape
  memory.ready = -1
  memory.inVisit = 0
  memory.withoutOrder = 0
  const before = memory.visits++
  if (kind.type === 'return') {
    if (before + 1 >= kind.visits) take(shape, track, from, to, memory, note, from)
    return
  }
  let pages = 0
  for (let position = from; position < to; position++) {
    if (kind.type === 'time') {
      if (track.at(position) - track.at(from) >= kind.seconds * 1000) return take(shape, track, from, to, memory, note, position)
    } else if (kind.type === 'depth') {
      if (track.isPageView(position) && ++pages === kind.pages) return take(shape, track, from, to, memory, note, position)
    } else if (track.isOfKind(position)) take(shape, track, from, to, memory, note, position)
  }
}

/** Not inside `countVisit`, which is called for every visit: a function made anew each time costs more than it does. */
function take(
  shape: GoalShape,
  track: GoalTrack,
  from: number,
  to: number,
  memory: CountMemory,
  note: (position: number, passed: Passed) => void,
  position: number,
): void {
  const { count, steps } = shape
  if (memory.ready < 0) memory.ready = pathMetFrom(steps, track, from, to)
  if (position < memory.ready) return note(position, 'kind')
  const order = count === 'order' ? track.order(position) : null
  const repeated =
    (count === 'visit' && memory.inVisit > 0) ||
    (count === 'visitor' && memory.counted > 0) ||
    (count === 'order' && (order === null ? memory.withoutOrder > 0 : memory.orders.has(order)))
  memory.inVisit++
  if (count === 'order' && order === null) memory.withoutOrder++
  if (order !== null) memory.orders.add(order)
  if (!repeated) memory.counted++
  note(position, repeated ? 'path' : 'counted')
}

/**
 * The position from which on all required steps lie behind: greedily the earliest page view for each, in
 * order. `Infinity` when they are never all met.
 */
function pathMetFrom(steps: number, track: GoalTrack, from: number, to: number): number {
  let step = 0
  if (!steps) return from
  for (let position = from; position < to; position++) {
    if (track.isPageView(position) && track.meetsStep(step, position) && ++step === steps) return position + 1
  }
  return Infinity
}
