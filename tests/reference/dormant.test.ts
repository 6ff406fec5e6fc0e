/** What is dormant, whom a charter finds otherwise, and who may own what nobody owns, against a plain reading of the rows. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { usageOf, resolveDeeds, type NamedDeed } from '../../src/core/access/usage.ts';
import { view } from '../../src/core/access/view.ts';
import { backTo, NO_CHARTERS, type Charters, type Sensitivity } from '../../src/core/ask/charter.ts';
import { likelyOwners } from '../../src/core/ask/dormant.ts';
import { spaceFacts } from '../../src/core/ask/spaces.ts';
import { AUDIENCES, EXTERNAL_SHARING, type SpaceRow } from '../../src/core/model.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';
import type { Rows } from './plain-access.ts';

const DAY = 86_400_000;
const iso = (ms: number): string => new Date(ms).toISOString();

/** What happened, in days before the survey; undefined: never. */
const ago = fc.option(fc.integer({ min: 0, max: 200 }), { nil: undefined });
interface Story {
  spaces: {
    parts: number[];
    created: number | undefined;
    files: number | undefined;
    chat: number | undefined;
    mail: number | undefined;
    calendar: number | undefined;
    archived: boolean;
    binned: boolean;
    purpose: number;
    kept: number | undefined;
  }[];
  deeds: { item: number; user: number; opened: number | undefined; edited: number | undefined }[];
  /** What events told of. */
  seen: { space: number; source: 'opened' | 'chat'; days: number }[];
}
const stories: fc.Arbitrary<Story> = fc.record({
  spaces: fc.array(
    fc.record({
      parts: fc.array(fc.nat(3), { maxLength: 2 }),
      created: ago,
      files: ago,
      chat: ago,
      mail: ago,
      calendar: ago,
      archived: fc.constantFrom(true, false, false, false),
      binned: fc.constantFrom(true, false, false, false),
      purpose: fc.nat(3),
      kept: fc.option(fc.integer({ min: -50, max: 50 }), { nil: undefined }),
    }),
    { minLength: 4, maxLength: 4 },
  ),
  deeds: fc.array(fc.record({ item: fc.nat(8), user: fc.nat(3), opened: ago, edited: ago }), {
    maxLength: 12,
  }),
  seen: fc.array(
    fc.record({
      space: fc.nat(3),
      source: fc.constantFrom('opened' as const, 'chat' as const),
      days: fc.integer({ min: 0, max: 200 }),
    }),
    { maxLength: 2 },
  ),
});
const LIMITS = [90, 30, 60, 7];

/** The rows with the story told in them. */
function told(rows: Rows, story: Story) {
  const at = (days: number | undefined) => (days === undefined ? undefined : iso(rows.takenAt - days * DAY));
  const spaces = rows.spaces.map((s, n): SpaceRow => {
    const of = story.spaces[n % story.spaces.length]!;
    const plain = { ...s };
    delete plain.createdAt;
    const lastActivity = Object.fromEntries(
      (['files', 'chat', 'mail', 'calendar'] as const).flatMap((k) =>
        of[k] === undefined ? [] : [[k, at(of[k])]],
      ),
    );
    return {
      ...plain,
      parts: of.parts.flatMap((p) => rows.spaces[p]?.id ?? []),
      archived: of.archived,
      binned: of.binned,
      lastActivity,
      ...(of.created !== undefined && { createdAt: at(of.created)! }),
    };
  });
  const deeds = story.deeds.flatMap((d): NamedDeed[] => {
    const [item, user] = [rows.items[d.item % Math.max(1, rows.items.length)], rows.users[d.user]];
    if (!item || !user) return [];
    const ms = (days: number | undefined) => (days === undefined ? null : rows.takenAt - days * DAY);
    return [{ item: item.id, actor: user.id, opened: ms(d.opened), edited: ms(d.edited) }];
  });
  return { rows: { ...rows, spaces }, deeds };
}

/** Everything that is one with a space, read from the rows: each space is part of one that names it. */
function plainly(rows: Rows, deeds: readonly NamedDeed[], story: Story) {
  const parent = new Map<string, string>();
  const top = (id: string): string => (parent.has(id) ? top(parent.get(id)!) : id);
  for (const s of [...rows.spaces].sort((x, y) => (x.id < y.id ? -1 : 1)))
    for (const p of s.parts ?? []) if (top(s.id) !== p && !parent.has(p)) parent.set(p, s.id);
  const whole = (id: string) => rows.spaces.filter((s) => top(s.id) === top(id));
  const known = new Set(rows.users.map((p) => p.id));
  return (n: number) => {
    const space = rows.spaces[n]!;
    const moments: number[] = [];
    for (const s of whole(space.id)) {
      for (const t of Object.values(s.lastActivity ?? {})) if (t) moments.push(Date.parse(t));
      for (const e of story.seen)
        if (rows.spaces[e.space]?.id === s.id) moments.push(rows.takenAt - e.days * DAY);
      for (const i of rows.items.filter((x) => x.space === s.id)) {
        if (i.modifiedAt) moments.push(Date.parse(i.modifiedAt));
        for (const d of deeds)
          if (d.item === i.id && known.has(d.actor))
            moments.push(...[d.opened, d.edited].filter((t) => t !== null));
      }
    }
    if (!moments.length && space.createdAt) moments.push(Date.parse(space.createdAt));
    const idle = moments.length ? Math.floor((rows.takenAt - Math.max(...moments)) / DAY) : -1;
    const of = story.spaces[n % story.spaces.length]!;
    const limit = LIMITS[of.purpose]!;
    const kept = of.kept !== undefined && of.kept > 0;
    return {
      idle,
      dormant:
        !space.archived && !space.binned && !parent.has(space.id) && !kept && (idle < 0 || idle >= limit),
    };
  };
}

it('finds what is dormant as a plain reading does, teams with their parts', () => {
  fc.assert(
    fc.property(organisations, stories, (given, story) => {
      const { rows, deeds } = told(given, story);
      const org = build(rows);
      const v = view(org);
      const charters: Charters = {
        ...NO_CHARTERS,
        purposes: new Map(
          LIMITS.map((dormantDays, n) => [`p${n}`, { id: `p${n}`, name: '', description: '', dormantDays }]),
        ),
        of: new Map(
          rows.spaces.map((s, n) => [
            s.id,
            { purpose: `p${story.spaces[n % story.spaces.length]!.purpose}`, sensitivity: '' },
          ]),
        ),
        kept: new Map(
          rows.spaces.flatMap((s, n) => {
            const { kept } = story.spaces[n % story.spaces.length]!;
            return kept === undefined ? [] : [[s.id, rows.takenAt + kept * DAY] as const];
          }),
        ),
      };
      const facts = spaceFacts({
        view: v,
        usage: () => usageOf(org, resolveDeeds(v, deeds)),
        modified: () =>
          Float64Array.from({ length: org.itemIds.length }, (_, i) =>
            Date.parse(rows.items.find((x) => x.id === org.itemIds.at(i))?.modifiedAt ?? ''),
          ),
        seen: () =>
          story.seen.flatMap(({ space, source, days }) => {
            const row = rows.spaces[space];
            return row ? { space: org.find('space', row.id), source, at: rows.takenAt - days * DAY } : [];
          }),
        charters: () => charters,
        group: () => undefined,
      });
      const plain = plainly(rows, deeds, story);
      for (const [n, s] of rows.spaces.entries()) {
        const found = org.find('space', s.id);
        expect({ idle: facts.idleDays(found), dormant: facts.dormant(found) }).toEqual(plain(n));
      }
    }),
    { numRuns: 400 },
  );
});

const maybe = <T>(of: fc.Arbitrary<T>) => fc.option(of, { nil: undefined });
const settings = fc.record({
  visibility: maybe(fc.constantFrom('members' as const, 'organisation' as const)),
  externalSharing: maybe(fc.constantFrom(...EXTERNAL_SHARING)),
  defaultAudience: maybe(fc.constantFrom(...AUDIENCES)),
  editorsShare: maybe(fc.boolean()),
  dim: maybe(fc.boolean()),
  gate: maybe(fc.array(fc.constantFrom('g0', 'g1'), { maxLength: 2 })),
});

it('sets a space back to its charter and nothing else, after which nothing differs', () => {
  fc.assert(
    fc.property(settings, settings, (is, wanted) => {
      const row = { id: 's', workspace: 'w', kind: 'site', name: 's', label: 'kept', ...is } as SpaceRow;
      const set = backTo(row, wanted);
      const after = Object.fromEntries(
        Object.entries({ ...row, ...set }).filter(([, v]) => v !== null),
      ) as unknown as SpaceRow;
      expect(backTo(after, wanted)).toEqual({});
      // what the charter says nothing of stays
      for (const name of Object.keys(set))
        expect(wanted[name as keyof Sensitivity['settings']]).toBeDefined();
      expect(after.label).toBe('kept');
      for (const [name, value] of Object.entries(wanted))
        if (value !== undefined && !(Array.isArray(value) && !value.length)) {
          const usual: Record<string, unknown> = {
            visibility: 'members',
            externalSharing: 'anyone',
            defaultAudience: 'named',
            editorsShare: true,
            dim: false,
          };
          expect((after as unknown as Record<string, unknown>)[name] ?? usual[name]).toEqual(value);
        }
    }),
  );
});

it('names active members alone as likely owners, whoever wrote most before whoever only opened', () => {
  fc.assert(
    fc.property(
      organisations,
      fc.array(fc.tuple(fc.nat(6), fc.integer({ min: 1, max: 9 }), fc.nat(9)), { maxLength: 6 }),
      (rows, counts) => {
        const v = view(build(rows));
        const deeds = new Map(counts.map(([u, n, w]) => [u, n + w]));
        const wrote = new Map(
          counts.flatMap(([u, , w]) => (w && deeds.get(u)! >= w ? [[u, w] as const] : [])),
        );
        const facts = { deeds, wrote, manages: [], lastManagers: new Map<number, string>() };
        const found = likelyOwners(v, facts);
        // whom somebody has named comes first, where they are active and of the organisation
        for (const [u, row] of v.org.users.entries()) {
          const [first] = likelyOwners(v, { ...facts, wish: { user: u, by: 'Ola' } });
          if (row.active && row.kind === 'member')
            expect(first).toMatchObject({
              user: u,
              why: expect.stringContaining('Ola has named them') as string,
            });
          else expect(first?.user).toBe(found[0]?.user);
        }
        for (const { user } of found) {
          expect(v.org.users[user]).toMatchObject({ active: true, kind: 'member' });
          expect(deeds.has(user)).toBe(true);
        }
        const writers = [...wrote]
          .filter(([u]) => v.org.users[u]?.active && v.org.users[u].kind === 'member')
          .sort(([, a], [, b]) => b - a);
        // with writers alone their order is that of how much they wrote
        if (wrote.size === deeds.size && writers.length)
          expect(wrote.get(found[0]!.user)).toBe(writers[0]![1]);
      },
    ),
  );
});
