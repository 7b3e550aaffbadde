import type { Connection, Database, Statement } from '../database/Database.js'

/** The columns of the log that are written, in the order of `EventTuple`. */
const COLUMNS =
  'site_id, visitor_id, at, uid, name_id, address_id, rest_id, title_id, referrer_id, agent_id, place_id, data, value, currency, order_ref, fired_id, received_at'

/** One row to be written, in the order of the columns. */
export type EventTuple = [
  siteId: number,
  visitorId: number,
  at: number,
  uid: string,
  nameId: number,
  addressId: number,
  restId: number | null,
  titleId: number | null,
  referrerId: number | null,
  agentId: number | null,
  placeId: number | null,
  data: string | null,
  value: number | null,
  currency: string | null,
  order: string | null,
  firedId: number | null,
  receivedAt: number,
]

/** A row of the log as it is read. */
export interface EventRow {
  visitor_id: number
  at: number
  uid: string
  name_id: number
  address_id: number
  rest_id: number | null
  /** Here and below, undefined where it was not asked for. */
  title_id?: number | null
  referrer_id: number | null
  agent_id?: number | null
  place_id?: number | null
  data?: string | null
  value: number | null
  currency: string | null
  order_ref: string | null
  fired_id?: number | null
}

const READ = 'site_id, visitor_id, at, uid, name_id, address_id, rest_id, title_id, referrer_id, agent_id, place_id, data, value, currency, order_ref, fired_id'

/** What may be left out where nobody looks at it. */
export type EventExtra = 'title_id' | 'data'

const bare = (extras: readonly EventExtra[]): string =>
  ['visitor_id, at, uid, name_id, address_id, rest_id, referrer_id, value, currency, order_ref', ...extras].join(', ')

/** Adds events that the site does not have; whose uids are claimed in the same transaction. */
export function insertEvents(tuples: EventTuple[]): Statement {
  return { sql: `INSERT INTO events (${COLUMNS}) VALUES ?`, values: [tuples] }
}

/** All events of some visitors of a site, by visitor, then by time; those of the same instant in any order. */
export function eventsOfVisitors(database: Database, siteId: number, visitorIds: number[], connection: Connection): Promise<EventRow[]> {
  return database.rows<EventRow>(
    `SELECT ${READ} FROM events WHERE site_id = ? AND visitor_id IN (?) ORDER BY site_id, visitor_id, at`,
    [siteId, visitorIds],
    connection,
  )
}

/** The same of a span of visitors, both ends included, with what goals can look at; of that, only these extras. */
export function eventsOfSpan(
  database: Database,
  siteId: number,
  first: number,
  last: number,
  extras: readonly EventExtra[],
  connection: Connection,
): Promise<EventRow[]> {
  return database.rows<EventRow>(
    `SELECT ${bare(extras)} FROM events WHERE site_id = ? AND visitor_id BETWEEN ? AND ? ORDER BY site_id, visitor_id, at`,
    [siteId, first, last],
    connection,
  )
}

/** All events of a site, all of a visitor's together. */
export function allEvents(database: Database, siteId: number): AsyncGenerator<EventRow> {
  return database.stream<EventRow>(`SELECT ${READ} FROM events WHERE site_id = ? ORDER BY site_id, visitor_id, at`, [siteId])
}

/** The events of a span of time (ms), ordered by `(at, uid)`. */
export function eventsInRange(database: Database, siteId: number, from: number, to: number): AsyncGenerator<EventRow> {
  return database.stream<EventRow>(`SELECT ${READ} FROM events WHERE site_id = ? AND at >= ? AND at < ? ORDER BY at, uid`, [siteId, from, to])
}

/** How many events a site had since an instant (ms). */
export async function countEventsSince(database: Database, siteId: number, since: number): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM events WHERE site_id = ? AND at >= ? AND at <= ?', [
    siteId,
    since,
    Date.now() + 60_000,
  ])
  return row?.n ?? 0
}
