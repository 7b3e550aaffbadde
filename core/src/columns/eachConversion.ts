import type { AfterSales } from '../goals/afterSales.js'
import { countVisit, newMemory, type Passed } from '../goals/countVisit.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { ColumnGoalTrack } from './ColumnGoalTrack.js'
import type { ColumnCursor } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'
import { goalOnColumns } from './goalOnColumns.js'
import { salesReader } from './salesReader.js'

/**
 * Finds every event that a goal counts among a part of a site's visitors, whenever it happened; those of one visit come one
 * after the other. Which of them is the first of its order is still to be settled over all visitors.
 * @param take also told what became of the visitor's orders; null where nothing did
 */
export function eachConversion(
  columns: Columns,
  part: ColumnPart,
  goal: PreparedGoal,
  take: (position: number, visit: number, visitor: number, sales: AfterSales | null) => void,
): void {
  const { at, name, address, order, visitStart, visitorStart, texts } = columns
  const { kind } = goal
  const cursor: ColumnCursor = { visit: 0 }
  const { shape, pageView, wanted, pass, holds, steps, only } = goalOnColumns(goal, columns, cursor)
  const track = new ColumnGoalTrack(columns, pageView, wanted, pass, holds, steps)
  const salesOf = salesReader(columns)
  /** Where no event depends on another one, addresses alone decide: it may be the whole log. */
  const independent = goal.count === 'every' && !steps.length && !salesOf && !only ? pass : null
  const memory = newMemory()
  let visitor = part.from
  let sales: AfterSales | null = null

  const note = (position: number, passed: Passed): void => {
    if (passed !== 'counted' || (only && !only(position))) return
    if (sales?.cancelled.has(texts.orders[order[position] as number] as string)) return
    take(position, cursor.visit, visitor, sales)
  }
  /** Whether anything of a visit can count, so that most visits are passed over without a call. */
  const canCount = (from: number, to: number, nth: number): boolean => {
    if (kind.type === 'time') return (at[to - 1] as number) - (at[from] as number) >= kind.seconds * 1000
    if (kind.type === 'depth') return to - from >= kind.pages
    if (kind.type === 'return') return nth >= kind.visits
    for (let position = from; position < to; position++) if (name[position] === wanted && (!pass || pass[address[position] as number] === 1)) return true
    return false
  }

  for (; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    memory.counted = 0
    memory.orders.clear()
    sales = salesOf?.(visitor) ?? null
    const first = visitorStart[visitor] as number
    const end = visitorStart[visitor + 1] as number
    for (let visit = first; visit < end; visit++) {
      const from = visitStart[visit] as number
      const to = visitStart[visit + 1] as number
      if (independent) {
        for (let position = from; position < to; position++)
          if (name[position] === wanted && independent[address[position] as number] === 1) take(position, visit, visitor, null)
        continue
      }
      if (!canCount(from, to, visit - first + 1)) continue
      cursor.visit = visit
      memory.visits = visit - first
      countVisit(shape, track, from, to, memory, note)
    }
  }
}
