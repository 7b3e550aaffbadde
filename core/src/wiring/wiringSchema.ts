import * as z from 'zod'
import { ownReadingSchema } from '../readings/ownReadingSchema.js'
import { ruleSchema } from '../rules/Rule.js'
import { momentSchema, wiringId } from './momentSchema.js'
import { relaySchema } from './relaySchema.js'
import { tagSchema } from './tagSchema.js'

export type { Moment } from './momentSchema.js'
export type { Tag, TagValue } from './tagSchema.js'

/** A moment and a rule. */
export const triggerSchema = z.object({
  id: wiringId,
  moment: momentSchema,
  where: ruleSchema.default({ any: [] }),
  /** Keeps it from firing where it holds; without groups it keeps nothing. */
  except: ruleSchema.optional(),
  note: z.string().max(5000).optional(),
})

/** All triggers, tags, readings and relay links of a site. */
export const wiringSchema = z
  .object({
    triggers: z.array(triggerSchema).max(1000).default([]),
    tags: z.array(tagSchema).max(1000).default([]),
    readings: z.array(ownReadingSchema).max(200).default([]),
    relays: z.array(relaySchema).max(200).default([]),
  })
  .superRefine((wiring, context) => {
    const complain = (path: (string | number)[], message: string): void => context.addIssue({ code: 'custom', path, message })
    const twice = (list: keyof typeof wiring, member: 'id' | 'name', names: string[]): void => {
      const seen = new Set<string>()
      for (const [index, name] of names.entries()) {
        if (seen.has(name)) complain([list, index, member], `The ${member} "${name}" is used twice.`)
        seen.add(name)
      }
    }
    const ids = (list: { id: string }[]): string[] => list.map((each) => each.id)
    twice('triggers', 'id', ids(wiring.triggers))
    twice('tags', 'id', ids(wiring.tags))
    twice(
      'readings',
      'name',
      wiring.readings.map((each) => each.name),
    )
    twice(
      'relays',
      'name',
      wiring.relays.map((each) => each.name),
    )

    const triggers = new Map(wiring.triggers.map((trigger) => [trigger.id, trigger]))
    const tags = new Map(wiring.tags.map((tag) => [tag.id, tag]))
    for (const [index, { moment }] of wiring.triggers.entries()) {
      if (moment.type === 'form-accepted' && moment.by === 'element' && !moment.selector)
        complain(['triggers', index, 'moment', 'selector'], 'Say which element appears when the form was accepted.')
      if (moment.type !== 'all') continue
      const lost = moment.triggers.find((each) => !triggers.has(each))
      if (lost !== undefined) complain(['triggers', index, 'moment'], `There is no trigger "${lost}".`)
      if (moment.triggers.some((each) => triggers.get(each)?.moment.type === 'all'))
        complain(['triggers', index, 'moment'], 'A trigger of several triggers cannot contain another one of that kind.')
    }
    for (const [index, tag] of wiring.tags.entries()) {
      const lost = tag.triggers.find((each) => !triggers.has(each))
      if (lost !== undefined) complain(['tags', index, 'triggers'], `There is no trigger "${lost}".`)
      if (tag.after && !tags.has(tag.after.tag)) complain(['tags', index, 'after'], `There is no tag "${tag.after.tag}".`)
      const chain = new Set([tag.id])
      for (let next = tag.after?.tag; next !== undefined; next = tags.get(next)?.after?.tag) {
        if (chain.has(next)) {
          complain(['tags', index, 'after'], `The tag "${tag.name}" would wait for itself.`)
          break
        }
        chain.add(next)
      }
    }
  })

export type Wiring = z.output<typeof wiringSchema>
export type Trigger = z.output<typeof triggerSchema>

/** A wiring in which nothing fires yet. */
export const EMPTY_WIRING: Wiring = { triggers: [], tags: [], readings: [], relays: [] }
