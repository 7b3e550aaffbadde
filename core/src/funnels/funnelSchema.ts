import * as z from 'zod'
import { DIMENSIONS } from '../dimensions/dimensions.js'
import { ruleSchema } from '../rules/Rule.js'

/** Most steps of a funnel. */
export const MOST_STEPS = 12

const stepSchema = z.object({
  name: z.string().trim().max(200).default(''),
  event: z.string().min(1, 'Name the event.').max(100).default('page-view'),
  where: ruleSchema.default({ any: [] }),
  /** It must be the very next page view after the step before. */
  direct: z.boolean().default(false),
})

/** Steps, and how people may pass them. */
export const funnelSchema = z
  .object({
    name: z.string().trim().max(200).default(''),
    note: z.string().max(5000).optional(),
    steps: z.array(stepSchema).min(1, 'A funnel has at least one step.').max(MOST_STEPS, `A funnel has at most ${MOST_STEPS} steps.`),
    scope: z.union([z.literal('visit'), z.object({ visitorDays: z.number().positive('At least a moment.').max(540) })]).default('visit'),
    /** Where one may join: at the first step, or at any. */
    entry: z.enum(['first', 'any']).default('first'),
  })
  .superRefine(({ steps }, context) => {
    for (const [index, step] of steps.entries()) {
      if (!step.direct) continue
      const complain = (message: string): void => context.addIssue({ code: 'custom', path: ['steps', index, 'direct'], message })
      if (index === 0) complain('The first step has no step before it, so it cannot be the very next page.')
      else if (step.event !== 'page-view') complain('Only a page view can be the very next page.')
    }
  })

/** By what a funnel may be told apart. */
export const splitSchema = z.enum(DIMENSIONS)

export type Funnel = z.output<typeof funnelSchema>
export type FunnelStep = Funnel['steps'][number]
