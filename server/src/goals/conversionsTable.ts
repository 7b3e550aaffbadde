import type { CountRule } from '@acequia/core/goals/goalSchema'
import type { Day } from '@acequia/core/days/zone'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'

/** A derived conversion as it is written, in the order of the columns. */
export type ConversionTuple = [
  derivationNo: number,
  goalNo: number,
  visitorId: number,
  at: number,
  uid: string,
  visitNo: number,
  visitStartedAt: number,
  day: Day,
  counted: 0 | 1,
  amount: number,
  currency: string,
  value: number | null,
  order: string | null,
  orderKey: string | null,
  addressId: number,
  sourceId: number,
]

const COLUMNS =
  'derivation_no, goal_no, visitor_id, at, uid, visit_no, visit_started_at, day, counted, amount, currency, value, order_ref, order_key, address_id, source_id'

/** What tells a conversion from any other. */
export interface ConversionKey {
  goal_no: number
  visitor_id: number
  uid: string
  order_key: string | null
}

/** The conversions of some visitors in a derivation, as they are now. */
export function conversionsOfVisitors(database: Database, derivationNo: number, visitorIds: number[], connection: PoolConnection): Promise<ConversionKey[]> {
  return database.rows<ConversionKey>(
    'SELECT goal_no, visitor_id, uid, order_key FROM conversions FORCE INDEX (PRIMARY) WHERE derivation_no = ? AND visitor_id IN (?)',
    [derivationNo, visitorIds],
    connection,
  )
}

/** Replaces all conversions of some visitors in a derivation. */
export async function replaceConversions(
  database: Database,
  derivationNo: number,
  visitorIds: number[],
  tuples: ConversionTuple[],
  connection: PoolConnection,
): Promise<void> {
  // Any other index would have all of the derivation's rows looked at, and locked.
  await database.run(
    'DELETE c FROM conversions AS c FORCE INDEX (PRIMARY) WHERE c.derivation_no = ? AND c.visitor_id IN (?)',
    [derivationNo, visitorIds],
    connection,
  )
  for (let start = 0; start < tuples.length; start += 2000) {
    await database.run(`INSERT INTO conversions (${COLUMNS}) VALUES ?`, [tuples.slice(start, start + 2000)], connection)
  }
}

/**
 * Settles which conversion of each order counts: the first of the whole site. Locks all of an
 * order's rows, so that two workers that derive two visitors with the same order see each other.
 */
export async function settleOrders(database: Database, derivationNo: number, orders: Map<number, Set<string>>, connection: PoolConnection): Promise<void> {
  for (const goalNo of [...orders.keys()].sort((a, b) => a - b)) {
    const keys = [...(orders.get(goalNo) as Set<string>)].sort()
    for (let start = 0; start < keys.length; start += 500) {
      const rows = await database.rows<{ visitor_id: number; at: number; uid: string; order_key: string; counted: number }>(
        'SELECT visitor_id, at, uid, order_key, counted FROM conversions WHERE derivation_no = ? AND goal_no = ? AND order_key IN (?) ORDER BY order_key, at, uid FOR UPDATE',
        [derivationNo, goalNo, keys.slice(start, start + 500)],
        connection,
      )
      let before: string | undefined
      for (const row of rows) {
        const counted = row.order_key === before ? 0 : 1
        before = row.order_key
        if (row.counted === counted) continue
        await database.run(
          'UPDATE conversions SET counted = ? WHERE derivation_no = ? AND visitor_id = ? AND goal_no = ? AND at = ? AND uid = ?',
          [counted, derivationNo, row.visitor_id, goalNo, row.at, row.uid],
          connection,
        )
      }
    }
  }
}

/** A counted conversion with all that lists show. */
export interface ConversionRow {
  goal_no: number
  visitor: string
  at: number
  uid: string
  amount: number
  currency: string
  value: number | null
  order_ref: string | null
  address_id: number
  source_id: number
}

/** Counted conversions of a goal in a span of time (ms), oldest first, or the latest `newest` of them. */
export async function listConversions(
  database: Database,
  derivationNo: number,
  goalNos: number[],
  from: number,
  to: number,
  newest?: number,
): Promise<ConversionRow[]> {
  if (!goalNos.length) return []
  const rows = await database.rows<ConversionRow>(
    `SELECT c.goal_no, v.text AS visitor, c.at, c.uid, c.amount, c.currency, c.value, c.order_ref, c.address_id, c.source_id
     FROM conversions c JOIN visitors v ON v.id = c.visitor_id
     WHERE c.derivation_no = ? AND c.goal_no IN (?) AND c.counted = 1 AND c.at >= ? AND c.at < ?
     ORDER BY c.at ${newest ? 'DESC' : ''}, c.uid ${newest ? 'DESC LIMIT ?' : ''}`,
    [derivationNo, goalNos, from, to, newest],
  )
  return newest ? rows.reverse() : rows
}

/** Uids of what each goal counted in a span of time (ms), at most so many of each. */
export async function countedUids(
  database: Database,
  derivationNo: number,
  goalNos: number[],
  from: number,
  to: number,
  most: number,
): Promise<Map<number, Set<string>>> {
  const found = new Map<number, Set<string>>()
  for (const no of goalNos) {
    const rows = await database.rows<{ uid: string }>(
      'SELECT uid FROM conversions WHERE derivation_no = ? AND goal_no = ? AND counted = 1 AND at >= ? AND at < ? LIMIT ?',
      [derivationNo, no, from, to, most + 1],
    )
    found.set(no, new Set(rows.map(({ uid }) => uid)))
  }
  return found
}

/** Conversions per goal and day with their value in ten-thousandths. */
export function conversionsByDay(
  database: Database,
  derivationNo: number,
  goalNos: number[],
  from: number,
  to: number,
): Promise<{ goal_no: number; day: Day; n: number; value: string | null }[]> {
  return goalNos.length
    ? database.rows(
        'SELECT goal_no, day, COUNT(*) AS n, SUM(value) AS value FROM conversions WHERE derivation_no = ? AND goal_no IN (?) AND counted = 1 AND at >= ? AND at < ? GROUP BY goal_no, day ORDER BY goal_no, day',
        [derivationNo, goalNos, from, to],
      )
    : Promise.resolve([])
}

/** Amounts without a rate per goal and currency. */
export function unconvertedByGoal(
  database: Database,
  derivationNo: number,
  goalNos: number[],
  from: number,
  to: number,
): Promise<{ goal_no: number; currency: string; amount: string }[]> {
  return goalNos.length
    ? database.rows(
        'SELECT goal_no, currency, SUM(amount) AS amount FROM conversions WHERE derivation_no = ? AND goal_no IN (?) AND counted = 1 AND value IS NULL AND at >= ? AND at < ? GROUP BY goal_no, currency ORDER BY currency',
        [derivationNo, goalNos, from, to],
      )
    : Promise.resolve([])
}

/** For each goal, how many visits that start in a span of time (ms) have a conversion at any time. */
export async function convertingVisitsByGoal(
  database: Database,
  derivationNo: number,
  goals: { no: number; count: CountRule }[],
  from: number,
  to: number,
): Promise<{ goal_no: number; n: number }[]> {
  const ask = (what: string, nos: number[]): Promise<{ goal_no: number; n: number }[]> =>
    nos.length
      ? database.rows(
          `SELECT goal_no, ${what} AS n FROM conversions WHERE derivation_no = ? AND goal_no IN (?) AND counted = 1 AND visit_started_at >= ? AND visit_started_at < ? GROUP BY goal_no`,
          [derivationNo, nos, from, to],
        )
      : Promise.resolve([])
  // Where a visit has one conversion at most, visits need not be told apart.
  const once = ({ count }: { count: CountRule }): boolean => count === 'visit' || count === 'visitor'
  const rows = await Promise.all([
    ask(
      'COUNT(*)',
      goals.filter(once).map(({ no }) => no),
    ),
    ask(
      'COUNT(DISTINCT visitor_id, visit_no)',
      goals.filter((goal) => !once(goal)).map(({ no }) => no),
    ),
  ])
  return rows.flat()
}
