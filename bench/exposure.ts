/** Cross-tabulation and filters at size, against PostgreSQL's cube and a CEL library; and the screens in a browser. */
import { Environment } from '@marcbachmann/cel-js';
import { reach } from '../src/core/access/reach.ts';
import { view } from '../src/core/access/view.ts';
import { crosstab, sharesOf, type Dimension } from '../src/core/exposure/crosstab.ts';
import type { CrossInput, Measure } from '../src/core/exposure/tab.ts';
import { compileFilter } from '../src/core/filter/filter.ts';
import { itemGetters } from '../src/core/filter/items.ts';
import { TIERS } from '../src/core/model.ts';
import { openDb } from '../src/store/db.ts';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from './access.ts';
import { ratio } from './ratios.ts';
import { sizeOf } from './organisation.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const ms = async (work: () => unknown): Promise<number> => {
  const from = performance.now();
  await work();
  return performance.now() - from;
};
const mixed = (n: number, of: number): number => (Math.imul(n + 1, 2654435761) >>> 9) % of;

interface Made {
  input: CrossInput;
  dimensions: Record<string, Dimension>;
  weights: Uint8Array;
}

/** An organisation with what its items weigh and are labelled made up evenly, which is the hardest for bundles. */
function make(scale: number): Made {
  const org = build(sizeOf(scale));
  const v = view(org);
  const columns = reach(v);
  const shares = sharesOf(v, columns);
  const I = org.itemIds.length;
  const E = org.entries.ids.length;
  const one = (of: Dimension['of'], values: readonly string[], at: (n: number) => number): Dimension => ({
    of,
    values,
    one: Int32Array.from({ length: of === 'item' ? I : shares.count }, (_, n) => at(n)),
  });
  const names = (word: string, n: number): string[] => Array.from({ length: n }, (_, i) => `${word} ${i}`);
  const weights = Uint8Array.from({ length: I }, (_, i) => mixed(i, 5));
  return {
    weights,
    input: {
      view: v,
      columns,
      shares,
      isFile: new Uint8Array(I).fill(1),
      bytes: Float64Array.from({ length: I }, (_, i) => i % 10_000),
      points: Float64Array.from({ length: I }, (_, i) => i % 50),
    },
    dimensions: {
      weight: one('item', names('weight', 5), (i) => weights[i]!),
      reach: {
        of: 'item',
        values: TIERS,
        one: Int32Array.from(columns.couldTier.subarray(org.spaces.length)),
      },
      label: one('item', names('label', 6), (i) => mixed(i + 7, 6)),
      role: one('share', names('role', 5), (s) => (s < E ? org.entries.role[s]! : 0)),
      audience: one('share', names('audience', 5), (s) => (s < E ? org.entries.type[s]! : 4)),
      department: one('share', names('department', 40), (s) => mixed(s, 40)),
      domain: one('share', names('domain', 300), (s) => (mixed(s, 10) ? 0 : mixed(s + 3, 300))),
    },
  };
}

export async function exposure(scale: number): Promise<void> {
  const made = make(scale);
  const { org } = made.input.view;
  say(`${org.itemIds.length} items, ${org.entries.ids.length} grants and links`);
  const summed: Measure[] = ['items', 'files', 'bytes', 'points'];
  for (const by of [
    ['weight', 'reach'],
    ['role', 'audience'],
    ['department', 'label'],
    ['domain', 'label', 'role'],
  ])
    for (const measures of [summed, ['links'], ['people']] as Measure[][]) {
      const dimensions = by.map((b) => made.dimensions[b]!);
      const times: number[] = [];
      for (let k = 0; k < 3; k++) times.push(await ms(() => crosstab(made.input, dimensions, measures)));
      say(
        `cross-tab ${by.join(' × ')}, ${measures.join(', ')}: ${times.map((t) => t.toFixed(0)).join(', ')} ms`,
      );
    }

  // the same with GROUP BY CUBE and count(distinct) over the pairs of item and share, at a hundredth
  const small = make(scale / 100);
  const { place, above, at } = small.input.shares;
  const S = small.input.view.org.spaces.length;
  const home = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  const db = await openDb(join(home, 'db'));
  await db.query('create table pair (item int, role int, label int, bytes float8)');
  const rows: string[] = [];
  for (let i = 0; i < small.weights.length; i++) {
    for (let p = place[small.input.columns.accessClass[S + i]!]!; p >= 0; p = above[p]!)
      for (const share of at.values.subarray(at.start[p], at.start[p + 1]))
        rows.push(
          `${i}\t${small.dimensions.role!.one![share]}\t${small.dimensions.label!.one![i]}\t${small.input.bytes[i]}`,
        );
  }
  await db.copyIn('pair', ['item', 'role', 'label', 'bytes'], `${rows.join('\n')}\n`);
  let cube: { n: number; total: boolean }[] = [];
  const theirs = await ms(async () => {
    cube = await db.query(
      'select count(distinct item)::int as n, grouping(role, label) = 3 as total from pair group by cube (role, label)',
    );
  });
  const dims = [small.dimensions.role!, small.dimensions.label!];
  crosstab(small.input, dims, ['items']);
  let tab = crosstab(small.input, dims, ['items']);
  const ours = await ms(() => (tab = crosstab(small.input, dims, ['items'])));
  const all = tab.cells.items[tab.cells.items.length - 1]!;
  if (cube.find((c) => c.total)?.n !== all) throw new Error('The two do not count alike.');
  ratio(`cross-tabulation of ${small.weights.length} items, against GROUP BY CUBE`, ours, theirs);
  say(
    `${small.weights.length} items, ${rows.length} pairs, role × label: ${ours.toFixed(1)} ms; GROUP BY CUBE on PGlite ${theirs.toFixed(0)} ms: ${(theirs / ours).toFixed(0)} times`,
  );
  await db.close();
  rmSync(home, { recursive: true, force: true });

  const getters = itemGetters({
    view: made.input.view,
    columns: made.input.columns,
    items: {
      name: (i) => `file ${i}.txt`,
      label: () => undefined,
      mime: () => undefined,
      isFile: Uint8Array.from({ length: org.itemIds.length }, (_, i) => (i % 9 ? 1 : 0)),
    },
    weight: (n) => made.weights[n - org.spaces.length] ?? 0,
    exposures: [],
    types: () => [],
    modified: () => NaN,
    sizeBytes: (n) => n,
    holds: () => false,
    apps: () => 0,
  });
  const first = org.spaces.length;
  const count = Math.min(100_000, org.itemIds.length);
  for (const text of [
    'weight >= 3 && could >= outside',
    'kind == "file" && name.contains("77") && size(domains) > 0',
  ]) {
    const test = compileFilter(text, 'items', getters);
    let fits = 0;
    const own = await ms(() => {
      for (let n = first; n < first + org.itemIds.length; n++) if (test(n)) fits++;
    });
    const env = new Environment({ unlistedVariablesAreDyn: true });
    const parsed = env.parse(text.replace('outside', '5'));
    let same = 0;
    const library = await ms(() => {
      for (let n = first; n < first + count; n++)
        if (
          parsed({
            weight: BigInt(getters.weight(n)),
            could: BigInt(getters.could(n)),
            kind: getters.kind(n),
            name: getters.name(n),
            domains: getters.domains(n),
          }) === true
        )
          same++;
    });
    let again = 0;
    for (let n = first; n < first + count; n++) if (test(n)) again++;
    if (same !== again) throw new Error('The two do not hold alike.');
    ratio(`filter ${text}, a row, against the CEL library`, own / org.itemIds.length, library / count);
    say(
      `filter ${text}: ${own.toFixed(0)} ms for ${org.itemIds.length} (${fits} fit); the CEL library itself ${((library / count) * 1e6).toFixed(0)} ns a row, ours ${((own / org.itemIds.length) * 1e6).toFixed(0)} ns: ${(library / count / (own / org.itemIds.length)).toFixed(1)} times`,
    );
  }
}
