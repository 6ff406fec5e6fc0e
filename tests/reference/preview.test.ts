/**
 * What a preview says a plan gives and takes, and undoing it gives back, against the plain reading of the rows before
 * and after: approval rests on it. And filters over items, asked in parts, against asking each.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { AUDIENCES, ROLES, TIERS } from '../../src/core/model.ts';
import {
  DEFAULT_LIMITS,
  NO_GAINS,
  wantsApproval,
  type Gains,
  type PlannedChange,
} from '../../src/core/remedy/plan.ts';
import { askAll, itemTest } from '../../src/engine/facts.ts';
import { preview } from '../../src/engine/preview.ts';
import type { OpenDb } from '../../src/store/db.ts';
import { ownDb } from '../own-db.ts';
import { LABELS, loaded, WEIGHTS, withFiles } from './loading.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const SOURCE = 'w';
let db: OpenDb;
ownDb((own) => void (db = own));

/** One change to some grant, link or space, as a plan has it, and what it makes of the rows. */
interface Made {
  change: PlannedChange;
  made: (rows: Rows) => Rows;
}
const changeOf = (rows: Rows, pick: number, what: number): Made | undefined => {
  const { grants, links, spaces } = rows;
  const role = ROLES[what % 3]!;
  const set = <T extends { id: string }>(list: T[], id: string, fields: Partial<T> | null): T[] =>
    fields ? list.map((r) => (r.id === id ? { ...r, ...fields } : r)) : list.filter((r) => r.id !== id);
  const at = pick % (grants.length + links.length + spaces.length);
  const grant = grants[at];
  if (grant) {
    const fields = what % 4 === 3 ? null : { role };
    return {
      change: { kind: 'grant', source: SOURCE, id: grant.id, ...(fields && { set: fields }) },
      made: (r) => ({ ...r, grants: set(r.grants, grant.id, fields) }),
    };
  }
  const link = links[at - grants.length];
  if (link) {
    const fields = what % 5 === 4 ? null : { role, audience: AUDIENCES[what % 3]! };
    return {
      change: { kind: 'link', source: SOURCE, id: link.id, ...(fields && { set: fields }) },
      made: (r) => ({ ...r, links: set(r.links, link.id, fields) }),
    };
  }
  const space = spaces[at - grants.length - links.length];
  const visibility = what % 2 ? ('organisation' as const) : ('members' as const);
  return (
    space && {
      change: { kind: 'space', source: SOURCE, id: space.id, set: { visibility } },
      made: (r) => ({ ...r, spaces: set(r.spaces, space.id, { visibility }) }),
    }
  );
};

/** What goes from one state of the rows to another gives, by plain loops. */
function given(before: Rows, after: Rows): Gains & { names: Set<string> } {
  const [was, is] = [plainly(before), plainly(after)];
  const names = new Set<string>();
  const items = new Set<string>();
  let tier = -1;
  for (const row of [...before.spaces, ...before.items]) {
    const inSpace = 'space' in row ? row.space : row.id;
    const judged = ([plain, rows]: [typeof was, Rows]) =>
      plain.judge(
        rows.spaces.find((s) => s.id === inSpace)!,
        'space' in row ? rows.items.find((i) => i.id === row.id) : undefined,
      );
    const [x, y] = [judged([was, before]), judged([is, after])];
    for (const [name, can] of Object.entries(y.who))
      if (can.some((c) => !x.who[name]?.includes(c))) {
        names.add(name);
        if ('space' in row) items.add(row.id);
      }
    if (!('space' in row)) continue;
    for (const of of ['now', 'could'] as const) {
      const [a, b] = [TIERS.indexOf(x[of].tier as never), TIERS.indexOf(y[of].tier as never)];
      if (b <= a) continue;
      items.add(row.id);
      tier = Math.max(tier, b);
    }
  }
  const weight = (id: string): number =>
    WEIGHTS[LABELS.indexOf(before.items.find((i) => i.id === id)!.label)] ?? 0;
  return {
    names,
    people: names.size,
    external: [...names].filter((n) => is.identities.get(n)!.kind !== 'member').length,
    items: items.size,
    heaviest: Math.max(0, ...[...items].map(weight)),
    tier: TIERS[tier] ?? null,
  };
}

describe('a preview', () => {
  it('says who gains what, how heavy and how far, and what undoing would give back', async () => {
    let [widened, narrowed] = [0, 0];
    await fc.assert(
      fc.asyncProperty(
        organisations,
        fc.nat(20),
        fc.array(fc.tuple(fc.nat(100), fc.nat(100)), { minLength: 2, maxLength: 8 }),
        async (organisation, seed, picks) => {
          const rows = withFiles(organisation, seed);
          const list = picks.flatMap(([pick, what]) => changeOf(rows, pick, what) ?? []);
          const changes = [...new Map(list.map((m) => [m.change.kind + m.change.id, m])).values()];
          const after = changes.reduce((r, m) => m.made(r), rows);
          const told = preview(
            await loaded(db, rows, SOURCE),
            changes.map((m) => m.change),
          );
          const { names: _, ...gains } = given(rows, after);
          expect(told.gains).toEqual(gains);
          // whom nothing names any more is not known afterwards, and nothing can be given back to them here
          const known = (r: Rows): string => [...plainly(r).identities.keys()].sort().join();
          if (known(rows) === known(after)) {
            const { names: __, ...back } = given(after, rows);
            expect(told.back).toEqual(back);
          }
          // nothing that widens goes by without a second steward, and it is said
          const wants = wantsApproval(
            { ...DEFAULT_LIMITS, people: 1e6, spaces: 1e6, weight: 5, suspension: false },
            { changes: [], people: 0, spaces: 0, heaviest: 0, gains: told.gains },
          );
          const widens = gains.people > 0 || gains.tier !== null;
          expect([wants.length > 0, told.wider !== undefined]).toEqual([widens, widens]);
          if (widens) widened++;
          else if (told.back.people) narrowed++;

          if (!widens) expect(told.gains).toEqual(NO_GAINS);
        },
      ),
      { numRuns: 150 },
    );
    expect(Math.min(widened, narrowed)).toBeGreaterThan(0);
  });
});

describe('a filter over items', () => {
  it('asked in parts holds of the same nodes as asked of each, and is left when whoever asks has gone', async () => {
    await fc.assert(
      fc.asyncProperty(
        organisations,
        fc.nat(20),
        fc.constantFrom(
          'weight >= 3',
          'external > 0 || members > 2',
          'could >= partner && kind == "file"',
          'domains.exists(d, d.contains("e"))',
        ),
        async (organisation, seed, where) => {
          const l = await loaded(db, withFiles(organisation, seed), SOURCE);
          const each = itemTest(l, where);
          const nodes = Array.from({ length: l.org.spaces.length + l.items.length }, (_, n) => n);
          const wanted = nodes.filter((n) => each(n));
          await askAll(l, where);
          const kept = itemTest(l, where);
          expect(nodes.filter((n) => kept(n))).toEqual(wanted);
          // what is known already is not asked again, gone or not
          await expect(askAll(l, where, AbortSignal.abort())).resolves.toBeUndefined();
        },
      ),
      { numRuns: 12 },
    );
  });
});
