import type { Day } from '@acequia/core/days/zone'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'
import { hashOf } from '../dictionaries/Dictionary.js'

/** A derived visit as it is written, in the order of the columns. */
export type VisitTuple = [
  siteId: number,
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

/** Replaces all visits of some visitors. */
export async function replaceVisits(database: Database, siteId: number, visitorIds: number[], tuples: VisitTuple[], connection: PoolConnection): Promise<void> {
  await database.run('DELETE FROM visits WHERE site_id = ? AND visitor_id IN (?)', [siteId, visitorIds], connection)
  for (let start = 0; start < tuples.length; start += 2000) {
    await database.run(
      'INSERT INTO visits (site_id, visitor_id, visit_no, started_at, ended_at, day, source_id, landing_id, exit_id, page_views, events) VALUES ?',
      [tuples.slice(start, start + 2000)],
      connection,
    )
  }
}

/** The latest visit of a visitor, by the visitor's own id. */
export function lastVisitOf(database: Database, siteId: number, visitor: string): Promise<{ ended_at: number; source_id: number } | undefined> {
  return database.row(
    'SELECT t.ended_at, t.source_id FROM visits t JOIN visitors v ON v.id = t.visitor_id WHERE t.site_id = ? AND v.site_id = ? AND v.hash = ? ORDER BY t.visit_no DESC LIMIT 1',
    [siteId, siteId, hashOf(visitor)],
  )
}

/** Visits per day that start in a span of time (ms). */
export function visitsByDay(database: Database, siteId: number, from: number, to: number): Promise<{ day: Day; n: number }[]> {
  return database.rows('SELECT day, COUNT(*) AS n FROM visits WHERE site_id = ? AND started_at >= ? AND started_at < ? GROUP BY day ORDER BY day', [
    siteId,
    from,
    to,
  ])
}
