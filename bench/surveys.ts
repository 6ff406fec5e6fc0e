/**
 * Surveys and starts of the running application over an organisation of a size: the first survey of an extract, a start from
 * what was kept of it and from the store alone, and an incremental survey of a workspace beside it. On a PostgreSQL server
 * where GATE_LANTERN_TEST_STORE names one.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Scene, type SurveyRow } from '../tests/e2e/harness.ts';
import { write } from './access.ts';
import { sizeOf } from './organisation.ts';
import { ratio } from './ratios.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const CHANGES = 1000;

async function seconds<T>(work: () => Promise<T>): Promise<[T, number]> {
  const from = performance.now();
  const value = await work();
  return [value, (performance.now() - from) / 1000];
}

/** Its steps, with the seconds that each took. */
const stepsOf = (row: SurveyRow): string =>
  row.steps
    .filter((s) => s.startedAt && s.finishedAt)
    .map((s) => `${s.name} ${((Date.parse(s.finishedAt!) - Date.parse(s.startedAt!)) / 1000).toFixed(1)}`)
    .join(', ');

/** From nothing to the first answer about the last survey. */
async function start(scene: Scene): Promise<number> {
  const [, took] = await seconds(async () => {
    await scene.startApp();
    await scene.api('GET', '/api/holdings?limit=1');
  });
  return took;
}

export async function surveys(scale: number): Promise<void> {
  const dir = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  const scene = new Scene();
  try {
    await write(sizeOf(scale), dir);
    scene.beside = [{ id: 'bench', kind: 'extract', name: 'Bench', url: dir, token: '' }];
    await scene.up();
    const run = async (kind: 'full' | 'incremental'): Promise<number> => {
      const [row, took] = await seconds(async () => {
        const { id } = await scene.api<{ id: number }>('POST', '/api/surveys', { kind });
        return scene.surveyEnd(id, 3600);
      });
      if (row.state !== 'done') throw new Error(`The ${kind} survey: ${row.state}`);
      say(`${kind} survey, until it is in force: ${took.toFixed(1)} s (${stepsOf(row)})`);
      return took;
    };
    const first = await run('full');
    await scene.kept();
    await scene.kill('SIGTERM');
    const kept = await start(scene);
    const items = await scene.truth<{ id: string; name: string }[]>('items');
    for (const item of items.slice(0, CHANGES))
      await scene.setTruth('items', { ...item, name: `${item.name} once more` });
    const again = await run('incremental');
    await scene.kill('SIGTERM');
    rmSync(join(scene.home, 'data', 'columns'), { recursive: true });
    const store = await start(scene);
    say(`start until the first answer: ${kept.toFixed(1)} s; with nothing kept for it ${store.toFixed(1)} s`);
    ratio('a start from what was kept, against one that reads the store', kept, store);
    ratio('an incremental survey, against the first', again, first);
  } finally {
    await scene.down();
    rmSync(dir, { recursive: true, force: true });
  }
}
