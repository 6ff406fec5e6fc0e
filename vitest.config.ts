import { defineConfig } from 'vitest/config';

/** With a PostgreSQL server, what the store is held to is held to it too. */
const postgres = process.env.GATE_LANTERN_TEST_POSTGRES
  ? [
      {
        test: {
          name: 'postgres',
          include: [
            'src/store/db.test.ts',
            ...[
              'account-admin',
              'findings',
              'happened/signals',
              'jobs',
              'ledger-heads',
              'schedule',
              'second-factor',
              'secrets',
              'services',
              'sso',
            ].map((name) => `src/services/${name}.test.ts`),
            'src/services/plans/limits.test.ts',
            'src/services/plans/runner.test.ts',
            'tests/e2e/kills.test.ts',
          ],
          env: { STORE: process.env.GATE_LANTERN_TEST_POSTGRES, GATE_LANTERN_KILL_ROUNDS: '1' },
          testTimeout: 600_000,
          hookTimeout: 300_000,
          maxWorkers: 2,
        },
      },
    ]
  : [];

export default defineConfig({
  test: {
    globalSetup: 'scripts/programs.mjs',
    projects: [
      {
        test: {
          name: 'unit',
          include: ['src/**/*.test.ts', 'demo/**/*.test.ts', 'standins/**/*.test.ts', 'bench/**/*.test.ts'],
          testTimeout: 120_000,
          hookTimeout: 120_000,
          maxWorkers: 2,
        },
      },
      {
        test: {
          name: 'reference',
          include: ['tests/reference/**/*.test.ts'],
          testTimeout: 240_000,
          hookTimeout: 240_000,
          maxWorkers: 2,
        },
      },
      {
        test: {
          name: 'e2e',
          include: ['tests/e2e/**/*.test.ts'],
          testTimeout: 600_000,
          hookTimeout: 300_000,
          maxWorkers: 2,
        },
      },
      ...postgres,
    ],
  },
});
