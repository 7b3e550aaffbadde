import type { Channel } from '../recipes/channelSchema.js'
import type { Tag, TagValue, Wiring } from '../wiring/wiringSchema.js'
import { moneyText } from './money.js'
import { plainText, text, type Part } from './Part.js'
import { readingWords } from './ruleSentence.js'
import { triggerSentence } from './triggerSentence.js'

/** The words for where a tag takes its amount from. */
export function tagValueWords(value: TagValue): string {
  if (value.type === 'none') return 'no value'
  if (value.type === 'fixed') return 'a fixed value'
  return value.reading === 'value' ? "the order's value" : `the ${readingWords(value.reading)}`
}

/** What a tag does as the second half of a sentence: "tell Farola Search its event sale with the order's value". */
export function tagAction(tag: Pick<Tag, 'does'>, channels: readonly Channel[], currency: string, locale?: string): Part[] {
  const { does } = tag
  const channel = channels.find((each) => each.id === does.channel)
  const parts: Part[] = [
    text('tell'),
    { type: 'chip', text: channel?.name ?? 'a channel …', slot: 'does.channel', edits: 'channel' },
    { type: 'chip', text: does.call === 'base' ? 'that the page was viewed' : 'about the event', slot: 'does.call', edits: 'choice' },
  ]
  if (does.call === 'base') return parts
  parts.push({ type: 'chip', text: does.event || '…', slot: 'does.event', edits: 'name', mono: true })
  parts.push(text('with'), { type: 'chip', text: tagValueWords(does.value), slot: 'does.value', edits: 'choice' })
  if (does.value.type === 'fixed')
    parts.push(text('of'), { type: 'chip', text: moneyText(does.value.amount, currency, locale), slot: 'does.value.amount', edits: 'money' })
  return parts
}

/** A tag as a whole sentence with its triggers, for differences and lists. */
export function tagSentence(tag: Tag, wiring: Wiring, channels: readonly Channel[], currency: string): Part[] {
  const triggers = tag.triggers.flatMap((id) => wiring.triggers.find((each) => each.id === id) ?? [])
  const when = triggers.length
    ? triggers
        .map((trigger) => plainText(triggerSentence(trigger)))
        .join('; or ')
        .replace(/; or When/g, ' or when')
    : 'Never'
  return [text(`${tag.name}:`), text(`${when}, then`), ...tagAction(tag, channels, currency), ...(tag.paused ? [text('(paused)')] : [])]
}
