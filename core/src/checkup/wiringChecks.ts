import { idErrors } from '../recipes/idErrors.js'
import type { Recipe } from '../recipes/recipeSchema.js'
import { plainText } from '../sentences/Part.js'
import { triggerSentence } from '../sentences/triggerSentence.js'
import { purposeOf, type Tag } from '../wiring/tagSchema.js'
import type { Trigger } from '../wiring/wiringSchema.js'
import { counted, type Check, type CheckupInput } from './Check.js'

/** A trigger as a sentence. */
export function sentenceOf(trigger: Trigger, { goals, wiring }: Pick<CheckupInput, 'goals' | 'wiring'>): string {
  return plainText(triggerSentence(trigger, { goals: goals.map(({ id, goal }) => ({ id, name: goal.name })), triggers: wiring.triggers }))
}

const recipeOf = (input: CheckupInput, channel: string): Recipe | undefined =>
  input.recipes.find((recipe) => recipe.id === input.channels.find((each) => each.id === channel)?.recipe)
const running = ({ wiring }: CheckupInput): Tag[] => wiring.tags.filter((tag) => !tag.paused)

/** A tag that nothing can fire. */
export const tagWithoutTrigger: Check = (input) =>
  running(input)
    .filter((tag) => !tag.triggers.length)
    .map((tag) => ({
      id: `tag-without-trigger ${tag.id}`,
      weight: 'warning',
      sentence: `The tag “${tag.name}” has no trigger, so it never fires.`,
      evidence: [],
      mend: { type: 'open', label: 'Choose its trigger', screen: 'tag', id: tag.id },
    }))

/** A trigger that fires nothing and that no other trigger is made of. */
export const triggerWithoutTag: Check = (input) => {
  const { triggers, tags } = input.wiring
  const used = new Set([...tags.flatMap((tag) => tag.triggers), ...triggers.flatMap(({ moment }) => (moment.type === 'all' ? moment.triggers : []))])
  return triggers
    .filter(({ id }) => !used.has(id))
    .map((trigger) => ({
      id: `trigger-without-tag ${trigger.id}`,
      weight: 'notice',
      sentence: `Nothing is fired by “${sentenceOf(trigger, input)}”.`,
      evidence: [],
      mend: { type: 'wiring', label: 'Remove the trigger', patch: { triggers: { [trigger.id]: null } } },
    }))
}

/** What two tags would say to the outside, as one text; null for what cannot be compared. */
function says({ does }: Tag): string | null {
  if (does.type === 'channel-event') return does.call === 'base' ? `${does.channel} base` : `${does.channel} event ${does.event || does.category || ''}`
  return does.type === 'image' || does.type === 'request' ? does.address : null
}

/** Two tags that report the same thing at the same moment. */
export const reportedTwice: Check = (input) => {
  const tags = running(input)
  return tags.flatMap((tag, index) => {
    const twin = tags.slice(0, index).find((each) => says(each) !== null && says(each) === says(tag) && each.triggers.some((id) => tag.triggers.includes(id)))
    const shared = twin && input.wiring.triggers.find(({ id }) => twin.triggers.includes(id) && tag.triggers.includes(id))
    if (!twin || !shared) return []
    return [
      {
        id: `reported-twice ${twin.id} ${tag.id}`,
        weight: 'loss' as const,
        sentence: `“${twin.name}” and “${tag.name}” report the same thing at the same moment, so everything counts twice there.`,
        evidence: [sentenceOf(shared, input), counted(input.traffic.triggers.get(shared.id)?.events ?? 0, 'such event') + ' in 30 days'],
        mend: { type: 'wiring' as const, label: `Pause “${tag.name}”`, patch: { tags: { [tag.id]: { ...tag, paused: true } } } },
      },
    ]
  })
}

/** A channel's event without its base pixel on every page before it. */
export const baseMissing: Check = (input) => {
  const everywhere = input.wiring.triggers.filter(({ moment, where, except }) => moment.type === 'page-view' && !where.any.length && !except?.any.length)
  const channels = new Set(
    running(input).flatMap(({ does, triggers }) => (does.type === 'channel-event' && does.call === 'event' && triggers.length ? [does.channel] : [])),
  )
  return [...channels].flatMap((id) => {
    const channel = input.channels.find((each) => each.id === id)
    if (!channel || !recipeOf(input, id)?.calls.base) return []
    const bases = running(input).filter(({ does }) => does.type === 'channel-event' && does.call === 'base' && does.channel === id)
    if (bases.some((tag) => tag.triggers.some((each) => everywhere.some((trigger) => trigger.id === each)))) return []
    const [base] = bases
    const trigger = everywhere[0] ?? { id: 'every-page', moment: { type: 'page-view' as const }, where: { any: [] } }
    const tag: Tag = base
      ? { ...base, triggers: [...base.triggers, trigger.id] }
      : {
          id: `base-${id}`.slice(0, 40),
          name: `${channel.name} base`,
          triggers: [trigger.id],
          paused: false,
          limit: 'every',
          does: { type: 'channel-event', channel: id, call: 'base', value: { type: 'none' }, order: 'order', extra: [] },
        }
    return [
      {
        id: `base-missing ${id}`,
        weight: 'loss' as const,
        sentence: `${channel.name} is told of events, but its base pixel is not on every page before them.`,
        evidence: [base ? `“${base.name}” fires only under a rule.` : 'There is no tag with its base pixel.'],
        mend: {
          type: 'wiring' as const,
          label: 'Put the base pixel on every page',
          patch: { ...(!everywhere.length && { triggers: { [trigger.id]: trigger } }), tags: { [tag.id]: tag } },
        },
      },
    ]
  })
}

/** A channel that is told things, but whose ids are missing or wrong. */
export const idMissing: Check = (input) =>
  input.channels.flatMap((channel) => {
    const recipe = recipeOf(input, channel.id)
    const used = running(input).some(({ does }) => does.type === 'channel-event' && does.channel === channel.id)
    const errors = recipe && used ? idErrors(recipe, channel.ids) : []
    if (!errors.length) return []
    return [
      {
        id: `id-missing ${channel.id}`,
        weight: 'loss' as const,
        sentence: `${channel.name} cannot know whom its pixel belongs to: an id is missing or wrong.`,
        evidence: errors.map(({ message }) => message),
        mend: { type: 'open' as const, label: 'Enter the id', screen: 'channels' as const },
      },
    ]
  })

/** Event of a channel that stands for money, told without a value. */
export const valueMissing: Check = (input) =>
  running(input).flatMap((tag) => {
    const { does } = tag
    if (does.type !== 'channel-event' || does.call !== 'event' || does.value.type !== 'none') return []
    const categories = recipeOf(input, does.channel)?.events.find((each) => each.name === does.event)?.categories ?? [does.category]
    if (!categories.some((each) => each === 'purchase' || each === 'booking')) return []
    const seen = tag.triggers.map((id) => input.traffic.triggers.get(id)).find((each) => each?.withValue)
    return [
      {
        id: `value-missing ${tag.id}`,
        weight: 'warning' as const,
        sentence: `“${tag.name}” reports a purchase without saying what it was worth.`,
        evidence: [
          seen ? `${seen.withValue} of ${counted(seen.events, 'such event')} in 30 days carry a value.` : 'No value was seen with such events in 30 days.',
        ],
        mend: seen
          ? {
              type: 'wiring' as const,
              label: 'Take the order’s own value',
              patch: { tags: { [tag.id]: { ...tag, does: { ...does, value: { type: 'reading' as const, reading: 'value' } } } } },
            }
          : { type: 'open' as const, label: 'Give it a value', screen: 'tag' as const, id: tag.id },
      },
    ]
  })

/** A tag of a channel that fires whatever the visitor agreed to, on a site that asks for consent. */
export const consentMissing: Check = (input) =>
  input.site.consent !== 'ask'
    ? []
    : running(input)
        .filter((tag) => (tag.does.type === 'channel-event' || tag.does.type === 'image') && purposeOf(tag) !== 'marketing')
        .map((tag) => {
          const { consent: _, ...asked } = tag
          return {
            id: `consent-missing ${tag.id}`,
            weight: 'loss',
            sentence: `“${tag.name}” reports to others without consent to marketing, on a site that asks for consent.`,
            evidence: [],
            mend: { type: 'wiring', label: 'Wait for consent to marketing', patch: { tags: { [tag.id]: asked } } },
          }
        })

/** Changes that have been waiting for long. */
export const oldDraft: Check = ({ draftChangedAt, now }) => {
  const days = draftChangedAt === null ? 0 : Math.floor((now - draftChangedAt) / 86_400_000)
  return days < 7
    ? []
    : [
        {
          id: 'old-draft',
          weight: 'notice',
          sentence: `Changes of the draft have not been live for ${counted(days, 'day')}.`,
          evidence: [],
          mend: { type: 'open', label: 'Look at them and release', screen: 'new-release' },
        },
      ]
}

/** A script or a channel's script that fails on the site. */
export const tagThrows: Check = (input) =>
  input.traffic.failures.flatMap(({ tag: id, message, times }) => {
    const tag = input.wiring.tags.find((each) => each.id === id && !each.paused)
    if (!tag) return []
    return [
      {
        id: `tag-throws ${id} ${message}`.slice(0, 190),
        weight: 'warning' as const,
        sentence: `“${tag.name}” failed on the site.`,
        evidence: [`${message || 'No message'} (${counted(times, 'time')} in 30 days)`],
        mend: { type: 'open' as const, label: tag.does.type === 'script' ? 'Open the script' : 'Open the tag', screen: 'tag' as const, id },
      },
    ]
  })
