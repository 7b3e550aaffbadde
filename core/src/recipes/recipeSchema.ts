import * as z from 'zod'

/** A value in which placeholders such as `{id.NAME}`, `{event}`, `{value}`, `{order}` are filled in. */
export type Template = string | number | boolean | null | Template[] | { [name: string]: Template }

/** A JSON value with placeholders in its texts. */
export const templateSchema: z.ZodType<Template> = z.lazy(() =>
  z.union([z.string().max(4096), z.number(), z.boolean(), z.null(), z.array(templateSchema).max(50), z.record(z.string(), templateSchema)]),
)

/** An address with placeholders behind its host. */
export const addressTemplate = z
  .string()
  .trim()
  .max(4096)
  .regex(/^https?:\/\/[^\s{}/?#@]+([/?#]\S*)?$/i, 'An address begins with http:// or https:// and a fixed host.')

/** One thing a call does on the page, in order. */
export const stepSchema = z.union([
  /** Loads a script, once a page. */
  z.object({ script: addressTemplate }),
  /** Pushes arguments onto a global queue, `(window.NAME ||= []).push([…])`, which the script empties. */
  z.object({ queue: z.string().regex(/^[A-Za-z_$][\w$]*$/, 'A queue is the name of a global.'), push: z.array(templateSchema).max(20) }),
  /** Requests an image; what is filled in is percent-encoded. `{extra}` becomes `&name=value` for each extra parameter. */
  z.object({ image: addressTemplate }),
  /** Sends a request, its body as JSON. A member "..." of an object is replaced by the members of its value. */
  z.object({ request: addressTemplate, method: z.enum(['GET', 'POST', 'PUT']).default('POST'), body: templateSchema.optional() }),
])

const callSchema = z.object({
  label: z.string().min(1).max(100),
  /** What an event must carry for the channel to take it. */
  needs: z.array(z.enum(['event', 'value', 'currency', 'order', 'click'])).default([]),
  steps: z.array(stepSchema).min(1).max(20),
})

/** The open description of how one kind of channel's pixel is loaded and called. */
export const recipeSchema = z.object({
  recipe: z.literal(1),
  id: z.string().regex(/^[a-z0-9-]{2,60}$/, 'A recipe id is lower-case letters, digits and "-".'),
  name: z.string().trim().min(1).max(100),
  about: z.string().max(1000).optional(),
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
  /** The channel's own names for events, offered when a tag is made; `categories` are ours that mean the same. */
  events: z
    .array(z.object({ name: z.string().min(1).max(100), label: z.string().min(1).max(100), categories: z.array(z.string().max(60)).max(20).default([]) }))
    .max(100)
    .default([]),
  /** The parameter the channel adds to addresses of its ads, kept for so many days, and the source it stands for. */
  clickId: z
    .object({
      parameter: z.string().min(1).max(100),
      days: z.number().int().min(1).max(400).default(30),
      source: z.string().trim().min(1).max(200),
      medium: z.string().trim().min(1).max(200),
    })
    .optional(),
  /** A page of the channel's own that says what its pixel received; `{id.NAME}` is filled in. */
  statusPage: addressTemplate.optional(),
  calls: z.object({ base: callSchema.optional(), event: callSchema.optional() }),
})

export type Recipe = z.output<typeof recipeSchema>
export type Step = z.output<typeof stepSchema>

/** Hosts from which a recipe loads scripts onto the site's pages. */
export function scriptHostsOf(recipe: Recipe): string[] {
  const steps = Object.values(recipe.calls).flatMap((call) => call?.steps ?? [])
  return [...new Set(steps.flatMap((step) => ('script' in step ? [new URL(step.script).host.toLowerCase()] : [])))]
}

/** The channel's own name for an event of ours, or undefined where the recipe names none. */
export function eventForCategory(recipe: Recipe, category: string | undefined): string | undefined {
  return category === undefined ? undefined : recipe.events.find((each) => each.categories.includes(category))?.name
}
