import { goalSchema } from '@acequia/core/goals/goalSchema'
import { prepareGoal, type PreparedGoal } from '@acequia/core/goals/prepareGoal'
import { prepareRule } from '@acequia/core/rules/prepareRule'
import { eventNameOf, momentRule } from '@acequia/core/wiring/momentEvent'
import type { NamedGoal } from '@acequia/core/wiring/compileWiring'
import type { Trigger } from '@acequia/core/wiring/wiringSchema'
import type { Site } from '../sites/sitesTable.js'

/**
 * A trigger as something a backtest can count: every recorded event of its moment that satisfies its
 * rule; of a goal, every conversion that does.
 * @returns null when it waits for a goal that does not exist
 */
export function triggerTest(
  site: Site,
  { id, moment, where, except }: Pick<Trigger, 'id' | 'moment' | 'where' | 'except'>,
  goals: readonly NamedGoal[],
): PreparedGoal | null {
  const only = { where: [], except: prepareRule(except) }
  if (moment.type === 'goal') {
    const waited = goals.find((goal) => goal.id === moment.goal)
    return waited ? { ...prepareGoal(waited.goal, site.settings), only: { ...only, where: prepareRule(where) } } : null
  }
  const every = goalSchema.parse({
    name: 'evidence',
    kind: { type: 'event', event: eventNameOf(moment) },
    count: 'every',
    value: { type: 'reading', reading: 'value' },
  })
  return { ...prepareGoal(every, site.settings), where: momentRule(moment, prepareRule(where), id), ...(except?.any.length && { only }) }
}
