import type { PoolConnection } from 'mysql2/promise'
import type { Connection, Database } from '../database/Database.js'

/** A span of visitors that a derivation has still to go through, both ends included. */
export interface Part {
  derivation_no: number
  first_id: number
  last_id: number
  visitors: number
}

const READ = 'SELECT derivation_no, first_id, last_id, visitors FROM derivation_parts'

/** Visitors in a part: few enough that who waits for it does not wait long. */
export const VISITORS_IN_PART = 1000

/**
 * Splits some of a site's visitors into parts, from one number on. Parts leave no gaps, so that a visitor
 * whose row is not committed yet is in one as well.
 * @returns the number of the last visitor; null when there are no more
 */
export async function addParts(
  database: Database,
  connection: PoolConnection,
  derivationNo: number,
  siteId: number,
  after: number,
  most: number,
): Promise<number | null> {
  const rows = await database.rows<{ id: number }>(
    'SELECT id FROM visitors FORCE INDEX (visitor_site) WHERE site_id = ? AND id > ? ORDER BY id LIMIT ?',
    [siteId, after, most * VISITORS_IN_PART],
    connection,
  )
  if (!rows.length) return null
  const parts: number[][] = []
  let first = after + 1
  for (let start = 0; start < rows.length; start += VISITORS_IN_PART) {
    const some = rows.slice(start, start + VISITORS_IN_PART)
    const last = (some[some.length - 1] as { id: number }).id
    parts.push([derivationNo, first, last, some.length])
    first = last + 1
  }
  await database.run('INSERT INTO derivation_parts (derivation_no, first_id, last_id, visitors) VALUES ?', [parts], connection)
  return first - 1
}

/** Takes a part of a derivation for this transaction; other workers pass over it. */
export function takePart(database: Database, connection: PoolConnection, derivationNo: number): Promise<Part | undefined> {
  return database.row(`${READ} WHERE derivation_no = ? ORDER BY first_id LIMIT 1 FOR UPDATE SKIP LOCKED`, [derivationNo], connection)
}

/** Drops a part that was gone through. */
export async function dropPart(database: Database, connection: PoolConnection, part: Part): Promise<void> {
  await database.run('DELETE FROM derivation_parts WHERE derivation_no = ? AND first_id = ?', [part.derivation_no, part.first_id], connection)
}

/**
 * Those of some visitors (fewer than a thousand) whom no part of a derivation will still go through. Waits for a part
 * of theirs that is being gone through right now, and keeps others from being begun before this transaction ends.
 */
export async function outsideParts(database: Database, connection: PoolConnection, derivationNo: number, visitorIds: number[]): Promise<number[]> {
  const known = await database.rows<Part>(`${READ} WHERE derivation_no = ?`, [derivationNo], connection)
  const theirs = known.filter((part) => visitorIds.some((id) => isIn(part, id)))
  if (!theirs.length) return visitorIds
  const left = await database.rows<Part>(
    `${READ} WHERE derivation_no = ? AND first_id IN (?) LOCK IN SHARE MODE`,
    [derivationNo, theirs.map((part) => part.first_id)],
    connection,
  )
  return visitorIds.filter((id) => !left.some((part) => isIn(part, id)))
}

function isIn({ first_id, last_id }: Part, visitorId: number): boolean {
  return first_id <= visitorId && visitorId <= last_id
}

/** How many visitors a derivation that is being filled still has to go through. */
export async function visitorsLeft(database: Database, derivationNo: number, connection: Connection = database.pool): Promise<number> {
  const row = await database.row<{ n: number }>(
    'SELECT CAST(IFNULL(SUM(visitors), 0) AS UNSIGNED) AS n FROM derivation_parts WHERE derivation_no = ?',
    [derivationNo],
    connection,
  )
  return row?.n ?? 0
}

/** Marks that are counted: a monitor asks again and again, and where many wait, counting them all would hold up collectors. */
const MOST_COUNTED = 10_000

/** How many visitors wait to be derived, over all sites; of those with whom something just happened, at most `MOST_COUNTED`. */
export async function visitorsToDerive(database: Database): Promise<number> {
  const row = await database.row<{ n: number }>(
    `SELECT CAST((SELECT COUNT(DISTINCT visitor_id) FROM (SELECT visitor_id FROM marks ORDER BY no LIMIT ${MOST_COUNTED}) AS oldest)
       + (SELECT IFNULL(SUM(visitors), 0) FROM derivation_parts) AS UNSIGNED) AS n`,
  )
  return row?.n ?? 0
}

/** Goes through a site's visitors in spans of their numbers, both ends included, of about as many as a part has. */
export async function* spansOfVisitors(database: Database, siteId: number): AsyncGenerator<[first: number, last: number]> {
  for (let after = 0; ;) {
    const row = await database.row<{ last: number | null }>(
      'SELECT MAX(id) AS last FROM (SELECT id FROM visitors FORCE INDEX (visitor_site) WHERE site_id = ? AND id > ? ORDER BY id LIMIT ?) AS some',
      [siteId, after, VISITORS_IN_PART],
    )
    if (!row?.last) return
    yield [after + 1, row.last]
    after = row.last
  }
}

/** How many visitors a site has. */
export async function countVisitors(database: Database, siteId: number, connection: Connection): Promise<number> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM visitors WHERE site_id = ?', [siteId], connection)
  return row?.n ?? 0
}
