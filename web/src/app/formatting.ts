/** The person's own locale. */
export const locale = navigator.language

const whole = new Intl.NumberFormat(locale)
const percent = new Intl.NumberFormat(locale, { style: 'percent', minimumFractionDigits: 1, maximumFractionDigits: 1 })
const change = new Intl.NumberFormat(locale, { style: 'percent', maximumFractionDigits: 0, signDisplay: 'exceptZero' })

/** A count. */
export const count = (value: number): string => whole.format(value)

/** How often: "once", "12 times". */
export const times = (value: number): string => (value === 1 ? 'once' : `${count(value)} times`)

/** A fraction as a percentage; a dash where there is none. */
export const rate = (value: number | null): string => (value === null ? '–' : percent.format(value))

/** Money of a currency; cents only where they say something. */
export function money(value: number, currency: string): string {
  const absolute = Math.abs(value)
  const digits = absolute >= 10_000 || (Number.isInteger(value) && absolute >= 100) ? 0 : 2
  return new Intl.NumberFormat(locale, {
    style: 'currency',
    currency,
    currencyDisplay: 'narrowSymbol',
    minimumFractionDigits: digits,
    maximumFractionDigits: digits,
  }).format(value)
}

/** How much more (or less) than before, as a percentage; null where before was nothing. */
export function changeFrom(before: number, now: number): string | null {
  return before === 0 ? null : change.format((now - before) / before)
}

/** A day of the calendar, short: "25 Oct". Days are texts in the site's time zone already. */
export function dayText(day: string, options: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short' }): string {
  return new Intl.DateTimeFormat(locale, { ...options, timeZone: 'UTC' }).format(new Date(day + 'T12:00:00Z'))
}

/** A moment on the site's clock. */
export function timeText(at: string, timeZone: string, options: Intl.DateTimeFormatOptions = { dateStyle: 'medium', timeStyle: 'short' }): string {
  return new Intl.DateTimeFormat(locale, { ...options, timeZone }).format(new Date(at))
}

const relative = new Intl.RelativeTimeFormat(locale, { numeric: 'auto' })

/** How long ago: "3 minutes ago". */
export function agoText(at: string, now = Date.now()): string {
  const seconds = (Date.parse(at) - now) / 1000
  const steps: [number, Intl.RelativeTimeFormatUnit][] = [
    [60, 'second'],
    [60, 'minute'],
    [24, 'hour'],
    [365, 'day'],
    [Infinity, 'year'],
  ]
  let value = seconds
  for (const [size, unit] of steps) {
    if (Math.abs(value) < size) return relative.format(Math.round(value), unit)
    value /= size
  }
  return at
}
