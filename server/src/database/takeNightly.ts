import type { Database } from './Database.js'

/** Processes keep the same hour, though not the same second; the next night is further away than this, in ms. */
const SAME_NIGHT = 12 * 3_600_000

/**
 * Takes a job that is to be done once a night, whatever the number of processes that keep its hour.
 * @param now ms since 1970
 * @returns whether it is this process that does it
 */
export async function takeNightly(database: Database, job: string, now: number): Promise<boolean> {
  const { affectedRows } = await database.run(
    'INSERT INTO nightly_jobs (job, taken_at) VALUES (?, ?) ON DUPLICATE KEY UPDATE taken_at = IF(taken_at < ?, VALUES(taken_at), taken_at)',
    [job, now, now - SAME_NIGHT],
  )
  return affectedRows > 0
}
