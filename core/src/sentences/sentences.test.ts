import { describe, expect, it } from 'vitest'
import { goalSchema } from '../goals/goalSchema.js'
import { ruleSchema } from '../rules/Rule.js'
import { addCondition, addGroup, includePath, removeCondition } from './editRule.js'
import { goalSentence } from './goalSentence.js'
import { plainText } from './Part.js'
import { readSlot, writeSlot } from './slots.js'

const where = (...paths: string[]): object => ({ any: paths.map((value) => ({ all: [{ reading: 'path', op: 'is', value }] })) })
const sentence = (goal: object): string => plainText(goalSentence(goalSchema.parse({ name: 'Goal', ...goal }), 'EUR'))

describe('a goal as a sentence', () => {
  it.each<[object, string]>([
    [
      {
        kind: { type: 'page', where: where('/nights/thanks') },
        value: { type: 'reading', reading: 'value', fallback: 18 },
        path: [{ name: 'x', where: where('/nights/book'), required: true }],
      },
      "Count once in each visit when someone reaches a page whose path is /nights/thanks, after a page whose path is /nights/book was seen first, worth the order's value or else €18.00.",
    ],
    [
      { kind: { type: 'page', where: where('/a', '/b') } },
      'Count once in each visit when someone reaches a page whose path is /a or whose path is /b, worth nothing.',
    ],
    [
      {
        kind: { type: 'event', event: 'form-sent', where: { any: [{ all: [{ reading: 'data.formId', op: 'is', value: 'n', not: true }] }] } },
        count: 'visitor',
      },
      'Count once for each visitor when someone sends a form whose form id is not n, worth nothing.',
    ],
    [{ kind: { type: 'time', seconds: 180 }, count: 'every' }, 'Count every time when someone stays 3 minutes or longer, worth nothing.'],
    [
      { kind: { type: 'depth', pages: 3 }, value: { type: 'fixed', amount: 2.5 } },
      'Count once in each visit when someone sees 3 pages in a visit, worth a fixed amount of €2.50.',
    ],
  ])('%#', (goal, text) => expect(sentence(goal)).toBe(text))

  it('has chips whose slots are where the values stand', () => {
    const goal = goalSchema.parse({ name: 'Goal', kind: { type: 'page', where: where('/a') } })
    const chip = goalSentence(goal, 'EUR').find((part) => part.type === 'chip' && part.edits === 'value')
    expect(chip?.type === 'chip' && readSlot(goal, chip.slot)).toBe('/a')
  })
})

describe('editing', () => {
  const rule = ruleSchema.parse(where('/a'))
  it('adds and removes conditions; an empty group goes', () => {
    expect(addCondition(rule, 0).any[0]?.all).toHaveLength(2)
    expect(addGroup(rule).any).toHaveLength(2)
    expect(removeCondition(addCondition(rule, 0), 0, 0).any[0]?.all).toHaveLength(1)
    expect(removeCondition(rule, 0, 0).any).toEqual([])
  })
  it('widens a rule to a near miss, once', () => {
    const wider = includePath(rule, '/a/')
    expect(wider.any[0]?.all[0]).toMatchObject({ op: 'in', value: ['/a', '/a/'] })
    expect(includePath(wider, '/a/')).toEqual(wider)
    expect(includePath(ruleSchema.parse({ any: [{ all: [{ reading: 'title', op: 'is', value: 'x' }] }] }), '/a').any).toHaveLength(2)
  })
  it('writes at a slot without changing the original', () => {
    const before = { a: [{ b: 1 }, { b: 2 }] }
    expect(writeSlot(before, 'a.1.b', 3)).toEqual({ a: [{ b: 1 }, { b: 3 }] })
    expect(before.a[1]?.b).toBe(2)
  })
})
