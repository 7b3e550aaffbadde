import type { Goal } from '@acequia/core/goals/goalSchema'
import { contradiction } from '@acequia/core/rules/contradiction'
import type { Rule } from '@acequia/core/rules/Rule'
import { opWords, readingWords } from '@acequia/core/sentences/ruleSentence'

/** Why a goal cannot be saved yet, in words; null when it can. */
export function goalProblem(goal: Goal): string | null {
  const rules: Rule[] = [...('where' in goal.kind ? [goal.kind.where] : []), ...goal.path.map((step) => step.where)]
  if (goal.kind.type === 'event' && !goal.kind.event) return 'Say which event it is.'
  for (const rule of rules) {
    if (isUnfinished(rule)) return 'Choose what stands at the yellow “…” in the sentence.'
    const never = contradiction(rule)
    if (never) {
      const { one, other } = never
      return `This can never happen: the ${readingWords(one.reading)} of one page cannot be ${String(one.value)} and also satisfy “${opWords(other.op, other.not)} ${String(other.value ?? '')}”. If you mean that both pages were visited, put one of them into “after …”.`
    }
  }
  if (!goal.name.trim()) return 'Give the goal a name.'
  return null
}

/** Whether a rule has a condition whose value is still to be chosen. */
export function isUnfinished(rule: Rule): boolean {
  return rule.any.some(({ all }) => all.some(({ op, value }) => op !== 'present' && (value === undefined || value === '' || (Array.isArray(value) && !value.length))))
}
