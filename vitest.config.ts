import { defineConfig } from 'vitest/config'

/**
 * How long something may take before it counts as not coming, in ms: a machine whose cores are shared may be several times
 * slower than usual, and then nothing is wrong.
 */
const expect = { poll: { timeout: 30_000 } }
const [testTimeout, hookTimeout] = [240_000, 240_000]

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: 'core',
          include: ['core/src/**/*.test.ts', 'loader/src/**/*.test.ts', 'server/src/**/*.test.ts', 'demo/src/**/*.test.ts', 'web/src/**/*.test.ts'],
          testTimeout,
        },
      },
      { test: { name: 'api', include: ['tests/api/**/*.test.ts'], globalSetup: ['tests/start/startDatabase.ts'], testTimeout, hookTimeout, expect } },
      { test: { name: 'faults', include: ['tests/faults/**/*.test.ts'], testTimeout: 900_000, hookTimeout, expect, fileParallelism: false } },
      {
        test: {
          name: 'browser',
          include: ['tests/browser/**/*.test.ts'],
          globalSetup: ['tests/start/startDatabase.ts'],
          testTimeout,
          hookTimeout,
          fileParallelism: false,
          expect,
        },
      },
    ],
  },
})
