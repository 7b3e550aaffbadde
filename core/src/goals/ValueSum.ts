import { amountToNumber, amountToText, type Amount } from '../money/Amount.js'

/** What a sum of conversion values looks like in answers. */
export interface SummedValue {
  /** Site money. */
  value: number
  /** Money without a rate, by currency, as decimal texts; absent when there is none. */
  unconverted?: Record<string, string>
}

/** A sum in ten-thousandths, with what had no rate by currency. */
export interface ValueSumState {
  total: bigint
  without: [currency: string, sum: bigint][]
}

/** Adds up conversion values exactly. */
export class ValueSum {
  private total = 0n
  private readonly without = new Map<string, bigint>()

  /** Adds one conversion; `value` null means there was no rate for `currency`. */
  add(conversion: { value: Amount | null; amount: Amount; currency: string }): void {
    if (conversion.value !== null) this.total += BigInt(conversion.value)
    else this.without.set(conversion.currency, (this.without.get(conversion.currency) ?? 0n) + BigInt(conversion.amount))
  }

  /** Adds a sum that was made elsewhere, as `state` gave it. */
  merge({ total, without }: ValueSumState): void {
    this.total += total
    for (const [currency, sum] of without) this.without.set(currency, (this.without.get(currency) ?? 0n) + sum)
  }

  /** The sum as it can be handed to another thread. */
  state(): ValueSumState {
    return { total: this.total, without: [...this.without] }
  }

  /** The sum as answers carry it. */
  result(): SummedValue {
    const value = amountToNumber(this.total)
    if (!this.without.size) return { value }
    return { value, unconverted: Object.fromEntries([...this.without].sort().map(([currency, sum]) => [currency, amountToText(sum)])) }
  }
}
