import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    globalSetup: 'scripts/programs.mjs',
    projects: [
      {
        test: {
          name: 'unit',
          include: ['src/**/*.test.ts', 'demo/**/*.test.ts', 'standins/**/*.test.ts', 'bench/**/*.test.ts'],
          testTimeout: 120_000,
          maxWorkers: 2,
        },
      },
      {
        test: {
          name: 'reference',
          include: ['tests/reference/**/*.test.ts'],
          testTimeout: 240_000,
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
    ],
  },
});
