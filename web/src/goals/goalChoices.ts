import { COUNT_RULES, type Goal } from '@acequia/core/goals/goalSchema'
import { newCondition } from '@acequia/core/sentences/editRule'
import { countWords, kindChoice, kindWords, valueWords, type KindChoice } from '@acequia/core/sentences/goalSentence'
import { writeSlot } from '@acequia/core/sentences/slots'
import type { Choice } from '../sentences/choice'

const COUNT_HINTS: Record<Goal['count'], string> = {
  visit: 'a reloaded thank-you page counts once',
  every: 'every reload counts again',
  visitor: 'the first time ever',
  order: 'by order number, over all visitors',
}

const KINDS: Record<KindChoice, Goal['kind']> = {
  page: { type: 'page', where: { any: [{ all: [newCondition()] }] } },
  form: { type: 'event', event: 'form-sent', where: { any: [] } },
  event: { type: 'event', event: '', where: { any: [] } },
  time: { type: 'time', seconds: 180 },
  depth: { type: 'depth', pages: 3 },
  return: { type: 'return', visits: 2 },
}

const VALUES: Goal['value'][] = [{ type: 'none' }, { type: 'fixed', amount: 1 }, { type: 'reading', reading: 'value', fallback: 0 }]

/** What can be chosen at each chip of a goal's sentence. */
export function goalChoices(goal: Goal, chip: string): Choice<Goal>[] {
  if (chip === 'count')
    return COUNT_RULES.map((count) => ({
      label: countWords(count),
      hint: COUNT_HINTS[count],
      chosen: goal.count === count,
      apply: (model) => ({ ...model, count }),
    }))
  if (chip === 'kind') {
    return (Object.keys(KINDS) as KindChoice[]).map((choice) => ({
      label: kindWords(choice),
      chosen: kindChoice(goal.kind) === choice,
      apply: (model) => (kindChoice(model.kind) === choice ? model : { ...model, kind: KINDS[choice] }),
    }))
  }
  if (chip === 'value') {
    return VALUES.map((value) => ({
      label: valueWords(value),
      ...(value.type === 'reading' && { hint: 'as the page or event tells it' }),
      chosen: goal.value.type === value.type,
      apply: (model) => ({ ...model, value: value.type === 'reading' && model.value.type === 'fixed' ? { ...value, fallback: model.value.amount } : value }),
    }))
  }
  if (/^path\.\d+\.required$/.test(chip)) {
    const required = goal.path[Number(chip.split('.')[1])]?.required
    return [
      { label: 'was seen first', hint: 'without it nothing counts', chosen: !!required, apply: (model) => writeSlot(model, chip, true) },
      { label: 'was perhaps seen first', hint: 'only shown in the funnel', chosen: !required, apply: (model) => writeSlot(model, chip, false) },
    ]
  }
  return []
}
