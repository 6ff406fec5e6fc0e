/**
 * Policies against a plain reading of docs/policies.md: loops over rows, node's own HMAC, and nothing of src/core/guard or
 * src/core/access.
 */
import { NO_CHARTERS } from '../../src/core/ask/charter.ts';
import { spaceFacts } from '../../src/core/ask/spaces.ts';
import { usageOf } from '../../src/core/access/usage.ts';
import { createHmac } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { reach } from '../../src/core/access/reach.ts';
import { view } from '../../src/core/access/view.ts';
import { holdsIn, type Holding } from '../../src/core/filter/holds.ts';
import { ruleTest, shareOf, subjectId, subjectsOf } from '../../src/core/guard/judge.ts';
import { readPolicy } from '../../src/core/guard/policy.ts';
import { SUBJECT_NAMES, type Subject } from '../../src/core/guard/kinds.ts';
import type { Policy } from '../../src/core/guard/schema.ts';
import { subjectGetters } from '../../src/core/guard/subjects.ts';
import { PARTS, type GrantRow, type LinkRow, type Part, type PersonRow } from '../../src/core/model.ts';
import { levelsOf, PartsCount, type InParts } from '../../src/core/recognise/types.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const UNITS = ['Finance', 'Crewing'];
const LABELS = ['confidential', 'internal'];
const TYPES = { from: (t: string) => (t === 'iban' ? 55 : undefined), pack: () => undefined };

/** The same organisations with departments, labels, owners and regions. */
const owned: fc.Arbitrary<Rows> = organisations.chain((rows) => {
  const user = fc.constantFrom(...rows.users.map((u) => u.id), 'nobody');
  const some = <T>(a: fc.Arbitrary<T>) => fc.option(a, { nil: undefined, freq: 2 });
  const all = <T, R>(list: readonly T[], extra: fc.Arbitrary<R>): fc.Arbitrary<(T & R)[]> =>
    fc.tuple(...list.map(() => extra)).map((made) => list.map((row, n) => clean({ ...row, ...made[n]! })));
  return fc
    .tuple(
      all(rows.users, fc.record({ department: some(fc.constantFrom(...UNITS)) })),
      all(
        rows.spaces,
        fc.record({
          owners: some(fc.array(user, { maxLength: 2 })),
          label: some(fc.constantFrom(...LABELS)),
          region: some(fc.constantFrom('NO', 'NL')),
          kind: fc.constantFrom('site' as const, 'team' as const),
        }),
      ),
      all(rows.items, fc.record({ label: some(fc.constantFrom(...LABELS)) })),
      // grants to a group of several are rare otherwise
      fc.boolean(),
    )
    .map(([users, spaces, items, toAll]) => {
      const [first, ...rest] = rows.groups;
      return toAll
        ? {
            ...rows,
            users,
            spaces,
            items,
            groups: [{ ...first!, members: rows.users.map((u) => ({ value: u.id })) }, ...rest],
            grants: [
              ...rows.grants,
              { id: 'all', on: { item: 'i0' }, to: { group: first!.id }, role: 'reader' as const },
            ],
          }
        : { ...rows, users, spaces, items };
    });
});
const clean = <T extends object>(o: T): T => JSON.parse(JSON.stringify(o)) as T;

/** Apps have no rows here: tests/reference/apps.test.ts asks about them. */
type Asked = Exclude<Subject, 'app' | 'appGrant'>;
const ASKED = SUBJECT_NAMES.filter((s): s is Asked => s !== 'app' && s !== 'appGrant');

const names = (...of: string[]) => fc.option(fc.subarray(of, { minLength: 1 }), { nil: undefined, freq: 3 });
const side = fc.record({
  units: names(...UNITS),
  groups: names('g0', 'g1', 'g2'),
  people: names('u0', 'u1', 'u2@own.example'),
  workspaces: names('w0', 'w1'),
  spaces: names('s0', 's1'),
  spaceKinds: names('site', 'team'),
  labels: names(...LABELS),
  regions: names('NO', 'NL'),
});
const maybe = <T>(a: fc.Arbitrary<T>) => fc.option(a, { nil: undefined, freq: 2 });
const scopes = fc.record({
  of: maybe(fc.constantFrom('owner', 'space')),
  // few keys at a time: else hardly anything fits
  include: maybe(
    fc.tuple(
      side,
      fc.subarray(['units', 'groups', 'people', 'spaces', 'labels', 'regions', 'workspaces', 'spaceKinds'], {
        maxLength: 2,
      }),
    ),
  ),
  exclude: maybe(
    fc.tuple(
      side,
      fc.subarray(['units', 'groups', 'people', 'spaces', 'labels', 'regions', 'workspaces', 'spaceKinds'], {
        maxLength: 2,
      }),
    ),
  ),
  pilot: maybe(
    fc.record({
      share: fc.double({ min: 0.05, max: 1, noNaN: true }),
      salt: fc.string({ minLength: 1, maxLength: 4 }).filter((s) => s.trim() === s && s !== ''),
    }),
  ),
});
type Side = Record<string, string[] | undefined>;
const policies = fc
  .record({ scope: scopes, subject: fc.constantFrom(...ASKED) })
  .map(({ scope, subject }) => {
    const part = (of: typeof scope.include): Side | undefined =>
      of && Object.fromEntries(of[1].map((k) => [k, (of[0] as Side)[k]]));
    return clean({
      format: 'gate-lantern-policy',
      version: 1,
      name: 'any',
      scope: { ...scope, include: part(scope.include), exclude: part(scope.exclude) },
      rules: [
        {
          id: 'r',
          name: 'r',
          subject,
          atRest: true,
          if: 'true',
          mode: 'observe',
          severity: 'low',
          responses: [],
        },
      ],
    }) as unknown as Policy;
  });

/** Ids of the subjects of a kind that are in scope, by reading the rows. */

function inScopePlainly(rows: Rows, { scope = {} }: Policy, subject: Asked): string[] {
  const user = (id: string): PersonRow | undefined => rows.users.find((u) => u.id === id);
  const groupsOf = (id: string): string[] => {
    const held = rows.groups.filter((g) => g.members.some((m) => m.value === id)).map((g) => g.id);
    const all = new Set(held);
    for (const g of all)
      for (const up of rows.groups) if (up.members.some((m) => m.value === g)) all.add(up.id);
    return [...all];
  };
  interface Thing {
    id: string;
    people: string[];
    groups: string[];
    space?: string;
    labels: (string | undefined)[];
  }
  const spaceRow = (id: string) => rows.spaces.find((s) => s.id === id)!;
  const ofSpace = (id: string): Omit<Thing, 'id'> => {
    const people = spaceRow(id).owners ?? [];
    return { people, groups: people.flatMap(groupsOf), space: id, labels: [spaceRow(id).label] };
  };
  const ofItem = (id: string): Omit<Thing, 'id'> => {
    const item = rows.items.find((i) => i.id === id)!;
    const space = ofSpace(item.space);
    const people = scope.of !== 'space' && item.owner ? [item.owner] : space.people;
    return { ...space, people, groups: people.flatMap(groupsOf), labels: [item.label, ...space.labels] };
  };
  const heldItems = new Set<string>();
  for (let again = true; again;) {
    again = false;
    for (const i of rows.items)
      if (!heldItems.has(i.id) && (i.held || (i.parent && heldItems.has(i.parent))))
        again = Boolean(heldItems.add(i.id));
  }
  const inForce = (e: GrantRow | LinkRow): boolean =>
    !(e.expiresAt && Date.parse(e.expiresAt) <= rows.takenAt) &&
    !('item' in e.on && heldItems.has(e.on.item));
  const entry = (e: GrantRow | LinkRow): Thing => ({
    id: e.id,
    ...('item' in e.on ? ofItem(e.on.item) : ofSpace(e.on.space)),
  });
  const things: Record<Asked, () => Thing[]> = {
    item: () => rows.items.map((i) => ({ id: i.id, ...ofItem(i.id) })),
    space: () => rows.spaces.map((s) => ({ id: s.id, ...ofSpace(s.id) })),
    grant: () => rows.grants.filter(inForce).map(entry),
    link: () => rows.links.filter(inForce).map(entry),
    identity: () => rows.users.map((u) => ({ id: u.id, people: [u.id], groups: groupsOf(u.id), labels: [] })),
    group: () =>
      rows.groups.map((g) => ({ id: g.id, people: [], groups: [g.id, ...groupsOf(g.id)], labels: [] })),
  };
  const values = (t: Thing): Record<string, (string | undefined)[]> => ({
    units: t.people.map((p) => user(p)?.department),
    groups: t.groups,
    people: t.people.flatMap((p) => [p, ...(user(p)?.addresses ?? [])]),
    workspaces: t.space ? [spaceRow(t.space).workspace] : [],
    spaces: t.space ? [t.space] : [],
    spaceKinds: t.space ? [spaceRow(t.space).kind] : [],
    labels: t.labels,
    regions: t.space ? [spaceRow(t.space).region] : [],
  });
  const { include = {}, exclude = {}, pilot } = scope;
  const fits = (t: Thing, [key, wanted]: [string, readonly string[] | undefined]): boolean =>
    values(t)[key]!.some((v) => v !== undefined && wanted!.includes(v));
  const keys = (of: object) =>
    (Object.entries(of) as [string, string[]][]).filter(([, list]) => list?.length);
  const inPilot = (id: string): boolean => {
    if (!pilot || !('share' in pilot)) return true;
    const digest = createHmac('sha256', pilot.salt).update(id).digest();
    // the whole of it, as a fraction with 256 binary places
    return digest.reduce((sum, byte, n) => sum + byte / 256 ** (n + 1), 0) < pilot.share;
  };
  return things[subject]()
    .filter((t) => keys(include).every((k) => fits(t, k)) && !keys(exclude).some((k) => fits(t, k)))
    .filter((t) => !pilot || t.people.some(inPilot))
    .map((t) => t.id)
    .sort();
}

/** Whether somebody is in a group, nesting followed. */
function reaches(rows: Rows, group: string, user: string, seen = new Set<string>()): boolean {
  if (seen.has(group)) return false;
  seen.add(group);
  return (rows.groups.find((g) => g.id === group)?.members ?? []).some(
    (m) => m.value === user || reaches(rows, m.value, user, seen),
  );
}

/** The subjects of an organisation, and those of them that are in a scope and of which a condition holds; by id. */
function judging(rows: Rows) {
  const org = build(rows);
  const v = view(org);
  const label = (i: number) => rows.items.find((r) => r.id === org.itemIds.at(i))!.label;
  const none = { files: new Int32Array(v.identityCount), heavy: new Int32Array(v.identityCount) };
  const getters = subjectGetters({
    view: v,
    columns: reach(v),
    items: {
      name: (i) => org.itemIds.at(i),
      label,
      mime: () => undefined,
      isFile: new Uint8Array(org.itemIds.length),
    },
    weight: () => 0,
    exposures: [],
    types: () => [],
    holds: () => false,
    modified: () => NaN,
    sizeBytes: () => 0,
    tally: () => none,
    lastDeeds: () => new Float64Array(0),
    appList: () => [],
    letIn: () => [],
    approval: () => undefined,
    apps: () => 0,
    spaces: spaceFacts({
      view: v,
      usage: () => usageOf(org, []),
      modified: () => new Float64Array(org.itemIds.length),
      charters: () => NO_CHARTERS,
      group: () => undefined,
    }),
    entry: { madeBy: () => -1, password: () => false, lastUsed: () => NaN },
  });
  const hits = (subject: Asked, condition: string, scope?: Policy['scope']) => {
    const rule = {
      ...{ id: 'r', name: 'r', subject, if: condition },
      ...{ mode: 'observe' as const, severity: 'low' as const, responses: [] },
    };
    const test = ruleTest(scope ? { scope } : {}, rule, { view: v, label }, getters, 1e6);
    const subjects = [...subjectsOf({ view: v }, subject)];
    const ids = (of: readonly number[]) => of.map((n) => subjectId({ view: v }, subject, n)).sort();
    return { all: ids(subjects), found: ids(subjects.filter(test)) };
  };
  return { hits };
}

describe('policies', () => {
  it('have in scope what a plain reading of the rows has', () => {
    const met = new Set<string>();
    fc.assert(
      fc.property(owned, policies, (rows, given) => {
        const { policy, wrong } = readPolicy(given, TYPES);
        expect(wrong).toEqual([]);
        const [rule] = policy!.rules;
        const subject = rule!.subject as Asked;
        const known = new Set([...rows.users, ...rows.groups].map((r) => r.id));
        const found = judging(rows)
          .hits(subject, 'true', policy!.scope)
          // people and groups that rows only mention are not among the rows
          .found.filter((id) => !['identity', 'group'].includes(rule!.subject) || known.has(id));
        expect(found).toEqual(inScopePlainly(rows, policy!, subject));
        met.add(`${rule!.subject} ${found.length ? 'some' : 'none'}`);
      }),
      { numRuns: 600 },
    );
    for (const s of ASKED) for (const n of ['some', 'none']) expect(met).toContain(`${s} ${n}`);
  });

  it('ask of grants, links, people, groups and spaces what plain loops over the rows say', () => {
    const met = new Map<string, number>();
    fc.assert(
      fc.property(owned, (rows) => {
        const { hits } = judging(rows);
        const plain = plainly(rows);
        const kindOf = (name: string) => plain.identities.get(name)!.kind;
        const domainAt = (name: string) => plain.identities.get(name)!.domain;
        const under = (d: string, list: readonly string[]) =>
          list.some((x) => d === x || d.endsWith(`.${x}`));
        const own = (d: string) => under(d, rows.own.domains);
        const partner = (d: string) => under(d, rows.own.partnerDomains);
        /** Domains of whom it is for by name, other than ours; undefined where it is for anyone at all. */
        const outside = (e: GrantRow | LinkRow): string[] | undefined => {
          if ('audience' in e ? e.audience === 'anyone' : 'anyone' in e.to) return undefined;
          const to = 'to' in e ? [e.to] : (e.recipients ?? []);
          return to.flatMap((p) =>
            'domain' in p
              ? own(p.domain.toLowerCase())
                ? []
                : [p.domain.toLowerCase()]
              : 'everyone' in p
                ? []
                : plain
                    .whoIs(p)
                    .filter((n) => kindOf(n) !== 'member')
                    .map(domainAt),
          );
        };
        const group = (g: { id: string }) => plain.whoIs({ group: g.id });
        const members = [...plain.identities.values()].filter((i) => i.kind === 'member').length;
        const activeOwners = (s: { owners?: string[] }) =>
          (s.owners ?? []).filter((o) => plain.identities.get(o)?.kind === 'member').length;
        const groupsOf = (id: string) =>
          rows.groups.filter((g) => reaches(rows, g.id, id)).map((g) => g.name);
        const asked: [Asked, string, (id: string) => boolean][] = [];
        const ask = <T extends { id: string }>(
          subject: Asked,
          list: readonly T[],
          condition: string,
          holds: (row: T) => boolean,
        ) => asked.push([subject, condition, (id) => holds(list.find((r) => r.id === id)!)]);
        for (const [subject, list] of [
          ['grant', rows.grants],
          ['link', rows.links],
        ] as const) {
          ask<GrantRow | LinkRow>(subject, list, 'external', (e) => outside(e)?.length !== 0);
          ask<GrantRow | LinkRow>(subject, list, 'ofPartner', (e) => {
            const domains = outside(e);
            return Boolean(domains?.length && domains.every(partner));
          });
          ask<GrantRow | LinkRow>(subject, list, 'ends && expires > taken', (e) => e.expiresAt !== undefined);
          ask<GrantRow | LinkRow>(subject, list, 'role == "reader" || role == "editor"', (e) =>
            ['reader', 'editor'].includes(e.role),
          );
          ask<GrantRow | LinkRow>(subject, list, 'on == "space"', (e) => 'space' in e.on);
        }
        ask(
          'grant',
          rows.grants,
          'kind == "group" && size > 1',
          (g) => 'group' in g.to && plain.whoIs(g.to).length > 1,
        );
        ask(
          'grant',
          rows.grants,
          'kind == "guest" || kind == "outsider"',
          (g) => ('user' in g.to || 'email' in g.to) && plain.whoIs(g.to).some((n) => kindOf(n) !== 'member'),
        );
        ask(
          'link',
          rows.links,
          'audience == "anyone" && noCopies',
          (l) => l.audience === 'anyone' && l.noCopies === true,
        );
        ask('group', rows.groups, 'external > 0', (g) => group(g).some((n) => kindOf(n) !== 'member'));
        ask(
          'group',
          rows.groups,
          'members >= 2',
          (g) => group(g).filter((n) => kindOf(n) === 'member').length >= 2,
        );
        ask(
          'group',
          rows.groups,
          'share >= 50',
          (g) =>
            Math.round(
              (100 * group(g).filter((n) => kindOf(n) === 'member').length) / Math.max(1, members),
            ) >= 50,
        );
        ask('space', rows.spaces, 'activeOwners < 1', (s) => activeOwners(s) < 1);
        ask('space', rows.spaces, 'gated', (s) => (s.gate?.length ?? 0) > 0);
        ask('space', rows.spaces, 'external > 0', (s) => {
          const { who } = plain.judge(s);
          return Object.keys(who).some((n) => kindOf(n) !== 'member');
        });
        ask('identity', rows.users, '"g0" in groups', (u) => groupsOf(u.id).includes('g0'));
        ask(
          'identity',
          rows.users,
          'active && kind == "guest"',
          (u) => plain.identities.get(u.id)?.kind === 'guest',
        );
        ask('identity', rows.users, 'ofPartner', (u) => {
          const i = plain.identities.get(u.id);
          return i !== undefined && i.kind !== 'member' && partner(i.domain);
        });
        for (const [subject, condition, holds] of asked) {
          const { all, found } = hits(subject, condition);
          const known = new Set(
            {
              grant: rows.grants,
              link: rows.links,
              group: rows.groups,
              space: rows.spaces,
              identity: rows.users,
              item: rows.items,
            }[subject].map((r: { id: string }) => r.id),
          );
          const wanted = all.filter((id) => known.has(id) && holds(id));
          expect([subject, condition, found.filter((id) => known.has(id))]).toEqual([
            subject,
            condition,
            wanted,
          ]);
          met.set(condition, (met.get(condition) ?? 0) + wanted.length);
        }
      }),
      { numRuns: 300 },
    );
    // each condition held of something
    expect([...met].filter(([, n]) => n === 0)).toEqual([]);
  });

  it('keep the same people in a pilot as its share grows, by HMAC-SHA-256 (RFC 4231, test case 2)', () => {
    // key "Jefe", data "what do ya want for nothing?": 5bdcc146bf60…
    expect(shareOf('Jefe', 'what do ya want for nothing?')).toBe(0x5bdcc146bf60 / 2 ** 48);
    const people = Array.from({ length: 2000 }, (_, i) => shareOf('salt', `u${i}`));
    // a share of 0.3 of 2,000: 600, within four standard deviations of a fair draw
    expect(Math.abs(people.filter((p) => p < 0.3).length - 600)).toBeLessThan(
      4 * Math.sqrt(2000 * 0.3 * 0.7),
    );
  });

  it('ask what files hold as counting the matches one by one would', () => {
    const match = fc.record({
      part: fc.constantFrom<Part>('body', 'body', ...PARTS),
      value: fc.constantFrom('a', 'b', 'c'),
      certainty: fc.constantFrom(20, 55, 80),
    });
    const holding: fc.Arbitrary<Holding> = fc.record(
      {
        what: fc.constantFrom('iban', 'iban', 'bic', 'anything'),
        certainty: fc.constantFrom(0, 55, 56, 80, 100),
        distinct: fc.integer({ min: 1, max: 3 }),
        occurrences: fc.integer({ min: 1, max: 4 }),
        parts: fc.subarray([...PARTS], { minLength: 1 }),
      },
      { requiredKeys: ['what', 'distinct', 'occurrences'] },
    );
    fc.assert(
      fc.property(fc.array(match, { maxLength: 8 }), holding, (matches, asked) => {
        const count = new PartsCount();
        const [levels, seen] = [new Map<number, number>(), new Map<string, number>()];
        for (const { part, value, certainty } of matches) {
          count.add(part, value, certainty, { levels, seen });
          levels.set(certainty, (levels.get(certainty) ?? 0) + 1);
          seen.set(value, Math.max(seen.get(value) ?? 0, certainty));
        }
        const parts: InParts | undefined = count.done();
        const found = {
          dataType: 'iban',
          levels: levelsOf(levels, seen.values()),
          ...(parts && { inParts: parts }),
        };
        const counted = matches.filter(
          (m) => m.certainty >= (asked.certainty ?? 55) && (!asked.parts || asked.parts.includes(m.part)),
        );
        expect(holdsIn(matches.length ? [found] : [], asked, TYPES)).toBe(
          asked.what === 'anything' ||
            (asked.what === 'iban' &&
              counted.length >= asked.occurrences &&
              new Set(counted.map((m) => m.value)).size >= asked.distinct),
        );
      }),
      { numRuns: 2000 },
    );
  });
});
