import type { GoalShape } from '../goals/countVisit.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { columnRule, type ColumnCursor, type ColumnPredicate } from './columnRule.js'
import type { Columns } from './Columns.js'
import { passOfAddresses, type AddressPass } from './passOfAddresses.js'

/** A goal made ready for columns. */
export interface GoalOnColumns {
  shape: GoalShape
  /** Numbers of the names that page views and events of the goal's kind have. */
  pageView: number
  wanted: number
  /** Whether a rule decides which events are of the goal's kind: of pages and events only. */
  ruled: boolean
  /** Where that rule asks for nothing but the address; else null. */
  pass: AddressPass | null
  holds: ColumnPredicate
  /** The rules of the required steps. */
  steps: ColumnPredicate[]
  /** What a trigger asks for besides its goal; null where it asks for nothing. */
  only: ColumnPredicate | null
}

/** Makes a goal ready for columns. @param cursor is set to each visit before one of its events is asked about */
export function goalOnColumns(goal: PreparedGoal, columns: Columns, cursor: ColumnCursor): GoalOnColumns {
  const { kind } = goal
  const pageView = columns.texts.names.indexOf('page-view')
  const ruled = kind.type === 'page' || kind.type === 'event'
  const steps = goal.required.map((rule) => columnRule(rule, columns, cursor))
  return {
    shape: { kind, count: goal.count, steps: steps.length },
    pageView,
    wanted: kind.type === 'event' ? columns.texts.names.indexOf(kind.event) : pageView,
    ruled,
    pass: ruled ? passOfAddresses(goal.where, columns) : null,
    holds: columnRule(goal.where, columns, cursor),
    steps,
    only: onlyOf(goal, columns, cursor),
  }
}

function onlyOf({ only }: PreparedGoal, columns: Columns, cursor: ColumnCursor): ColumnPredicate | null {
  if (!only) return null
  const holds = columnRule(only.where, columns, cursor)
  if (!only.except.length) return holds
  const excepted = columnRule(only.except, columns, cursor)
  return (position) => holds(position) && !excepted(position)
}
