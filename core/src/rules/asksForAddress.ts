import type { PreparedRule } from './judge.js'

/** Whether a rule asks for nothing but path and host, so that it can be judged once for each address. */
export function asksForAddress(rule: PreparedRule): boolean {
  return rule.every((all) => all.every(({ reading }) => reading === 'path' || reading === 'host'))
}
