import type { PoolConnection } from 'mysql2/promise'
import type { Database, Statement } from '../database/Database.js'

/** A uid to be claimed for an event: the site's number, its hash, and the event's time. */
export type UidTuple = [siteId: number, hash: Buffer, at: number]

/** Somebody else claimed one of the uids in between; the transaction begins again. */
export class UidRaceError extends Error {
  /** As MariaDB names what is simply tried again. */
  readonly code = 'ER_CHECKREAD'
}

/**
 * Claims uids that the site is thought not to have; fails with `ER_DUP_ENTRY` where it has one of them.
 * @param tuples each uid once, in the order of their hashes, so that writers lock them in the same order
 */
export function claimNew(tuples: UidTuple[]): Statement {
  return { sql: 'INSERT INTO event_uids (site_id, hash, at) VALUES ?', values: [tuples] }
}

/**
 * Claims those of some uids that the site does not have, within the transaction that stores their events.
 * @param tuples as above
 * @returns keys of those the site has already; nothing was claimed for them
 * @throws UidRaceError when somebody else claims one meanwhile
 */
export async function claimUids(database: Database, connection: PoolConnection, tuples: UidTuple[]): Promise<Set<string>> {
  const known = await knownUids(database, connection, tuples)
  const fresh = tuples.filter(([siteId, hash]) => !known.has(uidKey(siteId, hash)))
  if (!fresh.length) return known
  const { affectedRows } = await database.run('INSERT IGNORE INTO event_uids (site_id, hash, at) VALUES ?', [fresh], connection)
  if (affectedRows !== fresh.length) throw new UidRaceError('Somebody else stored one of these events just now.')
  return known
}

/** The text under which a uid is looked up among those known. */
export function uidKey(siteId: number, hash: Buffer): string {
  return `${siteId} ${hash.toString('latin1')}`
}

async function knownUids(database: Database, connection: PoolConnection, tuples: UidTuple[]): Promise<Set<string>> {
  const bySite = new Map<number, Buffer[]>()
  for (const [siteId, hash] of tuples) {
    const hashes = bySite.get(siteId)
    if (hashes) hashes.push(hash)
    else bySite.set(siteId, [hash])
  }
  const known = new Set<string>()
  for (const [siteId, hashes] of bySite) {
    const rows = await database.rows<{ hash: Buffer }>('SELECT hash FROM event_uids WHERE site_id = ? AND hash IN (?)', [siteId, hashes], connection)
    for (const { hash } of rows) known.add(uidKey(siteId, hash))
  }
  return known
}

/** Uids removed in one go lie within this share of all hashes. */
const SLICES = 256

/** Forgets the uids of a site's events before an instant (ms), slice by slice, each in a transaction of its own. */
export async function forgetUids(database: Database, siteId: number, before: number): Promise<void> {
  for (let slice = 0; slice < SLICES; slice++) {
    const from = Buffer.alloc(16)
    from[0] = slice
    const to = Buffer.alloc(16, 0xff)
    to[0] = slice
    await database.run('DELETE FROM event_uids WHERE site_id = ? AND hash BETWEEN ? AND ? AND at < ?', [siteId, from, to, before])
  }
}
