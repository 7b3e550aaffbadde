import type { SiteSettings } from '../sites/siteSchema.js'
import { parseAmount } from '../money/Amount.js'
import { prepareRule } from '../rules/prepareRule.js'
import type { PreparedRule } from '../rules/judge.js'
import type { CountRule, Goal, GoalKind, GoalValue } from './goalSchema.js'

/** A goal made ready to be counted over many visits. */
export interface PreparedGoal {
  kind: GoalKind
  where: PreparedRule
  /** The rules of the required steps, in order. */
  required: PreparedRule[]
  count: CountRule
  value: GoalValue
  /** Fixed amount or fallback, in ten-thousandths of site money. */
  amount: number
  /** The site's currency. */
  currency: string
  rates: Readonly<Record<string, string>>
  /** Of what was counted, only what satisfies `where` and not `except`: for triggers that wait for a goal. */
  only?: { where: PreparedRule; except: PreparedRule }
}

/** Makes a checked goal ready for `countGoal` on a site with these settings. */
export function prepareGoal(goal: Goal, site: Pick<SiteSettings, 'currency' | 'rates'>): PreparedGoal {
  const { kind, value } = goal
  const amount = value.type === 'fixed' ? value.amount : value.type === 'reading' ? value.fallback : 0
  return {
    kind,
    where: 'where' in kind ? prepareRule(kind.where) : [],
    required: goal.path.filter((step) => step.required).map((step) => prepareRule(step.where)),
    count: goal.count,
    value,
    amount: parseAmount(String(amount)) ?? 0,
    currency: site.currency,
    rates: site.rates,
  }
}
