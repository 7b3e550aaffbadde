import { judgeCondition } from './judge.js'
import { prepareCondition } from './prepareRule.js'
import type { Condition, Rule } from './Rule.js'

/**
 * Finds conditions that can never hold together: within one group, a reading that must be one of
 * given values while another condition on the same reading refuses them all. People write this when
 * they mean "visited both pages", which is what the steps of a path are for.
 * @returns the two conditions, or null when every group can hold
 */
export function contradiction(rule: Rule): { one: Condition; other: Condition } | null {
  for (const { all } of rule.any) {
    for (const one of all) {
      if ((one.op !== 'is' && one.op !== 'in') || one.not) continue
      const values = (Array.isArray(one.value) ? one.value : [one.value]).map(String)
      const other = all.find((each) => each !== one && each.reading === one.reading && !values.some((value) => judgeCondition(prepareCondition(each), value)))
      if (other) return { one, other }
    }
  }
  return null
}
