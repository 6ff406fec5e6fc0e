import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nodeOfItem, type Organisation } from '../../src/core/access/organisation.ts';
import { reach, reachOf } from '../../src/core/access/reach.ts';
import { alter, type Change } from '../../src/core/access/change.ts';
import { compare } from '../../src/core/access/compare.ts';
import { felt, losersIn, losersOf, whatIf } from '../../src/core/access/difference.ts';
import { can, who, why } from '../../src/core/access/questions.ts';
import { whatOf } from '../../src/core/access/what.ts';
import { identityName, view } from '../../src/core/access/view.ts';
import { AUDIENCES, capabilityNames, EXTERNAL_SHARING, ROLES, TIERS } from '../../src/core/model.ts';
import { dice } from '../../demo/make.ts';
import { build } from './build.ts';
import { largeRows } from './large.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const RUNS = { numRuns: 1500 };

/** Changes of every kind, to things that are mostly there. */
const changes: fc.Arbitrary<Change[]> = fc.array(
  fc.oneof(
    { weight: 3, arbitrary: fc.nat(6).map((n): Change => ({ grant: `gr${n}` })) },
    { weight: 2, arbitrary: fc.nat(3).map((n): Change => ({ link: `ln${n}` })) },
    fc
      .tuple(fc.nat(6), fc.constantFrom(...ROLES), fc.constantFrom(null, '2026-01-01T00:00:00Z'))
      .map(([n, role, expiresAt]): Change => ({ grant: `gr${n}`, set: { role, expiresAt } })),
    fc
      .record(
        {
          audience: fc.constantFrom(...AUDIENCES),
          noCopies: fc.constantFrom(true, null),
          recipients: fc.array(fc.constantFrom({ user: 'u0' }, { user: 'u1' }, { group: 'g0' }), {
            maxLength: 2,
          }),
        },
        { requiredKeys: [] },
      )
      .chain((set) => fc.nat(3).map((n): Change => ({ link: `ln${n}`, set }))),
    fc
      .tuple(fc.nat(3), fc.constantFrom({ active: false }, { expiresAt: '2026-05-01T00:00:00Z' }))
      .map(([n, set]): Change => ({ user: `u${n}`, set })),
    fc
      .tuple(fc.nat(8), fc.constantFrom(true, false, null))
      .map(([n, held]): Change => ({ item: `i${n}`, set: { held } })),
    fc
      .tuple(fc.nat(3), fc.constantFrom('u0', 'u1', 'u2', 'g0', 'g1'))
      .map(([n, value]): Change => ({ member: { group: `g${n}`, value } })),
    fc
      .tuple(
        fc.nat(2),
        fc.record(
          {
            visibility: fc.constantFrom('members' as const, 'organisation' as const, null),
            visibilityRole: fc.constantFrom(...ROLES, null),
            externalSharing: fc.constantFrom(...EXTERNAL_SHARING, null),
            editorsShare: fc.constantFrom(true, false, null),
            archived: fc.constantFrom(true, null),
            binned: fc.constantFrom(true, null, null),
            gate: fc.constantFrom<(string[] | null)[]>(null, ['g0'], ['g1', 'g2']),
          },
          { requiredKeys: [] },
        ),
      )
      .map(([n, set]): Change => ({ space: `s${n}`, set })),
    fc
      .tuple(fc.nat(8), fc.boolean(), fc.constantFrom(null, 'u0', 'u1'))
      .map(([n, inherits, owner]): Change => ({ item: `i${n}`, set: { inherits, owner } })),
    fc
      .constantFrom(...EXTERNAL_SHARING)
      .map((externalSharing): Change => ({ workspace: 'w1', set: { externalSharing } })),
  ),
  { maxLength: 4 },
);

/** The rows as they would be, by a plain reading of what each change says. */
function applied(rows: Rows, list: Change[]): Rows {
  const out = structuredClone(rows);
  const setOn = (found: object | undefined, set: object): void => {
    if (found)
      for (const [k, x] of Object.entries(set))
        if (x === null) delete (found as Record<string, unknown>)[k];
        else if (x !== undefined) (found as Record<string, unknown>)[k] = x;
  };
  for (const c of list) {
    if ('grant' in c && !c.set) out.grants = out.grants.filter((g) => g.id !== c.grant);
    else if ('link' in c && !c.set) out.links = out.links.filter((l) => l.id !== c.link);
    else if ('grant' in c)
      setOn(
        out.grants.find((g) => g.id === c.grant),
        c.set!,
      );
    else if ('link' in c)
      setOn(
        out.links.find((l) => l.id === c.link),
        c.set!,
      );
    else if ('member' in c) {
      const g = out.groups.find((x) => x.id === c.member.group);
      if (g) g.members = g.members.filter((m) => m.value !== c.member.value);
    } else if ('space' in c)
      setOn(
        out.spaces.find((s) => s.id === c.space),
        c.set,
      );
    else if ('item' in c)
      setOn(
        out.items.find((i) => i.id === c.item),
        c.set,
      );
    else if ('user' in c)
      setOn(
        out.users.find((u) => u.id === c.user),
        c.set,
      );
    else
      setOn(
        out.workspaces.find((w) => w.id === c.workspace),
        c.set,
      );
  }
  return out;
}

/** Everything the fast one says of a node, in the form of the plain one. */
function answers(org: Organisation) {
  const v = view(org);
  const columns = reach(v);
  const of = (node: number) => {
    const bits = who(v, node);
    // of one alone the same is said
    bits.forEach((b, i) => expect(can(v, node, i)).toBe(b));
    const held: Record<string, string[]> = {};
    bits.forEach((b, i) => {
      if (b) held[identityName(v, i)] = capabilityNames(b).sort();
    });
    return { ...reachOf(v, columns, node), who: held };
  };
  return {
    v,
    space: (id: string) => of(org.find('space', id)),
    item: (id: string) => of(nodeOfItem(org, org.find('item', id))),
  };
}

describe('access, against a plain second reading of its definition', () => {
  it('agrees on reach and on who, for spaces and items', () => {
    fc.assert(
      fc.property(organisations, (rows) => {
        const plain = plainly(rows);
        const fast = answers(build(rows));
        for (const s of rows.spaces) expect(fast.space(s.id)).toEqual(plain.judge(s));
        for (const i of rows.items)
          expect(fast.item(i.id)).toEqual(
            plain.judge(
              rows.spaces.find((s) => s.id === i.space)!,
              i,
            ),
          );
      }),
      RUNS,
    );
  });

  it('agrees where people are thousands, whose sets are worked on sixteen bytes at a time', () => {
    const rows = largeRows({
      people: 2600,
      groups: 120,
      memberships: 6000,
      spaces: 20,
      items: 300,
      entries: 900,
    });
    const d = dice(3);
    const withdrawn = Array.from({ length: 40 }, () => d.int(rows.grants.length)).map((n): Change => ({
      grant: rows.grants[n]!.id,
    }));
    const left = applied(rows, withdrawn);
    const org = build(rows);
    const [plain, plainAfter, fast] = [plainly(rows), plainly(left), answers(org)];
    const told = whatIf(fast.v, withdrawn);
    // the plain reading is slow
    for (const i of rows.items.slice(0, 60)) {
      const space = rows.spaces.find((s) => s.id === i.space)!;
      const judged = plain.judge(space, i);
      expect(fast.item(i.id)).toEqual(judged);
      const after = plainAfter.judge(space, i).who;
      const node = nodeOfItem(org, org.find('item', i.id));
      const lost = told.groups.filter((g) => g.nodes.includes(node)).flatMap((g) => [...g.identities]);
      expect(lost.map((u) => identityName(fast.v, u)).sort()).toEqual(
        Object.keys(judged.who)
          .filter((name) => JSON.stringify(after[name]) !== JSON.stringify(judged.who[name]))
          .sort(),
      );
    }
  });

  it('does not depend on the order of the rows', () => {
    fc.assert(
      fc.property(organisations, (rows) => {
        const a = answers(build(rows));
        const b = answers(build(rows, (l) => [...l].reverse()));
        for (const i of rows.items) expect(b.item(i.id)).toEqual(a.item(i.id));
      }),
      { numRuns: 300 },
    );
  });

  it('why gives what who gives, and routes account for all of it', () => {
    fc.assert(
      fc.property(organisations, (rows) => {
        const org = build(rows);
        const v = view(org);
        for (let node = 0; node < org.spaces.length + org.itemIds.length; node++) {
          const bits = who(v, node);
          for (let i = 0; i < v.identityCount; i++) {
            const answer = why(v, i, node);
            expect(answer.bits).toBe(bits[i]);
            const routed = answer.routes.reduce((b, r) => b | r.bits, 0);
            expect(routed).toBe(
              answer.bits ||
                answer.withheld
                  .filter((w) => w.by === 'gate' || routed)
                  .reduce((b, w) => b | (w.bits & routed), 0),
            );
          }
        }
      }),
      { numRuns: 300 },
    );
  });

  it('what gives what who gives, for every identity', () => {
    fc.assert(
      fc.property(organisations, (rows) => {
        const org = build(rows);
        const v = view(org);
        const byNode = Array.from({ length: org.spaces.length + org.itemIds.length }, (_, node) =>
          who(v, node),
        );
        const tally = {
          counts: Uint8Array.from({ length: org.itemIds.length }, (_, i) => i % 3),
          files: new Int32Array(v.identityCount),
          heavy: new Int32Array(v.identityCount),
        };
        const columns = reach(v, undefined, undefined, tally);
        v.domainNames.forEach((domain, d) => {
          const bits = whatOf(v, { domain });
          byNode.forEach((held, node) => {
            const some = held.reduce((all, b, i) => (v.identityDomain[i] === d ? all | b : all), 0);
            if (org.domains.includes(domain)) expect(bits[node]! & some).toBe(some);
            else expect(bits[node]).toBe(some);
            expect(reachOf(v, columns, node).now.domains.includes(domain)).toBe(bits[node] !== 0);
          });
        });
        for (let i = 0; i < v.identityCount; i++) {
          const bits = whatOf(v, { identity: i });
          byNode.forEach((held, node) => expect(bits[node]).toBe(held[i]));
          const held = [...bits.subarray(org.spaces.length)].map((b, item) => (b ? tally.counts[item]! : 0));
          expect(tally.files[i]).toBe(held.filter((c) => c > 0).length);
          expect(tally.heavy[i]).toBe(held.filter((c) => c > 1).length);
        }
      }),
      { numRuns: 500 },
    );
  });

  it('a grant more never takes away, and a gate never gives', () => {
    fc.assert(
      fc.property(organisations, organisations, fc.nat(2), (rows, other, at) => {
        const capabilities = (r: Rows) => {
          const fast = answers(build(r));
          return new Map(
            rows.items.flatMap((i) =>
              Object.entries(fast.item(i.id).who).map(([name, held]) => [`${i.id}/${name}`, held] as const),
            ),
          );
        };
        const before = capabilities(rows);
        const onlyUsers = other.grants
          .filter((g) => 'user' in g.to)
          .map((g) => ({ ...g, id: `new-${g.id}` }));
        const more = capabilities({ ...rows, grants: [...rows.grants, ...onlyUsers] });
        for (const [key, held] of before) expect(more.get(key)).toEqual(expect.arrayContaining(held));
        const gated = capabilities({
          ...rows,
          spaces: rows.spaces.map((s, n) => (n === at && !s.gate?.length ? { ...s, gate: ['g0'] } : s)),
        });
        for (const [key, held] of gated) expect(before.get(key)).toEqual(expect.arrayContaining(held));
      }),
      { numRuns: 300 },
    );
  });

  it('knows who loses something where a space lets fewer in and somebody leaves a group, on one link', () => {
    const person = (id: string) => ({
      ...{ id, name: id, active: true, kind: 'member' as const, addresses: [`${id}@own.example`] },
    });
    const v = view(
      build({
        takenAt: Date.parse('2026-06-01T12:00:00Z'),
        own: { name: 'Own', domains: ['own.example'], partnerDomains: [] },
        workspaces: [{ id: 'w', name: 'w', inheritance: 'breakable' }],
        users: [person('u0')],
        groups: [{ id: 'g0', name: 'g0', members: [{ value: 'u0' }] }],
        spaces: [{ id: 's', workspace: 'w', kind: 'site', name: 's' }],
        items: [{ id: 'i', space: 's', kind: 'folder', name: 'i' }],
        grants: [],
        links: [
          {
            id: 'l',
            on: { item: 'i' },
            audience: 'named',
            role: 'reader',
            recipients: [{ group: 'g0' }, { email: 'e@far.test' }],
          },
        ],
      }),
    );
    const list: Change[] = [
      { workspace: 'w', set: { externalSharing: 'off' } },
      { member: { group: 'g0', value: 'u0' } },
    ];
    const losers = losersOf(v, list, reach(v));
    expect(losers).toEqual(losersIn(whatIf(v, list)));
    expect([...losers].map((i) => identityName(v, i)).sort()).toEqual(['e@far.test', 'u0']);
  });

  it('what if is the same as doing it, for every kind of change, and names exactly what differs', () => {
    fc.assert(
      fc.property(organisations, changes, fc.nat(), (rows, some, pick) => {
        // one membership that there is, beside whatever else
        const there = rows.groups.flatMap((g) =>
          g.members.map((m): Change => ({ member: { group: g.id, value: m.value } })),
        );
        const list = there.length ? [...some, there[pick % there.length]!] : some;
        const v = view(build(rows));
        const before = reach(v);
        before.nowTier.forEach((now, node) => expect(before.couldTier[node]).toBeGreaterThanOrEqual(now));
        const difference = whatIf(v, list);
        const really = plainly(applied(rows, list));
        const later = reach(difference.view);
        const told = new Map<string, [number, number]>();
        for (const g of difference.groups)
          for (const node of g.nodes)
            g.identities.forEach((i, k) => {
              expect(g.before[k]).not.toBe(g.after[k]);
              const key = `${node}/${identityName(v, i)}`;
              expect(told.has(key)).toBe(false);
              told.set(key, [g.before[k]!, g.after[k]!]);
            });
        const touched = new Set(difference.touched);
        for (const row of [...rows.spaces, ...rows.items]) {
          const space = 'space' in row ? rows.spaces.find((s) => s.id === row.space)! : row;
          const node =
            'space' in row ? nodeOfItem(v.org, v.org.find('item', row.id)) : v.org.find('space', row.id);
          const changed = applied(rows, list);
          const judged = really.judge(
            changed.spaces.find((s) => s.id === space.id)!,
            changed.items.find((i) => i.id === row.id),
          );
          const { who: held, ...tiers } = judged;
          expect(reachOf(difference.view, later, node)).toEqual(tiers);
          // the reach that goes with the difference is that of the nodes it names
          if (touched.has(node)) expect(reachOf(difference.view, difference.after, node)).toEqual(tiers);
          const was = who(v, node);
          const is = who(difference.view, node);
          is.forEach((bits, i) => {
            const name = identityName(v, i);
            expect(capabilityNames(bits).sort()).toEqual(held[name] ?? []);
            // an outsider whom nothing names any more is not known, and is told of no further
            if (really.identities.has(name))
              expect(told.get(`${node}/${name}`) ?? [was[i], was[i]]).toEqual([was[i], bits]);
          });
        }
        // of a membership alone, asked of the one it opens to
        const member = list[list.length - 1]!;
        if (there.length) {
          const whole = whatIf(v, [member]);
          const told = felt(v, [member], before);
          expect([...told.touched]).toEqual([...whole.touched]);
          expect(new Set(told.losers)).toEqual(losersIn(whole));
        }
        expect(losersOf(v, list, before)).toEqual(losersIn(difference));
        // undoing it is the identity
        expect(reach(alter(v, []).view)).toEqual(before);
      }),
      RUNS,
    );
  });

  it('withdrawing never gives anybody anything', () => {
    fc.assert(
      fc.property(organisations, fc.array(fc.nat(10), { maxLength: 3 }), (rows, picks) => {
        const v = view(build(rows));
        const list = [
          ...rows.grants.map((g) => ({ grant: g.id })),
          ...rows.links.map((l) => ({ link: l.id })),
        ];
        for (const g of whatIf(
          v,
          picks.flatMap((p) => list[p] ?? []),
        ).groups)
          g.identities.forEach((_, k) => expect(g.after[k]! & ~g.before[k]!).toBe(0));
      }),
      { numRuns: 300 },
    );
  });

  it('what changed between two surveys is what the plain reading says, and each has a cause', () => {
    fc.assert(
      fc.property(organisations, changes, (rows, list) => {
        const later = applied(rows, list);
        const judged = (r: Rows) => {
          const v = view(build(r));
          return { view: v, columns: reach(v) };
        };
        const [a, b] = [judged(rows), judged(later)];
        const [p, q] = [plainly(rows), plainly(later)];
        const expected = rows.items.flatMap((i) => {
          const x = p.judge(
            rows.spaces.find((s) => s.id === i.space)!,
            i,
          );
          const y = q.judge(
            later.spaces.find((s) => s.id === i.space)!,
            later.items.find((n) => n.id === i.id),
          );
          const gained = Object.keys(y.who)
            .filter((n) => !x.who[n])
            .sort();
          const lost = Object.keys(x.who)
            .filter((n) => !y.who[n])
            .sort();
          return gained.length || lost.length || x.now.tier !== y.now.tier || x.could.tier !== y.could.tier
            ? [{ id: i.id, gained, lost, tiers: [x.now.tier, x.could.tier, y.now.tier, y.could.tier] }]
            : [];
        });
        const told = compare(a, b);
        expect(
          told.map(({ id, gained, lost, tiers: { before, after } }) => ({
            id,
            gained,
            lost,
            tiers: [before!.now, before!.could, after!.now, after!.could],
          })),
        ).toEqual(expected.sort((m, n) => (m.id < n.id ? -1 : 1)));
        for (const t of told) expect(t.by.length, t.id).toBeGreaterThan(0);
        // as of the latest is the present: nothing changed since
        expect(compare(b, judged({ ...later, items: [...later.items].reverse() }))).toEqual([]);
      }),
      { numRuns: 800 },
    );
  });

  it('agrees on the names of the tiers', () =>
    expect(TIERS).toEqual(
      plainly({
        takenAt: 0,
        own: { name: '', domains: [], partnerDomains: [] },
        workspaces: [],
        users: [],
        groups: [],
        spaces: [],
        items: [],
        grants: [],
        links: [],
      }).TIERS,
    ));
});
