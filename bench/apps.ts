/**
 * Apps: what all of many could read, one alone, and what withdrawing many grants would leave; against SQL on PGlite, which is given
 * who holds what and joins it to the grants.
 */
import { PGlite } from '@electric-sql/pglite';
import { forEachBoth } from '../src/core/access/bits.ts';
import { nodeOfItem, type Organisation } from '../src/core/access/organisation.ts';
import { who } from '../src/core/access/questions.ts';
import { view, type View } from '../src/core/access/view.ts';
import { AppReads, grantedApps, type Reading } from '../src/core/apps/reading.ts';
import { CAP, type AppGrantRow } from '../src/core/model.ts';
import { build } from './access.ts';
import { sizeOf } from './organisation.ts';
import { ratio } from './ratios.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const APPS = 5000;
const GRANTS = 200_000;
/** In so many apps is one that an administrator let in for everyone. */
const FOR_EVERYONE = 200;
const WITHDRAWN = 1000;
const SQL_SHARE = 0.01;
const ROWS_AT_ONCE = 5000;

/** A number below another that looks like chance. */
const below = (n: number, most: number): number => (Math.imul(n + 1, 2_654_435_761) >>> 8) % most;

/** Few apps are let in by many, most by few. */
export function grantsOf(org: Organisation, apps: number, count: number): AppGrantRow[] {
  const workspaces = [...new Set(org.spaces.map((s) => s.workspace))];
  const grants = Array.from({ length: count }, (_, n): AppGrantRow => {
    const app = Math.floor(apps * (below(n, 1_000_000) / 1_000_000) ** 3);
    return {
      id: `ag${n}`,
      app: `a${app}`,
      workspace: workspaces[app % workspaces.length]!,
      user: org.users[below(n * 7 + 3, org.users.length)]!.id,
      scopes: ['files:read:own'],
    };
  });
  for (let a = 0; a < apps; a += FOR_EVERYONE)
    grants.push({
      id: `all${a}`,
      app: `a${a}`,
      workspace: workspaces[a % workspaces.length]!,
      everyone: true,
      scopes: [a % (2 * FOR_EVERYONE) ? 'files:read:all' : 'files:read:own'],
    });
  return grants;
}

const timed = <T>(work: () => T): [T, number] => {
  const from = performance.now();
  const value = work();
  return [value, performance.now() - from];
};
const itemsOf = (org: Organisation) => ({
  isFile: Uint8Array.from({ length: org.itemIds.length }, (_, i) => (below(i, 10) ? 1 : 0)),
  weights: Uint8Array.from({ length: org.itemIds.length }, (_, i) => (below(i, 20) ? 0 : below(i, 5))),
});

async function inSql(v: View, grants: readonly AppGrantRow[]): Promise<[number, number]> {
  const { org } = v;
  const db = new PGlite();
  await db.exec(
    'create table holds (item int, workspace text, u int); create table app_grant (app text, workspace text, u int, reads_all bool)',
  );
  let [items, places, users]: [number[], string[], number[]] = [[], [], []];
  const flush = async (): Promise<void> => {
    await db.query('insert into holds select * from unnest($1::int[], $2::text[], $3::int[])', [
      items,
      places,
      users,
    ]);
    [items, places, users] = [[], [], []];
  };
  for (let i = 0; i < org.itemIds.length; i++) {
    const can = who(v, nodeOfItem(org, i));
    const { workspace } = org.spaces[org.itemSpace[i]!]!;
    forEachBoth(v.all, v.all, (u) => {
      if (u < org.users.length && can[u]! & CAP.open) {
        items.push(i);
        places.push(workspace);
        users.push(u);
      }
    });
    if (items.length > ROWS_AT_ONCE) await flush();
  }
  await flush();
  await db.query(
    'insert into app_grant select * from unnest($1::text[], $2::text[], $3::int[], $4::bool[])',
    [
      grants.map((g) => g.app),
      grants.map((g) => g.workspace),
      grants.map((g) => (g.user === undefined ? null : org.find('user', g.user))),
      grants.map((g) => g.everyone === true && g.scopes[0] === 'files:read:all'),
    ],
  );
  await db.exec('create index on holds (u, workspace); create index on app_grant (u); analyze');
  await db.query('create table lies (item int, workspace text)');
  await db.query('insert into lies select * from unnest($1::int[], $2::text[])', [
    Array.from({ length: org.itemIds.length }, (_, i) => i),
    Array.from({ length: org.itemIds.length }, (_, i) => org.spaces[org.itemSpace[i]!]!.workspace),
  ]);
  const from = performance.now();
  const { rows } = await db.query<{ n: number }>(
    `select count(*)::int as n from (
       select g.app, h.item from app_grant g join holds h on h.workspace = g.workspace and h.u = g.u where not g.reads_all and g.u is not null
       union select g.app, h.item from app_grant g join (select distinct item, workspace from holds) h using (workspace) where not g.reads_all and g.u is null
       union select g.app, l.item from app_grant g join lies l using (workspace) where g.reads_all) x`,
  );
  const took = performance.now() - from;
  await db.close();
  return [rows[0]!.n, took];
}

const sum = (of: Map<string, Reading>): number => [...of.values()].reduce((n, r) => n + r.items, 0);

export async function apps(scale: number): Promise<void> {
  const small = scale * SQL_SHARE;
  {
    const org = build(sizeOf(small));
    const v = view(org);
    const items = itemsOf(org);
    const grants = grantsOf(org, Math.ceil(APPS * small), Math.ceil(GRANTS * small));
    const [ours, own] = timed(() => new AppReads(v, grantedApps(v, grants)).readings(items));
    const [theirs, sql] = await inSql(v, grants);
    if (theirs !== sum(ours)) throw new Error(`SQL counts ${theirs} items by app, and we ${sum(ours)}.`);
    say(
      `${grants.length.toLocaleString('en')} grants over ${org.itemIds.length.toLocaleString('en')} items: ${own.toFixed(0)} ms; SQL in PGlite, given who holds what, ${sql.toFixed(0)} ms; the same ${theirs.toLocaleString('en')} items by app`,
    );
    ratio('what apps could read, against SQL that is given who holds what', own, sql);
  }
  const org = build(sizeOf(scale));
  const v = view(org);
  const items = itemsOf(org);
  const grants = grantsOf(org, Math.ceil(APPS * scale), Math.ceil(GRANTS * scale));
  const [granted, resolving] = timed(() => grantedApps(v, grants));
  const [book, working] = timed(() => new AppReads(v, granted));
  const [all, counting] = timed(() => book.readings(items));
  say(
    `${granted.size.toLocaleString('en')} apps, ${grants.length.toLocaleString('en')} grants, ${org.itemIds.length.toLocaleString('en')} items: ${((resolving + working + counting) / 1000).toFixed(2)} s (${sum(all).toLocaleString('en')} items by app)`,
  );
  const sizes = [...all].sort((a, b) => b[1].items - a[1].items).map(([id]) => id);
  for (const id of [sizes[0]!, sizes[sizes.length >> 1]!, sizes.at(-1)!]) {
    const [reads, alone] = timed(() => book.readBy(id));
    say(`one app, ${all.get(id)!.items.toLocaleString('en')} items: ${alone.toFixed(0)} ms`);
    const n = reads.reduce((x, y) => x + y, 0);
    if (n !== all.get(id)!.items) throw new Error(`${id} alone reads ${n}`);
  }
  {
    const [{ app, workspace }] = grants as [AppGrantRow];
    const user = org.users.findIndex((u) => u.active);
    const [more, took] = timed(() => book.readingWith(app, workspace, user, items));
    say(`if one more person let one in: ${took.toFixed(0)} ms (${more.items.toLocaleString('en')} items)`);
  }
  const gone = new Set(grants.slice(0, WITHDRAWN).map((g) => g.id));
  const touched = new Set(grants.flatMap((g) => (gone.has(g.id) ? g.app : [])));
  const left = grants.filter((g) => touched.has(g.app) && !gone.has(g.id));
  const [, whatIf] = timed(() => new AppReads(v, grantedApps(v, left)).readings(items));
  say(
    `without ${gone.size.toLocaleString('en')} grants of ${touched.size.toLocaleString('en')} apps: ${(whatIf / 1000).toFixed(2)} s`,
  );
}
