import type { CountRule, Goal } from '../goals/goalSchema.js'
import { moneyText } from './money.js'
import { text, type Part } from './Part.js'
import { readingWords, ruleSentence } from './ruleSentence.js'

const COUNT_WORDS: Record<CountRule, string> = {
  visit: 'once in each visit',
  every: 'every time',
  visitor: 'once for each visitor',
  order: 'once for each order',
}

/** The words for a count rule. */
export function countWords(count: CountRule): string {
  return COUNT_WORDS[count]
}

/** What people choose between when they say what a goal counts; `form` is the event `form-sent`. */
export type KindChoice = 'page' | 'form' | 'event' | 'time' | 'depth' | 'return'

const KIND_WORDS: Record<KindChoice, string> = {
  page: 'reaches a page',
  form: 'sends a form',
  event: 'causes the event',
  time: 'stays',
  depth: 'sees',
  return: 'comes back',
}

/** The choice that a goal's kind stands for. */
export function kindChoice(kind: Goal['kind']): KindChoice {
  return kind.type === 'event' && kind.event === 'form-sent' ? 'form' : kind.type
}

/** The words for a choice where it stands by itself. */
export function kindWords(choice: KindChoice): string {
  return choice === 'time'
    ? 'stays a while'
    : choice === 'depth'
      ? 'sees many pages'
      : choice === 'return'
        ? 'comes back another time'
        : choice === 'event'
          ? 'causes another event'
          : KIND_WORDS[choice]
}

/** A time span in seconds as people say it. */
export function durationText(seconds: number): string {
  const [amount, unit] = seconds % 3600 === 0 ? [seconds / 3600, 'hour'] : seconds % 60 === 0 ? [seconds / 60, 'minute'] : [seconds, 'second']
  return `${amount} ${unit}${amount === 1 ? '' : 's'}`
}

/** The words for where a goal's value comes from. */
export function valueWords(value: Goal['value']): string {
  if (value.type === 'none') return 'nothing'
  if (value.type === 'fixed') return 'a fixed amount'
  return value.reading === 'value' ? "the order's value" : `the ${readingWords(value.reading)}`
}

/** A goal as one sentence. */
export function goalSentence(goal: Pick<Goal, 'kind' | 'count' | 'value' | 'path'>, currency: string, locale?: string): Part[] {
  const { kind, value } = goal
  const parts: Part[] = [
    text('Count'),
    { type: 'chip', text: COUNT_WORDS[goal.count], slot: 'count', edits: 'choice' },
    text('when someone'),
    { type: 'chip', text: KIND_WORDS[kindChoice(kind)], slot: 'kind', edits: 'choice' },
  ]
  if (kindChoice(kind) === 'event' && 'event' in kind) parts.push({ type: 'chip', text: kind.event || '…', slot: 'kind.event', edits: 'name', mono: true })
  if (kind.type === 'time') parts.push({ type: 'chip', text: durationText(kind.seconds), slot: 'kind.seconds', edits: 'duration' }, text('or longer'))
  if (kind.type === 'depth')
    parts.push({ type: 'chip', text: `${kind.pages} ${kind.pages === 1 ? 'page' : 'pages'}`, slot: 'kind.pages', edits: 'number' }, text('in a visit'))
  if (kind.type === 'return')
    parts.push(text('for visit'), { type: 'chip', text: `${kind.visits}`, slot: 'kind.visits', edits: 'number' }, text('or a later one'))
  if ('where' in kind) parts.push(...ruleSentence(kind.where, 'kind.where'))
  for (const [index, step] of goal.path.entries()) {
    parts.push(text(index === 0 ? ', after' : ', then'), text('a page'), ...ruleSentence(step.where, `path.${index}.where`))
    parts.push({ type: 'chip', text: step.required ? 'was seen first' : 'was perhaps seen first', slot: `path.${index}.required`, edits: 'step' })
  }
  // The first event of a visit has nothing before it.
  if (kind.type !== 'return' || goal.path.length) parts.push({ type: 'action', text: goal.path.length ? 'then …' : 'after …', slot: 'path', does: 'add-step' })
  parts.push(text(', worth'), { type: 'chip', text: valueWords(value), slot: 'value', edits: 'choice' })
  if (value.type === 'fixed') parts.push(text('of'), { type: 'chip', text: moneyText(value.amount, currency, locale), slot: 'value.amount', edits: 'money' })
  if (value.type === 'reading')
    parts.push(text('or else'), { type: 'chip', text: moneyText(value.fallback, currency, locale), slot: 'value.fallback', edits: 'money' })
  parts.push(text('.'))
  return parts
}
