import fc from 'fast-check'
import { RE2JS } from 're2js'
import { describe, expect, it } from 'vitest'
import { readEvent, type ReadableEvent } from '../readings/readEvent.js'
import { contradiction } from './contradiction.js'
import { judge } from './judge.js'
import { nearMiss } from './nearMiss.js'
import { compilePattern, patternError } from './pattern.js'
import { prepareRule } from './prepareRule.js'
import { runProgram } from './program.js'
import { ruleSchema, type Rule } from './Rule.js'

const event: ReadableEvent = {
  name: 'page-view',
  url: 'https://user@WWW.Altolucero.example:8443/N%C3%ADghts/Thanks/?order=Q-7&a=b%20c&a=d&empty=#top',
  title: 'See you there',
  referrer: 'https://Caja.example/pay',
  data: { formId: 'booking', seats: 2, window: true, note: '' },
  value: 2.5,
  currency: 'EUR',
  order: 'Q-7',
}
const read = readEvent(event, { source: 'farola', medium: 'cpc', campaign: null })
const rule = (condition: object): Rule => ruleSchema.parse({ any: [{ all: [condition] }] })
const holds = (condition: object): boolean => judge(prepareRule(rule(condition)), read)

describe('readings', () => {
  it.each([
    ['url', event.url],
    ['path', '/Níghts/Thanks/'],
    ['query', 'order=Q-7&a=b%20c&a=d&empty='],
    ['query.a', 'b c'],
    ['query.empty', undefined],
    ['query.Order', undefined],
    ['host', 'www.altolucero.example'],
    ['referrerHost', 'caja.example'],
    ['event', 'page-view'],
    ['value', '2.5'],
    ['data.window', 'true'],
    ['data.seats', '2'],
    ['data.note', undefined],
    ['data.constructor', undefined],
    ['source', 'farola'],
    ['campaign', undefined],
  ])('%s is %s', (reading, text) => expect(read(reading)).toBe(text))

  it.each([
    ['https://a.example', '/'],
    ['https://a.example?x=1', '/'],
    ['https://a.example/%', '/%'],
    ['https://a.example/%zz%41', '/%zzA'],
    ['https://a.example/%E9', '/\ufffd'],
    ['https://a.example/%2541', '/%41'],
    ['https://a.example/a/../b', '/a/../b'],
  ])('the path of %s is %s', (url, path) => expect(readEvent({ name: 'x', url }, { source: null, medium: null, campaign: null })('path')).toBe(path))

  it('never fails, whatever an address is', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'binary' }),
        (url) => typeof readEvent({ name: 'x', url, referrer: url }, { source: '', medium: '', campaign: '' })('path') === 'string',
      ),
    )
  })
})

describe('conditions', () => {
  it.each<[object, boolean]>([
    [{ reading: 'path', op: 'is', value: '/NÍGHTS/thanks/' }, true],
    [{ reading: 'path', op: 'is', value: '/nights/thanks/' }, false],
    [{ reading: 'path', op: 'is', value: '/níghts/thanks/', caseSensitive: true }, false],
    [{ reading: 'path', op: 'in', value: ['/x', '/NÍGHTS/THANKS/'] }, true],
    [{ reading: 'path', op: 'starts', value: '/níg' }, true],
    [{ reading: 'path', op: 'ends', value: 'thanks' }, false],
    [{ reading: 'title', op: 'contains', value: 'YOU' }, true],
    [{ reading: 'value', op: 'above', value: 2.4 }, true],
    [{ reading: 'value', op: 'below', value: '2.5' }, false],
    [{ reading: 'order', op: 'above', value: 1 }, false],
    [{ reading: 'order', op: 'above', value: 1, not: true }, true],
    [{ reading: 'data.window', op: 'is', value: true }, true],
    [{ reading: 'data.seats', op: 'is', value: 2 }, true],
    [{ reading: 'data.missing', op: 'is', value: 'x', not: true }, true],
    [{ reading: 'data.missing', op: 'present' }, false],
    [{ reading: 'data.note', op: 'present', not: true }, true],
    [{ reading: 'path', op: 'matches', value: 'THANKS/$' }, true],
    [{ reading: 'path', op: 'matches', value: 'THANKS/$', caseSensitive: true }, false],
  ])('%j holds: %s', (condition, expected) => expect(holds(condition)).toBe(expected))

  it('of an empty rule: matches everything', () => expect(judge(prepareRule({ any: [] }), () => undefined)).toBe(true))

  it.each([
    [{ any: [{ all: [] }] }],
    [{ any: [{ all: [{ reading: 'path', op: 'is' }] }] }],
    [{ any: [{ all: [{ reading: 'path', op: 'above', value: 'much' }] }] }],
    [{ any: [{ all: [{ reading: 'path', op: 'in', value: 'x' }] }] }],
    [{ any: [{ all: [{ reading: 'shoe', op: 'present' }] }] }],
    [{ any: [{ all: [{ reading: 'path', op: 'matches', value: '(?=a)' }] }] }],
  ])('%j is refused', (wrong) => expect(ruleSchema.safeParse(wrong).success).toBe(false))
})

describe('patterns', () => {
  const SOURCES = [
    '^/nights/(thanks|gracias)/?$',
    'a.c',
    '(?i)ÄÖ',
    'k+',
    '\\bsky\\b',
    '[^a-z/]{2,3}',
    '\\pL\\d',
    '(?s)a.b',
    '(?m)^b$',
    's',
    '\\Q.*\\E',
    '[[:alpha:]]+x',
    '',
  ]
  it('are judged as RE2 judges them, on any text', () => {
    for (const source of SOURCES) {
      for (const ignoreCase of [false, true]) {
        const program = compilePattern(source, ignoreCase)
        const re2 = RE2JS.compile(source, ignoreCase ? RE2JS.CASE_INSENSITIVE : 0)
        const text = fc.oneof(
          fc.string(),
          fc.string({ unit: 'grapheme' }),
          fc.stringMatching(/^[abck/ .*\nsKſäÖxY1-]{0,12}$/),
          fc.constantFrom('/nights/thanks', 'the sky.', 'a\nb', '\u212a', 'ſ'),
        )
        fc.assert(
          fc.property(text, (each) => runProgram(program, each) === re2.matcher(each).find()),
          { numRuns: 150 },
        )
      }
    }
  })

  it('cannot hang: a pattern that explodes elsewhere takes linear time', () => {
    expect(runProgram(compilePattern('(a*)*b', false), 'a'.repeat(20_000))).toBe(false)
  })

  it('that are no RE2 are explained', () => {
    expect(patternError('(')).toMatch(/cannot be read/)
    expect(patternError('a(?=b)')).toMatch(/cannot be read/)
    expect(patternError('^/a$')).toBeNull()
  })
})

describe('near misses', () => {
  const why = (path: string, condition: object = { reading: 'path', op: 'is', value: '/nights/thanks' }): string | null =>
    nearMiss(prepareRule(rule(condition)), readEvent({ name: 'page-view', url: 'https://a.example' + path }, { source: null, medium: null, campaign: null }))
  it('name what people overlook', () => {
    expect(why('/nights/thanks/')).toBe('differs only by the trailing slash')
    expect(why('/Nights/thanks', { reading: 'path', op: 'is', value: '/nights/thanks', caseSensitive: true })).toBe('differs only in upper and lower case')
    expect(why('/a?x=1', { reading: 'url', op: 'is', value: 'https://a.example/a' })).toBe('has a query part behind it')
    expect(why('/nights/thanks/you')).toBe('goes on behind the value')
    expect(why('/calendar')).toBeNull()
  })
})

describe('a contradiction', () => {
  const all = (...conditions: object[]): Rule => ruleSchema.parse({ any: [{ all: conditions }] })
  it('is found where one address would have to equal two', () => {
    expect(contradiction(all({ reading: 'path', op: 'is', value: '/a' }, { reading: 'path', op: 'is', value: '/b' }))).not.toBeNull()
    expect(contradiction(all({ reading: 'path', op: 'is', value: '/a' }, { reading: 'path', op: 'starts', value: '/b' }))).not.toBeNull()
  })
  it('is not seen where both can hold', () => {
    expect(contradiction(all({ reading: 'path', op: 'is', value: '/a/b' }, { reading: 'path', op: 'starts', value: '/a' }))).toBeNull()
    expect(contradiction(all({ reading: 'path', op: 'is', value: '/a' }, { reading: 'title', op: 'is', value: '/b' }))).toBeNull()
  })
})
