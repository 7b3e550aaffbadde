import * as z from 'zod'
import { isNumberText } from '../money/isNumberText.js'
import { EVENT_READINGS } from '../readings/readEvent.js'
import { patternError } from './pattern.js'

/** Every way a condition can compare. */
export const OPS = ['is', 'contains', 'starts', 'ends', 'matches', 'in', 'above', 'below', 'present'] as const

/** Tells whether a text names a reading that events have. */
export function isReading(text: string): boolean {
  return (EVENT_READINGS as readonly string[]).includes(text) || /^(query|data|own)\..+$/s.test(text)
}

const scalar = z.union([z.string().max(4096), z.number(), z.boolean()])

/** One condition over one reading. */
export const conditionSchema = z
  .object({
    reading: z
      .string()
      .max(300)
      .refine(isReading, {
        message: `A reading is one of ${EVENT_READINGS.join(', ')}, query.NAME, data.NAME or own.NAME.`,
      }),
    op: z.enum(OPS),
    value: z.union([scalar, z.array(scalar).max(1000)]).optional(),
    not: z.boolean().default(false),
    caseSensitive: z.boolean().default(false),
  })
  .superRefine((condition, context) => {
    const complain = (message: string): void => context.addIssue({ code: 'custom', path: ['value'], message })
    const { op, value } = condition
    if (op === 'present') return
    if (value === undefined) return complain(`"${op}" needs a value to compare with.`)
    if (op === 'in') {
      if (!Array.isArray(value)) complain('"in" needs a list of values.')
      return
    }
    if (Array.isArray(value)) return complain(`"${op}" compares with one value; use "in" for a list.`)
    if ((op === 'above' || op === 'below') && !isNumberText(String(value))) complain(`"${String(value)}" is not a number.`)
    if (op === 'matches') {
      const error = patternError(String(value))
      if (error) complain(error)
    }
  })

/** Conditions over readings: any of (all of …). An empty `any` matches everything. */
export const ruleSchema = z.object({
  any: z
    .array(
      z.object({
        all: z.array(conditionSchema).min(1, { message: 'A group without conditions is not allowed; remove the group to match everything.' }).max(50),
      }),
    )
    .max(50)
    .default([]),
})

export type Op = (typeof OPS)[number]
export type Condition = z.infer<typeof conditionSchema>
export type Rule = z.infer<typeof ruleSchema>

/** The rule that matches everything. */
export const EVERYTHING: Rule = { any: [] }
