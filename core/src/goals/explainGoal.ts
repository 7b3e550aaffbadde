import type { LoggedEvent } from '../events/LoggedEvent.js'
import { readEvent } from '../readings/readEvent.js'
import { urlParts, type UrlParts } from '../readings/url.js'
import { judge } from '../rules/judge.js'
import { nearMiss } from '../rules/nearMiss.js'
import { prepareRule } from '../rules/prepareRule.js'
import type { SiteSettings } from '../sites/siteSchema.js'
import type { Visit } from '../visits/deriveVisits.js'
import { afterSalesOf } from './afterSales.js'
import { goalEvents } from './goalEvents.js'
import type { Goal } from './goalSchema.js'
import { prepareGoal } from './prepareGoal.js'

/** Whether an event counted for a goal, and why not. */
export interface GoalVerdict {
  uid: string
  counted: boolean
  /** In words for the marketer; null where it counted. */
  why: string | null
}

/**
 * Says of every event of a visitor that is of a goal's kind, or narrowly misses it, whether it counts and
 * why not. Of orders that other visitors had first it cannot know.
 * @param visits all visits of the visitor, oldest first
 */
export function explainGoal(
  goal: Goal,
  site: Pick<SiteSettings, 'currency' | 'rates'>,
  visits: readonly Visit[],
  partsOf: (url: string) => UrlParts = urlParts,
): GoalVerdict[] {
  const prepared = prepareGoal(goal, site)
  const { ofKind, afterPath, counted } = goalEvents(prepared, visits, partsOf)
  const [passed, final] = [new Set(afterPath.map(({ event }) => event)), new Set(counted.map(({ event }) => event))]
  const required = goal.path.filter((step) => step.required).map((step) => ({ name: step.name, where: prepareRule(step.where) }))
  const missing = (visit: Visit, event: LoggedEvent): string => {
    let met = 0
    for (const each of visit.events) {
      if (each === event) break
      const step = required[met]
      if (step && each.name === 'page-view' && judge(step.where, readEvent(each, visit.source, partsOf))) met++
    }
    return `step “${required[met]?.name ?? ''}” missing before it in this visit`
  }
  const repeated: Record<Goal['count'], (event: LoggedEvent, visit: Visit) => string> = {
    every: () => '',
    visit: (event, visit) => `${ordinal(afterPath.filter((each) => each.visit === visit).findIndex((each) => each.event === event) + 1)} time in this visit`,
    visitor: () => 'this visitor counted before',
    order: (event) => (event.order ? `order ${event.order} counted before` : 'without an order number again in this visit'),
  }
  const sales = afterSalesOf(visits.flatMap((visit) => visit.events))
  const isCancelled = (event: LoggedEvent): boolean => !!event.order && !!sales?.cancelled.has(event.order)
  const verdicts = ofKind.map(({ event, visit }): GoalVerdict => ({
    uid: event.uid,
    counted: final.has(event) && !isCancelled(event),
    why: final.has(event)
      ? isCancelled(event)
        ? `order ${event.order ?? ''} was cancelled`
        : null
      : passed.has(event)
        ? repeated[goal.count](event, visit)
        : missing(visit, event),
  }))
  const { kind } = goal
  if (kind.type !== 'page' && kind.type !== 'event') return verdicts
  const name = kind.type === 'page' ? 'page-view' : kind.event
  for (const visit of visits) {
    for (const event of visit.events) {
      const why = event.name === name ? nearMiss(prepared.where, readEvent(event, visit.source, partsOf)) : null
      if (why) verdicts.push({ uid: event.uid, counted: false, why: `narrowly missed: ${why}` })
    }
  }
  return verdicts
}

/** "second", "third" … */
function ordinal(n: number): string {
  return ['', 'first', 'second', 'third', 'fourth', 'fifth'][n] ?? `${n}th`
}
