import { amountToNumber, amountToText, type Amount } from '../money/Amount.js'

/** What a sum of conversion values looks like in answers. */
export interface SummedValue {
  /** Site money. */
  value: number
  /** Money without a rate, by currency, as decimal texts; absent when there is none. */
  unconverted?: Record<string, string>
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

  /** The sum as answers carry it. */
  result(): SummedValue {
    const value = amountToNumber(this.total)
    if (!this.without.size) return { value }
    return { value, unconverted: Object.fromEntries([...this.without].sort().map(([currency, sum]) => [currency, amountToText(sum)])) }
  }
}
