import { compilePattern } from './pattern.js'
import type { PreparedCondition, PreparedRule } from './judge.js'
import type { Condition, Rule } from './Rule.js'

/** Makes a checked rule ready for `judge`. A missing rule matches everything. */
export function prepareRule(rule: Rule | undefined): PreparedRule {
  return (rule?.any ?? []).map((group) => group.all.map(prepareCondition))
}

/** Makes one checked condition ready for `judgeCondition`. */
export function prepareCondition(condition: Condition): PreparedCondition {
  const { reading, op, value, not, caseSensitive } = condition
  const fold = (text: unknown): string => (caseSensitive ? String(text) : String(text).toLowerCase())
  const prepared: PreparedCondition = { reading, op, text: '' }
  if (not) prepared.not = true
  if (caseSensitive) prepared.caseSensitive = true
  if (op === 'in') prepared.list = (Array.isArray(value) ? value : [value]).map(fold)
  else if (op === 'matches') prepared.program = compilePattern(String(value), !caseSensitive)
  else if (op !== 'present') prepared.text = fold(value)
  return prepared
}
