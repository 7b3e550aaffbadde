/**
 * An amount as sentences show it. The locale is fixed where the text is stored or compared, and the
 * person's own where it is only shown.
 */
export function moneyText(amount: number, currency: string, locale = 'en-GB'): string {
  try {
    return new Intl.NumberFormat(locale, { style: 'currency', currency, currencyDisplay: 'narrowSymbol', maximumFractionDigits: 4 }).format(amount)
  } catch {
    return `${amount} ${currency}`
  }
}
