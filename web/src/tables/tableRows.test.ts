import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, it } from 'vitest'
import { csvOf, filterRows, sortRows, textOf, type Column } from './tableRows'

const columns: Column[] = [
  { key: 'path', name: 'Page', mono: true },
  { key: 'visits', name: 'Visits', number: true },
  { key: 'rate', name: 'Rate', number: true, show: (value) => (value === null ? 'none' : `${Number(value) * 100} %`) },
]
const rows = [
  { path: '/nights', visits: 20, rate: 0.5 },
  { path: '/Calendar', visits: 3, rate: null },
  { path: null, visits: 100, rate: 0.25 },
]
const paths = (list: readonly Record<string, unknown>[]): unknown[] => list.map(({ path }) => path)

describe('a cell', () => {
  it('shows its value as its column says, and a dash where there is none', () => {
    expect(columns.map((column) => textOf(column, rows[0] as never))).toEqual(['/nights', '20', '50 %'])
    expect(columns.map((column) => textOf(column, { path: null, rate: null }))).toEqual(['–', '–', 'none'])
  })
})

describe('a filter', () => {
  it('finds what is shown, in any column, whatever its case', () => {
    expect(paths(filterRows(columns, rows, 'calen'))).toEqual(['/Calendar'])
    expect(paths(filterRows(columns, rows, ' 50 % '))).toEqual(['/nights'])
    expect(paths(filterRows(columns, rows, 'none'))).toEqual(['/Calendar'])
    expect(filterRows(columns, rows, '0.25')).toEqual([])
  })

  it('that is empty leaves all of them, in order', () => {
    expect(filterRows(columns, rows, '  ')).toEqual(rows)
  })
})

describe('sorting', () => {
  it('takes numbers by size and texts as people do', () => {
    expect(sortRows(rows, 'visits', false).map(({ visits }) => visits)).toEqual([3, 20, 100])
    expect(sortRows(rows, 'visits', true).map(({ visits }) => visits)).toEqual([100, 20, 3])
    expect(paths(sortRows(rows, 'path', false))).toEqual(['/Calendar', '/nights', null])
  })

  it('leaves what is missing at the end in either direction, and rows that are the same as they were', () => {
    const row = fc.record({ a: fc.option(fc.integer({ min: 0, max: 3 })), n: fc.nat() })
    fc.assert(
      fc.property(fc.array(row), fc.boolean(), (all, falling) => {
        const numbered = all.map((each, n) => ({ ...each, n }))
        const sorted = sortRows(numbered, 'a', falling) as typeof numbered
        const firstMissing = sorted.findIndex(({ a }) => a === null)
        if (firstMissing >= 0) expect(sorted.slice(firstMissing).every(({ a }) => a === null)).toBe(true)
        for (const [index, next] of sorted.slice(1).entries()) {
          const each = sorted[index] as (typeof sorted)[number]
          if (each.a === next.a) expect(each.n).toBeLessThan(next.n)
          else if (each.a !== null && next.a !== null) expect(falling ? each.a > next.a : each.a < next.a).toBe(true)
        }
      }),
    )
  })

  it('does not disturb the rows it was given', () => {
    const before = JSON.stringify(rows)
    sortRows(rows, 'visits', true)
    expect(JSON.stringify(rows)).toBe(before)
  })
})

describe('as a file', () => {
  it('a table is read back as it was: commas, quotes, line breaks and all', () => {
    const text = fc.string().filter((each) => !/^[=+\-@\t\r]/.test(each))
    fc.assert(
      fc.property(fc.array(fc.record({ path: text, visits: fc.nat() }), { minLength: 1 }), fc.constantFrom(',' as const, '\t' as const), (all, delimiter) => {
        const { data } = Papa.parse<Record<string, string>>(csvOf(columns.slice(0, 2), all, delimiter), { header: true, delimiter, newline: '\r\n' })
        expect(data).toEqual(all.map(({ path, visits }) => ({ Page: path, Visits: String(visits) })))
      }),
    )
  })

  it('never runs in a spreadsheet', () => {
    for (const evil of ['=1+1', '+1', '-1+2', '@SUM(A1)', '\t=1', '\r=1']) {
      const line = csvOf(columns.slice(0, 1), [{ path: evil }], ',')
        .split('\r\n')
        .slice(1)
        .join('\r\n')
      expect(line.replace(/^"/, '')[0]).toBe("'")
    }
  })

  it('has values, not what is shown, and nothing where nothing is', () => {
    expect(csvOf(columns, rows, ',').split('\r\n')).toEqual(['Page,Visits,Rate', '/nights,20,0.5', '/Calendar,3,', ',100,0.25'])
  })
})
