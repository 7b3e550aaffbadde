import * as z from 'zod'
import { conditionSchema, isReading } from '../rules/Rule.js'

const dotted = z
  .string()
  .trim()
  .regex(/^[\w$-]+(\.[\w$-]+|\[\d+\])*$/, 'A path is names and numbers with dots, such as transaction.total.basePrice.')
  .max(200)
const selector = z.string().trim().min(1, 'Say which element: a CSS selector such as #total.').max(500)

/** Where the text of a marketer's own reading comes from. */
export const readingSourceSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('query'), parameter: z.string().trim().min(1, 'Name the address parameter.').max(100) }),
  /** A first-party cookie that scripts may read. */
  z.object({ type: z.literal('cookie'), name: z.string().trim().min(1, 'Name the cookie.').max(100) }),
  /** The text of the first matching element, or one of its attributes. */
  z.object({ type: z.literal('element'), selector, attribute: z.string().trim().max(100).optional() }),
  /** A value reached from a global name: `shop.cart.total`. */
  z.object({ type: z.literal('global'), path: dotted }),
  /** A value of the W3C digital data layer. */
  z.object({ type: z.literal('digital-data'), path: dotted }),
  /** What a signal (or any event) carried under a name. */
  z.object({ type: z.literal('data'), name: z.string().trim().min(1, 'Name the datum.').max(100) }),
  /** A field of the form that was sent. Never passwords or cards; e-mail addresses only hashed. */
  z.object({ type: z.literal('field'), field: z.string().trim().min(1, "Name the form's field.").max(100) }),
  z.object({ type: z.literal('constant'), value: z.string().max(500) }),
  /** Another reading's text, replaced by the result of the first row that holds. */
  z.object({
    type: z.literal('table'),
    reading: z.string().max(300).refine(isReading, { message: 'This is no reading.' }),
    rows: z
      .array(z.object({ op: conditionSchema.shape.op, value: z.string().max(500), result: z.string().max(500) }))
      .min(1, 'A table has at least one row.')
      .max(200),
    otherwise: z.string().max(500).optional(),
  }),
  /** Something of this visit, or of the browser's first visit. */
  z.object({ type: z.literal('visit'), of: z.enum(['this', 'first']), what: z.enum(['landing', 'source', 'medium', 'campaign']) }),
  /** The click id with which a channel last sent this browser. */
  z.object({ type: z.literal('click'), channel: z.string().min(1, 'Choose the channel.').max(40) }),
])

/** What is done to a text before it is used, in this order. */
export const cleanUpSchema = z.object({
  trim: z.boolean().default(true),
  lowerCase: z.boolean().default(false),
  /** Take the number out of a text, written with this sign before its decimals. */
  number: z.enum(['.', ',']).optional(),
  /** Used where nothing is left. */
  otherwise: z.string().max(500).optional(),
})

/** A reading that the marketer defined; rules call it `own.NAME`. */
export const ownReadingSchema = z.object({
  name: z
    .string()
    .trim()
    .regex(/^[a-z][a-z0-9-]{0,39}$/, 'A name is lower-case letters, digits and "-", such as cart-total.'),
  from: readingSourceSchema,
  clean: cleanUpSchema.prefault({}),
  /** Taken at every event, not only where a rule or tag needs it. */
  always: z.boolean().default(false),
  note: z.string().max(5000).optional(),
})

export type OwnReading = z.output<typeof ownReadingSchema>
export type ReadingSource = OwnReading['from']
export type CleanUp = OwnReading['clean']
