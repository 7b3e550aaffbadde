import { isNumberText } from '../money/isNumberText.js'
import type { Reader } from '../readings/readEvent.js'
import { runProgram, type Program } from './program.js'
import type { Op } from './Rule.js'

/**
 * A condition made ready to be judged many times: texts already in lower case, pattern compiled.
 * Plain JSON, so that a release carries it to the loader as it is.
 */
export interface PreparedCondition {
  reading: string
  op: Op
  /** The text to compare with; empty for `in`, `matches` and `present`. */
  text: string
  /** For `in`. */
  list?: string[]
  /** For `matches`. */
  program?: Program
  not?: boolean
  caseSensitive?: boolean
}

/** A rule made ready: any of (all of …). */
export type PreparedRule = PreparedCondition[][]

/** Judges a rule. The one evaluator used in browsers, on the server, and in every report. */
export function judge(rule: PreparedRule, read: Reader): boolean {
  return rule.length === 0 || rule.some((all) => all.every((condition) => judgeCondition(condition, read(condition.reading))))
}

/** Judges one condition on the text of its reading; `undefined` is an absent reading. */
export function judgeCondition(condition: PreparedCondition, found: string | undefined): boolean {
  return (found !== undefined && holds(condition, found)) !== !!condition.not
}

function holds(condition: PreparedCondition, found: string): boolean {
  const { op, text } = condition
  if (op === 'present') return true
  if (op === 'above' || op === 'below') {
    if (!isNumberText(found)) return false
    return op === 'above' ? Number(found) > Number(text) : Number(found) < Number(text)
  }
  if (op === 'matches') return runProgram(condition.program as Program, found)
  const value = condition.caseSensitive ? found : found.toLowerCase()
  if (op === 'is') return value === text
  if (op === 'contains') return value.includes(text)
  if (op === 'starts') return value.startsWith(text)
  if (op === 'ends') return value.endsWith(text)
  return (condition.list as string[]).includes(value)
}
