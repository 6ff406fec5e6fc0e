import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nodeOfItem, OrganisationBuilder, type Organisation } from '../../src/core/access/organisation.ts';
import { reach, reachOf } from '../../src/core/access/reach.ts';
import { what, who, why, whatIfWithdrawn, withoutEntries } from '../../src/core/access/questions.ts';
import { identityName, view } from '../../src/core/access/view.ts';
import { capabilityNames, TIERS } from '../../src/core/model.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

export function build(rows: Rows, shuffle: <T>(list: T[]) => T[] = (l) => l): Organisation {
  const b = new OrganisationBuilder(rows.own, rows.takenAt);
  shuffle(rows.workspaces).forEach((r) => b.workspace(r));
  shuffle(rows.links).forEach((r) => b.link(r));
  shuffle(rows.grants).forEach((r) => b.grant(r));
  shuffle(rows.items).forEach((r) => b.item(r));
  shuffle(rows.users).forEach((r) => b.person(r));
  shuffle(rows.groups).forEach((r) => b.group(r));
  shuffle(rows.spaces).forEach((r) => b.space(r));
  return b.build();
}

const RUNS = { numRuns: 1500 };

/** Everything the fast one says of a node, in the form of the plain one. */
function answers(org: Organisation) {
  const v = view(org);
  const columns = reach(v);
  const of = (node: number) => {
    const bits = who(v, node);
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
        for (let i = 0; i < v.identityCount; i++) {
          const { nodes, bits } = what(v, i);
          expect([...nodes].sort((a, b) => a - b)).toEqual(
            byNode.flatMap((held, node) => (held[i] ? node : [])),
          );
          byNode.forEach((held, node) => expect(bits[node]).toBe(held[i]));
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

  it('could is never narrower than now; withdrawing never adds; what-if is the same as doing it', () => {
    fc.assert(
      fc.property(organisations, fc.array(fc.nat(10), { maxLength: 3 }), (rows, picks) => {
        const org = build(rows);
        const v = view(org);
        const before = reach(v);
        before.nowTier.forEach((now, node) => expect(before.couldTier[node]).toBeGreaterThanOrEqual(now));
        const entries = [
          ...new Set(picks.filter((p) => p < org.entries.ids.length && org.entries.node[p]! >= 0)),
        ];
        const difference = whatIfWithdrawn(v, entries);
        const gone = new Set(entries.map((e) => org.entries.ids[e]!));
        const really = view(
          build({
            ...rows,
            grants: rows.grants.filter((g) => !gone.has(g.id)),
            links: rows.links.filter((l) => !gone.has(l.id)),
          }),
        );
        const told = new Map<string, [number, number]>();
        for (const g of difference.groups)
          for (const node of g.nodes)
            for (const c of g.changes)
              told.set(`${node}/${identityName(v, c.identity)}`, [c.before, c.after]);
        for (const rowsOf of [rows.spaces, rows.items])
          for (const { id } of rowsOf) {
            const nodeIn = (o: Organisation) =>
              rowsOf === rows.spaces ? o.find('space', id) : nodeOfItem(o, o.find('item', id));
            const node = nodeIn(org);
            const was = who(v, node);
            const is = who(really, nodeIn(really.org));
            const later = new Map<string, number>();
            is.forEach((b, i) => later.set(identityName(really, i), b));
            was.forEach((b, i) => {
              const name = identityName(v, i);
              // an outsider who was known by a withdrawn entry alone is not known afterwards
              const after = later.get(name);
              if (after === undefined) return;
              expect(after & ~b).toBe(0);
              expect(told.get(`${node}/${name}`) ?? [b, b]).toEqual([b, after]);
            });
          }
        // putting nothing away changes nothing
        expect(reach(withoutEntries(v, []))).toEqual(before);
      }),
      { numRuns: 500 },
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
