import * as z from 'zod'
import { moneySchema } from '../money/moneySchema.js'
import { isReading, ruleSchema } from '../rules/Rule.js'

const where = ruleSchema.default({ any: [] })

/** What kind of thing a goal counts. */
export const goalKindSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('page'), where }),
  z.object({ type: z.literal('event'), event: z.string().min(1, 'Name the event.').max(100), where }),
  z.object({
    type: z.literal('time'),
    seconds: z
      .number()
      .positive('The time must be longer than nothing.')
      .max(86_400 * 7),
  }),
  z.object({ type: z.literal('depth'), pages: z.number().int().min(1, 'At least one page.').max(1000) }),
  /** The visitor's nth visit and every later one begins. */
  z.object({ type: z.literal('return'), visits: z.number().int().min(2, 'Coming back begins with the second visit.').max(1000) }),
])

/** What one conversion is worth. */
export const goalValueSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('none') }),
  z.object({ type: z.literal('fixed'), amount: moneySchema }),
  z.object({
    type: z.literal('reading'),
    reading: z.string().max(300).refine(isReading, { message: 'This is no reading.' }),
    fallback: moneySchema.default(0),
  }),
])

/** How repeats count. */
export const COUNT_RULES = ['every', 'visit', 'visitor', 'order'] as const

/** What goals are for; any other word is accepted too. */
export const CATEGORIES = ['purchase', 'booking', 'lead', 'sign-up', 'download', 'read', 'contact', 'other'] as const

/** A goal as it is saved, backtested and exported. */
export const goalSchema = z.object({
  name: z.string().trim().min(1, 'Give the goal a name.').max(200),
  category: z.string().trim().min(1).max(60).default('other'),
  note: z.string().max(5000).optional(),
  kind: goalKindSchema,
  count: z.enum(COUNT_RULES).default('visit'),
  value: goalValueSchema.default({ type: 'none' }),
  path: z
    .array(z.object({ name: z.string().trim().min(1, 'Give the step a name.').max(200), where, required: z.boolean().default(false) }))
    .max(12)
    .default([]),
})

export type Goal = z.output<typeof goalSchema>
export type GoalKind = Goal['kind']
export type GoalValue = Goal['value']
export type CountRule = Goal['count']
