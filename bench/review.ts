/**
 * Reviews: which of many spaces are dormant, over events, against SQL; a round over all of them with its preview, the desk of
 * one owner, and answers as they come in.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';
import { OrganisationBuilder } from '../src/core/access/builder.ts';
import { usageOf } from '../src/core/access/usage.ts';
import { view } from '../src/core/access/view.ts';
import { NO_CHARTERS } from '../src/core/ask/charter.ts';
import { roundSchema, type ReviewKind, type Round } from '../src/core/ask/kinds.ts';
import { spaceFacts } from '../src/core/ask/spaces.ts';
import { spacesToAsk, thingsToAsk, whoIsAsked } from '../src/engine/review.ts';
import { Rounds } from '../src/services/review/rounds.ts';
import { openDb } from '../src/store/db.ts';
import { ownOrders } from '../tests/own-orders.ts';
import { loaded } from '../tests/reference/loading.ts';
import type { Rows } from '../tests/reference/plain-access.ts';
import { ratio } from './ratios.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const SPACES = 20_000;
const OWNERS = 8_000;
const EVENTS = 5_000_000;
const FILES_EACH = 10;
const DAY = 86_400_000;
const NOW = Date.parse('2026-11-30T12:00:00Z');
const LIMIT = 90;
/** Rows at a time. */
const AT_ONCE = 20_000;
const ANSWERS = 1000;
const GUESTS = 500;

/** A number below another that looks like chance. */
const below = (n: number, most: number): number => (Math.imul(n + 1, 2_654_435_761) >>> 8) % most;

/** Days ago: most lately, some spaces not for long. */
const daysAgo = (space: number, n: number): number =>
  space % 7 === 0 ? LIMIT + 1 + below(n, 200) : below(n, 400);

async function dormancy(spaces: number, events: number): Promise<void> {
  const b = new OrganisationBuilder({ name: 'Bench', domains: ['own.example'], partnerDomains: [] }, NOW);
  b.workspace({ id: 'w', name: 'w', inheritance: 'additive' });
  b.person({ id: 'u', name: 'u', addresses: ['u@own.example'], active: true, kind: 'member' });
  for (let s = 0; s < spaces; s++) {
    b.space({ id: `s${s}`, workspace: 'w', kind: 'site', name: `s${s}` });
    for (let i = 0; i < FILES_EACH; i++)
      b.item({ id: `i${s}-${i}`, space: `s${s}`, kind: 'file', name: 'file' });
  }
  const org = b.build();
  const v = view(org);
  const count = org.itemIds.length;
  const at = (n: number): number => NOW - daysAgo(org.itemSpace[n % count]!, n) * DAY;
  const usage = usageOf(
    org,
    Array.from({ length: events }, (_, n) => ({ item: n % count, identity: 0, opened: at(n), edited: NaN })),
  );
  const modified = new Float64Array(count);
  const from = performance.now();
  const facts = spaceFacts({
    view: v,
    usage: () => usage,
    modified: () => modified,
    charters: () => NO_CHARTERS,
    group: () => undefined,
  });
  let dormant = 0;
  for (let s = 0; s < spaces; s++) if (facts.dormant(s)) dormant++;
  const ours = performance.now() - from;

  const db = new PGlite();
  await db.exec('create table event (space int not null, at timestamptz not null)');
  for (let n = 0; n < events; n += AT_ONCE)
    await db.query('insert into event select * from unnest($1::int[], $2::timestamptz[])', [
      Array.from({ length: Math.min(AT_ONCE, events - n) }, (_, k) => org.itemSpace[(n + k) % count]!),
      Array.from({ length: Math.min(AT_ONCE, events - n) }, (_, k) => new Date(at(n + k)).toISOString()),
    ]);
  const asked = performance.now();
  const { rows } = await db.query<{ n: number }>(
    `select count(*)::int as n from (select space from event group by space having max(at) <= $1::timestamptz - interval '${LIMIT} days') x`,
    [new Date(NOW)],
  );
  const sql = performance.now() - asked;
  await db.close();
  if (rows[0]!.n !== dormant) throw new Error(`SQL finds ${rows[0]!.n} dormant, and we ${dormant}`);
  say(
    `${spaces.toLocaleString('en')} spaces over ${events.toLocaleString('en')} events: ${dormant.toLocaleString('en')} dormant in ${ours.toFixed(0)} ms; SQL in PGlite, the same ones, ${sql.toFixed(0)} ms`,
  );
  ratio('dormancy, against SQL', ours, sql);
}

/** Sites with some files each, an owner, a guest, and a link for anybody on every third file. */
function rowsOf(spaces: number, owners: number): Rows {
  const address = (n: number): string => `owner${n}@own.example`;
  const at = new Date(NOW - 200 * DAY).toISOString();
  const numbers = Array.from({ length: spaces }, (_, s) => s);
  const files = numbers.flatMap((s) => Array.from({ length: FILES_EACH }, (_, f) => [s, f] as const));
  return {
    takenAt: NOW,
    own: { name: 'Bench', domains: ['own.example'], partnerDomains: [] },
    workspaces: [{ id: 'w', name: 'Sites', inheritance: 'additive' }],
    users: [
      ...Array.from({ length: owners }, (_, n) => ({
        id: `u${n}`,
        name: `Owner ${n}`,
        addresses: [address(n)],
        active: true,
        kind: 'member' as const,
        department: `Department ${n % 40}`,
        manager: `u${below(n, owners)}`,
      })),
      ...Array.from({ length: GUESTS }, (_, n) => ({
        id: `g${n}`,
        name: `Guest ${n}`,
        addresses: [`guest${n}@other.example`],
        active: true,
        kind: 'guest' as const,
      })),
    ],
    groups: [],
    spaces: numbers.map((s) => ({
      id: `s${s}`,
      workspace: 'w',
      kind: 'site',
      name: `Space ${s}`,
      owners: [`u${below(s, owners)}`],
      createdAt: at,
      lastActivity: { files: new Date(NOW - daysAgo(s, s) * DAY).toISOString() },
    })),
    items: files.map(([s, f]) => ({
      id: `i${s}-${f}`,
      space: `s${s}`,
      kind: 'file',
      name: `file ${f}.txt`,
      owner: `u${below(s + f, owners)}`,
      modifiedAt: at,
    })),
    grants: numbers.map((s) => ({
      id: `g${s}`,
      on: { space: `s${s}` },
      to: { user: `g${below(s, GUESTS)}` },
      role: 'reader',
      grantedAt: at,
    })),
    links: files.flatMap(([s, f]) =>
      f % 3
        ? []
        : [
            {
              id: `l${s}-${f}`,
              on: { item: `i${s}-${f}` },
              audience: 'anyone',
              role: 'reader',
              createdAt: at,
            },
          ],
    ),
  };
}

/** A round over spaces as the engine has them; what its thread and the application tell each other is not in these numbers. */
async function round(spaces: number, owners: number): Promise<void> {
  const home = mkdtempSync(join(tmpdir(), 'gl-review-'));
  const db = await openDb(join(home, 'db'));
  const l = await loaded(db, rowsOf(spaces, owners), 'w');
  const app = await ownOrders(db, () => new Date(NOW), []);
  Object.assign(app.ask, {
    spacesToAsk: (_: unknown, kind: ReviewKind, of: Round) => spacesToAsk(l, kind, of),
    thingsToAsk: (_: unknown, kind: ReviewKind, key: string) => Promise.resolve(thingsToAsk(l, kind, key)),
    whoIsAsked: (_: unknown, kind: ReviewKind, key: string) => Promise.resolve(whoIsAsked(l, kind, key)),
  });
  const rounds = new Rounds(app.parts);
  const doc = roundSchema.parse({ name: 'All', kind: 'shares', where: 'true', weeks: 1, most: 1000 });
  const timed = async <T>(what: () => Promise<T>): Promise<[number, T]> => {
    const from = performance.now();
    const answer = await what();
    return [performance.now() - from, answer];
  };
  const [seen, plan] = await timed(() => rounds.preview(doc));
  if (plan.spaces !== spaces) throw new Error(`${plan.spaces} spaces are asked about, of ${spaces}`);
  const [begun, { id }] = await timed(() => rounds.begin(doc, 'steward@own.example'));
  say(
    `a round over ${spaces.toLocaleString('en')} spaces and ${owners.toLocaleString('en')} owners: preview ${seen.toFixed(0)} ms, begun in ${begun.toFixed(0)} ms`,
  );
  const [put] = await timed(async () => {
    await app.parts.jobs.look();
    await app.parts.jobs.wait('rounds');
  });
  say(`put to everybody, with a message each, in ${(put / 1000).toFixed(1)} s`);
  await app.look();
  const whose = { address: plan.busiest[0]!.address };
  const [first, { questions }] = await timed(() => rounds.desk.list(whose));
  const [page] = await timed(() => rounds.desk.page(whose, questions[0]!.id));
  const open = await db.query<{ id: number; address: string }>(
    "select q.id, p.address from question q join question_person p on p.question = q.id where q.round = $1 and q.state = 'open' order by q.id limit $2",
    [id, ANSWERS],
  );
  const [answered] = await timed(async () => {
    for (const q of open)
      await rounds.desk.put(
        { address: q.address },
        {
          id: q.id,
          given: [
            { n: 0, what: 'keep' },
            { n: 1, what: 'keep' },
          ],
          send: true,
        },
      );
  });
  const [row] = await db.query<{ n: number }>(
    'select count(*)::int as n from question_thing where answer is not null',
  );
  if (row!.n !== 2 * open.length) throw new Error(`${row!.n} answers are kept, of ${2 * open.length}`);
  say(
    `the desk's list ${first.toFixed(0)} ms, its first page ${page.toFixed(0)} ms; ${Math.round((60_000 * 2 * open.length) / answered).toLocaleString('en')} answers a minute, one after another and none lost`,
  );
  await app.close();
  await db.close();
  rmSync(home, { recursive: true, force: true });
}

/** `scale` 1: 20,000 spaces, 8,000 owners and 5,000,000 events. */
export async function review(scale: number): Promise<void> {
  await dormancy(Math.round(SPACES * scale), Math.round(EVENTS * scale));
  await round(Math.round(SPACES * scale), Math.max(1, Math.round(OWNERS * scale)));
}
