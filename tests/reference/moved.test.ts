/** A survey made from the rows of the one before and what differs, against the same survey read as a whole. */
import fc from 'fast-check';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { eachName } from '../../src/core/access/names.ts';
import { compare } from '../../src/core/access/compare.ts';
import { who } from '../../src/core/access/questions.ts';
import { reach, reachAgain } from '../../src/core/access/reach.ts';
import { identityName } from '../../src/core/access/view.ts';
import { alikeIn, loadSurvey, movedOn, type Loaded } from '../../src/engine/loaded.ts';
import type { Differing } from '../../src/engine/differing.ts';
import { runPolicy } from '../../src/engine/judged.ts';
import { hitKey } from '../../src/engine/keys.ts';
import { STARTERS } from '../../src/core/guard/starters.ts';
import type { Policy, Rule } from '../../src/core/guard/schema.ts';
import type { RuleHit } from '../../src/dto/guard.ts';
import { Snapshots } from '../../src/engine/snapshots.ts';
import type { OpenDb } from '../../src/store/db.ts';
import { observeOne, type ObservedKind } from '../../src/store/observed.ts';
import { dice } from '../../demo/make.ts';
import { ownDb } from '../own-db.ts';
import { organisations } from './organisations.ts';
import type { Rows } from './plain-access.ts';

/** Rules about everything: those that are shipped, and some that ask what lies around and what time it is. */
const POLICY: Policy = {
  format: 'gate-lantern-policy',
  version: 1,
  name: 'all',
  scope: { exclude: { labels: ['restricted'] } },
  rules: [
    ...STARTERS.flatMap((s) => s.policy.rules.filter((r) => r.atRest)),
    ...(
      [
        ['item', 'external > 0 && weight >= 1'],
        ['item', 'points > 10'],
        ['item', 'name == "renamed" || mime == "text/x-other"'],
        ['item', 'holds("payment-card", {"distinct": 4})'],
        ['link', 'holds("payment-card", {"distinct": 2}) || holds("anything")'],
        ['item', 'label == "confidential" && members > 0'],
        ['item', 'kind == "file" && size(domains) > 0'],
        ['space', 'files > 0 && (heavy > 0 || external > 0)'],
        ['grant', 'external || size > 1'],
        ['grant', 'made < taken'],
        ['link', 'audience != "named" || !ends'],
        ['identity', 'files > 0'],
        ['group', 'members > 0'],
      ] as const
    ).map(([subject, condition], n): Rule => ({
      id: `r${n}`,
      name: condition,
      subject,
      atRest: true,
      if: condition,
      mode: 'enforce',
      severity: 'low',
      responses: [{ do: 'finding' }],
    })),
  ].map((r, n) => ({ ...r, id: `r${n}` })),
};
const sorted = (d: Differing<RuleHit>) => ({
  found: [...d.found].sort((a, b) => (a.rule + a.key < b.rule + b.key ? -1 : 1)),
  gone: [...d.gone].sort(),
});

let db: OpenDb;
const home = mkdtempSync(join(tmpdir(), 'gl-columns-'));
let snapshots: Snapshots;
/** What was said of snapshots that were not used. */
const complaints: string[] = [];
ownDb((own) => {
  db = own;
  snapshots = new Snapshots(home, (text) => complaints.push(text), 'this build');
});
afterAll(() => rmSync(home, { recursive: true, force: true }));

/** So many different card numbers, which weigh the same whatever their number. */
const cards = (distinct: number) => ({
  dataType: 'payment-card',
  certainty: 80,
  distinct,
  occurrences: 6,
  levels: [[80, 6, distinct]],
  matches: [],
  hashes: [],
});
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
      n % 3 === rows.links.length % 3
        ? [{ id: i.id, state: 'scanned', found: [cards(n % 2 === rows.grants.length % 2 ? 5 : 1)] }]
        : [],
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
  const nodes = [...l.org.spaces.map((s) => s.id), ...eachName(l.org.itemIds)];
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
      [...eachName(l.org.itemIds)].map((id, i) => [
        id,
        {
          row: l.items.row(i),
          columns: [
            l.items.name(i),
            l.items.label(i),
            l.items.mime(i),
            l.items.isFile[i],
            l.items.bytes[i],
            l.items.modified[i],
          ],
          parent: nodes[l.org.spaces.length + l.org.itemParent[i]!],
          weight: l.weights[i],
          content: l.content(i),
        },
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
    exposures: Object.fromEntries(l.exposures.map((e) => [l.org.itemIds.at(e.item), e.points])),
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
      await snapshots.write(db, l);
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
        // started again from what was kept of the survey before, and of this one
        const after = (): Promise<Loaded | undefined> => snapshots.read(db, number, iso[n]!);
        const restarted = await after();
        expect(restarted === undefined).toBe(next === undefined);
        if (restarted) expect(said(restarted)).toEqual(said(whole));
        l = next ?? whole;
        await snapshots.write(db, l);
        expect(said((await after())!)).toEqual(said(whole));
      }
    }),
    { numRuns: 25 },
  );
  expect(moved).toBeGreaterThan(12);
});

it('starts from what was kept only where it is whole and of this store', async () => {
  const file = join(home, 'rows.columns');
  const rows = fc.sample(organisations, { numRuns: 1, seed: 7 })[0]!;
  const at = new Date(rows.takenAt).toISOString();
  await db.query('delete from observed');
  const number = await observe(new Map(), docsOf(rows), at);
  const l = await loadSurvey(db, number, at);
  await snapshots.write(db, l);
  const whole = readFileSync(file);
  expect(await snapshots.read(db, number, at)).toBeDefined();
  complaints.length = 0;
  // one byte after another of the whole of it, whatever it is for
  for (let i = 0; i < whole.length; i += 97) {
    const damaged = Buffer.from(whole);
    damaged[i]! ^= 0x20;
    writeFileSync(file, damaged);
    const read = await snapshots.read(db, number, at);
    // what fills up to where a column begins is nobody's
    if (read) expect(said(read)).toEqual(said(l));
  }
  for (const to of [0, 5, 40, whole.length - 1]) {
    writeFileSync(file, whole.subarray(0, to));
    expect(await snapshots.read(db, number, at), `cut after ${to} bytes`).toBeUndefined();
  }
  expect(complaints.length).toBeGreaterThan(whole.length / 97 / 2);
  // the same number, of another store
  writeFileSync(file, whole);
  await db.query("update survey set started_at = started_at - interval '1 second' where id = $1", [number]);
  expect(await snapshots.read(db, number, at)).toBeUndefined();
  await db.query("update survey set started_at = started_at + interval '1 second' where id = $1", [number]);
  expect(await snapshots.read(db, number, at)).toBeDefined();
  await db.query("update survey set state = 'dropped' where id = $1", [number]);
  expect(await snapshots.read(db, number, at)).toBeUndefined();
  await db.query("update survey set state = 'done' where id = $1", [number]);
  // rows that change while they are written leave what was kept as it was
  const writing = snapshots.write(db, l);
  snapshots.leave();
  await writing;
  expect(readFileSync(file)).toEqual(whole);
  await snapshots.drop();
  complaints.length = 0;
  expect(await snapshots.read(db, number, at)).toBeUndefined();
  expect(complaints).toEqual([]);
});

it('takes in a survey that comes to its end after one of a higher number', async () => {
  await db.query('delete from observed');
  const at = '2026-06-01T00:00:00.000Z';
  const begin = async (state: string): Promise<number> =>
    (
      await db.query<{ id: number }>(
        "insert into survey (kind, state, started_by, started_at, taken_at) values ('full', $1, 't', $2, $2) returning id",
        [state, at],
      )
    )[0]!.id;
  const space = (id: string, name: string) => ({
    kind: 'space' as const,
    source: 'w',
    id,
    doc: { id, workspace: 'w', kind: 'site', name },
  });
  const put = (n: number, id: string, name: string) =>
    db.transaction((tx) => observeOne(tx, n, space(id, name)));
  const names = (l: Loaded | undefined) => l?.org.spaces.map((s) => s.name).sort();
  const first = await begin('done');
  for (const id of ['a', 'b']) await put(first, id, `${id} at first`);
  const slow = await begin('running');
  const readBack = await begin('done');
  await put(readBack, 'a', 'a read back');
  // half taken over, which nobody is to see
  await put(slow, 'b', 'b later');
  const before = await loadSurvey(db, readBack, at);
  await snapshots.write(db, before);
  expect(names(before)).toEqual(['a read back', 'b at first']);
  await put(slow, 'c', 'c later');
  await db.query("update survey set state = 'done' where id = $1", [slow]);
  const wanted = ['a read back', 'b later', 'c later'];
  expect(names(await movedOn(db, before, readBack, at))).toEqual(wanted);
  expect(names(await snapshots.read(db, readBack, at))).toEqual(wanted);
  expect(names(await loadSurvey(db, readBack, at))).toEqual(wanted);
});

it('is judged anew only where something is not alike, and comes to the same', async () => {
  const tallyOf = (l: Loaded) => ({
    counts: l.tally.counts,
    files: new Int32Array(l.view.identityCount),
    heavy: new Int32Array(l.view.identityCount),
  });
  /** By node: all that reach says of it. */
  const told = ({ columns: c }: Pick<Loaded, 'columns'>) =>
    Array.from(c.nowTier, (now, n) => ({
      now,
      could: c.couldTier[n],
      counts: [c.members[n], c.guests[n], c.outsiders[n], c.couldMembers[n], c.anyone[n], c.ownerAdds[n]],
      class: c.classes[c.accessClass[n]!],
    }));
  let [alikes, keptSpaces, judgedHits] = [0, 0, 0];
  await fc.assert(
    fc.asyncProperty(organisations, organisations, fc.nat(), async (rows, other, seed) => {
      await db.query('delete from observed');
      const d = dice(seed);
      const at = new Date(rows.takenAt).toISOString();
      const docs = docsOf(rows);
      const first = await observe(new Map(), docs, at);
      const l = await loadSurvey(db, first, at);
      // two rows at most are others
      const changed: Docs = new Map(docs);
      const pool = [...docsOf({ ...other, users: [], groups: [], workspaces: [] })];
      for (let n = 1 + d.int(2); n > 0; n--) {
        const gone = d.pick(
          [...docs].filter(([, r]) => ['item', 'grant', 'link', 'content'].includes(r.kind)).concat(pool),
        );
        if (d.chance(0.5)) changed.delete(gone[0]);
        else changed.set(...d.pick(pool.length ? pool : [gone]));
      }
      // a file is read anew, and weighs what it did
      const [content] = [...docs].filter(([, r]) => r.kind === 'content').slice(-1);
      if (content && d.chance(0.5))
        changed.set(content[0], {
          ...content[1],
          doc: {
            ...content[1].doc,
            found: [cards(JSON.stringify(content[1].doc).includes('"distinct":5') ? 1 : 5)],
          },
        });
      // a file has another label, and is what it was in all else
      const [file] = [...docs].filter(([, r]) => r.kind === 'item').slice(-1);
      if (file && d.chance(0.5))
        changed.set(file[0], { ...file[1], doc: { ...file[1].doc, name: 'renamed', mime: 'text/x-other' } });
      const later = new Date(rows.takenAt + d.pick([0, 86_400_000])).toISOString();
      const number = await observe(docs, changed, later);
      const first1 = await runPolicy(l, POLICY, []);
      const known = first1.differing.found.map((f) => ({ key: hitKey(f.rule, f.key), told: f.told }));
      const next = await movedOn(db, l, number, later);
      if (!next) return;
      // as rules judge it that know the survey before, and as those do that know nothing
      const again = await runPolicy(next, POLICY, known);
      const anew = await runPolicy(next, { ...POLICY, purpose: `seed ${seed}` }, known);
      expect({ ...again, differing: sorted(again.differing) }).toEqual({
        ...anew,
        differing: sorted(anew.differing),
      });
      judgedHits += known.length;
      if (next.unchanged) keptSpaces += next.unchanged.spaces.reduce((a, b) => a + b, 0);
      const alike = alikeIn(l, next);
      for (const of of ['spaces', 'items'] as const)
        expect(compare(l, next, of, alike)).toEqual(compare(l, next, of));
      if (!alike) return;
      alikes += alike.filter((s) => s >= 0).length;
      const [all, some] = [tallyOf(next), tallyOf(next)];
      const columns = reach(next.view, undefined, undefined, all);
      expect(told({ columns: reachAgain(next.view, l, alike, some, 1)! })).toEqual(told({ columns }));
      expect(some).toEqual(all);
    }),
    { numRuns: 60 },
  );
  expect(alikes).toBeGreaterThan(15);
  expect(keptSpaces).toBeGreaterThan(10);
  expect(judgedHits).toBeGreaterThan(100);
});
