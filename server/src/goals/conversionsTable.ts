import type { CountRule } from '@acequia/core/goals/goalSchema'
import type { Day } from '@acequia/core/days/zone'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'
import { rowsOf, type Who } from '../visits/Who.js'
import type { DaySums } from './conversionDaysTable.js'

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

/** A derived conversion, with what the sums by day are made of. */
export interface StoredConversion {
  goal_no: number
  visitor_id: number
  uid: string
  visit_no: number
  visit_started_at: number
  day: Day
  counted: number
  value: number | null
  order_key: string | null
}

/** The conversions of some visitors in a derivation, as they are now and until this transaction ends. */
export function conversionsOfVisitors(database: Database, derivationNo: number, who: Who, connection: PoolConnection): Promise<StoredConversion[]> {
  const { from, values } = rowsOf(who, 'conversions', derivationNo)
  return database.rows<StoredConversion>(
    `SELECT t.goal_no, t.visitor_id, t.uid, t.visit_no, t.visit_started_at, t.day, t.counted, t.value, t.order_key FROM ${from} FOR UPDATE`,
    values,
    connection,
  )
}

/** Replaces all conversions of some visitors in a derivation. */
export async function replaceConversions(
  database: Database,
  derivationNo: number,
  who: Who,
  before: StoredConversion[],
  tuples: ConversionTuple[],
  connection: PoolConnection,
): Promise<void> {
  const { from, values } = rowsOf(who, 'conversions', derivationNo)
  if (before.length) await database.run(`DELETE t FROM ${from}`, values, connection)
  for (let start = 0; start < tuples.length; start += 2000) {
    await database.run(`INSERT INTO conversions (${COLUMNS}) VALUES ?`, [tuples.slice(start, start + 2000)], connection)
  }
}

/**
 * Settles which conversion of each order counts: the first of the whole site. Locks all of an
 * order's rows, so that two workers that derive two visitors with the same order see each other.
 * @param sums are told what counts from now on and what no longer does
 * @param dayOf the site's day of an instant
 */
export async function settleOrders(
  database: Database,
  derivationNo: number,
  orders: Map<number, Set<string>>,
  sums: DaySums,
  dayOf: (at: number) => Day,
  connection: PoolConnection,
): Promise<void> {
  for (const goalNo of [...orders.keys()].sort((a, b) => a - b)) {
    const keys = [...(orders.get(goalNo) as Set<string>)].sort()
    for (let start = 0; start < keys.length; start += 500) {
      const rows = await database.rows<StoredConversion & { at: number }>(
        `SELECT goal_no, visitor_id, at, uid, visit_no, visit_started_at, day, counted, value, order_key
         FROM conversions WHERE derivation_no = ? AND goal_no = ? AND order_key IN (?) ORDER BY order_key, at, uid FOR UPDATE`,
        [derivationNo, goalNo, keys.slice(start, start + 500)],
        connection,
      )
      let before: string | null = null
      for (const row of rows) {
        const counted = row.order_key === before ? 0 : 1
        before = row.order_key
        if (row.counted === counted) continue
        await database.run(
          'UPDATE conversions SET counted = ? WHERE derivation_no = ? AND visitor_id = ? AND goal_no = ? AND at = ? AND uid = ?',
          [counted, derivationNo, row.visitor_id, goalNo, row.at, row.uid],
          connection,
        )
        sums.conversion(goalNo, row.day, row.value, counted ? 1 : -1)
        const others = await database.row(
          `SELECT 1 AS counted FROM conversions FORCE INDEX (PRIMARY)
           WHERE derivation_no = ? AND visitor_id = ? AND goal_no = ? AND visit_no = ? AND counted = 1 AND NOT (at = ? AND uid = ?) LIMIT 1 FOR UPDATE`,
          [derivationNo, row.visitor_id, goalNo, row.visit_no, row.at, row.uid],
          connection,
        )
        if (!others) sums.visit(goalNo, dayOf(row.visit_started_at), counted ? 1 : -1)
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

const LISTED = 'c.goal_no, v.text AS visitor, c.at, c.uid, c.amount, c.currency, c.value, c.order_ref, c.address_id, c.source_id'

/** Counted conversions of a goal in a span of time (ms), oldest first. */
export function listConversions(database: Database, derivationNo: number, goalNo: number, from: number, to: number): Promise<ConversionRow[]> {
  return database.rows<ConversionRow>(
    `SELECT ${LISTED} FROM conversions c JOIN visitors v ON v.id = c.visitor_id
     WHERE c.derivation_no = ? AND c.goal_no = ? AND c.counted = 1 AND c.at >= ? AND c.at < ? ORDER BY c.at, c.uid`,
    [derivationNo, goalNo, from, to],
  )
}

/** The latest of what some goals counted in a span of time (ms), oldest first. */
export async function latestConversions(
  database: Database,
  derivationNo: number,
  goalNos: number[],
  from: number,
  to: number,
  most: number,
): Promise<ConversionRow[]> {
  if (!goalNos.length) return []
  // The latest of each goal are at one end of an index; all goals at once would have everything sorted.
  const one = '(SELECT * FROM conversions WHERE derivation_no = ? AND goal_no = ? AND counted = 1 AND at >= ? AND at < ? ORDER BY at DESC LIMIT ?)'
  const rows = await database.rows<ConversionRow>(
    `SELECT ${LISTED} FROM (${goalNos.map(() => one).join(' UNION ALL ')}) AS c JOIN visitors v ON v.id = c.visitor_id ORDER BY c.at DESC, c.uid DESC LIMIT ?`,
    [...goalNos.flatMap((goalNo) => [derivationNo, goalNo, from, to, most]), most],
  )
  return rows.reverse()
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
): Promise<{ goal_no: number; day: Day; conversions: number; value: string; unconverted: number }[]> {
  return goalNos.length
    ? database.rows(
        `SELECT goal_no, day, COUNT(*) AS conversions, CAST(IFNULL(SUM(value), 0) AS CHAR) AS value, CAST(SUM(value IS NULL) AS SIGNED) AS unconverted
         FROM conversions WHERE derivation_no = ? AND goal_no IN (?) AND counted = 1 AND at >= ? AND at < ? GROUP BY goal_no, day ORDER BY goal_no, day`,
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
