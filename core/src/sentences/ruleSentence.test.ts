import * as fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { EVENT_READINGS } from '../readings/readEvent.js'
import { OPS, ruleSchema, type Condition, type Rule } from '../rules/Rule.js'
import { plainText } from './Part.js'
import { readSlot } from './slots.js'
import { conditionText, opWords, readingWords, ruleSentence, valueWords } from './ruleSentence.js'

const sentenceOf = (rule: Rule): string => plainText(ruleSentence(rule, 'where'))

/** Names as sites use them, and names that would be mistaken for other words. */
const name = fc.oneof(fc.stringMatching(/^[a-zA-Z][\w.-]{0,10}$/), fc.constantFrom('is there', 'x and whose path is y', 'a, b', '”'))
const reading = fc.oneof(
  fc.constantFrom<string>(...EVENT_READINGS, 'data.formId', 'data.clickText', 'data.elementText'),
  fc.tuple(fc.constantFrom('query', 'data'), name).map(([kind, each]) => `${kind}.${each}`),
  fc.stringMatching(/^own\.[a-z]\w{0,8}$/),
)
/** Values as they come, and values that would be mistaken for what stands around them. */
const value = fc.oneof(
  fc.stringMatching(/^\/[a-z0-9/_.-]{0,15}$/),
  fc.string({ minLength: 1, maxLength: 12 }),
  fc.constantFrom(
    '/a, /b',
    ' /a',
    '/a ',
    'x or whose path is y',
    'x and whose path is y',
    'a “b” c',
    '”',
    '…',
    'is not',
    'above 5',
    '(upper and lower case as written)',
  ),
)
const condition = fc.oneof(
  fc.record({ op: fc.constantFrom('is', 'contains', 'starts', 'ends'), value }),
  fc.record({ op: fc.constant('in'), value: fc.array(value, { minLength: 1, maxLength: 4 }) }),
  fc.record({ op: fc.constantFrom('above', 'below'), value: fc.integer() }),
  fc.record({ op: fc.constant('matches'), value: fc.constantFrom('^/a', 'a.c', '[a-z]+,b') }),
  fc.record({ op: fc.constant('present') }),
)
const rule = fc
  .array(
    fc.array(
      fc
        .tuple(reading, condition, fc.boolean(), fc.boolean())
        .map(([read, rest, not, caseSensitive]) => ({ reading: read, ...rest, not, caseSensitive: rest.op !== 'present' && caseSensitive })),
      { minLength: 1, maxLength: 3 },
    ),
    { maxLength: 3 },
  )
  .map((groups) => ruleSchema.parse({ any: groups.map((all) => ({ all })) }))

/** Reads a sentence again, from its words alone: the other way round than it was made. */
function readBack(sentence: string): Rule {
  let rest = sentence
  const eat = (words: string): boolean => {
    if (!rest.startsWith(words)) return false
    rest = rest.slice(words.length)
    return true
  }
  const quoted = (): string | undefined => {
    const found = /^“((?:[^”]|””)*)”(?!”)/.exec(rest)
    if (found) rest = rest.slice(found[0].length)
    return found?.[1]?.replace(/””/g, '”')
  }
  const until = (end: RegExp): string => {
    const length = rest.search(end)
    const words = length < 0 ? rest : rest.slice(0, length)
    rest = rest.slice(words.length)
    return words
  }
  const known = [...EVENT_READINGS, 'data.formId', 'data.clickText', 'data.elementText'].sort((a, b) => readingWords(b).length - readingWords(a).length)
  const readReading = (): string => {
    for (const [words, kind] of [
      ['address parameter ', 'query.'],
      ['reading ', 'own.'],
      ['data ', 'data.'],
    ] as const)
      if (eat(words)) return kind + (quoted() ?? until(/ /))
    const found = known.find((each) => eat(`${readingWords(each)} `) && ((rest = ` ${rest}`), true))
    if (!found) throw new Error(`No reading at “${rest}”.`)
    return found
  }
  const ops = OPS.flatMap((op) => [true, false].map((not) => ({ op, not, words: opWords(op, not) }))).sort((a, b) => b.words.length - a.words.length)
  const readValue = (list: boolean): string => quoted() ?? until(list ? /, | and whose | or whose | \(upper|$/ : / and whose | or whose | \(upper|$/)
  const groups: { all: object[] }[] = []
  while (rest) {
    eat(' ')
    if (eat('or ') || !groups.length) groups.push({ all: [] })
    else eat('and ')
    if (!eat('whose ')) throw new Error(`No condition at “${rest}”.`)
    const read = readReading()
    eat(' ')
    const found = ops.find(({ words }) => new RegExp(`^${words}( |$)`).test(rest))
    if (!found) throw new Error(`No comparison at “${rest}”.`)
    eat(found.words)
    const each: Partial<Condition> = { reading: read, op: found.op, not: found.not, caseSensitive: false }
    if (found.op !== 'present') {
      eat(' ')
      if (found.op === 'in') {
        const values = [readValue(true)]
        while (eat(', ')) values.push(readValue(true))
        each.value = values
      } else {
        const text = readValue(false)
        each.value = found.op === 'above' || found.op === 'below' ? Number(text) : text
      }
      each.caseSensitive = eat(' (upper and lower case as written)')
    }
    groups.at(-1)?.all.push(each)
  }
  return ruleSchema.parse({ any: groups })
}

describe('a rule as a sentence', () => {
  it('read back is the same rule', () => {
    fc.assert(
      fc.property(rule, (each) => void expect(readBack(sentenceOf(each))).toEqual(each)),
      { numRuns: 2000 },
    )
  })

  it('shows what is easily overlooked: a space at the end, a comma within, case that matters', () => {
    expect(valueWords('/thanks ')).toBe('“/thanks ”')
    expect(valueWords('/thanks')).toBe('/thanks')
    expect(valueWords(['a', 'b, c'])).toBe('a, “b, c”')
    expect(conditionText({ reading: 'title', op: 'is', not: true, value: 'Thanks', caseSensitive: true })).toBe(
      'title is not Thanks (upper and lower case as written)',
    )
  })

  it('says with “…” what is still to be chosen', () => {
    expect(valueWords('')).toBe('…')
    expect(valueWords([])).toBe('…')
    expect(valueWords(undefined)).toBe('…')
    expect(valueWords('…')).toBe('“…”')
    expect(valueWords(0)).toBe('0')
    expect(valueWords(false)).toBe('false')
  })

  it('has a chip for each part that can be changed, at the place where it stands', () => {
    fc.assert(
      fc.property(rule, (each) => {
        for (const part of ruleSentence(each, 'where')) {
          if (part.type !== 'chip') continue
          const stands = readSlot({ where: each }, part.slot)
          expect(stands).not.toBeUndefined()
          if (part.edits === 'reading') expect(part.text).toBe(readingWords(stands as string))
          if (part.edits === 'value') expect(part.text).toBe(valueWords(stands as string))
        }
      }),
      { numRuns: 300 },
    )
  })

  it('calls no two readings the same', () => {
    const all = [...EVENT_READINGS, 'query.a', 'data.a', 'own.a', 'data.formId', 'data.formName', 'data.is there', 'query.is there']
    expect(new Set(all.map(readingWords)).size).toBe(all.length)
  })
})
