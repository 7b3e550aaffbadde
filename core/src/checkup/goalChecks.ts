import { ruleIs } from '../rules/ruleIs.js'
import { counted, percent, type Check } from './Check.js'

const ENOUGH = 10
const isMoney = (category: string): boolean => category === 'purchase' || category === 'booking'

/** A success page that people reach without the step before it: from a search engine or a bookmark. */
export const reachedWithoutStep: Check = ({ goals, traffic }) =>
  goals.flatMap(({ id, goal }) => {
    const seen = traffic.goals.get(id)
    if (!seen || goal.kind.type !== 'page' || goal.path.some((step) => step.required) || seen.events < ENOUGH) return []
    if (seen.onLanding < 3 || seen.onLanding < seen.events * 0.02) return []
    const [before] = seen.before
    return [
      {
        id: `reached-without-step ${id}`,
        weight: 'warning' as const,
        sentence: `The page of the goal “${goal.name}” is also reached without any step before it: it may be bookmarked or found by a search engine.`,
        evidence: [
          `${percent(seen.onLanding, seen.events)} of ${counted(seen.events, 'page view')} in 30 days are the first of their visit.`,
          ...(before ? [`Most others come from ${before.path}.`] : []),
        ],
        mend: before
          ? {
              type: 'goal' as const,
              label: `Require ${before.path} before it`,
              id,
              goal: {
                ...goal,
                path: [
                  ...goal.path,
                  {
                    name: before.path.slice(0, 200),
                    required: true,
                    where: ruleIs('path', before.path),
                  },
                ],
              },
            }
          : { type: 'open' as const, label: 'Require a step', screen: 'edit-goal' as const, id },
      },
    ]
  })

/** A success page that is often reloaded, while every time counts. */
export const reloadsCount: Check = ({ goals, traffic, wiring }) => [
  ...goals.flatMap(({ id, goal }) => {
    const seen = traffic.goals.get(id)
    if (!seen || goal.kind.type !== 'page' || goal.count !== 'every' || seen.events < ENOUGH || seen.reloads < seen.events * 0.02) return []
    const count = seen.withOrder > seen.events * 0.8 ? ('order' as const) : ('visit' as const)
    return [
      {
        id: `reloads-count ${id}`,
        weight: 'loss' as const,
        sentence: `The goal “${goal.name}” counts every time, and its page is often reloaded.`,
        evidence: [`${percent(seen.reloads, seen.events)} of ${counted(seen.events, 'page view')} in 30 days are reloads.`],
        mend: { type: 'goal' as const, label: count === 'order' ? 'Count each order once' : 'Count one per visit', id, goal: { ...goal, count } },
      },
    ]
  }),
  ...wiring.tags.flatMap((tag) => {
    const { does, limit, paused } = tag
    if (paused || does.type !== 'channel-event' || does.call !== 'event' || limit !== 'every') return []
    const seen = tag.triggers
      .filter((trigger) => wiring.triggers.some((each) => each.id === trigger && each.moment.type === 'page-view' && each.where.any.length))
      .map((trigger) => traffic.triggers.get(trigger))
      .find((each) => each && each.events >= ENOUGH && each.reloads >= Math.max(3, each.events * 0.02))
    if (!seen) return []
    return [
      {
        id: `reloads-reported ${tag.id}`,
        weight: 'warning' as const,
        sentence: `“${tag.name}” reports every time, and its page is often reloaded.`,
        evidence: [`${percent(seen.reloads, seen.events)} of ${counted(seen.events, 'page view')} in 30 days are reloads.`],
        mend: { type: 'wiring' as const, label: 'Report once a visit', patch: { tags: { [tag.id]: { ...tag, limit: 'visit' as const } } } },
      },
    ]
  }),
]

/** Orders without a number, or with one that came before from somebody else. */
export const orderNumbers: Check = ({ goals, traffic }) =>
  goals.flatMap(({ id, goal }) => {
    const seen = traffic.goals.get(id)
    if (!seen || seen.events < ENOUGH) return []
    const without = seen.events - seen.withOrder
    const missing = goal.count === 'order' && without >= seen.events * 0.1
    const repeated = seen.repeatedOrders >= 3 && seen.repeatedOrders >= seen.withOrder * 0.02
    return [
      ...(missing
        ? [
            {
              id: `order-missing ${id}`,
              weight: 'warning' as const,
              sentence: `The goal “${goal.name}” counts each order once, but many come without a number.`,
              evidence: [
                `${percent(without, seen.events)} of ${counted(seen.events, 'event')} in 30 days have no order number; of those, the first in each visit counts.`,
              ],
              mend: { type: 'goal' as const, label: 'Count one per visit', id, goal: { ...goal, count: 'visit' as const } },
            },
          ]
        : []),
      ...(repeated
        ? [
            {
              id: `order-repeated ${id}`,
              weight: 'warning' as const,
              sentence: `Different visitors come with the same order number at the goal “${goal.name}”.`,
              evidence: [`${counted(seen.repeatedOrders, 'event')} in 30 days carry a number that another visitor had before.`],
              mend:
                goal.count === 'order'
                  ? { type: 'open' as const, label: 'Look at its conversions', screen: 'goal' as const, id }
                  : { type: 'goal' as const, label: 'Count each order once', id, goal: { ...goal, count: 'order' as const } },
            },
          ]
        : []),
    ]
  })

/** A purchase that is worth nothing. */
export const worthNothing: Check = ({ goals, traffic }) =>
  goals.flatMap(({ id, goal }) => {
    const seen = traffic.goals.get(id)
    if (!isMoney(goal.category) || !seen || seen.events < ENOUGH) return []
    const without = seen.events - seen.withValue
    const nothing = goal.value.type === 'none'
    const gaps = goal.value.type === 'reading' && goal.value.reading === 'value' && goal.value.fallback === 0 && without >= seen.events * 0.1
    if (!nothing && !gaps) return []
    return [
      {
        id: `worth-nothing ${id}`,
        weight: 'warning' as const,
        sentence: nothing
          ? `The goal “${goal.name}” is a ${goal.category}, but worth nothing.`
          : `Many conversions of “${goal.name}” come without a value and count as 0.`,
        evidence: [`${seen.withValue} of ${counted(seen.events, 'event')} in 30 days carry a value.`],
        mend:
          nothing && seen.withValue
            ? {
                type: 'goal' as const,
                label: 'Take the order’s own value',
                id,
                goal: { ...goal, value: { type: 'reading' as const, reading: 'value', fallback: 0 } },
              }
            : { type: 'open' as const, label: 'Give it a value', screen: 'edit-goal' as const, id },
      },
    ]
  })

/** A goal that was reached steadily and then no more. */
export const fellToZero: Check = ({ goals, traffic }) =>
  goals.flatMap(({ id, goal }) => {
    const seen = traffic.goals.get(id)
    if (!seen || seen.lastWeek > 0 || seen.threeWeeksBefore < ENOUGH) return []
    return [
      {
        id: `fell-to-zero ${id}`,
        weight: 'loss' as const,
        sentence: `The goal “${goal.name}” has not been reached for a week.`,
        evidence: [
          `${counted(seen.threeWeeksBefore, 'event')} in the three weeks before. The last came on ${new Date(seen.lastAt).toISOString().slice(0, 10)}.`,
        ],
        mend: { type: 'open' as const, label: 'Look at the goal', screen: 'goal' as const, id },
      },
    ]
  })

/** A form that is sent often, but hardly ever accepted, while something takes sending it for a success. */
export const hardlyAccepted: Check = ({ goals, traffic, wiring }) =>
  traffic.forms.flatMap(({ form, path, sent, accepted }) => {
    if (sent < 20 || accepted >= sent * 0.5) return []
    const names = (rule: { any: { all: { reading: string; value?: unknown }[] }[] }): boolean =>
      rule.any.some(({ all }) => all.some((each) => each.reading === form.reading && each.value === form.value))
    const goal = goals.find(({ goal: { kind } }) => kind.type === 'event' && kind.event === 'form-sent' && names(kind.where))
    const trigger = wiring.triggers.find(({ moment, where }) => moment.type === 'form-sent' && names(where))
    if (!goal && !trigger) return []
    // Without anything that would show acceptance nobody can tell.
    if (!accepted && !wiring.triggers.some(({ moment }) => moment.type === 'form-accepted')) return []
    return [
      {
        id: `hardly-accepted ${form.value} ${path}`.slice(0, 190),
        weight: 'warning' as const,
        sentence: `The form “${form.value}” is often sent but seldom accepted, and ${goal ? `the goal “${goal.goal.name}”` : 'a trigger'} takes each sending for a success.`,
        evidence: [
          `On ${path}: sent ${counted(sent, 'time')} in 30 days, and only ${percent(accepted, sent)} of them were followed by another page or a confirmation.`,
        ],
        mend: goal
          ? { type: 'open' as const, label: 'Count what was accepted instead', screen: 'edit-goal' as const, id: goal.id }
          : { type: 'open' as const, label: 'Wait until it was accepted', screen: 'trigger' as const, id: trigger?.id ?? '' },
      },
    ]
  })
