import * as z from 'zod'
import { parseTime } from '../days/parseTime.js'
import { moneySchema } from '../money/moneySchema.js'
import { firstLanguage } from './Place.js'
import { toWellFormed } from '../text/toWellFormed.js'

/** Most events in one collected batch. */
export const MOST_EVENTS = 100
/** Largest collected body, in bytes. */
export const LARGEST_BODY = 64 * 1024
/** Largest `data` of one event, in bytes of JSON. */
export const LARGEST_DATA = 4 * 1024

const EARLIEST = Date.UTC(2000, 0, 1)
const LATEST = Date.UTC(2101, 0, 1)

const text = (most: number): z.ZodType<string> => z.string().max(most).transform(toWellFormed)
const optionalText = (most: number) =>
  text(most)
    .nullish()
    .transform((value) => value || undefined)

/** ISO 8601 UTC, from 2000 to 2100, cut to the millisecond; comes out as ms since 1970. */
export const timeSchema = z.string().transform((given, context): number => {
  const at = parseTime(given)
  if (at === null || at < EARLIEST || at >= LATEST) {
    context.addIssue({ code: 'custom', message: 'A time is ISO 8601 in UTC between 2000 and 2100, such as 2026-05-04T10:00:00.000Z.' })
    return z.NEVER
  }
  return at
})

/** A visitor's id. */
export const visitorSchema = z.string().regex(/^[A-Za-z0-9_-]{8,64}$/, 'A visitor is 8 to 64 letters, digits, "_" or "-".')

const dataSchema = z
  .record(z.string(), z.union([z.string(), z.number(), z.boolean()]))
  .transform((data) =>
    Object.fromEntries(Object.entries(data).map(([name, value]) => [toWellFormed(name), typeof value === 'string' ? toWellFormed(value) : value])),
  )
  .refine((data) => new TextEncoder().encode(JSON.stringify(data)).length <= LARGEST_DATA, `The data of one event is at most ${LARGEST_DATA} bytes.`)

/** One event as the loader, a server or an import sends it. */
export const eventSchema = z.object({
  uid: text(128).pipe(z.string().min(1)),
  at: timeSchema,
  name: text(100).pipe(z.string().min(1)),
  url: text(8192).pipe(z.string().regex(/^https?:\/\/[^\s/?#]+/i, 'An address begins with http:// or https:// and a host.')),
  title: optionalText(1024),
  referrer: optionalText(8192),
  data: dataSchema.nullish().transform((data) => (data && Object.keys(data).length ? data : undefined)),
  value: moneySchema.nullish().transform((value) => value ?? undefined),
  currency: optionalText(16),
  order: optionalText(255),
  /** Ids of the tags that fired at this event. */
  fired: z
    .array(z.string().regex(/^[A-Za-z0-9_-]{1,40}$/, 'A tag is up to 40 letters, digits, "_" or "-".'))
    .max(50)
    .nullish()
    .transform((fired) => (fired?.length ? [...new Set(fired)].sort() : undefined)),
})

/** The body of `POST /c/KEY`. */
export const batchSchema = z.object({
  visitor: visitorSchema,
  events: z.array(eventSchema).min(1).max(MOST_EVENTS),
})

/** One line of an import: an event with its visitor and what is known of browser and place. */
export const importedEventSchema = eventSchema.extend({
  visitor: visitorSchema,
  userAgent: optionalText(1024),
  country: z
    .string()
    .regex(/^[A-Z]{2}$/, 'A country is its two-letter ISO 3166 code.')
    .nullish()
    .transform((value) => value ?? undefined),
  region: optionalText(100),
  city: optionalText(100),
  /** A list of languages as browsers send it, or one; whatever else it is, the event is kept without it. */
  language: z
    .unknown()
    .optional()
    .transform((value) => (typeof value === 'string' ? (firstLanguage(value) ?? undefined) : undefined)),
})

export type CheckedEvent = z.output<typeof eventSchema>
export type ImportedEvent = z.output<typeof importedEventSchema>
