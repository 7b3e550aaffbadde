import type { Tag } from '../wiring/tagSchema.js'
import { moneyText } from './money.js'
import { tagValueWords } from './tagSentence.js'

/** What a tag does in a word or two, for narrow places: "pixel", "18.00 €", "own event". */
export function tagNote(tag: Pick<Tag, 'does' | 'paused'>, currency: string, locale?: string): string {
  const { does } = tag
  if (tag.paused) return 'paused'
  if (does.type === 'own-event') return 'own event'
  if (does.type === 'html') return 'HTML'
  if (does.type !== 'channel-event') return does.type
  if (does.call === 'base') return 'pixel'
  if (does.value.type === 'fixed') return moneyText(does.value.amount, currency, locale)
  return does.value.type === 'none' ? 'event' : tagValueWords(does.value).replace(/^the /, '')
}
