import type { Database, Statement } from '../database/Database.js'

/** What came from a host: how many events ever, and when the latest happened, in ms. */
export interface Arrival {
  host: string
  events: number
  last_at: number
}

/** Adds to what came from hosts. Last in its transaction, because every writer needs the same few rows. */
export function noteArrivals(rows: [siteId: number, host: string, events: number, lastAt: number][]): Statement {
  const sorted = [...rows].sort((a, b) => a[0] - b[0] || (a[1] < b[1] ? -1 : 1))
  return {
    sql: `INSERT INTO arrivals (site_id, host, events, last_at) VALUES ?
     ON DUPLICATE KEY UPDATE events = events + VALUES(events), last_at = GREATEST(last_at, VALUES(last_at))`,
    values: [sorted],
  }
}

/** What came from each host of a site, most first. */
export function arrivalsOf(database: Database, siteId: number): Promise<Arrival[]> {
  return database.rows<Arrival>('SELECT host, events, last_at FROM arrivals WHERE site_id = ? ORDER BY events DESC, host', [siteId])
}
