import * as z from 'zod'

/** An id inside a wiring. */
export const wiringId = z.string().regex(/^[A-Za-z0-9_-]{1,40}$/, 'An id is up to 40 letters, digits, "_" or "-".')

const selector = z.string().trim().min(1, 'Say which element: a CSS selector such as #offer or .buy.').max(500)
const seconds = (least: number, most: number) => z.number().min(least).max(most)

/** How it is known that a sent form was accepted. */
export const PROOFS = ['element', 'gone', 'address'] as const

/** How often an element that is seen counts. */
export const SEEN_REPEATS = ['page', 'element', 'every'] as const

/** What a trigger listens for. */
export const momentSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('page-view') }),
  /** The address of a page changed without a new page: by push, replace, back or fragment. */
  z.object({ type: z.literal('address-change') }),
  z.object({ type: z.literal('form-sent') }),
  /** A form was sent, and within `seconds` an element appeared, the form went away or the address changed. */
  z.object({ type: z.literal('form-accepted'), by: z.enum(PROOFS), selector: selector.optional(), seconds: seconds(1, 300).default(10) }),
  /** At least `percent` of an element was in view for at least `seconds`. */
  z.object({
    type: z.literal('element-seen'),
    selector,
    percent: z.number().int().min(1).max(100).default(50),
    seconds: seconds(0, 600).default(0),
    repeat: z.enum(SEEN_REPEATS).default('page'),
  }),
  /** A click on an element matching `selector`, or anywhere inside it; `link` only counts links. */
  z.object({ type: z.literal('click'), on: z.enum(['element', 'link']).default('element'), selector: selector.optional() }),
  z.object({ type: z.literal('scroll'), unit: z.enum(['percent', 'pixels']).default('percent'), amount: z.number().int().min(1).max(1_000_000).default(50) }),
  /** The page (or all pages of the visit together) was visible for `seconds`; again after as long again, at most `times` times. */
  z.object({
    type: z.literal('time'),
    of: z.enum(['page', 'visit']).default('page'),
    seconds: seconds(1, 86_400).default(30),
    times: z.number().int().min(1).max(100).default(1),
  }),
  z.object({ type: z.literal('video'), percent: z.number().int().min(1).max(100).default(50) }),
  z.object({ type: z.literal('signal'), name: z.string().trim().min(1, 'Name the signal.').max(100) }),
  z.object({ type: z.literal('goal'), goal: z.string().min(1, 'Choose the goal.').max(40) }),
  /** Somebody passed through a relay link of ours. */
  z.object({ type: z.literal('relay'), relay: z.string().min(1, 'Choose the relay link.').max(60) }),
  /** All of several triggers happened on the same page, in any order. */
  z.object({ type: z.literal('all'), triggers: z.array(wiringId).min(2, 'Choose at least two triggers.').max(10) }),
])

export type Moment = z.output<typeof momentSchema>
export type MomentType = Moment['type']
