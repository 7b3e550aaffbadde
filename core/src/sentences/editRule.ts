import type { Condition, Rule } from '../rules/Rule.js'

/** A condition to begin with: the value is still to be chosen. */
export function newCondition(): Condition {
  return { reading: 'path', op: 'is', value: '', not: false, caseSensitive: false }
}

/** Adds a condition to a group ("and …"). */
export function addCondition(rule: Rule, group: number): Rule {
  return { any: rule.any.map(({ all }, index) => ({ all: index === group ? [...all, newCondition()] : all })) }
}

/** Adds a group ("or …"). */
export function addGroup(rule: Rule): Rule {
  return { any: [...rule.any, { all: [newCondition()] }] }
}

/** Removes a condition; a group that has none left goes with it. */
export function removeCondition(rule: Rule, group: number, condition: number): Rule {
  return {
    any: rule.any.map(({ all }, index) => ({ all: index === group ? all.filter((_, each) => each !== condition) : all })).filter(({ all }) => all.length > 0),
  }
}

/**
 * Widens a rule to a path that it narrowly misses: where it asks for one path or a list of them, this
 * one is added; else it becomes a group of its own.
 */
export function includePath(rule: Rule, path: string): Rule {
  let widened = false
  const any = rule.any.map(({ all }) => ({
    all: all.map((condition): Condition => {
      if (condition.reading !== 'path' || condition.not || (condition.op !== 'is' && condition.op !== 'in')) return condition
      widened = true
      const values = Array.isArray(condition.value) ? condition.value : [condition.value ?? '']
      return { ...condition, op: 'in', value: values.includes(path) ? values : [...values, path] }
    }),
  }))
  return widened ? { any } : { any: [...rule.any, { all: [{ ...newCondition(), value: path }] }] }
}
