import type { GoalReportSums } from '../goals/GoalReportTally.js'
import type { Worth } from '../goals/countGoal.js'
import { ValueSum } from '../goals/ValueSum.js'
import { QuickSum } from './QuickSum.js'

/** Visits and conversions by the number of what they are told apart by. */
export class SumsById {
  readonly visits: Uint32Array
  readonly converting: Uint32Array
  private readonly conversions: Uint32Array
  private readonly sums: (QuickSum | undefined)[] = []

  constructor(size: number) {
    this.visits = new Uint32Array(size)
    this.converting = new Uint32Array(size)
    this.conversions = new Uint32Array(size)
  }

  /** Adds a conversion. @param worth null where it is worth nothing */
  addConversion(id: number, worth: Worth | null): void {
    this.conversions[id]!++
    if (worth) (this.sums[id] ??= new QuickSum()).addWorth(worth)
  }

  /** What there is, by key. Several numbers may stand for the same key. */
  rows<Key>(keyOf: (id: number) => Key): [Key, GoalReportSums][] {
    const rows = new Map<Key, { visits: number; converting: number; conversions: number; sum: ValueSum }>()
    for (const [id, visits] of this.visits.entries()) {
      const conversions = this.conversions[id] as number
      if (!visits && !conversions) continue
      const key = keyOf(id)
      let row = rows.get(key)
      if (!row) rows.set(key, (row = { visits: 0, converting: 0, conversions: 0, sum: new ValueSum() }))
      row.visits += visits
      row.converting += this.converting[id] as number
      row.conversions += conversions
      const sum = this.sums[id]
      if (sum) row.sum.merge(sum.state())
    }
    return [...rows].map(([key, { sum, ...counts }]) => [key, { ...counts, sum: sum.state() }])
  }
}
