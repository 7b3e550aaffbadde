import { plainText } from '@acequia/core/sentences/Part'
import { MOMENT_CHOICES, momentChoice, momentWords, proofWords, seenWords, triggerSentence, type MomentChoice } from '@acequia/core/sentences/triggerSentence'
import { writeSlot } from '@acequia/core/sentences/slots'
import { PROOFS, SEEN_REPEATS, type Moment } from '@acequia/core/wiring/momentSchema'
import type { Relay } from '@acequia/core/wiring/relaySchema'
import type { Trigger } from '@acequia/core/wiring/wiringSchema'
import type { Choice } from '../sentences/choice'
import type { GoalName } from './useWiring'

const MOMENTS: Record<MomentChoice, Moment> = {
  'page-view': { type: 'page-view' },
  'form-sent': { type: 'form-sent' },
  'form-accepted': { type: 'form-accepted', by: 'element', selector: '', seconds: 10 },
  'element-seen': { type: 'element-seen', selector: '', percent: 50, seconds: 0, repeat: 'page' },
  'click-link': { type: 'click', on: 'link' },
  'click-element': { type: 'click', on: 'element', selector: '' },
  'address-change': { type: 'address-change' },
  scroll: { type: 'scroll', unit: 'percent', amount: 50 },
  time: { type: 'time', of: 'page', seconds: 30, times: 1 },
  video: { type: 'video', percent: 50 },
  signal: { type: 'signal', name: '' },
  goal: { type: 'goal', goal: '' },
  relay: { type: 'relay', relay: '' },
  all: { type: 'all', triggers: [] },
}

const HINTS: Partial<Record<MomentChoice, string>> = {
  'form-sent': 'also when the site refuses it',
  'form-accepted': 'sent, and the site took it',
  'address-change': 'in a single-page application',
  signal: "by the site's own code",
  goal: 'follows when its rule changes',
  relay: 'for ways without a thank-you page',
}

/** What else can be referred to. */
export interface MomentContext {
  goals: GoalName[]
  relays: Relay[]
  /** The other triggers. */
  triggers: Trigger[]
}

/** What can be chosen at each chip of a trigger's sentence. */
export function momentChoices(draft: Trigger, chip: string, { goals, relays, triggers }: MomentContext): Choice<object>[] {
  const put =
    (slot: string, value: unknown) =>
    (model: object): object =>
      writeSlot(model, slot, value)
  const { moment } = draft
  const only = <T>(list: readonly T[], words: (each: T) => string, now: T): Choice<object>[] =>
    list.map((each) => ({ label: words(each), chosen: each === now, apply: put(chip, each) }))
  switch (chip) {
    case 'moment':
      return MOMENT_CHOICES.map((choice) => ({
        label: momentWords(choice),
        ...(HINTS[choice] && { hint: HINTS[choice] }),
        chosen: momentChoice(moment) === choice,
        apply: momentChoice(moment) === choice ? (model) => model : put('moment', MOMENTS[choice]),
      }))
    case 'moment.by':
      return moment.type === 'form-accepted' ? only(PROOFS, proofWords, moment.by) : []
    case 'moment.repeat':
      return moment.type === 'element-seen' ? only(SEEN_REPEATS, seenWords, moment.repeat) : []
    case 'moment.unit':
      return moment.type === 'scroll'
        ? only(['percent', 'pixels'] as const, (unit) => (unit === 'percent' ? 'percent of the page' : 'pixels'), moment.unit)
        : []
    case 'moment.of':
      return moment.type === 'time' ? only(['page', 'visit'] as const, (of) => (of === 'page' ? 'on a page' : 'in the visit'), moment.of) : []
    case 'moment.goal':
      return moment.type === 'goal' ? goals.map(({ id, name }) => ({ label: name, chosen: id === moment.goal, apply: put(chip, id) })) : []
    case 'moment.relay':
      return moment.type === 'relay'
        ? relays.map(({ name, targets }) => ({ label: name, hint: targets[0] ?? '', chosen: name === moment.relay, apply: put(chip, name) }))
        : []
    case 'moment.triggers': {
      if (moment.type !== 'all') return []
      return triggers
        .filter((each) => each.id !== draft.id && each.moment.type !== 'all')
        .map((each) => ({
          label: plainText(triggerSentence(each, { goals })),
          chosen: moment.triggers.includes(each.id),
          apply: put(chip, moment.triggers.includes(each.id) ? moment.triggers.filter((id) => id !== each.id) : [...moment.triggers, each.id]),
        }))
    }
  }
  return []
}

/** What a trigger's moment still lacks, in words; null when nothing. */
export function momentProblem(moment: Moment): string | null {
  if (moment.type === 'signal' && !moment.name) return 'Say which signal it is.'
  if (moment.type === 'goal' && !moment.goal) return 'Choose the goal it waits for.'
  if (moment.type === 'relay' && !moment.relay) return 'Choose the relay link.'
  if (moment.type === 'all' && moment.triggers.length < 2) return 'Choose at least two triggers.'
  if (moment.type === 'element-seen' && !moment.selector) return 'Say which element it is about.'
  if (moment.type === 'form-accepted' && moment.by === 'element' && !moment.selector) return 'Say which element appears when the form was accepted.'
  if (moment.type === 'click' && moment.on === 'element' && !moment.selector) return 'Say which element is clicked.'
  return null
}
