import { createHash } from 'node:crypto'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { sha256 } from '../text/sha256.js'
import { cleanText, numberIn } from './cleanText.js'
import { ownReadingSchema } from './ownReadingSchema.js'
import { prepareTable, tableResult } from './tableResult.js'

describe('numbers in texts', () => {
  it.each([
    ['Total: 1.234,50 €', ',', '1234.50'],
    ['Total: 1,234.50 €', '.', '1234.50'],
    ['36 €', ',', '36'],
    ['CHF 1’250.–', '.', '1250'],
    ['12 345 678,9', ',', '12345678.9'],
    ['−5,25', ',', '-5.25'],
    ['2.5', ',', '2'],
    ['free', '.', undefined],
  ] as const)('%s with decimal %s is %s', (text, decimal, number) => {
    expect(numberIn(text, decimal)).toBe(number)
  })
})

describe('cleaning', () => {
  const clean = (given: object) => ownReadingSchema.parse({ name: 'x', from: { type: 'constant', value: '' }, clean: given }).clean
  it('trims, lowers, takes the number out, and falls back, in this order', () => {
    expect(cleanText('  Star\n  Night ', clean({}))).toBe('Star Night')
    expect(cleanText('  Star ', clean({ trim: false }))).toBe('  Star ')
    expect(cleanText('STAR', clean({ lowerCase: true }))).toBe('star')
    expect(cleanText('none', clean({ number: '.', otherwise: '0' }))).toBe('0')
    expect(cleanText('   ', clean({}))).toBeUndefined()
    expect(cleanText(undefined, clean({ otherwise: 'x' }))).toBe('x')
  })
  it('never gives an empty or endless text', () => {
    fc.assert(
      fc.property(fc.option(fc.string(), { nil: undefined }), fc.boolean(), fc.boolean(), (text, trim, lowerCase) => {
        const found = cleanText(text && text.repeat(50), clean({ trim, lowerCase }))
        expect(found === undefined || (found.length > 0 && found.length <= 500)).toBe(true)
      }),
    )
  })
})

describe('tables', () => {
  const table = prepareTable({
    reading: 'path',
    rows: [
      { op: 'is', value: '/nights', result: 'offer' },
      { op: 'matches', value: '^/journal/\\d+', result: 'article' },
      { op: 'in', value: 'a, b', result: 'letters' },
    ],
    otherwise: 'other',
  })
  it('give the first row that holds, patterns included', () => {
    expect(['/NIGHTS', '/journal/12', 'B', '/x', undefined].map((text) => tableResult(table, text))).toEqual(['offer', 'article', 'letters', 'other', 'other'])
  })
})

describe('hashing', () => {
  it('is SHA-256, whatever the text', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 300, unit: 'grapheme' }), (text) => {
        expect(sha256(text)).toBe(createHash('sha256').update(text).digest('hex'))
      }),
    )
  })
})
