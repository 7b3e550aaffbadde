import { ValueSum, type ValueSumState } from './ValueSum.js'

/** What a span, or a value of a dimension, adds up to, as it can be handed to another thread. */
export interface GoalReportSums {
  visits: number
  /** Visits with a conversion. */
  converting: number
  conversions: number
  sum: ValueSumState
}

/** The same while it is added up. */
export interface SumRow extends Omit<GoalReportSums, 'sum'> {
  sum: ValueSum
}

/** Visits and conversions of a goal by what they are told apart by. */
export class SumRows<Key> {
  private readonly rows = new Map<Key, SumRow>()

  /** The row of a key, begun with nothing. */
  row(key: Key): SumRow {
    let row = this.rows.get(key)
    if (!row) this.rows.set(key, (row = { visits: 0, converting: 0, conversions: 0, sum: new ValueSum() }))
    return row
  }

  /** The row of a key that there is. */
  get(key: Key): SumRow | undefined {
    return this.rows.get(key)
  }

  /** Adds rows that were made elsewhere. */
  add(parts: readonly (readonly [Key, GoalReportSums])[]): void {
    for (const [key, { visits, converting, conversions, sum }] of parts) {
      const row = this.row(key)
      row.visits += visits
      row.converting += converting
      row.conversions += conversions
      row.sum.merge(sum)
    }
  }

  /** All of them, with their keys. */
  list(): [Key, SumRow][] {
    return [...this.rows]
  }

  /** All of them, as they can be handed on. */
  parts(): [Key, GoalReportSums][] {
    return this.list().map(([key, { sum, ...counts }]) => [key, { ...counts, sum: sum.state() }])
  }
}
