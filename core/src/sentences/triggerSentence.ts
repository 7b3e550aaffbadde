import type { Moment, Trigger } from '../wiring/wiringSchema.js'
import { durationText } from './goalSentence.js'
import { plainText, text, type Part } from './Part.js'
import { ruleSentence } from './ruleSentence.js'

/** What the words of a trigger need beside itself: the names of goals, and the other triggers. */
export interface TriggerNames {
  goals?: readonly { id: string; name: string }[]
  triggers?: readonly Trigger[]
}

/** What people choose between; a click on a link is a choice of its own. */
export type MomentChoice = Exclude<Moment['type'], 'click'> | 'click-link' | 'click-element'

const WORDS: Record<MomentChoice, string> = {
  'page-view': 'a page is viewed',
  'form-sent': 'a form is sent',
  'form-accepted': 'a form is accepted',
  'element-seen': 'an element is seen',
  'click-link': 'a link is clicked',
  'click-element': 'an element is clicked',
  'address-change': 'the address changes in place',
  scroll: 'someone scrolls',
  time: 'someone stays',
  video: 'a video is watched',
  signal: 'the site signals',
  goal: 'a goal is reached',
  relay: 'a relay link is followed',
  all: 'all of these happened on one page',
}

/** All choices, the most frequent first. */
export const MOMENT_CHOICES = Object.keys(WORDS) as MomentChoice[]

/** The choice that a moment stands for. */
export function momentChoice(moment: Moment): MomentChoice {
  return moment.type === 'click' ? `click-${moment.on}` : moment.type
}

/** The words for a choice. */
export function momentWords(choice: MomentChoice): string {
  return WORDS[choice]
}

const PROOF_WORDS = { element: 'an element that appears', gone: 'the form going away', address: 'a new address' } as const
const SEEN_WORDS = { page: 'once a page', element: 'once for each element', every: 'every time' } as const

/** The words for how an accepted form is known. */
export function proofWords(by: keyof typeof PROOF_WORDS): string {
  return PROOF_WORDS[by]
}

/** The words for how often a seen element counts. */
export function seenWords(repeat: keyof typeof SEEN_WORDS): string {
  return SEEN_WORDS[repeat]
}

/** A trigger as one sentence: "When a page is viewed whose path is /nights/thanks". */
export function triggerSentence(trigger: Pick<Trigger, 'moment' | 'where' | 'except'>, names: TriggerNames = {}): Part[] {
  const { moment, where, except } = trigger
  const parts: Part[] = [
    text('When'),
    { type: 'chip', text: momentWords(momentChoice(moment)), slot: 'moment', edits: 'choice' },
    ...momentParts(moment, names),
  ]
  if (!where.any.length && moment.type === 'page-view') parts.push(text(', any page'))
  if (!where.any.length && (moment.type === 'form-sent' || moment.type === 'form-accepted')) parts.push(text(', any form'))
  parts.push(...ruleSentence(where, 'where'))
  if (except?.any.length) parts.push(text(', but not one'), ...ruleSentence(except, 'except'))
  else parts.push({ type: 'action', text: 'but not …', slot: 'except', does: 'add-except' })
  return parts
}

function momentParts(moment: Moment, { goals = [], triggers = [] }: TriggerNames): Part[] {
  const chip = (words: string, name: string, edits: Extract<Part, { type: 'chip' }>['edits'], mono = false): Part => ({
    type: 'chip',
    text: words || '…',
    slot: `moment.${name}`,
    edits,
    ...(mono && { mono }),
  })
  switch (moment.type) {
    case 'form-accepted':
      return [
        text(', known by'),
        chip(proofWords(moment.by), 'by', 'choice'),
        ...(moment.by === 'element' ? [text(','), chip(moment.selector ?? '', 'selector', 'selector', true)] : []),
        text('within'),
        chip(durationText(moment.seconds), 'seconds', 'duration'),
      ]
    case 'element-seen':
      return [
        chip(moment.selector, 'selector', 'selector', true),
        text(','),
        chip(`${moment.percent} %`, 'percent', 'number'),
        text('of it'),
        ...(moment.seconds ? [text('for')] : []),
        chip(moment.seconds ? durationText(moment.seconds) : 'at once', 'seconds', 'duration'),
        text(','),
        chip(seenWords(moment.repeat), 'repeat', 'choice'),
      ]
    case 'click':
      return [chip(moment.selector ?? (moment.on === 'link' ? 'any link' : 'anything'), 'selector', 'selector', !!moment.selector)]
    case 'scroll':
      return [
        text('down'),
        chip(String(moment.amount), 'amount', 'number'),
        chip(moment.unit === 'percent' ? 'percent of the page' : 'pixels', 'unit', 'choice'),
      ]
    case 'time':
      return [
        chip(durationText(moment.seconds), 'seconds', 'duration'),
        chip(moment.of === 'page' ? 'on a page' : 'in the visit', 'of', 'choice'),
        text(','),
        chip(moment.times === 1 ? 'once' : `up to ${moment.times} times`, 'times', 'number'),
      ]
    case 'video':
      return [text('to'), chip(`${moment.percent} %`, 'percent', 'number')]
    case 'signal':
      return [chip(moment.name, 'name', 'name', true)]
    case 'goal':
      return [chip(goals.find((goal) => goal.id === moment.goal)?.name ?? (moment.goal && 'a goal that is gone'), 'goal', 'choice')]
    case 'relay':
      return [chip(moment.relay, 'relay', 'choice', true)]
    case 'all': {
      const chosen = moment.triggers.flatMap((id) => triggers.find((each) => each.id === id) ?? [])
      const words = chosen.map((each) => plainText(triggerSentence(each)).replace(/^When /, ''))
      return [text(':'), chip(words.join('; and '), 'triggers', 'several')]
    }
    default:
      return []
  }
}
