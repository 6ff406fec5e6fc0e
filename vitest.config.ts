import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: 'unit',
          include: ['src/**/*.test.ts', 'demo/**/*.test.ts', 'standins/**/*.test.ts'],
          testTimeout: 30_000,
        },
      },
      { test: { name: 'reference', include: ['tests/reference/**/*.test.ts'], testTimeout: 60_000 } },
      {
        test: {
          name: 'e2e',
          include: ['tests/e2e/**/*.test.ts'],
          testTimeout: 180_000,
          hookTimeout: 180_000,
          fileParallelism: false,
        },
      },
    ],
  },
});
