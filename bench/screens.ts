/** The screens in headless Chromium, over an organisation of a size: until a view shows, and until it answers a press. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Locator } from 'playwright-core';
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
    for (const { id } of costliest.costliest)
      fixes.push(
        await until(
          () => scene.api('GET', `/api/findings/fix?finding=${id}`),
          () => Promise.resolve(),
        ),
      );
    say(`one cheapest fix: ${median(fixes).toFixed(0)} ms`);
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: scene.base });
    const [name, value] = (await scene.cookieOf('steward')).split('=');
    await context.addCookies([{ name: name!, value: value!, url: scene.base }]);
    const page = await context.newPage();
    /** Questions that are not answered yet, but for the stream of events and single fixes, which come one by one after the page shows. */
    const asked = new Set<unknown>();
    const counts = (url: string): boolean =>
      url.includes('/api/') && !url.includes('/api/events') && !url.includes('/api/findings/fix');
    page.on('request', (r) => counts(r.url()) && asked.add(r));
    page.on('requestfinished', (r) => asked.delete(r));
    page.on('requestfailed', (r) => asked.delete(r));
    const quiet = async (): Promise<void> => {
      for (let still = 0, k = 0; still < 10; k++) {
        if (k > 12_000) throw new Error('No answer in ten minutes.');
        await page.waitForTimeout(50);
        still = asked.size ? 0 : still + 1;
      }
    };
    for (const path of VIEWS) {
      const times: number[] = [];
      for (let k = 0; k < 3; k++) {
        await page.goto(`/${path}`);
        await quiet();
        const seen = await page.evaluate(() => {
          const answers = performance.getEntriesByType('resource') as PerformanceResourceTiming[];
          return [
            { name: '/api/', end: performance.getEntriesByName('first-contentful-paint')[0]?.startTime ?? 0 },
            ...answers.map((r) => ({ name: r.name, end: r.responseEnd })),
          ];
        });
        times.push(Math.max(...seen.filter((r) => counts(r.name)).map((r) => r.end)));
      }
      say(
        `${path}: first ${times[0]!.toFixed(0)} ms, then ${median(times.slice(1)).toFixed(0)} ms until its last answer`,
      );
    }
    /** From a press, made in the page, until what it asks for is answered and painted. */
    const pressed = async (
      what: string,
      element: Locator,
      part: string,
      values?: string[],
    ): Promise<void> => {
      const times: number[] = [];
      for (const value of values ?? [undefined]) {
        await quiet();
        times.push(
          await element.evaluate(
            (el, { part, value }) =>
              new Promise<number>((done) => {
                const from = performance.now();
                new PerformanceObserver((seen, observer) => {
                  if (!seen.getEntries().some((e) => e.name.includes(part) && e.startTime >= from)) return;
                  observer.disconnect();
                  requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - from)));
                }).observe({ type: 'resource' });
                if (value === undefined) return (el as HTMLElement).click();
                Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value')!.set!.call(el, value);
                el.dispatchEvent(new Event('change', { bubbles: true }));
              }),
            { part, value },
          ),
        );
      }
      say(`${what}: ${median(times).toFixed(0)} ms (${times.map((x) => x.toFixed(0)).join(', ')})`);
    };
    await page.goto('/exposure/findings');
    const table = page.getByRole('grid', { name: 'Findings' });
    await table.getByRole('row').nth(1).waitFor({ timeout: 120_000 });
    for (const [column, key] of [
      ['Weight', 'weight'],
      ['Reach', 'reach'],
      ['File', 'name'],
    ] as const)
      await pressed(`findings sorted by ${key}`, table.getByRole('button', { name: column }), `sort=${key}`);
    await pressed('findings grouped', page.getByLabel('Group by'), '/api/findings/groups', [
      'space',
      'owner',
      'domain',
      'cause',
      'type',
    ]);
    await page.goto('/exposure/cross-tab');
    // not the one it begins with: choosing that asks nothing
    for (const dimension of ['label', 'role', 'domain', 'weight'])
      await pressed(`cross-tab by ${dimension}`, page.getByLabel('down'), '/api/cross', [dimension]);
    await page.goto('/survey/holdings?list=1&kind=file');
    await page.getByRole('row').nth(2).waitFor();
    const moves: number[] = [];
    const grid = page.getByRole('grid').first();
    await grid.focus();
    for (let k = 0; k < 15; k++)
      moves.push(
        await page.evaluate(
          () =>
            new Promise<number>((done) => {
              const from = performance.now();
              document.activeElement!.dispatchEvent(
                new KeyboardEvent('keydown', { key: 'j', bubbles: true }),
              );
              requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - from)));
            }),
        ),
      );
    say(`one row down by keyboard, until painted: ${median(moves).toFixed(0)} ms`);
  } finally {
    await browser.close();
    await scene.down();
    rmSync(dir, { recursive: true, force: true });
  }
}
