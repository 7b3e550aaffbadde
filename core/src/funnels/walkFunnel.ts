import { MOST_STEPS, type Funnel } from './funnelSchema.js'

/**
 * Events in order, by position, as a funnel sees them. Whoever holds events in another form can so be
 * walked by the same function.
 */
export interface Track {
  /** ms since 1970. */
  at(position: number): number
  isPageView(position: number): boolean
  /** Whether an event has the name of a step and satisfies its rule. */
  meets(step: number, position: number): boolean
}

/** What of a funnel decides how it is walked. */
export interface FunnelShape {
  direct: readonly boolean[]
  entry: Funnel['entry']
}

/** One way through a funnel. Is filled anew by each walk, because millions of them are walked. */
export interface Walk {
  /** The step at which one joins. */
  first: number
  /** How many steps were met. */
  length: number
  /** Positions of the events that met them, as many as `length`. */
  positions: Int32Array
}

/** Room for a walk. */
export function newWalk(): Walk {
  return { first: -1, length: 0, positions: new Int32Array(MOST_STEPS) }
}

/** Takes from a funnel what decides how it is walked. */
export function shapeOf({ steps, entry }: Pick<Funnel, 'steps' | 'entry'>): FunnelShape {
  return { direct: steps.map((step) => step.direct), entry }
}

/**
 * Walks a funnel through events: greedily, the earliest event for the first step, then the earliest later
 * one for the next (contract "Funnels").
 * @param from first position looked at
 * @param joinBefore positions from here on may not be where one joins
 * @param to behind the last position
 * @param deadlineOf last instant (ms) for later steps, from where one joins
 * @param walk is filled
 * @returns whether any step is met
 */
export function walkFunnel(
  track: Track,
  shape: FunnelShape,
  from: number,
  joinBefore: number,
  to: number,
  deadlineOf: ((joined: number) => number) | null,
  walk: Walk,
): boolean {
  const { direct, entry } = shape
  const { positions } = walk
  let first = -1
  let position = from
  for (; position < joinBefore; position++) {
    if (entry === 'first') {
      if (track.meets(0, position)) first = 0
    } else {
      for (let step = 0; step < direct.length && first < 0; step++) if (track.meets(step, position)) first = step
    }
    if (first >= 0) break
  }
  if (first < 0) return false
  walk.first = first
  positions[0] = position
  let length = 1
  walk.length = 1
  const deadline = deadlineOf ? deadlineOf(position) : Infinity
  for (let step = first + 1; step < direct.length; step++) {
    let next = position + 1
    if (direct[step]) {
      while (next < to && !track.isPageView(next)) next++
      if (next >= to || !track.meets(step, next)) return true
    } else {
      while (next < to && !track.meets(step, next)) next++
      if (next >= to) return true
    }
    if (deadline < Infinity && track.at(next) > deadline) return true
    positions[length++] = next
    walk.length = length
    position = next
  }
  return true
}
