/** The screens in headless Chromium, over an organisation of a size: until a view shows, and until it answers a press. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openBrowser, Scene } from '../tests/e2e/harness.ts';
import { write } from './access.ts';
import { sizeOf } from './organisation.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const VIEWS = [
  'exposure/watch',
  'exposure/findings',
  'exposure/causes',
  'exposure/contents',
  'exposure/outside',
  'exposure/cross-tab',
  'survey/holdings',
  'survey/people',
  'survey/changes',
  'remedy/plans',
  'record/ledger',
];
const median = (list: number[]): number => [...list].sort((a, b) => a - b)[list.length >> 1]!;

/** How long it is from a press until what it changes is painted, in milliseconds. */
async function until(press: () => Promise<unknown>, shown: () => Promise<unknown>): Promise<number> {
  const from = performance.now();
  await press();
  await shown();
  return performance.now() - from;
}

/** `scale`: of the organisation put in as an extract; the demo's where it is 0. */
export async function screens(scale: number): Promise<void> {
  const dir = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  const scene = new Scene();
  const browser = await openBrowser();
  try {
    if (scale > 0) {
      await write(sizeOf(scale), dir);
      scene.sources = [{ id: 'bench', kind: 'extract', name: 'Bench', url: dir, token: '' }];
    }
    await scene.up();
    const { id } = await scene.api<{ id: number }>('POST', '/api/surveys', { kind: 'full' });
    await scene.surveyEnd(id, 3600);
    const costliest = await scene.api<{ costliest: { id: number }[] }>('GET', '/api/watch');
    const fixes: number[] = [];
    for (const { id } of costliest.costliest) fixes.push(await until(() => scene.api('GET', `/api/findings/fix?finding=${id}`), () => Promise.resolve()));
    say(`one cheapest fix: ${median(fixes).toFixed(0)} ms`);
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: scene.base });
    const [name, value] = (await scene.cookieOf('steward')).split('=');
    await context.addCookies([{ name: name!, value: value!, url: scene.base }]);
    const page = await context.newPage();
    for (const path of VIEWS) {
      const times: number[] = [];
      for (let k = 0; k < 3; k++) {
        await page.goto(`/${path}`);
        await page.waitForLoadState('networkidle').catch(() => undefined);
        times.push(await page.evaluate(() => {
          const answers = (performance.getEntriesByType('resource') as PerformanceResourceTiming[]).filter((r) => r.name.includes('/api/') && !r.name.includes('/api/events'));
          // single fixes are worked out after the page shows, one by one
          const page = answers.filter((r) => !r.name.includes('/api/findings/fix'));
          return Math.max(performance.getEntriesByName('first-contentful-paint')[0]?.startTime ?? 0, ...page.map((r) => r.responseEnd));
        }));
      }
      say(`${path}: first ${times[0]!.toFixed(0)} ms, then ${median(times.slice(1)).toFixed(0)} ms until its last answer`);
    }
    await page.goto('/exposure/findings');
    const table = page.getByRole('grid', { name: 'Findings' });
    await table.getByRole('row').nth(1).waitFor({ timeout: 120_000 });
    const answered = (part: string) => page.waitForResponse((r) => r.url().includes(part) && r.ok());
    for (const [what, press, shown] of [
      ['findings sorted', () => table.getByRole('button', { name: 'Weight' }).click(), () => answered('/api/findings')],
      ['findings grouped', () => page.getByLabel('Group by').selectOption('space'), () => answered('/api/findings/groups')],
    ] as const) {
      const wait = shown();
      say(`${what}: ${(await until(press, () => wait)).toFixed(0)} ms`);
    }
    await page.goto('/exposure/cross-tab');
    // not the one it begins with: choosing that asks nothing
    for (const dimension of ['label', 'role shared', 'external domain', 'weight']) {
      const wait = page.waitForResponse((r) => r.url().includes('/api/cross') && r.ok(), { timeout: 120_000 });
      say(`cross-tab by ${dimension}: ${(await until(() => page.getByLabel('down').selectOption(dimension), () => wait)).toFixed(0)} ms`);
    }
    await page.goto('/survey/holdings?list=1&kind=file');
    await page.getByRole('row').nth(2).waitFor();
    const moves: number[] = [];
    const grid = page.getByRole('grid').first();
    await grid.focus();
    for (let k = 0; k < 15; k++)
      moves.push(await page.evaluate(() => new Promise<number>((done) => {
        const from = performance.now();
        document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key: 'j', bubbles: true }));
        requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - from)));
      })));
    say(`one row down by keyboard, until painted: ${median(moves).toFixed(0)} ms`);
  } finally {
    await browser.close();
    await scene.down();
    rmSync(dir, { recursive: true, force: true });
  }
} // prettier-ignore
