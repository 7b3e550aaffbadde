import * as z from 'zod'
import { parseTime } from '../days/parseTime.js'
import { isOwnEventName } from '../events/isOwnEventName.js'
import { moneySchema } from '../money/moneySchema.js'

/** Most rows of one import. */
export const MOST_ROWS = 10_000

/** What a row tells: that something happened elsewhere, or what became of an order. */
export const ELSEWHERE_KINDS = ['happened', 'cancelled', 'refunded'] as const
/** By what a row finds its visitor. */
export const ELSEWHERE_MATCHES = ['click', 'order', 'user'] as const

const text = z.string().trim().max(255).optional()

/** Conversions that happened elsewhere: a call, the desk, a later payment; or orders that were cancelled or paid back. */
export const elsewhereSchema = z
  .object({
    as: z.enum(ELSEWHERE_KINDS),
    /** Name under which what happened is recorded; a goal can count it. */
    event: z
      .string()
      .trim()
      .min(1, 'Name the event.')
      .max(100)
      .refine((name) => !isOwnEventName(name), { message: 'Acequia records events of this name itself; choose another one.' })
      .default('sale-elsewhere'),
    match: z.enum(ELSEWHERE_MATCHES),
    rows: z
      .array(
        z.object({
          /** Click id, order number or user id. */
          key: z.string().trim().max(500),
          at: z
            .string()
            .trim()
            .refine((given) => given === '' || parseTime(given) !== null, { message: 'A time is ISO 8601, such as 2026-05-04T10:00:00Z.' })
            .optional(),
          value: moneySchema.optional(),
          currency: text,
          order: text,
        }),
      )
      .min(1, 'There is no row.')
      .max(MOST_ROWS, `At most ${MOST_ROWS} rows at once.`),
  })
  .superRefine(({ as, match, rows }, context) => {
    const complain = (path: (string | number)[], message: string): void => context.addIssue({ code: 'custom', path, message })
    if (as !== 'happened' && match !== 'order') complain(['match'], 'What became of an order is matched by its number.')
    for (const [index, row] of rows.entries()) {
      if (as === 'happened' && !row.at) complain(['rows', index, 'at'], 'When it happened is missing.')
      if (as === 'refunded' && row.value === undefined) complain(['rows', index, 'value'], 'How much was paid back is missing.')
    }
  })

export type Elsewhere = z.output<typeof elsewhereSchema>
