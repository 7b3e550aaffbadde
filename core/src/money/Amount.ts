import { isNumberText } from './isNumberText.js'

/**
 * Money inside Acequia: a whole number of ten-thousandths of a currency unit, so 36.5 is 365000.
 * Always a safe integer; sums over many conversions are taken as `bigint`.
 */
export type Amount = number

/** The largest amount taken as money, in units; beyond it ten-thousandths stop being safe integers. */
export const LARGEST_AMOUNT = 900_000_000_000

const SCALE = 10_000n

interface Decimal {
  /** All digits as a whole number, with sign. */
  digits: bigint
  /** The number is digits × 10^exponent. */
  exponent: number
}

function parseDecimal(text: string): Decimal | null {
  if (!isNumberText(text)) return null
  const [mantissa = '', power = '0'] = text.trim().toLowerCase().split('e')
  const [whole = '', fraction = ''] = mantissa.split('.')
  const exponent = Number(power) - fraction.length
  // A text can spell a number with millions of zeros; nothing of that size is money.
  if (whole.length + fraction.length > 400 || Math.abs(exponent) > 400) {
    return /[1-9]/.test(mantissa) ? null : { digits: 0n, exponent: 0 }
  }
  const negative = whole.startsWith('-')
  const digits = BigInt(whole.replace(/^[+-]/, '') + fraction || '0')
  return { digits: negative ? -digits : digits, exponent }
}

/** Rounds numerator ÷ denominator to a whole number, half away from zero. */
function divideRounded(numerator: bigint, denominator: bigint): bigint {
  const negative = numerator < 0n
  const absolute = negative ? -numerator : numerator
  const quotient = (absolute * 2n + denominator) / (denominator * 2n)
  return negative ? -quotient : quotient
}

function toAmount(decimal: Decimal): Amount | null {
  const scaled =
    decimal.exponent >= 0 ? decimal.digits * 10n ** BigInt(decimal.exponent) * SCALE : divideRounded(decimal.digits * SCALE, 10n ** BigInt(-decimal.exponent))
  const amount = Number(scaled)
  return Math.abs(amount) <= LARGEST_AMOUNT * 10_000 ? amount : null
}

/**
 * Reads a text as an amount, rounded to 4 decimals half away from zero.
 * @returns null when the text is no number, or larger than money can be
 */
export function parseAmount(text: string): Amount | null {
  const decimal = parseDecimal(text)
  return decimal && toAmount(decimal)
}

/**
 * Turns an amount read from an event into site money: the text times the rate, exactly, then
 * rounded once to 4 decimals half away from zero.
 * @param text the number as it was read
 * @param rate site money for one unit of the other currency, as a decimal text; '1' for the site's own
 * @returns null when the text is no number or the result is larger than money can be
 */
export function convertAmount(text: string, rate: string): Amount | null {
  const amount = parseDecimal(text)
  const factor = parseDecimal(rate)
  if (!amount || !factor) return null
  return toAmount({ digits: amount.digits * factor.digits, exponent: amount.exponent + factor.exponent })
}

/** An amount as a plain number of units, for JSON and display: 365000 → 36.5. */
export function amountToNumber(amount: Amount | bigint): number {
  return Number(amountToText(amount))
}

/** An amount as the shortest decimal text: 365000 → "36.5". */
export function amountToText(amount: Amount | bigint): string {
  const value = BigInt(amount)
  const absolute = value < 0n ? -value : value
  const fraction = (absolute % SCALE).toString().padStart(4, '0').replace(/0+$/, '')
  return `${value < 0n ? '-' : ''}${absolute / SCALE}${fraction && '.' + fraction}`
}
