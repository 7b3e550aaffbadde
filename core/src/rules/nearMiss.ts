import type { Reader } from '../readings/readEvent.js'
import { judgeCondition, type PreparedCondition, type PreparedRule } from './judge.js'

/** Ways a text narrowly fails a condition, each with the words for it, most telling first. */
const RELAXATIONS: { why: string; loosen: (text: string) => string; readings?: string[] }[] = [
  { why: 'differs only in upper and lower case', loosen: (text) => text.toLowerCase() },
  { why: 'differs only by the trailing slash', loosen: (text) => text.replace(/(.)\/+$/, '$1') },
  { why: 'differs only by spaces around it', loosen: (text) => text.trim() },
  { why: 'has a query part behind it', loosen: (text) => text.replace(/[?#].*$/s, ''), readings: ['url', 'referrer'] },
  {
    why: 'differs only by a leading www.',
    loosen: (text) => text.replace(/^((?:https?:\/\/)?)www\./i, '$1'),
    readings: ['url', 'host', 'referrer', 'referrerHost'],
  },
  { why: 'differs only by a double slash', loosen: (text) => text.replace(/([^:])\/{2,}/g, '$1/') },
  {
    why: 'differs only in case, trailing slash and query part',
    loosen: (text) =>
      text
        .toLowerCase()
        .replace(/[?#].*$/s, '')
        .replace(/(.)\/+$/, '$1'),
  },
]

/**
 * Says why an event that a rule does not match narrowly fails it: all conditions of some group hold
 * but one, and that one would hold for a text that differs only in a way people overlook.
 * @returns words for the marketer, or null when it is no near miss
 */
export function nearMiss(rule: PreparedRule, read: Reader): string | null {
  for (const group of rule) {
    const failing = group.filter((condition) => !judgeCondition(condition, read(condition.reading)))
    const [condition] = failing
    const found = condition && read(condition.reading)
    if (failing.length !== 1 || !condition || condition.not || found === undefined) continue
    for (const { why, loosen, readings } of RELAXATIONS) {
      if (readings && !readings.includes(condition.reading)) continue
      if (holdsLoosely(condition, found, loosen)) return why
    }
    if (condition.op === 'is' && found.toLowerCase().startsWith(condition.text.toLowerCase()) && condition.text.length > 1) return 'goes on behind the value'
  }
  return null
}

function holdsLoosely(condition: PreparedCondition, found: string, loosen: (text: string) => string): boolean {
  if (condition.op === 'matches') return judgeCondition(condition, loosen(found))
  const { list } = condition
  return judgeCondition({ ...condition, text: loosen(condition.text), ...(list && { list: list.map(loosen) }) }, loosen(found))
}
