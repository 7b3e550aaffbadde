import type { CleanUp } from './ownReadingSchema.js'

/** Longest text that an own reading keeps. */
export const LONGEST_READING = 500

/**
 * Cleans the text of an own reading: trimmed, in lower case, reduced to its number, and replaced
 * where nothing is left, each as far as asked for.
 * @returns undefined when the reading is absent
 */
export function cleanText(found: string | undefined, clean: CleanUp): string | undefined {
  let text = found ?? ''
  if (clean.trim) text = text.replace(/\s+/g, ' ').trim()
  if (clean.lowerCase) text = text.toLowerCase()
  if (clean.number) text = numberIn(text, clean.number) ?? ''
  return text.slice(0, LONGEST_READING) || clean.otherwise || undefined
}

/**
 * The first number in a text, as rules and values understand it: "Total: 1.234,50 €" with a decimal
 * comma is "1234.50". Thousands may be set apart by the other sign, spaces or apostrophes.
 * @returns undefined when there is none
 */
export function numberIn(text: string, decimal: '.' | ','): string | undefined {
  const other = decimal === '.' ? ',' : '\\.'
  const point = decimal === '.' ? '\\.' : ','
  const found = new RegExp(`[-+\u2212]?(?:\\d{1,3}(?:[${other}\\s\u00a0\u202f'\u2019]\\d{3})+(?!\\d)|\\d+)(?:${point}\\d+)?`).exec(text)
  if (!found) return undefined
  return found[0]
    .replace('\u2212', '-')
    .replace(new RegExp(`[${other}\\s\u00a0\u202f'\u2019+]`, 'g'), '')
    .replace(',', '.')
}
