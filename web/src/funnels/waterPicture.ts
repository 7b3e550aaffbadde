import type { FunnelStepCount } from '@acequia/core/funnels/FunnelTally'

/** Something that leaves at a gate: its band, where it goes, how many. */
export interface Leak {
  /** null for leaving the site; undefined for several pages together. */
  path: string | null | undefined
  words: string
  count: number
  d: string
  /** Where its words begin. */
  x: number
  y: number
}

/** One step, drawn as a gate. */
export interface Gate {
  name: string
  count: number
  x: number
  y: number
  width: number
  height: number
  labelX: number
  labelY: number
  /** Room for the name, in pixels. */
  room: number
  /** Visits that joined here rather than came from the step before; drawn as an inflow. */
  joined: { count: number; d: string } | null
  /** The band to the next gate; null at the last. */
  band: { d: string; words: string; x: number; y: number; inside: boolean } | null
  leaks: Leak[]
}

/** The whole picture, in pixels. */
export interface WaterPicture {
  width: number
  height: number
  gates: Gate[]
  /** The water behind the last gate. */
  outflow: string
}

const TOP = 58
const GATE = 6
const MOST_THICK = 150
const GAP = 12
const LINE = 24
const TAIL = 66
const EDGE = 12
const CURVE = 12

/**
 * Draws a funnel as water seen from above, to scale: at every gate the part that goes on stays on top, and
 * what is lost turns downward in bands as thick as their counts, the lowest first so that none cross.
 * @param most number that has full thickness; give the same to pictures that shall be compared
 * @param vertical runs from top to bottom, for narrow screens
 */
export function waterPicture(
  steps: readonly FunnelStepCount[],
  size: number,
  most: number,
  wordsOf: (step: FunnelStepCount, short: boolean) => string,
  vertical = false,
): WaterPicture {
  const last = steps.length - 1
  const length = vertical ? Math.max(size, steps.length * 190) : size
  const spacing = last > 0 ? (length - EDGE - TAIL) / last : length - EDGE - TAIL
  const shown = spacing > 270 ? 4 : spacing > 170 ? 2 : 1
  const short = spacing < 150
  const thickest = vertical ? 90 : MOST_THICK
  const lostMost = Math.max(1, ...steps.map((step) => step.left))
  // To scale everywhere, so the widest leak of all decides too.
  const unit = Math.min(thickest / Math.max(1, most), Math.max(10, spacing - (vertical ? 130 : 90) - shown * GAP) / lostMost)
  const thick = (count: number): number => (count > 0 ? Math.max(0.75, count * unit) : 0)
  const across = vertical ? EDGE : TOP
  const deepest = across + thickest + shown * LINE + (vertical ? 16 : 36)
  const point = (along: number, depth: number): string => (vertical ? `${round(depth)} ${round(along)}` : `${round(along)} ${round(depth)}`)
  const box = (from: number, to: number, top: number, height: number): string =>
    `M${point(from, top)}L${point(to, top)}L${point(to, top + height)}L${point(from, top + height)}Z`

  const gates = steps.map((step, index): Gate => {
    const along = EDGE + index * spacing + (vertical ? 44 : 0)
    const all = step.entered + step.arrived
    const start = along + GATE
    const goesOn = thick(step.continued)
    const lost = joinSmall(step, shown, short)
    // From the lowest band up: the lowest turns first and runs longest.
    let depth = across + goesOn + lost.reduce((sum, leak) => sum + thick(leak.count), 0)
    let turn = start + 26
    const leaks = lost.map((leak, order): Leak => {
      const t = thick(leak.count)
      depth -= t
      const end = deepest - order * LINE
      const inner = Math.min(CURVE, turn - start)
      const d = [
        `M${point(start, depth)}`,
        `L${point(turn - inner, depth)}`,
        `Q${point(turn + t, depth)} ${point(turn + t, depth + inner + t)}`,
        `L${point(turn + t, end)}`,
        `L${point(turn, end)}`,
        `L${point(turn, depth + t + inner)}`,
        `Q${point(turn, depth + t)} ${point(turn - inner, depth + t)}`,
        `L${point(start, depth + t)}Z`,
      ].join('')
      const place = vertical ? { x: end + 6, y: turn + t / 2 + 4 } : { x: turn + t + 7, y: end - 3 }
      turn += t + GAP
      return { ...leak, d, ...place }
    })
    const height = Math.max(16, thick(all) + 14)
    const next = along + spacing
    const inside = goesOn >= 20
    return {
      name: step.name,
      count: all,
      ...(vertical ? { x: across - 7, y: along, width: height, height: GATE } : { x: along, y: across - 7, width: GATE, height }),
      labelX: vertical ? across + (index ? thick(step.arrived) + 10 : 0) : along,
      labelY: vertical ? along - 28 : 16,
      room: spacing - 12,
      joined: index > 0 && step.entered ? { count: step.entered, d: box(along - 34, along, across + thick(step.arrived), thick(step.entered)) } : null,
      band:
        index < last
          ? {
              d: box(start, next, across, goesOn),
              words: wordsOf(step, short),
              inside,
              ...(vertical ? { x: across + goesOn + 10, y: next - 60 } : { x: next - 12, y: inside ? across + goesOn / 2 + 4 : across + goesOn + 15 }),
            }
          : null,
      leaks,
    }
  })
  const end = gates[last]
  const endAlong = EDGE + last * spacing + (vertical ? 44 : 0) + GATE
  return {
    width: vertical ? deepest + 110 : length,
    height: vertical ? length + 40 : deepest + 10,
    gates,
    outflow: end ? box(endAlong, endAlong + TAIL - GATE - 4, across, thick(end.count)) : '',
  }
}

/** The pages that most left to, and the rest together; leaving the site stands by itself. The largest first. */
function joinSmall(step: FunnelStepCount, shown: number, short: boolean): Pick<Leak, 'path' | 'words' | 'count'>[] {
  const fits = step.leftTo.length <= shown
  const named = step.leftTo.slice(0, fits ? shown : shown - 1)
  const away = step.leftTo.find(({ path }) => path === null)
  if (!fits && away && named.length && !named.includes(away)) named.splice(-1, 1, away)
  const rest = step.leftTo.filter((each) => !named.includes(each))
  const joined = rest.reduce((sum, each) => sum + each.count, 0)
  return [
    ...named.map(({ path, count }) => ({ path, count, words: path ?? (short ? 'left' : 'left the site') })),
    ...(joined ? [{ path: undefined, count: joined, words: named.length ? `${rest.length} other ${rest.length === 1 ? 'page' : 'pages'}` : 'elsewhere' }] : []),
  ]
}

const round = (value: number): number => Math.round(value * 100) / 100
