/** A survey made from the rows of the one before and what differs, against the same survey read as a whole. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { who } from '../../src/core/access/questions.ts';
import { identityName } from '../../src/core/access/view.ts';
import { loadSurvey, movedOn, type Loaded } from '../../src/engine/loaded.ts';
import type { OpenDb } from '../../src/store/db.ts';
import { observeOne, type ObservedKind } from '../../src/store/observed.ts';
import { ownDb } from '../own-db.ts';
import { organisations } from './organisations.ts';
import type { Rows } from './plain-access.ts';

let db: OpenDb;
ownDb((own) => void (db = own));

type Docs = Map<string, { kind: ObservedKind; id: string; doc: object }>;

/** What a survey of the rows observes; every third item that is shared holds something. */
function docsOf(rows: Rows): Docs {
  const docs: Docs = new Map();
  const put = (kind: ObservedKind, list: readonly { id: string }[]): void =>
    list.forEach((doc) => docs.set(`${kind} ${doc.id}`, { kind, id: doc.id, doc }));
  put(
    'about',
    rows.workspaces.map((workspace) => ({ id: workspace.id, organisation: rows.own, workspace })),
  );
  put('person', rows.users);
  put('group', rows.groups);
  put('space', rows.spaces);
  put(
    'item',
    rows.items.map((i, n) => ({
      ...i,
      label: ['internal', 'confidential', 'restricted'][(n + rows.grants.length) % 3]!,
    })),
  );
  put('grant', rows.grants);
  put('link', rows.links);
  put(
    'content',
    rows.items.flatMap((i, n) =>
      n % 3 === rows.links.length % 3 ? [{ id: i.id, state: 'scanned', found: [] }] : [],
    ),
  );
  return docs;
}

let survey = 0;
async function observe(before: Docs, after: Docs, takenAt: string): Promise<number> {
  const [made] = await db.query<{ id: number }>(
    "insert into survey (kind, state, started_by, started_at, taken_at) values ('full', 'done', 't', $1, $1) returning id",
    [takenAt],
  );
  survey = made!.id;
  await db.transaction(async (tx) => {
    for (const [k, { kind, id }] of before)
      if (!after.has(k)) await observeOne(tx, survey, { kind, source: 'w', id, doc: null });
    for (const { kind, id, doc } of after.values())
      await observeOne(tx, survey, { kind, source: 'w', id, doc });
  });
  return survey;
}

/** Everything that a survey says, by names. */
function said(l: Loaded) {
  const nodes = [...l.org.spaces.map((s) => s.id), ...l.items.map((i) => i.id)];
  const { entries } = l.org;
  return {
    names: {
      users: l.org.users.map((u) => u.id).sort(),
      groups: l.org.groups.map((g) => g.id).sort(),
      spaces: l.org.spaces.map((x) => x.id).sort(),
      outsiders: [...l.view.outsiders].sort(),
      addresses: [...l.org.addresses].sort(),
      domains: [...l.org.domains].sort(),
    },
    problems: l.org.problems.map((p) => `${p.row} ${p.reason}`).sort(),
    nodes: Object.fromEntries(
      nodes.map((id, n) => [
        id,
        {
          now: l.columns.nowTier[n],
          could: l.columns.couldTier[n],
          who: Array.from(who(l.view, n))
            .flatMap((bits, i) => (bits ? `${identityName(l.view, i)} ${bits}` : []))
            .sort(),
        },
      ]),
    ),
    items: Object.fromEntries(
      l.items.map((row, i) => [
        row.id,
        { row, parent: l.items[l.org.itemParent[i]!]?.id, weight: l.weights[i] },
      ]),
    ),
    entries: Object.fromEntries(
      Array.from({ length: entries.ids.length }, (_, e) => [
        entries.ids.at(e),
        {
          row: l.entryRow(e),
          node: nodes[entries.node[e]!],
          live: l.view.live[e],
          by: l.org.users[l.madeBy[e]!]?.id,
        },
      ]),
    ),
    exposures: Object.fromEntries(l.exposures.map((e) => [l.items[e.item]!.id, e.points])),
    tally: Object.fromEntries(
      Array.from(l.tally.files, (n, i): [string, string] => [
        identityName(l.view, i),
        `${n} ${l.tally.heavy[i]}`,
      ]).filter(([, n]) => n !== '0 0'),
    ),
    counts: l.counts
      .filter((c) => c.n)
      .map((c) => `${c.source} ${c.kind} ${c.n}`)
      .sort(),
    content: [...l.content.keys()].sort(),
    find: nodes.every(
      (id, n) =>
        l.org.find(n < l.org.spaces.length ? 'space' : 'item', id) ===
        (n < l.org.spaces.length ? n : n - l.org.spaces.length),
    ),
  };
}

/** A later state: who and what there was stays listed, and all else is of another organisation. */
function later(a: Rows, b: Rows): Rows {
  const kept = <R extends { id: string }>(was: readonly R[], is: readonly R[]): R[] => [
    ...is,
    ...was.filter((r) => !is.some((x) => x.id === r.id)),
  ];
  const groups = kept(a.groups, b.groups);
  return {
    ...b,
    takenAt: b.takenAt + 86_400_000,
    workspaces: a.workspaces,
    users: kept(
      a.users,
      b.users.map((u) => {
        const was = a.users.find((x) => x.id === u.id);
        return was ? { ...was, active: u.active } : u;
      }),
    ),
    groups,
    spaces: kept(a.spaces, b.spaces),
  };
}

it('is the same as read as a whole', async () => {
  let moved = 0;
  await fc.assert(
    fc.asyncProperty(organisations, organisations, organisations, async (a, b, c) => {
      await db.query('delete from observed');
      const states = [a, later(a, b), later(later(a, b), c)];
      const iso = states.map((s) => new Date(s.takenAt).toISOString());
      const docs = states.map(docsOf);
      const first = await observe(new Map(), docs[0]!, iso[0]!);
      let l = await loadSurvey(db, first, iso[0]!);
      for (const n of [1, 2]) {
        const before = said(l);
        const number = await observe(docs[n - 1]!, docs[n]!, iso[n]!);
        const next = await movedOn(db, l, number, iso[n]!);
        const whole = await loadSurvey(db, number, iso[n]!);
        if (next) {
          moved++;
          expect(said(next)).toEqual(said(whole));
          // the one before answers as it did
          expect(said(l)).toEqual(before);
        }
        l = next ?? whole;
      }
    }),
    { numRuns: 60 },
  );
  expect(moved).toBeGreaterThan(30);
});
