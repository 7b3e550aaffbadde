import * as z from 'zod'
import { moneySchema } from '../money/moneySchema.js'
import { isReading, ruleSchema } from '../rules/Rule.js'

const id = z.string().regex(/^[A-Za-z0-9_-]{1,40}$/, 'An id is up to 40 letters, digits, "_" or "-".')
const note = z.string().max(5000).optional()

/** What a trigger listens for. */
export const momentSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('page-view') }),
  z.object({ type: z.literal('form-sent') }),
  z.object({ type: z.literal('signal'), name: z.string().min(1, 'Name the signal.').max(100) }),
])

/** A moment and a rule. */
export const triggerSchema = z.object({
  id,
  moment: momentSchema,
  where: ruleSchema.default({ any: [] }),
  note,
})

const reading = z.string().max(300).refine(isReading, { message: 'This is no reading.' })

/** Where a tag takes the amount it reports from. */
export const tagValueSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('none') }),
  z.object({ type: z.literal('fixed'), amount: moneySchema }),
  z.object({ type: z.literal('reading'), reading, fallback: moneySchema.optional() }),
])

/** Something that is sent when one of its triggers fires. */
export const tagSchema = z.object({
  id,
  name: z.string().trim().min(1, 'Give the tag a name.').max(200),
  triggers: z.array(id).max(50).default([]),
  paused: z.boolean().default(false),
  note,
  does: z.object({
    type: z.literal('channel-event'),
    channel: z.string().max(40),
    call: z.enum(['base', 'event']),
    /** The channel's own name for the event; not used by the base call. */
    event: z.string().max(100).optional(),
    value: tagValueSchema.default({ type: 'none' }),
  }),
})

/** All triggers and tags of a site. */
export const wiringSchema = z
  .object({
    triggers: z.array(triggerSchema).max(1000).default([]),
    tags: z.array(tagSchema).max(1000).default([]),
  })
  .superRefine((wiring, context) => {
    for (const list of ['triggers', 'tags'] as const) {
      const seen = new Set<string>()
      for (const [index, { id: each }] of wiring[list].entries()) {
        if (seen.has(each)) context.addIssue({ code: 'custom', path: [list, index, 'id'], message: `The id "${each}" is used twice.` })
        seen.add(each)
      }
    }
    const known = new Set(wiring.triggers.map((trigger) => trigger.id))
    for (const [index, tag] of wiring.tags.entries()) {
      const lost = tag.triggers.find((each) => !known.has(each))
      if (lost !== undefined) context.addIssue({ code: 'custom', path: ['tags', index, 'triggers'], message: `There is no trigger "${lost}".` })
    }
  })

export type Wiring = z.output<typeof wiringSchema>
export type Trigger = z.output<typeof triggerSchema>
export type Moment = Trigger['moment']
export type Tag = z.output<typeof tagSchema>
export type TagValue = z.output<typeof tagValueSchema>

/** A wiring in which nothing fires yet. */
export const EMPTY_WIRING: Wiring = { triggers: [], tags: [] }
