import type { Channel } from '../recipes/channelSchema.js'
import type { Tag, TagAction, TagValue } from '../wiring/tagSchema.js'
import type { Wiring } from '../wiring/wiringSchema.js'
import { moneyText } from './money.js'
import { plainText, text, type Part } from './Part.js'
import { readingWords } from './ruleSentence.js'
import { triggerSentence, type TriggerNames } from './triggerSentence.js'

const ACTION_WORDS: Record<TagAction['type'], string> = {
  'channel-event': 'tell a channel',
  'own-event': 'record an event of our own',
  image: 'request an image',
  request: 'send a request',
  script: 'run a script',
  html: 'insert HTML',
}

/** The words for what a tag does, where the choice stands by itself. */
export function actionWords(type: TagAction['type']): string {
  return ACTION_WORDS[type]
}

/** The words for where a tag takes its amount from. */
export function tagValueWords(value: TagValue): string {
  if (value.type === 'none') return 'no value'
  if (value.type === 'fixed') return 'a fixed value'
  return value.reading === 'value' ? "the order's value" : `the ${readingWords(value.reading)}`
}

const LIMIT_WORDS: Record<Tag['limit'], string> = { every: 'every time', page: 'once a page', visit: 'once a visit', visitor: 'once a visitor' }

/** The words for how often a tag may fire. */
export function limitWords(limit: Tag['limit']): string {
  return LIMIT_WORDS[limit]
}

/** What a tag does as the second half of a sentence: "tell Farola Search about the event sale with the order's value". */
export function tagAction(tag: Pick<Tag, 'does'>, channels: readonly Channel[], currency: string, locale?: string): Part[] {
  const { does } = tag
  const chip = (words: string, slot: string, edits: Extract<Part, { type: 'chip' }>['edits'], mono = false): Part => ({
    type: 'chip',
    text: words || '…',
    slot,
    edits,
    ...(mono && { mono }),
  })
  const value = (given: TagValue): Part[] => [
    text('with'),
    chip(tagValueWords(given), 'does.value', 'choice'),
    ...(given.type === 'fixed' ? [text('of'), chip(moneyText(given.amount, currency, locale), 'does.value.amount', 'money')] : []),
  ]
  const shorten = (words: string): string => {
    const [line = ''] = words.trim().split('\n')
    return line.length > 60 || line.length < words.trim().length ? `${line.slice(0, 60)} …` : line
  }
  const action = (): Part => chip(actionWords(does.type), 'does.type', 'choice')
  switch (does.type) {
    case 'channel-event': {
      const channel = channels.find((each) => each.id === does.channel)
      const tell: Part[] = [
        chip('tell', 'does.type', 'choice'),
        chip(channel?.name ?? 'a channel …', 'does.channel', 'channel'),
        chip(does.call === 'base' ? 'that the page was viewed' : 'about the event', 'does.call', 'choice'),
      ]
      if (does.call === 'base') return tell
      const name = does.event || !does.category ? chip(does.event ?? '', 'does.event', 'name', true) : chip(`for “${does.category}”`, 'does.event', 'name')
      return [...tell, name, ...value(does.value)]
    }
    case 'own-event':
      return [action(), chip(does.name, 'does.name', 'name', true), ...value(does.value)]
    case 'image':
      return [action(), chip(does.address, 'does.address', 'long-text', true)]
    case 'request':
      return [action(), chip(does.method, 'does.method', 'choice', true), text('to'), chip(does.address, 'does.address', 'long-text', true)]
    case 'script':
      return [action(), chip(shorten(does.code), 'does.code', 'long-text', true)]
    case 'html':
      return [action(), chip(shorten(does.html), 'does.html', 'long-text', true)]
  }
}

/** When a tag is kept from firing, as the end of its sentence; empty where nothing keeps it. */
export function tagConditions(tag: Tag, wiring: Pick<Wiring, 'tags'>): Part[] {
  const parts: Part[] = []
  if (tag.limit !== 'every') parts.push(text(`, ${limitWords(tag.limit)}`))
  if (tag.after) {
    const first = wiring.tags.find((each) => each.id === tag.after?.tag)
    parts.push(text(`, after “${first?.name ?? tag.after.tag}”${tag.after.ifWorked ? ' worked' : ''}`))
  }
  if (tag.schedule?.from) parts.push(text(`, from ${tag.schedule.from.slice(0, 16).replace('T', ' ')} UTC`))
  if (tag.schedule?.to) parts.push(text(`, until ${tag.schedule.to.slice(0, 16).replace('T', ' ')} UTC`))
  if (tag.consent) parts.push(text(tag.consent === 'none' ? ', whatever the consent' : `, with consent to ${tag.consent}`))
  if (tag.paused) parts.push(text('(paused)'))
  return parts
}

/** A tag as a whole sentence with its triggers, for differences and lists. */
export function tagSentence(tag: Tag, wiring: Wiring, channels: readonly Channel[], currency: string, names: TriggerNames = {}): Part[] {
  const triggers = tag.triggers.flatMap((id) => wiring.triggers.find((each) => each.id === id) ?? [])
  const when = triggers.length
    ? triggers
        .map((trigger) => plainText(triggerSentence(trigger, { triggers: wiring.triggers, ...names })))
        .join('; or ')
        .replace(/; or When/g, ' or when')
    : 'Never'
  return [text(`${tag.name}:`), text(`${when}, then`), ...tagAction(tag, channels, currency), ...tagConditions(tag, wiring)]
}
