import { judgeCondition } from '../rules/judge.js'
import { compilePattern } from '../rules/pattern.js'
import type { Recipe } from './recipeSchema.js'

/** What is wrong with the ids entered for a channel; empty when nothing is. */
export function idErrors(recipe: Recipe, ids: Readonly<Record<string, string>>): { path: string; message: string }[] {
  return recipe.ids.flatMap(({ name, label, pattern, example }) => {
    const given = ids[name]
    const program = compilePattern(pattern, false)
    if (given && judgeCondition({ reading: name, op: 'matches', text: '', program }, given)) return []
    return [{ path: `ids.${name}`, message: `${label} ${given ? 'does not look right' : 'is missing'}; it looks like ${example}.` }]
  })
}
