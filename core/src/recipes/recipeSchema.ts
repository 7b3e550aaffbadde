import * as z from 'zod'

/** A value in which `{id.NAME}`, `{event}`, `{value}`, `{currency}` and `{order}` are filled in. */
export type Template = string | number | boolean | null | Template[] | { [name: string]: Template }

const template: z.ZodType<Template> = z.lazy(() =>
  z.union([z.string().max(4096), z.number(), z.boolean(), z.null(), z.array(template).max(50), z.record(z.string(), template)]),
)
const address = z
  .string()
  .max(4096)
  .regex(/^https?:\/\/[^\s{}/]+/i, 'An address begins with http:// or https:// and a fixed host.')

/** One thing a call does on the page, in order. */
export const stepSchema = z.union([
  /** Loads a script, once a page. */
  z.object({ script: address }),
  /** Pushes arguments onto a global queue, `(window.NAME ||= []).push([…])`, which the script empties. */
  z.object({ queue: z.string().regex(/^[A-Za-z_$][\w$]*$/, 'A queue is the name of a global.'), push: z.array(template).max(20) }),
  /** Requests an image; what is filled in is percent-encoded. */
  z.object({ image: address }),
])

const callSchema = z.object({
  label: z.string().min(1).max(100),
  /** What an event must carry for the channel to take it. */
  needs: z.array(z.enum(['event', 'value', 'currency', 'order'])).default([]),
  steps: z.array(stepSchema).min(1).max(20),
})

/** The open description of how one kind of channel's pixel is loaded and called. */
export const recipeSchema = z.object({
  recipe: z.literal(1),
  id: z.string().regex(/^[a-z0-9-]{2,60}$/, 'A recipe id is lower-case letters, digits and "-".'),
  name: z.string().trim().min(1).max(100),
  /** What the marketer enters once for the channel. */
  ids: z
    .array(
      z.object({
        name: z.string().regex(/^[a-z][A-Za-z0-9]{0,30}$/),
        label: z.string().min(1).max(100),
        pattern: z.string().max(300),
        example: z.string().max(200),
        help: z.string().max(500).optional(),
      }),
    )
    .max(10)
    .default([]),
  /** The channel's own names for events, offered when a tag is made. */
  events: z
    .array(z.object({ name: z.string().min(1).max(100), label: z.string().min(1).max(100) }))
    .max(100)
    .default([]),
  calls: z.object({ base: callSchema.optional(), event: callSchema.optional() }),
})

export type Recipe = z.output<typeof recipeSchema>
export type Step = z.output<typeof stepSchema>
