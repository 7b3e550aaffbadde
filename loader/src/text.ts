/** A number as the collector takes money: at most 4 decimals. */
export function money(value: unknown): number | undefined {
  const number = Math.round(Number(value) * 1e4) / 1e4
  return value === '' || value === null || value === undefined || !Number.isFinite(number) ? undefined : number
}

/** A text of limited length, or nothing. */
export function limited(value: unknown, most: number): string | undefined {
  return value === undefined || value === null || value === '' ? undefined : String(value).slice(0, most)
}

/** Data of an event without what is missing. */
export function dataOf(members: Record<string, string | number | undefined>): Record<string, string | number> {
  const data: Record<string, string | number> = {}
  for (const name of Object.keys(members)) {
    const value = members[name]
    if (value !== undefined && value !== '') data[name] = value
  }
  return data
}

/** An attribute, because a form's field named "id" hides the form's own property. */
export const attribute = (element: Element, name: string): string | undefined => limited(element.getAttribute(name), 200)

/** What an element shows, on one line. */
export const textOf = (element: Element): string | undefined => limited((element.textContent ?? '').replace(/\s+/g, ' ').trim(), 100)
