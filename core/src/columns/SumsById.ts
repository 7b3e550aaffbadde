import type { Worth } from '../goals/countGoal.js'
import { SumRows, type GoalReportSums } from '../goals/SumRows.js'
import { QuickSum, SAFE } from './QuickSum.js'

/** Visits and conversions by the number of what they are told apart by. Counts are added to directly: it may be millions of times. */
export class SumsById {
  readonly visits: Uint32Array
  /** Visits with a conversion. */
  readonly converting: Uint32Array
  readonly conversions: Uint32Array
  /** Site money, as long as it stays exact; what would not, and what has no rate, is in the rest. */
  private readonly plain: Float64Array
  private readonly rest: (QuickSum | undefined)[] = []

  constructor(size: number) {
    this.visits = new Uint32Array(size)
    this.converting = new Uint32Array(size)
    this.conversions = new Uint32Array(size)
    this.plain = new Float64Array(size)
  }

  /** Adds site money that is exact as it is, at most `SAFE`. */
  addPlain(id: number, value: number): void {
    const before = this.plain[id] as number
    const sum = before + value
    if (sum <= SAFE && sum >= -SAFE) this.plain[id] = sum
    else {
      this.restOf(id).add(before)
      this.plain[id] = value
    }
  }

  /** Adds what a conversion is worth, which may have no rate. */
  addWorth(id: number, worth: Worth): void {
    this.restOf(id).addWorth(worth)
  }

  /** What there is, by key. Several numbers may stand for the same key. */
  rows<Key>(keyOf: (id: number) => Key): [Key, GoalReportSums][] {
    const rows = new SumRows<Key>()
    for (const [id, visits] of this.visits.entries()) {
      const conversions = this.conversions[id] as number
      const converting = this.converting[id] as number
      if (!visits && !conversions && !converting) continue
      const row = rows.row(keyOf(id))
      row.visits += visits
      row.converting += converting
      row.conversions += conversions
      const plain = this.plain[id] as number
      if (plain) row.sum.merge({ total: BigInt(plain), without: [] })
      const rest = this.rest[id]
      if (rest) row.sum.merge(rest.state())
    }
    return rows.parts()
  }

  private restOf(id: number): QuickSum {
    return (this.rest[id] ??= new QuickSum())
  }
}
