/** What apps could read, against the plain definition: loops over grants, people and items. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nodeOfItem } from '../../src/core/access/organisation.ts';
import { identityName, view } from '../../src/core/access/view.ts';
import { appAccess, AppReads, grantedApps } from '../../src/core/apps/reading.ts';
import { appGetters, appGrantGetters, grantsOfApps, judgeApps } from '../../src/core/apps/judged.ts';
import { ruleTest, subjectId, subjectsOf } from '../../src/core/guard/judge.ts';
import type { SubjectGetters } from '../../src/core/guard/subjects.ts';
import { capabilityNames, type AppGrantRow } from '../../src/core/model.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const READ = ['find', 'open', 'copy'];
const WRITE = [...READ, 'comment', 'edit', 'delete'];
const EVERYTHING = [...WRITE, 'share', 'manage'];
/** As the definition has it; what is in none of these allows nothing on items, and what is not known anything. */
const ALLOWS: Record<string, string[]> = {
  'files:read:own': READ,
  'files:write:own': WRITE,
  'files:share:own': ['share'],
  'files:read:picked': [],
  'files:read:all': READ,
  'files:write:all': WRITE,
  'mail:read': [],
  'admin:all': EVERYTHING,
  'other:vocabulary': EVERYTHING,
};
const OF_ALL = ['files:read:all', 'files:write:all', 'admin:all', 'other:vocabulary'];

const grantsOf: fc.Arbitrary<{ app: number; user: number; workspace: number; scopes: string[] }[]> = fc.array(
  fc.record({
    app: fc.nat(3),
    /** 7: for everyone. */
    user: fc.nat(7),
    workspace: fc.nat(3),
    scopes: fc.subarray(Object.keys(ALLOWS)),
  }),
  { maxLength: 8 },
);
const rowsOf = (
  rows: Rows,
  list: { app: number; user: number; workspace: number; scopes: string[] }[],
): AppGrantRow[] =>
  list.map(({ app, user, workspace, scopes }, n) => ({
    id: `ag${n}`,
    app: `a${app}`,
    workspace: rows.workspaces[workspace % rows.workspaces.length]!.id,
    ...(user === 7 ? { everyone: true } : { user: rows.users[user % rows.users.length]?.id ?? 'nobody' }),
    scopes,
  }));

const sorted = (list: Iterable<string>): string[] => [...list].sort();

/** What an app can do with an item, and through whom. */
function plain(
  rows: Rows,
  grants: readonly AppGrantRow[],
  item: Rows['items'][number],
  who: Record<string, string[]>,
) {
  const space = rows.spaces.find((s) => s.id === item.space)!;
  const can = new Set<string>();
  const through = new Set<string>();
  const active = rows.users.filter(
    (u) => u.active && !(u.expiresAt !== undefined && Date.parse(u.expiresAt) <= rows.takenAt),
  );
  for (const g of grants) {
    if (g.workspace !== space.workspace) continue;
    for (const scope of g.scopes)
      for (const capability of ALLOWS[scope]!) {
        if (g.everyone && OF_ALL.includes(scope)) {
          can.add(capability);
          through.add('everyone');
          continue;
        }
        for (const u of active)
          if ((g.everyone || g.user === u.id) && who[u.id]?.includes(capability)) {
            can.add(capability);
            through.add(g.everyone ? 'everyone' : u.id);
          }
      }
  }
  return { can: sorted(can), through: sorted(through) };
}

describe('what apps could read', () => {
  it('is the union over their grants of what the scopes allow of what the person can do', () => {
    let some = 0;
    fc.assert(
      fc.property(organisations, grantsOf, (rows, list) => {
        const grants = rowsOf(rows, list);
        const org = build(rows);
        const v = view(org);
        const { judge } = plainly(rows);
        const granted = grantedApps(v, grants);
        const I = org.itemIds.length;
        const isFile = Uint8Array.from({ length: I }, (_, i) => i % 2);
        const weights = Uint8Array.from({ length: I }, (_, i) => i % 5);
        const book = new AppReads(v, granted);
        const counted = book.readings({ isFile, weights });
        const readers = Array.from({ length: I }, (): string[] => []);
        const inSpaces = org.spaces.map((_, n) => book.readings({ isFile, weights }, [n]));
        for (const [app, of] of granted) {
          const reads = book.readBy(app);
          const sum = { items: 0, files: 0, byWeight: [0, 0, 0, 0, 0] };
          for (const item of rows.items) {
            const i = org.find('item', item.id);
            const { who } = judge(
              rows.spaces.find((s) => s.id === item.space)!,
              item,
            );
            const expected = plain(
              rows,
              grants.filter((g) => g.app === app),
              item,
              who,
            );
            const { bits, everyone, people } = appAccess(v, of, nodeOfItem(org, i));
            expect(sorted(capabilityNames(bits))).toEqual(expected.can);
            expect(
              sorted([...(everyone ? ['everyone'] : []), ...people.map((u) => identityName(v, u))]),
            ).toEqual(expected.through);
            expect(reads[i]).toBe(expected.can.includes('open') ? 1 : 0);
            if (!reads[i]) continue;
            some++;
            readers[i]!.push(app);
            sum.items++;
            if (!isFile[i]) continue;
            sum.files++;
            sum.byWeight[weights[i]!]!++;
          }
          expect(counted.get(app)).toEqual(sum);
          expect(inSpaces.reduce((n, of) => n + of.get(app)!.items, 0)).toBe(sum.items);
        }
        // and if somebody let one in too
        rows.users.forEach(({ id }, n) => {
          const more = {
            id: 'more',
            app: `a${n % 5}`,
            workspace: rows.workspaces[n % rows.workspaces.length]!.id,
          };
          const after = grantedApps(v, [...grants, { ...more, user: id, scopes: ['files:read:own'] }]);
          expect(
            book.readingWith(more.app, more.workspace, org.find('user', id), { isFile, weights }),
          ).toEqual(new AppReads(v, after).readings({ isFile, weights }).get(more.app));
        });
        const byItem = book.byItem(sorted);
        readers.forEach((apps, i) => {
          expect(byItem[i]).toEqual(sorted(apps));
          expect(sorted(book.readersOf(i))).toEqual(sorted(apps));
          expect(book.many(i)).toBe(apps.length);
        });
      }),
      { numRuns: 300 },
    );
    expect(some).toBeGreaterThan(200);
  });
});

/** Apps that were let in, of which nothing else is known. */
function judged(rows: Rows, list: Parameters<typeof rowsOf>[1]) {
  const grants = rowsOf(rows, list);
  const v = view(build(rows));
  const I = v.org.itemIds.length;
  const items = { isFile: new Uint8Array(I), weights: new Uint8Array(I) };
  return { grants, v, apps: judgeApps(v, { apps: [], grants, items }).list };
}

describe('rules about apps that were let in', () => {
  const CONDITIONS: Record<string, (g: AppGrantRow, rows: Rows) => boolean> = {
    everyone: (g) => g.everyone === true,
    '"admin:all" in scopes': (g) => g.scopes.includes('admin:all'),
    'unknownScopes == 1': (g) => g.scopes.includes('other:vocabulary'),
    'active && !everyone': (g, rows) =>
      rows.users.some(
        (u) =>
          u.id === g.user &&
          u.active &&
          !(u.expiresAt !== undefined && Date.parse(u.expiresAt) <= rows.takenAt),
      ),
    guest: (g, rows) => rows.users.some((u) => u.id === g.user && u.kind === 'guest'),
  };

  it('hit those of which their condition holds, and which are in scope', () => {
    let some = 0;
    fc.assert(
      fc.property(organisations, grantsOf, fc.boolean(), (rows, list, held) => {
        const { grants, v, apps } = judged(rows, list);
        const letIn = grantsOfApps(v, apps);
        const facts = {
          view: v,
          label: () => undefined,
          letIn: () => letIn,
        };
        const getters = {
          appGrant: appGrantGetters(
            v,
            (n) => letIn[n]!,
            () => undefined,
          ),
        } as SubjectGetters;
        const workspace = rows.workspaces[0]!.id;
        for (const [condition, holds] of Object.entries(CONDITIONS)) {
          const rule = {
            ...{ id: 'r', name: 'r', subject: 'appGrant' as const, if: condition },
            ...{ mode: 'observe' as const, severity: 'low' as const, responses: [] },
          };
          const policy = held ? { scope: { include: { workspaces: [workspace] } } } : {};
          const hits = ruleTest(policy, rule, facts, getters, 1e6);
          const found = [...subjectsOf(facts, 'appGrant')]
            .filter(hits)
            .map((n) => subjectId(facts, 'appGrant', n));
          const expected = grants.filter((g) => holds(g, rows) && (!held || g.workspace === workspace));
          expect([condition, sorted(found)]).toEqual([condition, sorted(expected.map((g) => g.id))]);
          some += found.length;
        }
      }),
      { numRuns: 200 },
    );
    expect(some).toBeGreaterThan(200);
  });
});

describe('rules about apps', () => {
  const CONDITIONS: Record<string, (grants: AppGrantRow[]) => boolean> = {
    everyone: (list) => list.some((g) => g.everyone === true),
    'people >= 2': (list) => new Set(list.flatMap((g) => g.user ?? [])).size >= 2,
    'unknownScopes == 1': (list) => list.some((g) => g.scopes.includes('other:vocabulary')),
    approved: (list) =>
      list[0]!.app === 'a0' && list.every((g) => g.scopes.every((s) => s === 'files:read:own')),
    more: (list) => list[0]!.app === 'a0' && list.some((g) => g.scopes.some((s) => s !== 'files:read:own')),
    refused: (list) => list[0]!.app === 'a1',
  };

  it('hit those of which their condition holds, and which somebody in scope has let in', () => {
    let some = 0;
    fc.assert(
      fc.property(organisations, grantsOf, fc.boolean(), (rows, list, held) => {
        const { grants, v, apps } = judged(rows, list);
        const facts = { view: v, label: () => undefined, appList: () => apps };
        const approval = (app: string) =>
          app === 'a0' || app === 'a1'
            ? { app, approved: app === 'a0', groups: ['some'], scopes: ['files:read:own'], until: Infinity }
            : undefined;
        const getters = { app: appGetters<number>(v, (n) => apps[n]!, approval) } as SubjectGetters;
        const person = rows.users[0]?.id ?? 'nobody';
        for (const [condition, holds] of Object.entries(CONDITIONS)) {
          const rule = {
            ...{ id: 'r', name: 'r', subject: 'app' as const, if: condition },
            ...{ mode: 'observe' as const, severity: 'low' as const, responses: [] },
          };
          const policy = held ? { scope: { include: { people: [person] } } } : {};
          const hits = ruleTest(policy, rule, facts, getters, 1e6);
          const found = [...subjectsOf(facts, 'app')].filter(hits).map((n) => subjectId(facts, 'app', n));
          const expected = [...new Set(grants.map((g) => g.app))].filter((app) => {
            const own = grants.filter((g) => g.app === app);
            return holds(own) && (!held || own.some((g) => g.user === person));
          });
          expect([condition, sorted(found)]).toEqual([condition, sorted(expected)]);
          some += found.length;
        }
      }),
      { numRuns: 200 },
    );
    expect(some).toBeGreaterThan(200);
  });
});
