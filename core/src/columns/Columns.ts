import type { VisitSource } from '../sources/sourceOf.js'

/**
 * A site's log as columns of small numbers, for questions that look at most of it. Events stand by visitor,
 * then in order; texts stand once each, and 0 is "none" in every column of texts. Lives in shared memory, so
 * that several workers look at the same.
 */
export interface Columns {
  events: number
  visits: number
  visitors: number
  /** ms since 1970. */
  at: Float64Array
  name: Uint32Array
  /** An address up to its query or fragment, and the rest of it. */
  address: Uint32Array
  rest: Uint32Array
  title: Uint32Array
  referrer: Uint32Array
  currency: Uint32Array
  order: Uint32Array
  /** JSON of an event's data. */
  data: Uint32Array
  /** JSON of the ids of the tags that fired on it. */
  fired: Uint32Array
  /** In ten-thousandths; NaN where there is none. */
  value: Float64Array
  /** Of events with an order: the uid, which decides where two come at the same instant. */
  orderUid: Uint32Array
  /** First event of each visit; one entry more than visits. */
  visitStart: Uint32Array
  visitSource: Uint32Array
  visitAgent: Uint32Array
  visitPlace: Uint32Array
  /** First visit of each visitor; one entry more than visitors. */
  visitorStart: Uint32Array
  /** The number under which the database knows a visitor. */
  visitorId: Uint32Array
  texts: ColumnTexts
}

/** The texts that columns refer to, by number. */
export interface ColumnTexts {
  names: string[]
  addresses: string[]
  rests: string[]
  titles: string[]
  referrers: string[]
  currencies: string[]
  orders: string[]
  data: string[]
  fired: string[]
  uids: string[]
  agents: string[]
  /** JSON of country, region and city. */
  places: string[]
  sources: VisitSource[]
}

/** Columns with an entry for each event, visit or visitor. */
export const EVENT_COLUMNS = ['name', 'address', 'rest', 'title', 'referrer', 'currency', 'order', 'data', 'fired', 'orderUid'] as const
/** Columns of visits. */
export const VISIT_COLUMNS = ['visitSource', 'visitAgent', 'visitPlace'] as const

/** The part of a site's visitors that one worker looks at: from one number to another, without those marked in `skip`. */
export interface ColumnPart {
  from: number
  to: number
  /** 1 for visitors whose events have changed since the columns were made. */
  skip?: Uint8Array
}
