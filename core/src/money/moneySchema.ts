import * as z from 'zod'
import { LARGEST_AMOUNT } from './Amount.js'

const SHORT_DECIMAL = /^[+-]?(\d{1,12}(\.\d{0,4})?|\.\d{1,4})$/

/**
 * Money on its way in: a number or a decimal text with at most 4 decimals.
 * Comes out as a number of units that has exactly that decimal text.
 */
export const moneySchema = z.union([z.number(), z.string()]).transform((given, context): number => {
  const text = typeof given === 'number' ? String(given) : given.trim()
  // Small numbers print as 1e-7 and large ones as 1e+21; neither is money with 4 decimals.
  if (!SHORT_DECIMAL.test(text) || Math.abs(Number(text)) > LARGEST_AMOUNT) {
    context.addIssue({ code: 'custom', message: 'An amount is a number with at most 4 decimals, such as 18 or 2.50.' })
    return z.NEVER
  }
  return Number(text)
})

/** An exchange rate: a positive decimal, kept as text so that it never is a float. */
export const rateSchema = z.union([z.number(), z.string()]).transform((given, context): string => {
  const text = String(given).trim()
  if (!/^\d{1,12}(\.\d{1,12})?$/.test(text) || Number(text) <= 0) {
    context.addIssue({ code: 'custom', message: 'A rate is a positive number, such as 0.92.' })
    return z.NEVER
  }
  return text
})
