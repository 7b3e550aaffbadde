import type { Reader } from '../readings/readEvent.js'
import { conditionText } from '../sentences/ruleSentence.js'
import { judgeCondition } from './judge.js'
import { prepareCondition } from './prepareRule.js'
import type { Rule } from './Rule.js'

/** One condition with what was read, and whether it held. */
export interface ExplainedCondition {
  /** "path is /nights/thanks" */
  words: string
  /** What was read; null where the reading was absent. */
  found: string | null
  holds: boolean
}

/** Says of every condition of a rule what was read and whether it held, group by group ("any of (all of …)"). */
export function explainRule(rule: Rule, read: Reader): ExplainedCondition[][] {
  return rule.any.map(({ all }) =>
    all.map((condition) => {
      const found = read(condition.reading)
      return { words: conditionText(condition), found: found ?? null, holds: judgeCondition(prepareCondition(condition), found) }
    }),
  )
}
