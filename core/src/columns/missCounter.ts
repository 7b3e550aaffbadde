import type { BacktestPart } from '../goals/Backtest.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { NO_VISIT, readEvent } from '../readings/readEvent.js'
import { nearMiss } from '../rules/nearMiss.js'
import { pathOf } from './pathOf.js'
import { columnReading, readerAt, type ColumnCursor } from './columnRule.js'
import type { Columns } from './Columns.js'

/** Largest table of what was judged already, in entries. */
const LARGEST = 8_000_000
const UNKNOWN = 0
const NONE = 1
const SOME = 2

/** Counts near misses of a goal's rule. */
export interface MissCounter {
  /** Looks at one event. */
  look: (position: number) => void
  /** Looks at so many events of one address, where the rule asks for nothing else. */
  lookAtAddress: (id: number, events: number) => void
  result: () => BacktestPart['misses']
}

/** Judges each combination of texts that a rule reads once. */
export function missCounter(columns: Columns, cursor: ColumnCursor, goal: PreparedGoal): MissCounter {
  const { address, texts } = columns
  const found = new Map<string, BacktestPart['misses'][number]>()
  const add = (id: number, why: string, events: number): void => {
    const path = pathOf(columns, id)
    const key = `${why}\n${path}`
    const entry = found.get(key)
    if (entry) entry.events += events
    else found.set(key, { path, events, why })
  }
  const result = (): BacktestPart['misses'] => [...found.values()]
  const lookAtAddress = (id: number, events: number): void => {
    const why = nearMiss(goal.where, readEvent({ name: '', url: texts.addresses[id] as string }, NO_VISIT))
    if (why !== null) add(id, why, events)
  }
  const conditions = goal.where.flat()
  if (!conditions.length) return { look: () => undefined, lookAtAddress, result }
  const read = readerAt(columns, cursor)
  const lookups = [...new Set(conditions.map(({ reading }) => reading))].map((reading) => columnReading(reading, columns, cursor))
  const entries = lookups.reduce((product, { size }) => product * size, 1)
  if (entries === 0 || entries > LARGEST) {
    const look = (position: number): void => {
      const why = nearMiss(goal.where, read(position))
      if (why !== null) add(address[position] as number, why, 1)
    }
    return { look, lookAtAddress, result }
  }
  const known = new Uint8Array(entries)
  const [one, other, ...more] = lookups as [(typeof lookups)[number], ...typeof lookups]
  const indexOf = (position: number): number => {
    let index = one.idAt(position)
    if (other) index = index * other.size + other.idAt(position)
    for (let each = 0; each < more.length; each++) index = index * more[each]!.size + more[each]!.idAt(position)
    return index
  }
  const look = (position: number): void => {
    const index = indexOf(position)
    if (known[index] === NONE) return
    const why = nearMiss(goal.where, read(position))
    if (known[index] === UNKNOWN) known[index] = why === null ? NONE : SOME
    if (why !== null) add(address[position] as number, why, 1)
  }
  return { look, lookAtAddress, result }
}
