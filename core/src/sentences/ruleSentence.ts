import type { Condition, Op, Rule } from '../rules/Rule.js'
import { text, type Part } from './Part.js'

const OP_WORDS: Record<Op, [plain: string, negated: string]> = {
  is: ['is', 'is not'],
  contains: ['contains', 'does not contain'],
  starts: ['starts with', 'does not start with'],
  ends: ['ends with', 'does not end with'],
  matches: ['matches the pattern', 'does not match the pattern'],
  in: ['is one of', 'is none of'],
  above: ['is above', 'is not above'],
  below: ['is below', 'is not below'],
  present: ['is there', 'is missing'],
}

const READING_WORDS: Record<string, string> = {
  url: 'whole address',
  path: 'path',
  query: 'query part',
  host: 'host',
  title: 'title',
  referrer: 'referring address',
  referrerHost: 'referring host',
  event: 'event name',
  value: 'value',
  currency: 'currency',
  order: 'order number',
  source: "visit's source",
  medium: "visit's medium",
  campaign: "visit's campaign",
  'data.formId': 'form id',
  'data.formName': 'form name',
  'data.formClass': "form's classes",
  'data.formAction': "form's address",
  'data.formPosition': 'form position on the page',
  'data.formPage': "form's page",
  'data.clickText': 'clicked text',
  'data.clickTarget': "link's address",
  'data.clickHost': 'host the link leaves to',
  'data.clickFile': "linked file's kind",
  'data.elementId': 'element id',
  'data.elementClass': 'element classes',
  'data.elementText': "element's text",
  'data.changedBy': 'way the address changed',
  'data.videoSource': "video's address",
  'data.videoTitle': "video's title",
}

const CASE_WORDS = '(upper and lower case as written)'

/** The words for an op, as they stand in sentences and choices. */
export function opWords(op: Op, not = false): string {
  return OP_WORDS[op][not ? 1 : 0]
}

/** The words for a reading, as they stand in sentences and choices. */
export function readingWords(reading: string): string {
  if (READING_WORDS[reading]) return READING_WORDS[reading]
  const name = reading.slice(reading.indexOf('.') + 1)
  const words = /^[\w.-]*$/.test(name) ? name : inQuotes(name)
  if (reading.startsWith('query.')) return `address parameter ${words}`
  if (reading.startsWith('own.')) return `reading ${words}`
  return reading.startsWith('data.') ? `data ${words}` : reading
}

/**
 * A rule as the middle of a sentence: "whose path is /nights/thanks and … or whose …". Nothing for a
 * rule that matches everything, but for the offer to add a condition.
 * @param slot where the rule stands in the edited object
 */
export function ruleSentence(rule: Rule, slot: string): Part[] {
  const parts: Part[] = []
  for (const [group, { all }] of rule.any.entries()) {
    if (group > 0) parts.push(text('or'))
    for (const [index, condition] of all.entries()) {
      parts.push(text(index === 0 ? 'whose' : 'and whose'), ...conditionParts(condition, `${slot}.any.${group}.all.${index}`))
    }
    parts.push({ type: 'action', text: 'and …', slot: `${slot}.any.${group}`, does: 'add-condition' })
  }
  parts.push({ type: 'action', text: rule.any.length ? 'or …' : 'whose …', slot, does: 'add-group' })
  return parts
}

function conditionParts(condition: Condition, slot: string): Part[] {
  const { reading, op, not, value, caseSensitive } = condition
  const parts: Part[] = [
    { type: 'chip', text: readingWords(reading), slot: `${slot}.reading`, edits: 'reading' },
    { type: 'chip', text: opWords(op, not), slot: `${slot}.op`, edits: 'op' },
  ]
  if (op !== 'present') parts.push({ type: 'chip', text: valueWords(value), slot: `${slot}.value`, edits: 'value', mono: true })
  if (caseSensitive) parts.push(text(CASE_WORDS))
  return parts
}

/** A condition as plain text: "path is /nights/thanks". */
export function conditionText(condition: Pick<Condition, 'reading' | 'op' | 'not' | 'value' | 'caseSensitive'>): string {
  const { reading, op, not, value, caseSensitive } = condition
  return [readingWords(reading), opWords(op, not), ...(op === 'present' ? [] : [valueWords(value)]), ...(caseSensitive ? [CASE_WORDS] : [])].join(' ')
}

/** A condition's value as sentences show it; in quotes where it could be taken for something else, or for less than it is. */
export function valueWords(value: Condition['value']): string {
  if (Array.isArray(value)) return value.length ? value.map((each) => plain(String(each))).join(', ') : '…'
  return value === undefined || value === '' ? '…' : plain(String(value))
}

/** A comma stands between values, a space at an end is not seen, and some words would belong to the comparison or begin something new. */
const MISTAKEN = /^$|^\s|\s$|\s{2}|[,“”…]|^(not|above|below|one of|none of|there|missing)\b|\bwhose\b|upper and lower case/i

const plain = (value: string): string => (MISTAKEN.test(value) ? inQuotes(value) : value)

const inQuotes = (words: string): string => `“${words.replace(/”/g, '””')}”`
