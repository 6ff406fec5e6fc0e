// npm run soak [rounds]: kills the application at random moments, hundreds of times, while plans and standing orders work.
import { spawnSync } from 'node:child_process';
import { build, install, ROOT } from './setup.mjs';

install();
build();
const rounds = process.argv[2] ?? '100';
const seed = process.env.GATE_LANTERN_SEED ?? String(Date.now() % 1_000_000);
process.stdout.write(`${rounds} rounds, seed ${seed}\n`);
const { status } = spawnSync(
  process.execPath,
  [
    'node_modules/vitest/vitest.mjs',
    'run',
    '--project',
    'e2e',
    'tests/e2e/kills.test.ts',
    'tests/e2e/order-kills.test.ts',
  ],
  {
    cwd: ROOT,
    stdio: 'inherit',
    env: { ...process.env, GATE_LANTERN_KILL_ROUNDS: rounds, GATE_LANTERN_SEED: seed },
  },
);
process.exit(status ?? 1);
