import { NO_VISIT, readEvent } from '../readings/readEvent.js'
import { judge, type PreparedRule } from '../rules/judge.js'
import { nearMiss } from '../rules/nearMiss.js'
import type { Columns } from './Columns.js'

/** A visit's source satisfies the rule. */
export const PASSES = 1
/** It does not, but narrowly. */
export const NARROWLY = 2

/** Judges a rule that asks for nothing but the visit's source once for each of them: 0, `PASSES` or `NARROWLY`. Null where it asks for more. */
export function sourceVerdicts(rule: PreparedRule, { texts }: Columns): Uint8Array | null {
  if (!rule.flat().every(({ reading }) => reading === 'source' || reading === 'medium' || reading === 'campaign')) return null
  return Uint8Array.from(texts.sources, (source, id) => {
    // Number 0 stands for none.
    const read = readEvent({ name: '', url: '' }, id ? source : NO_VISIT)
    return judge(rule, read) ? PASSES : nearMiss(rule, read) === null ? 0 : NARROWLY
  })
}
