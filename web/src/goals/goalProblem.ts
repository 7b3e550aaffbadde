import type { Goal } from '@acequia/core/goals/goalSchema'
import { contradiction } from '@acequia/core/rules/contradiction'
import type { Rule } from '@acequia/core/rules/Rule'
import { opWords, readingWords } from '@acequia/core/sentences/ruleSentence'

/** Why a goal cannot be saved yet, in words; null when it can. */
export function goalProblem(goal: Goal): string | null {
  const rules: Rule[] = [...('where' in goal.kind ? [goal.kind.where] : []), ...goal.path.map((step) => step.where)]
  if (isUnfinishedGoal(goal)) return 'Choose what stands at the yellow “…” in the sentence.'
  const never = neverHolds(rules)
  if (never) return never
  if (goal.kind.type === 'return' && goal.kind.visits < 2) return 'Coming back begins with the second visit; choose 2 or more.'
  if (!goal.name.trim()) return 'Give the goal a name.'
  return null
}

/** Whether something in a goal's sentence is still to be chosen. */
export function isUnfinishedGoal(goal: Goal): boolean {
  return (
    ('where' in goal.kind && isUnfinished(goal.kind.where)) ||
    (goal.kind.type === 'event' && !goal.kind.event) ||
    goal.path.some((step) => isUnfinished(step.where))
  )
}

/** Whether a rule has a condition whose value is still to be chosen. */
export function isUnfinished(rule: Rule): boolean {
  return rule.any.some(({ all }) =>
    all.some(({ op, value }) => op !== 'present' && (value === undefined || value === '' || (Array.isArray(value) && !value.length))),
  )
}

/** Why a rule can never hold, in words; null when all can. */
export function neverHolds(rules: Rule[]): string | null {
  for (const rule of rules) {
    const never = contradiction(rule)
    if (!never) continue
    const { one, other } = never
    return `This can never happen: the ${readingWords(one.reading)} of one page cannot be ${String(one.value)} and also satisfy “${opWords(other.op, other.not)} ${String(other.value ?? '')}”. If you mean that both pages were visited, put one of them into “after …” of a goal.`
  }
  return null
}
