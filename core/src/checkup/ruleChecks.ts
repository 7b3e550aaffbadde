import { contradiction } from '../rules/contradiction.js'
import { judgeCondition } from '../rules/judge.js'
import { prepareCondition } from '../rules/prepareRule.js'
import type { Rule } from '../rules/Rule.js'
import { ruleIs } from '../rules/ruleIs.js'
import { includePath } from '../sentences/editRule.js'
import { conditionText } from '../sentences/ruleSentence.js'
import type { Tag } from '../wiring/tagSchema.js'
import type { Trigger } from '../wiring/wiringSchema.js'
import { counted, percent, type Check, type CheckupInput } from './Check.js'
import type { WiringPatch } from './Finding.js'
import type { RuleTraffic } from './SiteTraffic.js'
import { sentenceOf } from './wiringChecks.js'

/** Fewer events than this say nothing. */
const ENOUGH = 20
const usedTriggers = ({ wiring }: CheckupInput): Trigger[] => {
  const used = new Set(wiring.tags.flatMap((tag) => (tag.paused ? [] : tag.triggers)))
  return wiring.triggers.filter(({ id }) => used.has(id))
}
/** Tags that tell a channel of an event when a trigger happens. */
const conversionTags = ({ wiring }: CheckupInput, trigger: string): Tag[] =>
  wiring.tags.filter(({ paused, does, triggers }) => !paused && does.type === 'channel-event' && does.call === 'event' && triggers.includes(trigger))
const withRule = (trigger: Trigger, where: Rule): WiringPatch => ({
  triggers: { [trigger.id]: { ...trigger, where } },
})

/** Conditions that can never hold together, also across the triggers that one trigger is made of. */
export const neverHolds: Check = (input) => [
  ...input.wiring.triggers.flatMap((trigger) => {
    const never = contradiction(trigger.where)
    if (!never) return []
    const where: Rule = { any: trigger.where.any.map(({ all }) => ({ all: all.filter((each) => each !== never.one) })).filter(({ all }) => all.length) }
    return [
      {
        id: `never-holds ${trigger.id}`,
        weight: 'loss' as const,
        sentence: `“${sentenceOf(trigger, input)}” can never happen: one page cannot satisfy both “${conditionText(never.one)}” and “${conditionText(never.other)}”.`,
        evidence: ['Conditions of one rule hold for one and the same event. A goal’s path is what asks for several pages in a row.'],
        mend: { type: 'wiring' as const, label: `Keep only “${conditionText(never.other)}”`, patch: withRule(trigger, where) },
      },
    ]
  }),
  ...input.wiring.triggers.flatMap((trigger) => {
    if (trigger.moment.type !== 'all') return []
    const members = trigger.moment.triggers.flatMap((id) => input.wiring.triggers.find((each) => each.id === id) ?? [])
    for (const [index, one] of members.entries()) {
      const other = members
        .slice(index + 1)
        .find((each) => each.moment.type === 'page-view' && one.moment.type === 'page-view' && excludeEachOther(one.where, each.where))
      if (!other) continue
      return [
        {
          id: `never-together ${trigger.id}`,
          weight: 'loss' as const,
          sentence: `“${sentenceOf(trigger, input)}” can never happen: its triggers need two different pages, and all must happen on one.`,
          evidence: [sentenceOf(one, input), sentenceOf(other, input)],
          mend: { type: 'open' as const, label: 'Open the trigger', screen: 'trigger' as const, id: trigger.id },
        },
      ]
    }
    return []
  }),
]

/** Whether no page view can satisfy both rules. */
function excludeEachOther(one: Rule, other: Rule): boolean {
  const pairs = one.any.flatMap((first) => other.any.map((second) => ({ any: [{ all: [...first.all, ...second.all] }] })))
  return pairs.length > 0 && pairs.every((rule) => contradiction(rule))
}

/** A channel is told of an event on nearly every page. */
export const matchesEverything: Check = (input) =>
  usedTriggers(input).flatMap((trigger) => {
    const [tag] = conversionTags(input, trigger.id)
    const events = input.traffic.triggers.get(trigger.id)?.events ?? 0
    const { pageViews } = input.traffic
    if (!tag || trigger.moment.type !== 'page-view') return []
    if (trigger.where.any.length && !(pageViews >= ENOUGH && events >= pageViews * 0.6)) return []
    return [
      {
        id: `matches-everything ${trigger.id}`,
        weight: 'loss' as const,
        sentence: `“${tag.name}” reports an event on nearly every page, so the channel takes every page view for a success.`,
        evidence: [`${sentenceOf(trigger, input)}: ${counted(events, 'page view')} of ${pageViews.toLocaleString('en')} in 30 days.`],
        mend: { type: 'open' as const, label: 'Say which page is the success page', screen: 'trigger' as const, id: trigger.id },
      },
    ]
  })

/** A channel is told of an event on the page where visits begin. */
export const firesOnLanding: Check = (input) =>
  usedTriggers(input).flatMap((trigger) => {
    const [tag] = conversionTags(input, trigger.id)
    const traffic = input.traffic.triggers.get(trigger.id)
    if (
      !tag ||
      !traffic ||
      !trigger.where.any.length ||
      trigger.moment.type !== 'page-view' ||
      traffic.events < ENOUGH ||
      traffic.onLanding < traffic.events * 0.5
    )
      return []
    const [next] = traffic.afterForm
    return [
      {
        id: `fires-on-landing ${trigger.id}`,
        weight: 'loss' as const,
        sentence: `“${tag.name}” fires where visits begin, not where they succeed.`,
        evidence: [
          `${sentenceOf(trigger, input)}: ${percent(traffic.onLanding, traffic.events)} of ${counted(traffic.events, 'event')} in 30 days are the first page of their visit.`,
          ...(next ? [`After a form was sent there, ${counted(next.events, 'visit')} reached ${next.path}.`] : []),
        ],
        mend: next
          ? { type: 'wiring' as const, label: `Fire on ${next.path} instead`, patch: withRule(trigger, ruleIs('path', next.path)) }
          : { type: 'open' as const, label: 'Choose the page after it', screen: 'trigger' as const, id: trigger.id },
      },
    ]
  })

/** Near misses of what people overlook; not those where the text only goes on behind the value. */
const overlooked = (traffic: RuleTraffic): RuleTraffic['nearMisses'] => traffic.nearMisses.filter(({ why }) => why !== 'goes on behind the value')

/**
 * A rule that takes the missed addresses too, or instead of its own; null where it is not its address that
 * misses them, so that only a person can say what to do.
 */
function takeMisses(rule: Rule, misses: RuleTraffic['nearMisses'], instead: boolean): Rule | null {
  const address = rule.any.flatMap(({ all }) => all).find((each) => each.op === 'is' && !each.not && each.reading === 'path')
  const paths = [...new Set(misses.map(({ path }) => path))]
  if (!address || paths.some((path) => judgeCondition(prepareCondition(address), path))) return null
  const [first, ...more] = paths as [string, ...string[]]
  const base: Rule = instead ? { any: rule.any.map(({ all }) => ({ all: all.map((each) => (each === address ? { ...each, value: first } : each)) })) } : rule
  return (instead ? more : paths).reduce(includePath, base)
}

/** What both triggers and goals are told of narrow misses; null where there are too few. */
function narrowMisses(traffic: RuleTraffic | undefined, rule: Rule): { missed: number; evidence: string[]; where: Rule | null; paths: string[] } | null {
  const misses = traffic ? overlooked(traffic) : []
  const missed = misses.reduce((sum, each) => sum + each.events, 0)
  if (!traffic || missed < 3 || missed < traffic.events * 0.02) return null
  return {
    missed,
    evidence: [
      `It happened ${counted(traffic.events, 'time')} in 30 days.`,
      ...misses.slice(0, 4).map((each) => `${each.path}, ${counted(each.events, 'event')}: ${each.why}`),
    ],
    where: takeMisses(rule, misses, !traffic.ever),
    paths: misses.map(({ path }) => path),
  }
}

/** An "is" that misses addresses which differ only in what people overlook. */
export const missesNarrowly: Check = (input) => [
  ...usedTriggers(input).flatMap((trigger) => {
    const traffic = input.traffic.triggers.get(trigger.id)
    const found = narrowMisses(traffic, trigger.where)
    if (!traffic || !found) return []
    const { missed, evidence, where, paths } = found
    return [
      {
        id: `misses-narrowly ${trigger.id}`,
        weight: (traffic.events < missed ? 'loss' : 'warning') as 'loss' | 'warning',
        sentence: `“${sentenceOf(trigger, input)}” narrowly misses ${counted(missed, 'event')}.`,
        evidence,
        mend: where
          ? { type: 'wiring' as const, label: traffic.ever ? 'Take these too' : `Take ${paths.join(', ')} instead`, patch: withRule(trigger, where) }
          : { type: 'open' as const, label: 'Open the trigger', screen: 'trigger' as const, id: trigger.id },
      },
    ]
  }),
  ...input.goals.flatMap(({ id, goal }) => {
    const { kind } = goal
    const found = kind.type === 'page' ? narrowMisses(input.traffic.goals.get(id), kind.where) : null
    if (!found || kind.type !== 'page') return []
    const { missed, evidence, where } = found
    return [
      {
        id: `misses-narrowly-goal ${id}`,
        weight: 'warning' as const,
        sentence: `The goal “${goal.name}” narrowly misses ${counted(missed, 'page view')}.`,
        evidence,
        mend: where
          ? { type: 'goal' as const, label: 'Count these too', id, goal: { ...goal, kind: { ...kind, where } } }
          : { type: 'open' as const, label: 'Open the goal', screen: 'edit-goal' as const, id },
      },
    ]
  }),
]

const QUIET_MS = 14 * 86_400_000

/** A rule whose page was reached before, but not any more, while the site goes on being visited. */
export const noLongerSeen: Check = (input) =>
  usedTriggers(input).flatMap((trigger) => {
    const traffic = input.traffic.triggers.get(trigger.id)
    if (!traffic || trigger.moment.type !== 'page-view' || traffic.ever < 5 || traffic.lastAt > input.now - QUIET_MS || input.traffic.pageViews < ENOUGH)
      return []
    return [
      {
        id: `no-longer-seen ${trigger.id}`,
        weight: 'warning' as const,
        sentence: `“${sentenceOf(trigger, input)}” has not happened since ${new Date(traffic.lastAt).toISOString().slice(0, 10)}, though it did before.`,
        evidence: [`${counted(traffic.ever, 'event')} before; ${counted(input.traffic.pageViews, 'page view')} of the site in the last 30 days.`],
        mend: { type: 'open' as const, label: 'Open the trigger', screen: 'trigger' as const, id: trigger.id },
      },
    ]
  })

const SETTLED_MS = 86_400_000

/** A live trigger that looks for an element which no page had. */
export const selectorMatchesNothing: Check = (input) =>
  input.liveSince === null || input.liveSince > input.now - SETTLED_MS || input.traffic.pageViews < 200
    ? []
    : usedTriggers(input).flatMap((trigger) => {
        const selector = 'selector' in trigger.moment ? trigger.moment.selector : undefined
        const isLive = input.live?.triggers.some((each) => each.id === trigger.id && JSON.stringify(each.moment) === JSON.stringify(trigger.moment))
        if (!selector || !isLive || input.traffic.triggers.get(trigger.id)?.ever) return []
        return [
          {
            id: `selector-matches-nothing ${trigger.id}`,
            weight: 'warning' as const,
            sentence: `No visitor met the element “${selector}” that “${sentenceOf(trigger, input)}” looks for.`,
            evidence: [`${counted(input.traffic.pageViews, 'page view')} in 30 days, and not one such event.`],
            mend: { type: 'open' as const, label: 'Choose the element on the page', screen: 'trigger' as const, id: trigger.id },
          },
        ]
      })
