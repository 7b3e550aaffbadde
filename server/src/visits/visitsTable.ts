import type { Day } from '@acequia/core/days/zone'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'
import { hashOf } from '../dictionaries/Dictionary.js'
import { randomSlot } from './randomSlot.js'
import { rowsOf, type Who } from './Who.js'

/** A derived visit as it is written, in the order of the columns. */
export type VisitTuple = [
  derivationNo: number,
  visitorId: number,
  visitNo: number,
  startedAt: number,
  endedAt: number,
  day: Day,
  sourceId: number,
  landingId: number | null,
  exitId: number | null,
  pageViews: number,
  events: number,
]

/** Replaces all visits of some visitors in a derivation. @returns by how many visits each day's sum changes */
export async function replaceVisits(
  database: Database,
  derivationNo: number,
  who: Who,
  tuples: VisitTuple[],
  connection: PoolConnection,
): Promise<Map<Day, number>> {
  const { from, values } = rowsOf(who, 'visits', derivationNo)
  const gone = await database.rows<{ day: Day }>(`SELECT t.day FROM ${from} FOR UPDATE`, values, connection)
  if (gone.length) await database.run(`DELETE t FROM ${from}`, values, connection)
  for (let start = 0; start < tuples.length; start += 2000) {
    await database.run(
      'INSERT INTO visits (derivation_no, visitor_id, visit_no, started_at, ended_at, day, source_id, landing_id, exit_id, page_views, events) VALUES ?',
      [tuples.slice(start, start + 2000)],
      connection,
    )
  }
  const changes = new Map<Day, number>()
  const add = (day: Day, visits: number): void => void changes.set(day, (changes.get(day) ?? 0) + visits)
  for (const { day } of gone) add(day, -1)
  for (const tuple of tuples) add(tuple[5], 1)
  return changes
}

/** Adds changes to a derivation's sums of visits by day. Best done last: until the transaction ends, others wait for those rows. */
export async function addToVisitDays(database: Database, derivationNo: number, changes: Map<Day, number>, connection: PoolConnection): Promise<void> {
  const slot = randomSlot()
  const rows = [...changes]
    .filter(([, visits]) => visits !== 0)
    // Always in the same order, so that two workers cannot lock each other out.
    .sort((a, b) => (a[0] < b[0] ? -1 : 1))
    .map(([day, visits]) => [derivationNo, day, slot, visits])
  if (!rows.length) return
  await database.run(
    'INSERT INTO visit_days (derivation_no, day, slot, visits) VALUES ? ON DUPLICATE KEY UPDATE visits = visits + VALUES(visits)',
    [rows],
    connection,
  )
}

/** The latest visit of a visitor, by the visitor's own id. */
export function lastVisitOf(database: Database, siteId: number, visitor: string): Promise<{ ended_at: number; source_id: number } | undefined> {
  return database.row(
    "SELECT t.ended_at, t.source_id FROM visits t JOIN visitors v ON v.id = t.visitor_id WHERE t.derivation_no = (SELECT no FROM derivations WHERE site_id = ? AND state = 'shown') AND v.site_id = ? AND v.hash = ? ORDER BY t.visit_no DESC LIMIT 1",
    [siteId, siteId, hashOf(visitor)],
  )
}

/** Visits of a derivation per day that start in a span of time (ms). */
export function visitsByDay(database: Database, derivationNo: number, from: number, to: number): Promise<{ day: Day; n: number }[]> {
  return database.rows('SELECT day, COUNT(*) AS n FROM visits WHERE derivation_no = ? AND started_at >= ? AND started_at < ? GROUP BY day ORDER BY day', [
    derivationNo,
    from,
    to,
  ])
}

/** The same for whole days, from their sums. @param to the day after the last one */
export function visitsOfDays(database: Database, derivationNo: number, from: Day, to: Day): Promise<{ day: Day; n: number }[]> {
  return database.rows(
    'SELECT day, CAST(SUM(visits) AS UNSIGNED) AS n FROM visit_days WHERE derivation_no = ? AND day >= ? AND day < ? GROUP BY day HAVING n > 0 ORDER BY day',
    [derivationNo, from, to],
  )
}
