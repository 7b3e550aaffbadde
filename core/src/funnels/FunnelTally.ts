import type { DimensionValue } from '../dimensions/dimensions.js'
import { compareCodePoints } from '../text/compareCodePoints.js'

/** What passes one step of a funnel. `left = entered + arrived − continued` on every step but the last. */
export interface FunnelStepCount {
  name: string
  /** Joined here. */
  entered: number
  /** Came from the step before. */
  arrived: number
  /** Went on to the next; 0 on the last step. */
  continued: number
  left: number
  /** continued ÷ (entered + arrived); null on the last step and where nobody was. */
  rate: number | null
  /** Half of those who went on took at most so long to the next step. */
  medianSeconds: number | null
  /** The page viewed right after by those who left; null for leaving the site. Most frequent first. */
  leftTo: { path: string | null; count: number }[]
  /** Of those who left in their visit, how many met all steps that were missing in later visits; null where that was not asked. */
  cameBack: number | null
}

/** A funnel's answer, or that of one part of it. */
export interface FunnelCount {
  steps: FunnelStepCount[]
  completed: number
  /** All who joined, at whichever step. */
  began: number
  /** completed ÷ began; null where nobody did. */
  completionRate: number | null
}

/** Everything a tally has counted, without names. */
export interface FunnelState {
  entered: number[]
  reached: number[]
  cameBack: number[]
  times: Float64Array[]
  leftTo: [path: string | null, count: number][][]
}

/** Adds up walks through a funnel. */
export class FunnelTally {
  private readonly entered: number[]
  private readonly reached: number[]
  private readonly times: number[][]
  private readonly leftTo: Map<string | null, number>[]
  private readonly cameBack: number[]
  /** Times that came from other threads. */
  private readonly merged: Float64Array[][]

  /** @param returns whether it is told who came back */
  constructor(
    private readonly names: readonly string[],
    private readonly returns = false,
  ) {
    this.entered = names.map(() => 0)
    this.reached = names.map(() => 0)
    this.cameBack = names.map(() => 0)
    this.times = names.map(() => [])
    this.merged = names.map(() => [])
    this.leftTo = names.map(() => new Map<string | null, number>())
  }

  /** Everything counted so far, as it can be handed to another thread. */
  state(): FunnelState {
    return {
      entered: this.entered,
      reached: this.reached,
      cameBack: this.cameBack,
      times: this.times.map((list) => Float64Array.from(list)),
      leftTo: this.leftTo.map((pages) => [...pages]),
    }
  }

  /** Adds what somebody else counted of other visitors. */
  merge(state: FunnelState): void {
    for (let step = 0; step < this.names.length; step++) {
      this.entered[step]! += state.entered[step]!
      this.reached[step]! += state.reached[step]!
      this.cameBack[step]! += state.cameBack[step]!
      this.merged[step]!.push(state.times[step]!)
      const pages = this.leftTo[step]!
      for (const [path, n] of state.leftTo[step]!) pages.set(path, (pages.get(path) ?? 0) + n)
    }
  }

  /** How many joined. */
  get size(): number {
    return this.entered.reduce((sum, each) => sum + each, 0)
  }

  /**
   * Adds one walk.
   * @param first the step joined at
   * @param times ms between each step met and the next
   * @param leftTo the page after the last step met; not used for those who completed
   */
  add(first: number, times: readonly number[], leftTo: string | null, cameBack: boolean): void {
    const last = first + times.length
    this.entered[first]!++
    for (let step = first; step <= last; step++) this.reached[step]!++
    for (const [index, ms] of times.entries()) this.times[first + index]!.push(ms)
    if (last === this.names.length - 1) return
    const pages = this.leftTo[last]!
    pages.set(leftTo, (pages.get(leftTo) ?? 0) + 1)
    if (cameBack) this.cameBack[last]!++
  }

  /** The sums. */
  result(): FunnelCount {
    const end = this.names.length - 1
    const steps = this.names.map((name, step): FunnelStepCount => {
      const entered = this.entered[step]!
      const all = this.reached[step]!
      const continued = step === end ? 0 : this.reached[step + 1]! - this.entered[step + 1]!
      const times = this.times[step]!
      return {
        name,
        entered,
        arrived: all - entered,
        continued,
        left: step === end ? 0 : all - continued,
        rate: step === end || !all ? null : continued / all,
        medianSeconds: median(this.merged[step]!.length ? joined([Float64Array.from(times), ...this.merged[step]!]) : Float64Array.from(times)),
        leftTo: [...this.leftTo[step]!]
          .map(([path, count]) => ({ path, count }))
          .sort((a, b) => b.count - a.count || (a.path === null ? 1 : b.path === null ? -1 : compareCodePoints(a.path, b.path))),
        cameBack: this.returns ? this.cameBack[step]! : null,
      }
    })
    const [completed, began] = [this.reached[end]!, this.size]
    return { steps, completed, began, completionRate: began ? completed / began : null }
  }
}

function joined(lists: readonly Float64Array[]): Float64Array {
  const all = new Float64Array(lists.reduce((sum, list) => sum + list.length, 0))
  let length = 0
  for (const list of lists) {
    all.set(list, length)
    length += list.length
  }
  return all
}

/** The middle of some times in ms, in seconds; of an even number, halfway between the two in the middle. Changes their order. */
function median(times: Float64Array): number | null {
  if (!times.length) return null
  const middle = times.length >> 1
  const upper = nth(times, middle)
  if (times.length % 2) return upper / 1000
  let lower = -Infinity
  for (let index = 0; index < middle; index++) lower = Math.max(lower, times[index]!)
  return (lower + upper) / 2000
}

/** The nth smallest, by Hoare's selection: sorting millions of times would take longer than counting them. */
function nth(list: Float64Array, n: number): number {
  let [left, right] = [0, list.length - 1]
  while (left < right) {
    const pivot = list[(left + right) >> 1]!
    let [low, high] = [left, right]
    while (low <= high) {
      while (list[low]! < pivot) low++
      while (list[high]! > pivot) high--
      if (low <= high) {
        const swap = list[low]!
        list[low++] = list[high]!
        list[high--] = swap
      }
    }
    if (n <= high) right = high
    else if (n >= low) left = low
    else break
  }
  return list[n]!
}

/** The key of a part, for a map. */
export const splitKey = (value: DimensionValue): string => (value === null ? '' : `${typeof value} ${value}`)
