import Papa from 'papaparse'

/** A column of a table. */
export interface Column {
  /** Name of the row's member. */
  key: string
  name: string
  /** Right-aligned and sorted as a number. */
  number?: boolean
  mono?: boolean
  /** How the value is shown; the value itself if not given. Sorting and CSV use the value. */
  show?: (value: unknown, row: Record<string, unknown>) => string
  /** What the number means, for hover. */
  title?: string
}

/** A row of a table. */
export type Row = Record<string, unknown>

/** What a cell shows; a dash where there is nothing. */
export function textOf(column: Column, row: Row): string {
  const value = row[column.key]
  return column.show ? column.show(value, row) : isMissing(value) ? '–' : String(value)
}

/** Rows in which any column shows a text, whatever its case; all of them for an empty one. */
export function filterRows(columns: readonly Column[], rows: readonly Row[], text: string): Row[] {
  const wanted = text.trim().toLowerCase()
  return wanted ? rows.filter((row) => columns.some((column) => textOf(column, row).toLowerCase().includes(wanted))) : [...rows]
}

/** Rows by the value of a member: numbers by size, all else as texts. What is missing stays last in either direction. */
export function sortRows(rows: readonly Row[], key: string, falling: boolean): Row[] {
  const direction = falling ? -1 : 1
  return [...rows].sort((one, other) => {
    const [a, b] = [one[key], other[key]]
    if (isMissing(a) || isMissing(b)) return Number(isMissing(a)) - Number(isMissing(b))
    return direction * (typeof a === 'number' && typeof b === 'number' ? a - b : String(a).localeCompare(String(b)))
  })
}

/** Rows as CSV (RFC 4180) or with another delimiter. Cells that a spreadsheet would run as formulas are put behind a quote. */
export function csvOf(columns: readonly Column[], rows: readonly Row[], delimiter: ',' | '\t'): string {
  return Papa.unparse(
    { fields: columns.map((column) => column.name), data: rows.map((row) => columns.map((column) => row[column.key] ?? '')) },
    { delimiter, newline: '\r\n', escapeFormulae: true },
  )
}

function isMissing(value: unknown): boolean {
  return value === null || value === undefined
}
