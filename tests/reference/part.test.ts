import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { heldWithin, type Held } from '../../src/core/access/held.ts';
import { partOf, spacesOf } from '../../src/core/access/part.ts';
import { who } from '../../src/core/access/questions.ts';
import { reach, REACH_COLUMNS } from '../../src/core/access/reach.ts';
import { identityName, view } from '../../src/core/access/view.ts';
import { lesserRole } from '../../src/core/roles.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';

const cases = fc.tuple(organisations, fc.array(fc.boolean(), { minLength: 3, maxLength: 3 }));

describe('a part of an organisation', () => {
  it('has for all that lies in it the reach and the access that the whole has (random organisations)', () => {
    let nodes = 0;
    fc.assert(
      fc.property(cases, ([rows, wanted]) => {
        const v = view(build(rows));
        const whole = reach(v);
        const keep = Uint8Array.from(v.org.spaces, (_, s) => (wanted[s] ? 1 : 0));
        const part = partOf(v, keep);
        const p = view(part.org);
        const columns = reach(p);
        const S = part.spaces.length;
        expect(p.memberCount).toBe(v.memberCount);
        const everywhere = [...part.spaces, ...Array.from(part.items, (i) => v.org.spaces.length + i)];
        everywhere.forEach((node, n) => {
          nodes++;
          // classes have numbers of their own in each
          for (const column of REACH_COLUMNS.filter((c) => c !== 'accessClass'))
            expect([column, columns[column][n]]).toEqual([column, whole[column][node]]);
          const [here, there] = [who(p, n), who(v, node)];
          const named = (bits: Uint8Array, of: typeof v, test: (i: number) => boolean) =>
            [...bits.keys()].filter((i) => bits[i] && test(i)).map((i) => [identityName(of, i), bits[i]]);
          const shown = new Set(p.org.users.filter((_, u) => !p.org.hidden!.user[u]).map((u) => u.id));
          for (const a of p.outsiders) if (!a.endsWith('elsewhere.invalid')) shown.add(a);
          // whoever is told by name has what they have; of the others the whole knows the same number
          expect(named(here, p, (i) => shown.has(identityName(p, i)))).toEqual(
            named(there, v, (i) => shown.has(identityName(v, i))),
          );
          expect(here.filter(Boolean)).toHaveLength(there.filter(Boolean).length);
        });
        for (let n = 0; n < S; n++) expect(p.org.spaces[n]!.id).toBe(v.org.spaces[part.spaces[n]!]!.id);
      }),
      { numRuns: 400 },
    );
    expect(nodes).toBeGreaterThan(1000);
  });

  it('names nobody and nothing that is not in it, lets nobody else be found, and goes up and down as the whole', () => {
    let hidden = 0;
    fc.assert(
      fc.property(cases, ([rows, wanted]) => {
        const v = view(build(rows));
        const { org } = v;
        const keep = Uint8Array.from(org.spaces, (_, s) => (wanted[s] ? 1 : 0));
        const { org: part, items, entries } = partOf(v, keep);
        const here = new Set(rows.items.filter((i) => keep[org.find('space', i.space)]).map((i) => i.id));
        expect(Array.from({ length: part.itemIds.length }, (_, i) => part.itemIds.at(i)).sort()).toEqual(
          [...here].sort(),
        );
        for (const { id, space } of rows.items)
          expect(part.find('item', id) >= 0).toBe(Boolean(keep[org.find('space', space)]));
        const reached = new Set<string>();
        for (const i of here)
          who(v, org.spaces.length + org.find('item', i)).forEach(
            (bits, identity) => bits && reached.add(identityName(v, identity)),
          );
        // a grant to anybody at all lets everybody in, and names nobody
        const anybody = [...rows.grants, ...rows.links].some((e) => 'to' in e && 'anyone' in e.to);
        const text = JSON.stringify([part.users, part.groups, part.addresses, part.spaces, part.own.name]);
        for (const u of rows.users) {
          if (part.find('user', u.id) >= 0) {
            expect(text).toContain(`"${u.addresses[0]}"`);
            continue;
          }
          hidden++;
          if (!anybody) expect(reached).not.toContain(u.id);
          expect(text).not.toContain(`"${u.id}"`);
          for (const a of u.addresses) expect(text).not.toContain(a);
        }
        for (const g of rows.groups)
          if (part.find('group', g.id) < 0) expect(text).not.toContain(`"${g.id}"`);
        items.forEach((old, i) => {
          expect(part.itemIds.at(i)).toBe(org.itemIds.at(old));
          const [up, was] = [part.itemParent[i]!, org.itemParent[old]!];
          expect(up < 0 ? null : part.itemIds.at(up)).toBe(was < 0 ? null : org.itemIds.at(was));
          expect(part.itemEnd[i]! - i).toBe(org.itemEnd[old]! - old);
        });
        entries.forEach((old, e) => expect(part.entries.ids.at(e)).toBe(org.entries.ids.at(old)));
      }),
      { numRuns: 400 },
    );
    expect(hidden).toBeGreaterThan(300);
  });

  it('is what is in every one of several: of workspaces, of owners’ departments, of spaces by name', () => {
    const rows = {
      takenAt: 0,
      own: { name: 'Own', domains: ['own.example'], partnerDomains: [] },
      workspaces: [{ id: 'x:w', name: 'w', inheritance: 'additive' as const }],
      users: [
        { id: 'a', name: 'a', addresses: [], active: true, kind: 'member' as const, department: 'Finance' },
      ],
      groups: [],
      spaces: ['x:1', 'x:2', 'y:1'].map((id) => ({
        id,
        workspace: 'x:w',
        kind: 'site' as const,
        name: id,
        ...(id === 'x:2' && { owners: ['a'] }),
      })),
      items: [],
      grants: [],
      links: [],
    };
    const org = build(rows);
    const held = (part: Partial<Held>): Held => ({ workspaces: [], departments: [], spaces: [], ...part });
    const of = (...parts: Partial<Held>[]) =>
      org.spaces.filter((_, s) => spacesOf(org, parts.map(held))[s]).map((s) => s.id);
    expect(of()).toEqual(['x:1', 'x:2', 'y:1']);
    expect(of({ workspaces: ['x'] })).toEqual(['x:1', 'x:2']);
    expect(of({ departments: ['Finance'] })).toEqual(['x:2']);
    expect(of({ departments: ['Finance'], spaces: ['y:1'] })).toEqual(['x:2', 'y:1']);
    expect(of({ workspaces: ['x'] }, { departments: ['Finance'], spaces: ['y:1'] })).toEqual(['x:2']);
    expect(of({})).toEqual([]);
    // what is named within is seen to be within
    expect(heldWithin(held({ spaces: ['x:1'] }), [held({ workspaces: ['x'] })])).toBe(true);
    expect(heldWithin(held({ spaces: ['y:1'] }), [held({ workspaces: ['x'] })])).toBe(false);
    expect(heldWithin(held({ departments: ['Finance'] }), [held({ workspaces: ['x'] })])).toBe(false);
    expect(lesserRole('steward', 'auditor')).toBe('auditor');
  });
});
