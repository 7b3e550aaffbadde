import type { Channel } from '../recipes/channelSchema.js'
import { plainText } from '../sentences/Part.js'
import { readingSentence } from '../sentences/readingSentence.js'
import { tagSentence } from '../sentences/tagSentence.js'
import { triggerSentence, type TriggerNames } from '../sentences/triggerSentence.js'
import type { Wiring } from './wiringSchema.js'

/** One difference between two wirings, in sentences. */
export interface WiringDifference {
  change: 'added' | 'removed' | 'changed'
  what: 'trigger' | 'tag' | 'reading' | 'relay'
  id: string
  /** The sentence before; absent when added. */
  from?: string
  /** The sentence after; absent when removed. */
  to?: string
}

/** What the sentences of differences need beside the wirings. */
export interface DifferenceNames extends Pick<TriggerNames, 'goals'> {
  channels: readonly Channel[]
  currency: string
}

/** What changed from one wiring to another: triggers, tags, readings, relay links, each in the order they stand. */
export function wiringDifferences(before: Wiring, after: Wiring, { channels, currency, goals = [] }: DifferenceNames): WiringDifference[] {
  const trigger = (wiring: Wiring) => (each: Wiring['triggers'][number]) => plainText(triggerSentence(each, { goals, triggers: wiring.triggers }))
  const tag = (wiring: Wiring) => (each: Wiring['tags'][number]) => plainText(tagSentence(each, wiring, channels, currency, { goals })) + addendum(each)
  const reading = (each: Wiring['readings'][number]): string => `own.${each.name}: ${readingSentence(each, channels)}${addendum(each)}`
  const relay = (each: Wiring['relays'][number]): string =>
    `${each.name} leads to ${each.targets.join(' or ')}, holds at most ${each.waitMs} ms${each.carry.length ? `, carries ${each.carry.join(', ')}` : ''}${addendum(each)}`
  const named = <T extends { name: string }>(list: T[]): (T & { id: string })[] => list.map((each) => ({ ...each, id: each.name }))
  return [
    ...compare('trigger', before.triggers, after.triggers, trigger(before), trigger(after)),
    ...compare('tag', before.tags, after.tags, tag(before), tag(after)),
    ...compare('reading', named(before.readings), named(after.readings), reading, reading),
    ...compare('relay', named(before.relays), named(after.relays), relay, relay),
  ]
}

/** Members of an action that its sentence already says. */
const SAID = new Set(['type', 'channel', 'call', 'event', 'category', 'value', 'name', 'address', 'method'])

/** What a sentence leaves out but a colleague should see when it changes. */
function addendum(each: { note?: string | undefined; does?: object; always?: boolean }): string {
  const parts = Object.entries(each.does ?? {}).flatMap(([name, value]: [string, unknown]) => {
    const usual = value === undefined || (name === 'order' && value === 'order') || (Array.isArray(value) && !value.length)
    return SAID.has(name) || usual ? [] : [`${name} ${typeof value === 'string' ? value : JSON.stringify(value)}`]
  })
  if (each.always) parts.push('taken at every event')
  if (each.note) parts.push(`note: ${each.note}`)
  return parts.length ? ` [${parts.join('; ')}]` : ''
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
