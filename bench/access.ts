/** Access at size: reading, reach, questions, what-if; against JSON.parse, graphology, casbin and SQL in the same run. */
import {
  createReadStream,
  createWriteStream,
  existsSync,
  mkdtempSync,
  rmSync,
  statSync,
  writeFileSync,
  type WriteStream,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { newEnforcer, newModelFromString } from 'casbin';
import { MultiDirectedGraph } from 'graphology';
import { bfsFromNode } from 'graphology-traversal';
import { OrganisationBuilder } from '../src/core/access/builder.ts';
import type { Organisation } from '../src/core/access/organisation.ts';
import { withdrawal, type Change } from '../src/core/access/change.ts';
import { whatIf } from '../src/core/access/difference.ts';
import { closeGroups } from '../src/core/access/groups.ts';
import { who, why } from '../src/core/access/questions.ts';
import { prepareWhat, whatOf } from '../src/core/access/what.ts';
import { reach, type ReachColumns } from '../src/core/access/reach.ts';
import { view, type View } from '../src/core/access/view.ts';
import { readExtract } from '../src/formats/extract.ts';
import { linesOf } from '../src/formats/lines.ts';
import { openDb } from '../src/store/db.ts';
import { dice } from '../demo/make.ts';
import { ratio } from './ratios.ts';
import { generate, sizeOf, type Size } from './organisation.ts';

const NOW = Date.parse('2026-06-01T00:00:00Z');
const OWN = { name: 'Bench', domains: ['own.example'], partnerDomains: ['partner1.test'] };
const WORKSPACES = [
  { id: 'additive', name: 'A', inheritance: 'additive' as const },
  { id: 'breakable', name: 'B', inheritance: 'breakable' as const },
];

const seconds = async (work: () => unknown): Promise<number> => {
  const from = performance.now();
  await work();
  return (performance.now() - from) / 1000;
};
const rss = (): number => Math.round(process.memoryUsage().rss / 1e6);
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const f = (n: number, digits = 2): string => n.toFixed(digits);

export function build(size: Size): Organisation {
  const b = new OrganisationBuilder(OWN, NOW);
  WORKSPACES.forEach((w) => b.workspace(w));
  generate(size, {
    person: (r) => b.person(r),
    group: (r) => b.group(r),
    space: (r) => b.space(r),
    item: (r) => b.item(r),
    grant: (r) => b.grant(r),
    link: (r) => b.link(r),
  });
  return b.build();
}

export async function write(size: Size, dir: string): Promise<void> {
  writeFileSync(
    join(dir, 'manifest.json'),
    JSON.stringify({
      format: 'gate-lantern-extract',
      version: 1,
      takenAt: new Date(NOW).toISOString(),
      organisation: OWN,
      workspaces: WORKSPACES,
    }),
  );
  const files: Record<string, { out: WriteStream; held: string[] }> = {};
  const put = (name: string, row: object): void => {
    const file = (files[name] ??= { out: createWriteStream(join(dir, `${name}.jsonl`)), held: [] });
    if (file.held.push(JSON.stringify(row)) === 50_000) file.out.write(`${file.held.splice(0).join('\n')}\n`);
  };
  generate(size, {
    person: (r) =>
      put('users', {
        id: r.id,
        displayName: r.name,
        active: r.active,
        emails: [{ value: r.addresses[0] }],
        'urn:gatelantern:scim:1.0:Identity': { kind: r.kind },
      }),
    group: (r) => put('groups', { id: r.id, displayName: r.name, members: r.members }),
    space: (r) => put('spaces', r),
    item: (r) => put('items', r),
    grant: (r) => put('grants', r),
    link: (r) => put('links', r),
  });
  for (const { out, held } of Object.values(files)) {
    if (held.length) out.write(`${held.join('\n')}\n`);
    await new Promise<void>((done) => out.end(() => done()));
  }
}

/** 99th percentile and median of n asks, in milliseconds. */
function ask(n: number, work: (i: number) => unknown): string {
  for (let i = 0; i < 20; i++) work(i);
  const times = Array.from({ length: n }, (_, i) => {
    const from = performance.now();
    work(i + 20);
    return performance.now() - from;
  }).sort((a, b) => a - b);
  return `median ${f(times[n >> 1]!)} ms, 99th percentile ${f(times[Math.floor(n * 0.99)]!)} ms`;
}

interface Timed {
  scale: number;
  closing: number;
  reaching: number;
}

async function atScale(scale: number): Promise<{ v: View; columns: ReachColumns; timed: Timed }> {
  const size = sizeOf(scale);
  const org = build(size);
  let v!: View;
  const closing = await seconds(() => (v = view(org)));
  const before = rss();
  let columns!: ReachColumns;
  const reaching = await seconds(() => (columns = reach(v)));
  say(
    `${size.items.toLocaleString('en')} items, ${size.entries.toLocaleString('en')} grants and links: closing groups and judging entries ${f(closing)} s, reach of every item ${f(reaching)} s; process ${before} MB before, ${rss()} MB after; ${org.problems.length} problems`,
  );
  return { v, columns, timed: { scale, closing, reaching } };
}

/** Questions asked one at a time at the largest size, and a what-if of a thousand withdrawals. */
async function questions(scale: number): Promise<Timed> {
  const { v, columns, timed } = await atScale(scale);
  say(`made ready for what: ${f(await seconds(() => prepareWhat(v)))} s`);
  const d = dice(42);
  const nodes = v.org.spaces.length + v.org.itemIds.length;
  say(`who can reach an item:        ${ask(500, () => who(v, d.int(nodes)))}`);
  say(`what an identity can reach:   ${ask(500, () => whatOf(v, { identity: d.int(v.org.users.length) }))}`);
  say(`why an identity reaches it:   ${ask(500, () => why(v, d.int(v.org.users.length), d.int(nodes)))}`);
  const changes = Array.from({ length: 1000 }, (): Change => {
    const e = d.int(v.org.entries.ids.length);
    return withdrawal(v.org, e);
  });
  const times: number[] = [];
  for (let turn = 0; turn < 5; turn++) {
    let told = { nodes: 0, differences: 0 };
    times.push(
      await seconds(() => {
        const x = whatIf(v, changes, columns);
        told = {
          nodes: x.touched.length,
          differences: x.groups.reduce((n, g) => n + g.nodes.length * g.identities.length, 0),
        };
      }),
    );
    if (turn === 4)
      say(
        `what if 1,000 grants and links were withdrawn: ${told.differences.toLocaleString('en')} differences over ${told.nodes.toLocaleString('en')} nodes; median of 5 ${f(times.sort((a, b) => a - b)[2]!)} s, from ${f(times[0]!)} to ${f(times[4]!)} s`,
      );
  }
  return timed;
}

async function reading(scale: number): Promise<void> {
  const dir = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  try {
    await write(sizeOf(scale), dir);
    const names = ['users', 'groups', 'spaces', 'items', 'grants', 'links']
      .map((n) => join(dir, `${n}.jsonl`))
      .filter((p) => existsSync(p));
    const bytes = names.reduce((n, p) => n + statSync(p).size, 0);
    let kept = 0;
    const parse = async (): Promise<void> => {
      for (const p of names)
        for await (const lines of linesOf(createReadStream(p, { highWaterMark: 1 << 20 })))
          for (const l of lines) if (JSON.parse(l.text!)) kept++;
    };
    const load = async (): Promise<void> => {
      let b!: OrganisationBuilder;
      await readExtract(dir, {
        manifest(m) {
          b = new OrganisationBuilder(OWN, NOW);
          for (const w of m.workspaces) b.workspace(w);
        },
        row: (kind, row) => kind in b && b[kind as 'item'](row as never),
      });
      b.build();
    };
    const plain = Math.min(await seconds(parse), await seconds(parse));
    const ours = Math.min(await seconds(load), await seconds(load));
    ratio(`reading ${Math.round(bytes / 1e6)} MB, against JSON.parse`, ours, plain);
    say(
      `reading ${Math.round(bytes / 1e6)} MB (${(kept / 2).toLocaleString('en')} lines) into columns: ${f(ours)} s; JSON.parse of the same lines: ${f(plain)} s; ratio ${f(ours / plain)}`,
    );
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}

async function againstGraphology(scale: number): Promise<void> {
  const org = build({ ...sizeOf(scale), items: 10, entries: 0, spaces: 1 });
  const ours = await seconds(() => closeGroups(org));
  const graph = new MultiDirectedGraph();
  org.users.forEach((_, u) => graph.addNode(`u${u}`));
  org.groups.forEach((_, g) => graph.addNode(`g${g}`));
  org.groups.forEach((_, g) =>
    org.members.values
      .subarray(org.members.start[g], org.members.start[g + 1])
      .forEach((m) => graph.addEdge(`g${g}`, m < 0 ? `g${~m}` : `u${m}`)),
  );
  let reached = 0;
  const theirs = await seconds(() =>
    org.groups.forEach((_, g) => bfsFromNode(graph, `g${g}`, () => void reached++)),
  );
  ratio(`closing ${org.groups.length} groups, against graphology`, ours, theirs);
  say(
    `closing ${org.groups.length.toLocaleString('en')} groups over ${org.users.length.toLocaleString('en')} people: ${f(ours * 1000)} ms; graphology, a traversal from each group: ${f(theirs * 1000)} ms; ratio ${f(theirs / ours, 1)}`,
  );
}

/** The same closure asked of casbin: every role that each user has by implication. */
async function againstCasbin(scale: number): Promise<void> {
  const size = sizeOf(scale);
  const org = build({ ...size, items: 10, entries: 0, spaces: 1 });
  const model = newModelFromString(
    '[request_definition]\nr = sub, obj, act\n[policy_definition]\np = sub, obj, act\n[role_definition]\ng = _, _\n[policy_effect]\ne = some(where (p.eft == allow))\n[matchers]\nm = g(r.sub, p.sub) && r.obj == p.obj && r.act == p.act\n',
  );
  const enforcer = await newEnforcer(model);
  const rules: string[][] = [];
  org.groups.forEach((_, g) =>
    org.members.values
      .subarray(org.members.start[g], org.members.start[g + 1])
      .forEach((m) => rules.push([m < 0 ? `g${~m}` : `u${m}`, `g${g}`])),
  );
  const loading = await seconds(() =>
    enforcer.addGroupingPolicies([...new Map(rules.map((r) => [r.join(), r])).values()]),
  );
  let implied = 0;
  const theirs = await seconds(async () => {
    for (let u = 0; u < org.users.length; u++)
      implied += (await enforcer.getImplicitRolesForUser(`u${u}`)).length;
  });
  const ours = await seconds(() => closeGroups(org));
  ratio(`closing ${org.groups.length} groups, against casbin`, ours, theirs);
  say(
    `closing ${org.groups.length.toLocaleString('en')} groups over ${org.users.length.toLocaleString('en')} people: ${f(ours * 1000)} ms; casbin, the implied roles of each user (${implied.toLocaleString('en')}, after ${f(loading)} s of loading): ${f(theirs * 1000)} ms; ratio ${f(theirs / ours, 1)}`,
  );
}

/** Members who hold something on each item, by recursive SQL, on one hundredth of the size. */
async function againstSql(scale: number): Promise<void> {
  const org = build(sizeOf(scale));
  const ours = await seconds(() => reach(view(org)));
  const dir = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  const db = await openDb(dir);
  try {
    await db.query('create table b_member (g int, m int, is_group bool); ');
    await db.query('create table b_grant (node int, kind int, n int)');
    await db.query('create table b_item (node int, parent int)');
    const members: number[][] = [];
    org.groups.forEach((_, g) =>
      org.members.values
        .subarray(org.members.start[g], org.members.start[g + 1])
        .forEach((m) => members.push([g, m < 0 ? ~m : m, m < 0 ? 1 : 0])),
    );
    await db.copyIn('b_member', ['g', 'm', 'is_group'], members.map((r) => r.join('\t')).join('\n') + '\n');
    const grants: number[][] = [];
    for (let e = 0; e < org.entries.ids.length; e++)
      for (let i = org.entries.toKind.start[e]!; i < org.entries.toKind.start[e + 1]!; i++)
        if (org.entries.type[e] === 0 && org.entries.toKind.values[i]! < 2)
          grants.push([org.entries.node[e]!, org.entries.toKind.values[i]!, org.entries.toNumber.values[i]!]);
    await db.copyIn('b_grant', ['node', 'kind', 'n'], grants.map((r) => r.join('\t')).join('\n') + '\n');
    const S = org.spaces.length;
    await db.copyIn(
      'b_item',
      ['node', 'parent'],
      Array.from(org.itemParent)
        .map((_, i) => `${S + i}\t${org.itemParent[i]! < 0 ? org.itemSpace[i]! : S + org.itemParent[i]!}`)
        .join('\n') + '\n',
    );
    await db.query('create index on b_grant (node)');
    await db.query('create index on b_member (g)');
    await db.query('analyze');
    const theirs = await seconds(() =>
      db.query(`with recursive closed(g, m, is_group) as (select g, m, is_group from b_member union select c.g, b.m, b.is_group from closed c join b_member b on c.is_group and b.g = c.m),
        up(node, at) as (select node, node from b_item union all select up.node, i.parent from up join b_item i on i.node = up.at)
        select count(*) from (select up.node, count(distinct coalesce(c.m, case when kind = 0 then n end)) from up join b_grant b on b.node = up.at
          left join closed c on b.kind = 1 and c.g = b.n and not c.is_group group by up.node) x`),
    );
    ratio(`reach of ${org.itemIds.length} items, against recursive SQL`, ours, theirs);
    say(
      `reach of ${org.itemIds.length.toLocaleString('en')} items: ${f(ours)} s; recursive SQL on PGlite, users and groups only, one hundredth of the size: ${f(theirs)} s; ratio ${f(theirs / ours, 1)}`,
    );
  } finally {
    await db.close();
    rmSync(dir, { recursive: true, force: true });
  }
}

export async function access(largest: number): Promise<void> {
  const timed: Timed[] = [];
  for (const scale of [0.01, 0.1, 1].filter((x) => x < largest)) timed.push((await atScale(scale)).timed);
  timed.push(await questions(largest));
  for (const [i, t] of timed.entries())
    if (i > 0)
      say(
        `from ${timed[i - 1]!.scale} to ${t.scale} of the size, ${f(t.scale / timed[i - 1]!.scale, 0)} times as large: closing ${f(t.closing / timed[i - 1]!.closing, 1)} times as long, reach ${f(t.reaching / timed[i - 1]!.reaching, 1)} times`,
      );
  await againstGraphology(Math.min(largest, 0.1));
  await againstCasbin(Math.min(largest, 0.01));
  await againstSql(0.01);
  await reading(Math.min(largest, 0.1));
}
