import * as z from 'zod'
import { parseTime } from '../days/parseTime.js'
import { isOwnEventName } from '../events/isOwnEventName.js'
import { moneySchema } from '../money/moneySchema.js'
import { addressTemplate, templateSchema } from '../recipes/recipeSchema.js'
import { isReading } from '../rules/Rule.js'
import { wiringId } from './momentSchema.js'

const reading = z.string().max(300).refine(isReading, { message: 'This is no reading.' })

/** Where a tag takes the amount it reports from. */
export const tagValueSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('none') }),
  z.object({ type: z.literal('fixed'), amount: moneySchema }),
  z.object({ type: z.literal('reading'), reading, fallback: moneySchema.optional() }),
])

/** A named value that goes along: a reading, or a text that is always the same. */
export const parameterSchema = z.union([
  z.object({ name: z.string().trim().min(1, 'Name the parameter.').max(100), reading }),
  z.object({ name: z.string().trim().min(1, 'Name the parameter.').max(100), text: z.string().max(500) }),
])

const value = tagValueSchema.default({ type: 'none' })
const time = z
  .string()
  .refine((text) => parseTime(text) !== null, { message: 'A time is ISO 8601 in UTC, such as 2026-05-04T10:00:00Z.' })
  .optional()

/** What a tag does when it fires. */
export const tagActionSchema = z.discriminatedUnion('type', [
  z.object({
    type: z.literal('channel-event'),
    channel: z.string().max(40),
    call: z.enum(['base', 'event']),
    /** The channel's own name for the event; not used by the base call. */
    event: z.string().max(100).optional(),
    /** Our category, which the recipe turns into the channel's own name where `event` is not given. */
    category: z.string().max(60).optional(),
    value,
    /** Where the order number is read. */
    order: reading.default('order'),
    extra: z.array(parameterSchema).max(30).default([]),
  }),
  /** Records another event in the log. */
  z.object({
    type: z.literal('own-event'),
    name: z
      .string()
      .trim()
      .min(1, 'Name the event.')
      .max(100)
      .refine((name) => !isOwnEventName(name), { message: 'Acequia records events of this name itself; choose another one.' }),
    value,
    data: z.array(parameterSchema).max(30).default([]),
  }),
  z.object({ type: z.literal('image'), address: addressTemplate }),
  z.object({ type: z.literal('request'), address: addressTemplate, method: z.enum(['GET', 'POST', 'PUT']).default('POST'), body: templateSchema.optional() }),
  /** Code of the marketer's, run on the page; `read(NAME)` gives a reading's text. */
  z.object({ type: z.literal('script'), code: z.string().trim().min(1, 'Write the script.').max(50_000) }),
  /** Markup put at the end of the page's body; scripts in it run. */
  z.object({ type: z.literal('html'), html: z.string().trim().min(1, 'Write the HTML.').max(50_000) }),
])

/** What a visitor must have agreed to before a tag may fire. */
export const PURPOSES = ['none', 'statistics', 'marketing'] as const
/** How often a tag may fire. */
export const LIMITS = ['every', 'page', 'visit', 'visitor'] as const

/** Something that is sent or run when one of its triggers fires. */
export const tagSchema = z.object({
  id: wiringId,
  name: z.string().trim().min(1, 'Give the tag a name.').max(200),
  triggers: z.array(wiringId).max(50).default([]),
  paused: z.boolean().default(false),
  note: z.string().max(5000).optional(),
  does: tagActionSchema,
  limit: z.enum(LIMITS).default('every'),
  /** Left out: marketing for what leaves to others or runs on the page, statistics for own events. */
  consent: z.enum(PURPOSES).optional(),
  /** Fires only after this tag has run on the same page, and only if that worked where `ifWorked`. */
  after: z.object({ tag: wiringId, ifWorked: z.boolean().default(false) }).optional(),
  schedule: z.object({ from: time, to: time }).optional(),
})

export type Tag = z.output<typeof tagSchema>
export type TagAction = Tag['does']
export type TagValue = z.output<typeof tagValueSchema>
export type Parameter = z.output<typeof parameterSchema>
export type Purpose = (typeof PURPOSES)[number]

/** What a tag needs the visitor's consent for. */
export function purposeOf(tag: Pick<Tag, 'does' | 'consent'>): Purpose {
  return tag.consent ?? (tag.does.type === 'own-event' ? 'statistics' : 'marketing')
}
