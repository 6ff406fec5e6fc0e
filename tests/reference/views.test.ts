/**
 * What the views say of a survey as the store keeps it, against plain loops over the rows: every row of
 * Holdings, People and Outside, who reaches what, cross-tabulations, and what a survey comes to.
 */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { GrantRow, ItemRow, LinkRow } from '../../src/core/model.ts';
import { crossPage } from '../../src/engine/crosstab.ts';
import { holdings, placeNames, whoRows } from '../../src/engine/holdings.ts';
import type { Loaded } from '../../src/engine/loaded.ts';
import { outside } from '../../src/engine/outside.ts';
import { people, whatRows } from '../../src/engine/people.ts';
import { sum } from '../../src/engine/watch.ts';
import type { OpenDb } from '../../src/store/db.ts';
import { ownDb } from '../own-db.ts';
import { LABELS, loaded, WEIGHTS, withFiles } from './loading.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

let db: OpenDb;
ownDb((own) => void (db = own));

const SOURCE = 'w';

const load = (rows: Rows): Promise<Loaded> => loaded(db, rows, SOURCE);

const SORTS = ['name', 'reach', 'weight', 'members', 'external', 'files', 'activity', 'bytes'] as const;
const registered = (domain: string): string => domain.split('.').slice(-2).join('.');
/** A grant or link in force: not ended, and not on what is in quarantine. */
const inForce = (rows: Rows, x: GrantRow | LinkRow): boolean => {
  let at = 'item' in x.on ? x.on.item : undefined;
  while (at !== undefined) {
    const item: ItemRow = rows.items.find((i) => i.id === at)!;
    if (item.held) return false;
    at = item.parent;
  }
  return x.expiresAt === undefined || Date.parse(x.expiresAt) > rows.takenAt;
};

type Facet = 'weight' | 'reach' | 'label' | 'level' | 'role' | 'audience' | 'domain';
const TABLES: [Facet, Facet][] = [
  ['level', 'domain'],
  ['role', 'audience'],
  ['weight', 'domain'],
  ['reach', 'label'],
  ['label', 'role'],
];

/** Everything that is asked of the views, by plain loops. */
function plain(rows: Rows) {
  const { judge, through: throughOf, whoIs, identities, TIERS } = plainly(rows);
  const judged = new Map(
    rows.items.map((i) => [
      i.id,
      judge(
        rows.spaces.find((s) => s.id === i.space)!,
        i,
      ),
    ]),
  );
  const weight = (i: ItemRow): number => WEIGHTS[LABELS.indexOf(i.label)]!;
  const allowed = [6, 4, 3, 2, 1];
  const widest = (i: ItemRow): number =>
    Math.max(TIERS.indexOf(judged.get(i.id)!.now.tier), TIERS.indexOf(judged.get(i.id)!.could.tier));
  const exposed = (i: ItemRow): boolean => widest(i) > allowed[weight(i)]!;
  const below = (i: ItemRow): ItemRow[] => [
    i,
    ...rows.items.filter((x) => x.parent === i.id).flatMap((x) => below(x)),
  ];
  const files = rows.items.filter((i) => i.kind === 'file');
  const named = (x: GrantRow | LinkRow) => [
    ...('to' in x ? [x.to] : [...(x.recipients ?? []), ...(x.redeemedBy ?? [])]),
  ];
  const live = [...rows.grants, ...rows.links].filter((x) => inForce(rows, x));
  const outsideDomain = (name: string): string | undefined => {
    const at = identities.get(name)?.domain;
    return at && !rows.own.domains.some((o) => at === o || at.endsWith(`.${o}`)) ? registered(at) : undefined;
  };
  /** The outside domains of whom a grant or link names. */
  const domainsOf = (x: GrantRow | LinkRow): Set<string> =>
    new Set(
      named(x).flatMap((p) =>
        'domain' in p
          ? rows.own.domains.includes(p.domain.toLowerCase())
            ? []
            : registered(p.domain.toLowerCase())
          : 'everyone' in p || 'anyone' in p
            ? []
            : whoIs(p).flatMap((name) => outsideDomain(name) ?? []),
      ),
    );
  /** What an item is, once for each thing that it is shared by, with what that is. */
  const facets = (i: ItemRow) => {
    const { could } = judged.get(i.id)!;
    const space = rows.spaces.find((s) => s.id === i.space)!;
    const through = throughOf(space, i);
    const own = { weight: [String(weight(i))], reach: [could.tier], label: [i.label ?? 'no label'] };
    const shares = [
      ...[...through.grants, ...through.links].map((x) => ({
        level: [
          'space' in x.on ? 'space' : rows.items.find((y) => y.id === (x.on as { item: string }).item)!.kind,
        ],
        role: [x.role],
        audience: ['audience' in x ? `link: ${x.audience}` : 'grant'],
        domain: domainsOf(x).size ? [...domainsOf(x)] : ['nobody outside'],
        link: 'audience' in x ? x.id : undefined,
      })),
      ...(through.visible
        ? [
            {
              level: ['space'],
              role: [space.visibilityRole ?? 'reader'],
              audience: ['visible to all'],
              domain: ['nobody outside'],
              link: undefined,
            },
          ]
        : []),
    ];
    const none = ['not shared'];
    return (
      shares.length ? shares : [{ level: none, role: none, audience: none, domain: none, link: undefined }]
    ).map((x) => ({ ...own, ...x }));
  };
  return {
    cross: (by: readonly Facet[]): Map<string, number[]> => {
      const cells = new Map<string, { items: Set<string>; files: Set<string>; links: Set<string> }>();
      for (const i of rows.items)
        for (const facet of facets(i))
          for (const a of [...facet[by[0]!], 'total'])
            for (const b of [...facet[by[1]!], 'total']) {
              const key = `${a} | ${b}`;
              const cell = cells.get(key) ?? { items: new Set(), files: new Set(), links: new Set() };
              cells.set(key, cell);
              cell.items.add(i.id);
              if (i.kind === 'file') cell.files.add(i.id);
              if (facet.link) cell.links.add(facet.link);
            }
      return new Map([...cells].map(([key, c]) => [key, [c.items.size, c.files.size, c.links.size]]));
    },
    holdings: rows.items.map((i) => {
      const { now, could } = judged.get(i.id)!;
      return {
        name: i.id,
        kind: i.kind,
        now: now.tier,
        could: could.tier,
        members: now.members,
        external: now.guests + now.outsiders,
        files: below(i).filter((x) => x.kind === 'file').length,
        exposed: below(i).filter(exposed).length,
        weight: Math.max(...below(i).map(weight)),
        bytes: below(i).reduce((n, x) => n + (x.bytes ?? 0), 0),
      };
    }),
    who: (id: string) => judged.get(id)!.who,
    people: [...identities.values()].map(({ name, kind }) => ({
      name,
      kind,
      items: files.filter((f) => judged.get(f.id)!.who[name]).length,
      heavy: files.filter((f) => weight(f) >= 2 && judged.get(f.id)!.who[name]).length,
      grants: live.filter((x) =>
        named(x).some((p) => ('user' in p || 'email' in p) && whoIs(p).includes(name)),
      ).length,
    })),
    outside: (domain: string) => {
      const reached = files.filter((f) =>
        judged.get(f.id)!.could.domains.some((d) => registered(d) === domain),
      );
      return {
        people: [...identities.keys()].filter((name) => outsideDomain(name) === domain).length,
        shares: live.filter((x) => domainsOf(x).has(domain)).length,
        files: reached.length,
        heavy: reached.filter((f) => weight(f) >= 2).length,
        heaviest: Math.max(0, ...reached.map(weight)),
      };
    },
    sum: {
      rows:
        Object.values(rows).reduce((n: number, list) => n + (Array.isArray(list) ? list.length : 0), 0) -
        rows.workspaces.length,
      findings: rows.items.filter(exposed).length,
      files: files.length,
    },
  };
}

it('is what plain loops over the rows say', async () => {
  const seen = { outside: 0, exposed: 0, nested: 0 };
  await fc.assert(
    fc.asyncProperty(organisations, fc.nat(1000), async (raw, seed) => {
      const rows = withFiles(raw, seed);
      const l = await load(rows);
      const wanted = plain(rows);
      const page = { limit: 1000, offset: 0 };
      const up = <K>(key: K) => [{ key, down: false }];

      const list = holdings(l, { list: true, sort: up('name' as const), ...page }, () => true).rows.filter(
        (r) => r.kind !== 'space',
      );
      const shown = list.map(
        ({ name, kind, now, could, members, external, files, exposed, weight, bytes }) => ({
          name,
          kind,
          now,
          could,
          members,
          external,
          files,
          exposed,
          weight,
          bytes,
        }),
      );
      const byName = <T extends { name: string }>(all: T[]): T[] =>
        [...all].sort((a, b) => (a.name < b.name ? -1 : 1));
      expect(byName(shown)).toEqual(byName(wanted.holdings));
      // the tree holds each item once, below where it lies
      const tree = (parent: string): string[] =>
        holdings(l, { list: false, parent, sort: up('name' as const), ...page }, () => true).rows.flatMap(
          (r) => [r.name, ...tree(r.key)],
        );
      for (const s of rows.spaces)
        expect(tree(`space:${SOURCE}:${s.id}`).sort()).toEqual(
          rows.items
            .filter((i) => i.space === s.id)
            .map((i) => i.id)
            .sort(),
        );

      // in every order the same, whether names are compared or their places known
      const orders = () =>
        SORTS.flatMap((key) =>
          [true, false].map((down) =>
            holdings(l, { list: true, sort: [{ key, down }], ...page }, () => true).rows.map((r) => r.key),
          ),
        );
      const compared = orders();
      for (const _ of placeNames(l));
      expect(orders()).toEqual(compared);
      // by several keys: what an earlier one leaves alike is ordered by the next
      const sort = [
        { key: 'weight', down: true },
        { key: 'bytes', down: false },
        { key: 'members', down: true },
      ] as const;
      const several = holdings(l, { list: true, sort, ...page }, () => true).rows;
      for (const [a, b] of several.slice(1).map((r, n) => [several[n]!, r] as const)) {
        const first = sort.find(({ key }) => a[key] !== b[key]);
        if (first) expect((a[first.key] ?? 0) < (b[first.key] ?? 0)).toBe(!first.down);
      }

      for (const i of rows.items) {
        const { rows: who } = whoRows(l, `item:${SOURCE}:${i.id}`, page)!;
        expect(
          Object.fromEntries(
            who.map((w) => [
              w.person.kind === 'outsider' ? w.person.address : w.person.name,
              [...w.capabilities].sort(),
            ]),
          ),
        ).toEqual(wanted.who(i.id));
      }
      for (const [show, kind] of [
        ['members', 'member'],
        ['guests', 'guest'],
        ['outsiders', 'outsider'],
      ] as const) {
        const answer = people(l, { show, sort: [{ key: 'heavy', down: true }], ...page }).rows;
        const told = answer.map(({ name, kind, items, heavy, grants }) => ({
          name,
          kind,
          items,
          heavy,
          grants,
        }));
        expect(byName(told)).toEqual(byName(wanted.people.filter((p) => p.kind === kind)));
        // the heaviest first, whatever else
        expect(told.map((t) => t.heavy)).toEqual(told.map((t) => t.heavy!).sort((a, b) => b - a));
        for (const p of answer)
          expect(
            whatRows(l, p.key, page)!
              .rows.filter((r) => r.kind === 'file')
              .map((r) => r.name)
              .sort(),
          ).toEqual(
            rows.items
              .filter((i) => i.kind === 'file' && wanted.who(i.id)[p.name])
              .map((i) => i.id)
              .sort(),
          );
      }
      const domains = outside(l, { show: 'all', sort: up('domain' as const) }).rows;
      for (const { domain, people, shares, levels, files, heavy, heaviest } of domains) {
        expect({ domain, people, shares, files, heavy, heaviest }).toEqual({
          domain,
          ...wanted.outside(domain),
        });
        expect(levels.space + levels.folder + levels.file).toBe(shares);
        if (files) seen.outside++;
      }
      for (const by of TABLES) {
        const { values, cells } = crossPage(l, { by, measures: ['items', 'files', 'links'] });
        const at = (x: number | null, k: number): string => (x === null ? 'total' : values[k]![x]!);
        expect(new Map(cells.map((c) => [c.at.map(at).join(' | '), c.values]))).toEqual(wanted.cross(by));
      }
      const { rows: all, findings, coverage } = sum(l, undefined);
      expect({ rows: all, findings, files: coverage.files }).toEqual(wanted.sum);
      if (findings) seen.exposed++;
      if (rows.groups.some((g) => g.members.some((m) => m.value.startsWith('g')))) seen.nested++;
    }),
    { numRuns: 300 },
  );
  for (const often of Object.values(seen)) expect(often).toBeGreaterThan(8);
}, 240_000);
