import type { PreparedGoal } from '../goals/prepareGoal.js'
import { columnRule, type ColumnCursor, type ColumnPredicate } from './columnRule.js'
import type { Columns } from './Columns.js'

/** Tells whether what was counted satisfies what a trigger asks for besides its goal; null where it asks for nothing. */
export function columnOnly({ only }: PreparedGoal, columns: Columns, cursor: ColumnCursor): ColumnPredicate | null {
  if (!only) return null
  const holds = columnRule(only.where, columns, cursor)
  if (!only.except.length) return holds
  const excepted = columnRule(only.except, columns, cursor)
  return (position) => holds(position) && !excepted(position)
}
