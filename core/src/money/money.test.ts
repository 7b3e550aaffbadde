import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { amountToText, convertAmount, parseAmount } from './Amount.js'
import { isNumberText } from './isNumberText.js'
import { moneySchema } from './moneySchema.js'

describe('amounts', () => {
  it.each([
    ['36', 360_000],
    ['2.50', 25_000],
    [' -0.00005 ', -1],
    ['0.00004', 0],
    ['.5', 5000],
    ['5.', 50_000],
    ['1e3', 10_000_000],
    ['12.5e-1', 12_500],
    ['0e999999999', 0],
    ['1e300', null],
    ['1,5', null],
    ['0x10', null],
    ['', null],
  ])('%s is %s ten-thousandths', (text, amount) => expect(parseAmount(text)).toBe(amount))

  it('are converted exactly and rounded once, half away from zero', () => {
    expect(convertAmount('10.01', '0.92345')).toBe(92_437)
    expect(convertAmount('0.0001', '0.5')).toBe(1)
    expect(convertAmount('-0.0001', '0.5')).toBe(-1)
    expect(convertAmount('0.1', '3')).toBe(3000)
  })

  it('print as the shortest decimal and read back as the same', () => {
    fc.assert(fc.property(fc.integer({ min: -9e15, max: 9e15 }), (amount) => parseAmount(amountToText(amount)) === amount))
    expect(amountToText(365_000)).toBe('36.5')
    expect(amountToText(-1)).toBe('-0.0001')
  })

  it('come in with at most four decimals', () => {
    expect(moneySchema.parse('18.2500')).toBe(18.25)
    expect(moneySchema.safeParse(0.1 + 0.2).success).toBe(false)
    expect(moneySchema.safeParse('1e5').success).toBe(false)
    expect(moneySchema.safeParse(Infinity).success).toBe(false)
  })

  it('are numbers only in the plain notation', () => {
    for (const text of ['1', '+1.', '-.5', '1E5', ' 7 ']) expect(isNumberText(text)).toBe(true)
    for (const text of ['', '.', '1 000', 'NaN', 'Infinity', '0x1', '1_0']) expect(isNumberText(text)).toBe(false)
  })
})
