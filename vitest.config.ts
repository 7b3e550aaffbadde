import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: 'core',
          include: ['core/src/**/*.test.ts', 'loader/src/**/*.test.ts', 'server/src/**/*.test.ts', 'demo/src/**/*.test.ts', 'web/src/**/*.test.ts'],
          testTimeout: 60_000,
        },
      },
      { test: { name: 'api', include: ['tests/api/**/*.test.ts'], globalSetup: ['tests/start/startDatabase.ts'], testTimeout: 60_000, hookTimeout: 60_000 } },
      { test: { name: 'faults', include: ['tests/faults/**/*.test.ts'], testTimeout: 600_000, hookTimeout: 120_000, fileParallelism: false } },
      {
        test: {
          name: 'browser',
          include: ['tests/browser/**/*.test.ts'],
          globalSetup: ['tests/start/startDatabase.ts'],
          testTimeout: 120_000,
          hookTimeout: 120_000,
          fileParallelism: false,
          expect: { poll: { timeout: 8000 } },
        },
      },
    ],
  },
})
