import * as z from 'zod'
import { isTimeZone } from '../days/zone.js'
import { rateSchema } from '../money/moneySchema.js'

const host = z
  .string()
  .trim()
  .max(255)
  .regex(
    /^(\*\.)?([a-z0-9_\u00a1-\uffff]([a-z0-9_\u00a1-\uffff-]*[a-z0-9_\u00a1-\uffff])?\.)*[a-z0-9\u00a1-\uffff]([a-z0-9\u00a1-\uffff-]*[a-z0-9\u00a1-\uffff])?(:\d{1,5})?$|^\[[0-9a-f:.]+\](:\d{1,5})?$/i,
    {
      message: 'A host is a name such as example.com or *.example.com, without https:// and without a path.',
    },
  )
const word = z.string().trim().min(1).max(200)
const currency = z.string().regex(/^[A-Z]{3}$/, 'A currency is its three-letter code, such as EUR.')

/** The settings of a site, as `POST` and `PUT /api/v1/sites` take them. */
export const siteSchema = z.object({
  name: z.string().trim().min(1, 'Give the site a name.').max(200),
  /** Where its pages are served; events from elsewhere are refused. */
  hosts: z.array(host).min(1, 'Name at least one host.').max(200),
  timeZone: z.string().refine(isTimeZone, { message: 'This is no time zone name, such as Europe/Madrid.' }),
  currency,
  /** Site money for one unit of the other currency. */
  rates: z.record(z.string().min(1).max(16), rateSchema).default({}),
  /** What a referrer host counts as; the first in the list wins. */
  sourceRules: z
    .array(z.object({ host, source: word, medium: word }))
    .max(1000)
    .default([]),
  /** Hosts that visitors only pass through, such as payment pages; they are no source. */
  passThroughHosts: z.array(host).max(200).default([]),
  /** Address parameters that ad networks add; the first in the list wins. */
  clickIds: z
    .array(z.object({ parameter: z.string().min(1).max(100), source: word, medium: word }))
    .max(200)
    .default([]),
  /** What of an address, beside its path, makes a new page view in a single-page application. */
  pageChanges: z.object({ query: z.boolean().default(false), fragment: z.boolean().default(false) }).default({ query: false, fragment: false }),
  /** `ask`: nothing is recorded or stored in the browser before the page has passed consent on. */
  consent: z.enum(['not-needed', 'ask']).default('not-needed'),
  /** Hosts from which recipes may load scripts onto the site's pages; only an owner adds to them. */
  scriptHosts: z.array(host).max(200).default([]),
  /** Whether the pages are surveyed every night. */
  surveyNightly: z.boolean().default(false),
  /** For how many whole months before the current one events are kept; null: for good. */
  keepMonths: z.number().int().min(1, 'Events are kept for at least a month.').max(240).nullable().default(null),
})

export type SiteSettings = z.output<typeof siteSchema>
