import type { Op } from '../rules/Rule.js'
import { judgeCondition, type PreparedCondition } from '../rules/judge.js'
import { prepareCondition } from '../rules/prepareRule.js'

/** The rows of a table reading, made ready. */
export interface PreparedTable {
  reading: string
  rows: { when: PreparedCondition; result: string }[]
  otherwise?: string
}

/** Makes the rows of a table reading ready to be looked up. `in` compares with entries apart by commas. */
export function prepareTable(table: { reading: string; rows: { op: Op; value: string; result: string }[]; otherwise?: string | undefined }): PreparedTable {
  const rows = table.rows.map(({ op, value, result }) => ({
    when: prepareCondition({
      reading: table.reading,
      op,
      value: op === 'in' ? value.split(',').map((each) => each.trim()) : value,
      not: false,
      caseSensitive: false,
    }),
    result,
  }))
  return { reading: table.reading, rows, ...(table.otherwise !== undefined && { otherwise: table.otherwise }) }
}

/** The result of the first row that holds for a text, or what else was asked for. */
export function tableResult(table: PreparedTable, found: string | undefined): string | undefined {
  for (const { when, result } of table.rows) if (judgeCondition(when, found)) return result
  return table.otherwise
}
