import type { Worth } from '../goals/countGoal.js'
import type { ValueSumState } from '../goals/ValueSum.js'

/** Beyond this, whole numbers are moved into a `bigint` before they could get inexact. */
export const SAFE = 2 ** 51

/** Adds up ten-thousandths exactly, as `ValueSum` does, but millions of them quickly. */
export class QuickSum {
  private small = 0
  private large = 0n
  private readonly without = new Map<string, bigint>()

  /** Adds site money. */
  add(value: number): void {
    if (value > SAFE || value < -SAFE) {
      this.large += BigInt(value)
      return
    }
    this.small += value
    if (this.small > SAFE || this.small < -SAFE) {
      this.large += BigInt(this.small)
      this.small = 0
    }
  }

  /** Adds what a conversion is worth, which may have no rate. */
  addWorth({ value, amount, currency }: Worth): void {
    if (value !== null) this.add(value)
    else this.without.set(currency, (this.without.get(currency) ?? 0n) + BigInt(amount))
  }

  /** The sum as it can be handed to another thread. */
  state(): ValueSumState {
    return { total: this.large + BigInt(this.small), without: [...this.without] }
  }
}
