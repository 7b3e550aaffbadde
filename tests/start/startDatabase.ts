import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TestProject } from 'vitest/node'
import { startMariaDb } from '../../server/src/database/EmbeddedMariaDb.js'

declare module 'vitest' {
  export interface ProvidedContext {
    databaseUrl: string
  }
}

/** Starts one MariaDB for all tests of a project; each test file uses a database of its own in it. */
export default async function startDatabase(project: TestProject): Promise<() => Promise<void>> {
  const folder = mkdtempSync(join(tmpdir(), 'acequia-test-'))
  const mariaDb = await startMariaDb(folder, { bufferPool: '256M' })
  project.provide('databaseUrl', mariaDb.url)
  return async () => {
    await mariaDb.stop()
    rmSync(folder, { recursive: true, force: true })
  }
}
