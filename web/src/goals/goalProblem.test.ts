import { COUNT_RULES, goalSchema, type Goal } from '@acequia/core/goals/goalSchema'
import { plainText } from '@acequia/core/sentences/Part'
import { goalSentence } from '@acequia/core/sentences/goalSentence'
import { describe, expect, it } from 'vitest'
import { goalChoices } from './goalChoices'
import { goalProblem } from './goalProblem'

const where = (...values: [reading: string, op: string, value?: unknown][]): object => ({
  any: [{ all: values.map(([reading, op, value]) => ({ reading, op, ...(value !== undefined && { value }) })) }],
})
/** A goal as it stands in the editor, where parts may still be missing. */
const goal = (more: object = {}): Goal => ({
  ...goalSchema.parse({ name: 'Booked', kind: { type: 'page', where: where(['path', 'is', '/thanks']) } }),
  ...more,
})

describe('a goal that cannot be saved says why', () => {
  it.each<[string, object, RegExp]>([
    ['no name', { name: '  ' }, /name/],
    ['a value still open', { kind: { type: 'page', where: where(['path', 'is', '']) } }, /yellow/],
    ['an empty list', { kind: { type: 'page', where: where(['path', 'in', []]) } }, /yellow/],
    ['no event chosen', { kind: { type: 'event', event: '', where: { any: [] } } }, /yellow/],
    ['a step still open', { path: [{ name: 'Offer', where: where(['path', 'is', '']), required: true }] }, /yellow/],
    ['two pages at once', { kind: { type: 'page', where: where(['path', 'is', '/a'], ['path', 'is', '/b']) } }, /never happen.*“after …”/],
    ['coming back once', { kind: { type: 'return', visits: 1 } }, /second visit/],
  ])('%s', (_, more, reason) => {
    expect(goalProblem(goal(more))).toMatch(reason)
  })

  it.each<[string, object]>([
    ['a page', {}],
    ['any page', { kind: { type: 'page', where: { any: [] } } }],
    ['something being there', { kind: { type: 'page', where: where(['query.order', 'present']) } }],
    ['a form', { kind: { type: 'event', event: 'form-sent', where: { any: [] } } }],
    ['a stay', { kind: { type: 'time', seconds: 180 } }],
  ])('and %s can be saved', (_, more) => {
    expect(goalProblem(goal(more))).toBeNull()
  })
})

describe('choices at the chips of a goal', () => {
  const chips = (each: Goal): string[] => ['count', 'kind', 'value', ...each.path.map((_, index) => `path.${index}.required`)]
  const begin = goal({ path: [{ name: 'Offer', where: where(['path', 'is', '/offer']), required: true }] })

  it('always have one that is chosen, and choosing it again changes nothing', () => {
    for (const chip of chips(begin)) {
      const chosen = goalChoices(begin, chip).filter((each) => each.chosen)
      expect(chosen, chip).toHaveLength(1)
      expect(plainText(goalSentence(chosen[0]!.apply(begin), 'EUR'))).toBe(plainText(goalSentence(begin, 'EUR')))
    }
  })

  it('say something else in the sentence, each of them, and are then the chosen one', () => {
    for (const chip of chips(begin)) {
      const sentences = new Set<string>()
      for (const choice of goalChoices(begin, chip)) {
        const changed = choice.apply(begin)
        sentences.add(plainText(goalSentence(changed, 'EUR')))
        expect(goalChoices(changed, chip).find((each) => each.chosen)?.label).toBe(choice.label)
      }
      expect(sentences.size, chip).toBe(goalChoices(begin, chip).length)
    }
  })

  it('leave the rest of the goal as it is', () => {
    const [, every] = goalChoices(begin, 'count')
    expect(every?.apply(begin)).toEqual({ ...begin, count: COUNT_RULES[1] })
  })

  it('keep the amount that was entered, as what a conversion without an order is worth', () => {
    const fixed = goal({ value: { type: 'fixed', amount: 25 } })
    const reading = goalChoices(fixed, 'value').find(({ label }) => label === "the order's value")
    expect(reading?.apply(fixed).value).toEqual({ type: 'reading', reading: 'value', fallback: 25 })
  })

  it('are none where the chip is something to be typed', () => {
    expect(goalChoices(begin, 'kind.where.any.0.all.0.value')).toEqual([])
  })
})
