import { lessRefunds, type AfterSales } from '../goals/afterSales.js'
import { worthOf, type Worth } from '../goals/countGoal.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { columnReading, type ColumnCursor } from './columnRule.js'
import type { Columns } from './Columns.js'

/** Gives the value in site money where it is plain to see, else NaN; null where it never is. */
export function plainWorth({ value, currency, texts }: Columns, goal: PreparedGoal): ((position: number) => number) | null {
  if (goal.value.type === 'none') return () => 0
  if (goal.value.type === 'fixed') return () => goal.amount
  if (goal.value.reading !== 'value') return null
  const own = texts.currencies.indexOf(goal.currency)
  return (position) => {
    const amount = value[position] as number
    if (Number.isNaN(amount)) return goal.amount
    const code = currency[position]
    return code === 0 || code === own ? amount : NaN
  }
}

/** Tells what a conversion is worth, after what became of the visitor's orders. */
export type WorthReader = (position: number, visit: number, sales: AfterSales | null) => Worth

/** Reads what conversions are worth. */
export function worthReader(columns: Columns, goal: PreparedGoal): WorthReader {
  const cursor: ColumnCursor = { visit: 0 }
  const worthAt = asRead(columns, cursor, goal)
  return (position, visit, sales) => {
    cursor.visit = visit
    const worth = worthAt(position)
    return sales ? lessRefunds(worth, columns.texts.orders[columns.order[position] as number], sales, goal) : worth
  }
}

/** What a conversion was worth at first; the same text and currency are worked out once. */
function asRead(columns: Columns, cursor: ColumnCursor, goal: PreparedGoal): (position: number) => Worth {
  if (goal.value.type !== 'reading') {
    const worth = worthOf(goal, undefined, null)
    return () => worth
  }
  const { reading } = goal.value
  const { idAt, size, textOf } = columnReading(reading, columns, cursor)
  const known = new Map<string, Worth>()
  return (position) => {
    const currency = columns.currency[position] as number
    const key = `${reading === 'value' ? columns.value[position] : size ? idAt(position) : textOf(position)} ${currency}`
    let worth = known.get(key)
    if (!worth) {
      worth = worthOf(goal, textOf(idAt(position)), columns.texts.currencies[currency])
      if (known.size > 100_000) known.clear()
      known.set(key, worth)
    }
    return worth
  }
}
