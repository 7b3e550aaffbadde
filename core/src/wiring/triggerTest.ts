import { goalSchema } from '../goals/goalSchema.js'
import { prepareGoal, type PreparedGoal } from '../goals/prepareGoal.js'
import { prepareRule } from '../rules/prepareRule.js'
import { eventNameOf, momentRule } from './momentEvent.js'
import type { NamedGoal } from './compileWiring.js'
import type { Trigger } from './wiringSchema.js'
import type { SiteSettings } from '../sites/siteSchema.js'

/**
 * A trigger as something a backtest can count: every recorded event of its moment that satisfies its
 * rule; of a goal, every conversion that does.
 * @returns null when it waits for a goal that does not exist
 */
export function triggerTest(
  site: Pick<SiteSettings, 'currency' | 'rates'>,
  { id, moment, where, except }: Pick<Trigger, 'id' | 'moment' | 'where' | 'except'>,
  goals: readonly NamedGoal[],
): PreparedGoal | null {
  const only = { where: [], except: prepareRule(except) }
  if (moment.type === 'goal') {
    const waited = goals.find((goal) => goal.id === moment.goal)
    return waited ? { ...prepareGoal(waited.goal, site), only: { ...only, where: prepareRule(where) } } : null
  }
  const every = goalSchema.parse({
    name: 'evidence',
    kind: { type: 'event', event: eventNameOf(moment) },
    count: 'every',
    value: { type: 'reading', reading: 'value' },
  })
  return { ...prepareGoal(every, site), where: momentRule(moment, prepareRule(where), id), ...(except?.any.length && { only }) }
}
