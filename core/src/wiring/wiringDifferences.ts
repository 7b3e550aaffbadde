import type { Channel } from '../recipes/channelSchema.js'
import { plainText } from '../sentences/Part.js'
import { tagSentence } from '../sentences/tagSentence.js'
import { triggerSentence } from '../sentences/triggerSentence.js'
import type { Wiring } from './wiringSchema.js'

/** One difference between two wirings, in sentences. */
export interface WiringDifference {
  change: 'added' | 'removed' | 'changed'
  what: 'trigger' | 'tag'
  id: string
  /** The sentence before; absent when added. */
  from?: string
  /** The sentence after; absent when removed. */
  to?: string
}

/** What changed from one wiring to another, triggers first, in the order they stand. */
export function wiringDifferences(before: Wiring, after: Wiring, channels: readonly Channel[], currency: string): WiringDifference[] {
  const tagText = (wiring: Wiring) => (tag: Wiring['tags'][number]) => plainText(tagSentence(tag, wiring, channels, currency))
  return [
    ...compare(
      'trigger',
      before.triggers,
      after.triggers,
      (trigger) => plainText(triggerSentence(trigger)),
      (trigger) => plainText(triggerSentence(trigger)),
    ),
    ...compare('tag', before.tags, after.tags, tagText(before), tagText(after)),
  ]
}

function compare<T extends { id: string }>(
  what: WiringDifference['what'],
  before: T[],
  after: T[],
  textBefore: (each: T) => string,
  textAfter: (each: T) => string,
): WiringDifference[] {
  const old = new Map(before.map((each) => [each.id, each]))
  const now = new Set(after.map((each) => each.id))
  const differences: WiringDifference[] = []
  for (const each of after) {
    const was = old.get(each.id)
    if (!was) differences.push({ change: 'added', what, id: each.id, to: textAfter(each) })
    // A tag whose trigger alone changed is the same tag; the trigger's own line says what happened.
    else if (JSON.stringify(was) !== JSON.stringify(each))
      differences.push({ change: 'changed', what, id: each.id, from: textBefore(was), to: textAfter(each) })
  }
  for (const each of before) if (!now.has(each.id)) differences.push({ change: 'removed', what, id: each.id, from: textBefore(each) })
  return differences
}
