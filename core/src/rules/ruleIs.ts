import type { Rule } from './Rule.js'

/** The rule that a reading is a text: "whose path is /nights/thanks". */
export function ruleIs(reading: string, value: string): Rule {
  return { any: [{ all: [{ reading, op: 'is', value, not: false, caseSensitive: false }] }] }
}
