import * as z from 'zod'

/** A channel of a site: a recipe and the ids entered for it. */
export const channelSchema = z.object({
  name: z.string().trim().min(1, 'Give the channel a name.').max(100),
  recipe: z.string().min(1).max(60),
  ids: z.record(z.string(), z.string().trim().max(200)).default({}),
  note: z.string().max(5000).optional(),
})

export type Channel = z.output<typeof channelSchema> & { id: string }
