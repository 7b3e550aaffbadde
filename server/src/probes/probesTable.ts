import { createHash, randomBytes } from 'node:crypto'
import type { Database } from '../database/Database.js'

/** What somebody watches for in their own browser. */
export const PROBE_KINDS = ['visit', 'pick', 'rehearsal'] as const
/** A kind of watching: a test visit, choosing an element, or a rehearsal of the draft. */
export type ProbeKind = (typeof PROBE_KINDS)[number]

/** Somebody watching the site in their own browser. */
export interface Probe {
  id: number
  site_id: number
  kind: ProbeKind
  address: string
  hold_back: number
  created_by: string
  created_at: number
  expires_at: number
  /** Of one that was kept: its name, and the draft as it was then, as JSON. */
  name: string | null
  wiring: string | null
  /** When a page first asked for its script; null before. */
  asked_at: number | null
}

/** How long a token may be used, in ms. */
const VALID_MS = 2 * 3_600_000
/** Most reports kept of one probe. */
const MOST_REPORTS = 5000

const READ = 'SELECT id, site_id, kind, address, hold_back, created_by, created_at, expires_at, name, wiring, asked_at FROM probes'
const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest()

/** Begins a probe. @returns its id and the token that opens it; only a hash of the token is kept */
export async function insertProbe(
  database: Database,
  siteId: number,
  kind: ProbeKind,
  address: string,
  by: string,
  holdBack = false,
): Promise<{ id: number; token: string }> {
  const token = randomBytes(24).toString('base64url')
  const now = Date.now()
  // Those of yesterday are of no use to anybody.
  await database.run('DELETE FROM probes WHERE expires_at < ? AND name IS NULL', [now - 86_400_000])
  const { insertId } = await database.run(
    'INSERT INTO probes (site_id, token_hash, kind, address, hold_back, created_by, created_at, expires_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
    [siteId, hashOf(token), kind, address, holdBack ? 1 : 0, by, now, now + VALID_MS],
  )
  return { id: insertId, token }
}

/** The probe that a token opens, while it is valid. */
export function probeByToken(database: Database, token: string): Promise<Probe | undefined> {
  return database.row<Probe>(`${READ} WHERE token_hash = ? AND expires_at > ?`, [hashOf(token), Date.now()])
}

/** A probe of a site by its id. */
export function probeById(database: Database, siteId: number, id: number): Promise<Probe | undefined> {
  return database.row<Probe>(`${READ} WHERE site_id = ? AND id = ?`, [siteId, id])
}

/** Says whether anything may leave to channels, from the next page on. */
export async function setHoldBack(database: Database, siteId: number, id: number, holdBack: boolean): Promise<void> {
  await database.run('UPDATE probes SET hold_back = ? WHERE site_id = ? AND id = ?', [holdBack ? 1 : 0, siteId, id])
}

/** Ends a probe: its token opens nothing any more. */
export async function endProbe(database: Database, siteId: number, id: number): Promise<void> {
  await database.run('UPDATE probes SET expires_at = ? WHERE site_id = ? AND id = ? AND expires_at > ?', [Date.now(), siteId, id, Date.now()])
}

/** Notes that a page asked for the script of a probe. */
export async function noteAsked(database: Database, id: number): Promise<void> {
  await database.run('UPDATE probes SET asked_at = ? WHERE id = ? AND asked_at IS NULL', [Date.now(), id])
}

/** Keeps a rehearsal under a name, with the draft as it is now; without a name it is let go. */
export async function keepProbe(database: Database, siteId: number, id: number, name: string | null, wiring: string | null): Promise<void> {
  await database.run('UPDATE probes SET name = ?, wiring = ? WHERE site_id = ? AND id = ?', [name, wiring, siteId, id])
}

/** The rehearsals of a site that were kept, newest first. */
export function keptProbes(database: Database, siteId: number): Promise<Probe[]> {
  return database.rows<Probe>(`${READ} WHERE site_id = ? AND name IS NOT NULL ORDER BY id DESC LIMIT 100`, [siteId])
}

/** Adds reports, as JSON texts, unless there are too many already. */
export async function insertReports(database: Database, probeId: number, reports: string[]): Promise<void> {
  const row = await database.row<{ n: number }>('SELECT COUNT(*) AS n FROM probe_reports WHERE probe_id = ?', [probeId])
  if ((row?.n ?? 0) > MOST_REPORTS || !reports.length) return
  await database.run('INSERT INTO probe_reports (probe_id, report) VALUES ?', [reports.map((report) => [probeId, report])])
}

/** The reports of a probe after a number, oldest first. */
export async function reportsAfter(database: Database, probeId: number, after: number): Promise<{ no: number; report: unknown }[]> {
  const rows = await database.rows<{ no: number; report: string }>(
    'SELECT no, report FROM probe_reports WHERE probe_id = ? AND no > ? ORDER BY no LIMIT 1000',
    [probeId, after],
  )
  return rows.map(({ no, report }) => ({ no, report: JSON.parse(report) as unknown }))
}
