import type { Database } from '../database/Database.js'

/** A finding that somebody accepted as it is. */
export interface AcceptedFinding {
  finding: string
  reason: string
  accepted_by: string
  accepted_at: number
}

/** Accepted findings of a site. */
export function acceptedOf(database: Database, siteId: number): Promise<AcceptedFinding[]> {
  return database.rows<AcceptedFinding>('SELECT finding, reason, accepted_by, accepted_at FROM checkup_accepted WHERE site_id = ?', [siteId])
}

/** Accepts a finding, or gives another reason for it. */
export async function acceptFinding(database: Database, siteId: number, finding: string, reason: string, by: string): Promise<void> {
  await database.run('REPLACE INTO checkup_accepted (site_id, finding, reason, accepted_by, accepted_at) VALUES (?, ?, ?, ?, ?)', [
    siteId,
    finding,
    reason,
    by,
    Date.now(),
  ])
}

/** Takes an acceptance back. */
export async function unacceptFinding(database: Database, siteId: number, finding: string): Promise<void> {
  await database.run('DELETE FROM checkup_accepted WHERE site_id = ? AND finding = ?', [siteId, finding])
}

/** Anybody can send from any host, so only so many are remembered. */
const MOST_HOSTS = 50

/** Notes that events from a host were refused. */
export async function noteRefusedHost(database: Database, siteId: number, host: string): Promise<void> {
  const now = Date.now()
  const known = await database.run('UPDATE refused_hosts SET events = events + 1, last_at = ? WHERE site_id = ? AND host = ?', [now, siteId, host])
  if (known.affectedRows) return
  await database.run('DELETE FROM refused_hosts WHERE site_id = ? AND last_at < ?', [siteId, now - 30 * 86_400_000])
  await database.run(
    'INSERT INTO refused_hosts (site_id, host, events, last_at) SELECT ?, ?, 1, ? FROM (SELECT COUNT(*) AS n FROM refused_hosts WHERE site_id = ?) AS known WHERE known.n < ? ON DUPLICATE KEY UPDATE events = refused_hosts.events + 1',
    [siteId, host, now, siteId, MOST_HOSTS],
  )
}

/** Hosts whose events were refused since an instant (ms), most first. */
export function refusedHostsOf(database: Database, siteId: number, since: number): Promise<{ host: string; events: number }[]> {
  return database.rows('SELECT host, events FROM refused_hosts WHERE site_id = ? AND last_at >= ? ORDER BY events DESC LIMIT 20', [siteId, since])
}
