/** What an account, or a token, that is held to a part is told: every endpoint is asked for what lies outside of it. */
import { unzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TABLES } from '../../src/dto/tables.ts';
import type { Account, AccountList } from '../../src/dto/accounts.ts';
import type { FindingRow, FindingsPage } from '../../src/dto/exposure.ts';
import { listEndpoints } from '../../scripts/endpoints.ts';
import { gl as runGl, Scene } from './harness.ts';

type Json = Record<string, unknown>;
interface Rows {
  spaces: { id: string; name: string; workspace: string }[];
  items: { id: string; name: string; space: string }[];
  users: { id: string; displayName?: string; userName?: string; emails?: { value: string }[] }[];
  groups: { id: string; displayName: string }[];
  grants: ({ id: string; role: string; on: { space?: string; item?: string } } & Json)[];
  links: ({ id: string; on: { space?: string; item?: string } } & Json)[];
}

const scene = new Scene();
/** The part: one site, and everything in the channels. */
const HELD = { workspaces: ['channels'], departments: [], spaces: ['sites:s-atalanta'] };
let all: Rows;
let part: Rows;
/** Names, ids and addresses of what lies outside, and of nothing inside. */
let outside: string[];
let tokenOfPart: string;
const target: Record<string, string> = {};

async function extract(headers: Record<string, string>): Promise<Rows> {
  const response = await scene.raw('GET', '/api/extracts', { headers });
  expect(response.status).toBe(200);
  const files = unzipSync(new Uint8Array(await response.arrayBuffer()));
  const rows = (name: string): Json[] =>
    new TextDecoder()
      .decode(files[`${name}.jsonl`])
      .split('\n')
      .filter(Boolean)
      .map((line) => JSON.parse(line) as Json);
  return Object.fromEntries(
    ['spaces', 'items', 'users', 'groups', 'grants', 'links'].map((name) => [name, rows(name)]),
  ) as unknown as Rows;
}

const asSteward = async () => ({ cookie: await scene.cookieOf('steward') });
const asPart = () => ({ authorization: `Bearer ${tokenOfPart}` });
const asDeputy = async () => ({ cookie: await scene.cookieOf('deputy') });

/** What an answer says, a zip and a JWS opened. */
async function told(response: Response): Promise<string> {
  const type = response.headers.get('content-type') ?? '';
  const bytes = new Uint8Array(await response.arrayBuffer());
  if (type.includes('zip') || type.includes('spreadsheet'))
    return Object.values(unzipSync(bytes))
      .map((file) => new TextDecoder().decode(file))
      .join('\n');
  const text = new TextDecoder().decode(bytes);
  return type.includes('jose') ? Buffer.from(text.split('.')[1]!, 'base64url').toString() : text;
}

beforeAll(async () => {
  await scene.upSurveyed();
  all = await extract(await asSteward());
  const site = all.spaces.find((s) => s.workspace.startsWith('sites:'))!;
  HELD.spaces = [site.id];
  // a plan and a decision beyond the part, to be asked for
  const inPart = (space: string): boolean => space.startsWith('channels:') || space === site.id;
  const spaceOf = new Map(all.items.map((i) => [i.id, i.space]));
  const link = all.links.find((l) => l.on.item && l.id.startsWith('drives:'))!;
  const [source, ...id] = link.id.split(':');
  const change = { kind: 'link', source, id: id.join(':') };
  await scene.api('POST', '/api/tray', { changes: [change] });
  const plan = await scene.api<{ id: number }>('POST', '/api/plans', {
    name: 'Beyond the part',
    reason: 'r',
  });
  const { rows } = await scene.api<FindingsPage>('GET', '/api/findings?limit=500');
  const far = rows.find((r) => !inPart(spaceOf.get(`${r.source}:${r.item}`)!))!;
  await scene.api('POST', '/api/findings/triage', {
    findings: [far.id],
    decision: { act: 'note', note: 'a note beyond the part' },
  });
  Object.assign(target, {
    plan: String(plan.id),
    finding: String(far.id),
    source: far.source,
    item: far.item,
    node: `item:${far.source}:${far.item}`,
    space: `space:${all.spaces.find((s) => s.workspace.startsWith('drives:'))!.id}`,
    link: change.id,
    inside: `space:${site.id}`,
  });
  // the deputy is held; the steward makes a token that is
  const { rows: accounts } = await scene.api<AccountList>('GET', '/api/accounts');
  const deputy = accounts.find((a) => a.address.startsWith('deputy'))!;
  await scene.api('PUT', '/api/accounts', { id: deputy.id, act: 'hold', held: HELD });
  const lastDay = new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10);
  const made = await scene.api<{ token: string }>('POST', '/api/accounts/tokens', {
    name: 'the part',
    role: 'steward',
    lastDay,
    held: HELD,
  });
  tokenOfPart = made.token;
  part = await extract(asPart());
  const inside = JSON.stringify(part);
  const words = [
    ...all.spaces.flatMap((s) => [s.id, s.name]),
    // every tenth file stands for the others, or looking for them all takes minutes
    ...all.items.filter((_, n) => n % 10 === 0).flatMap((i) => [i.id, i.name]),
    ...all.users.flatMap((u) => [u.displayName ?? '', ...(u.emails ?? []).map((e) => e.value)]),
    ...all.groups.map((g) => g.displayName),
    target.item!,
    'Beyond the part',
    'a note beyond the part',
  ];
  outside = [...new Set(words)].filter(
    // a single word may stand anywhere
    (w) => w.length >= 7 && /[^a-z]/i.test(w) && !inside.includes(w),
  );
}, 300_000);
afterAll(() => scene.down());

/** Which of many texts a text holds: all of them are looked for at once. */
function found(text: string): string[] {
  return outside.filter((w) => text.includes(w));
}

describe('an account that is held to a part', () => {
  it('is given that part: every row of it, and none that lies outside', () => {
    const here = new Set(
      all.spaces.filter((s) => s.id.startsWith('channels:') || s.id === HELD.spaces[0]).map((s) => s.id),
    );
    expect(here.size).toBeGreaterThan(5);
    expect(part.spaces.map((s) => s.id).sort()).toEqual([...here].sort());
    expect(part.items.map((i) => i.id).sort()).toEqual(
      all.items
        .filter((i) => here.has(i.space))
        .map((i) => i.id)
        .sort(),
    );
    expect(part.users.length).toBeLessThan(all.users.length);
    expect(outside.length).toBeGreaterThan(800);
  });

  it('sees of what lies in it what the whole sees: findings, points, reach', async () => {
    const rows = async (headers: Record<string, string>): Promise<FindingRow[]> =>
      ((await (await scene.raw('GET', '/api/findings?limit=500', { headers })).json()) as FindingsPage).rows;
    const here = new Set(part.items.map((i) => i.id));
    const whole = (await rows(await asSteward())).filter((r) => here.has(`${r.source}:${r.item}`));
    const mine = await rows(asPart());
    expect(whole.length).toBeGreaterThan(0);
    expect(mine.filter((r) => whole.some((w) => w.id === r.id))).toEqual(whole);
    expect(mine.every((r) => here.has(`${r.source}:${r.item}`))).toBe(true);
    const page = (await (
      await scene.raw('GET', '/api/findings?limit=1', { headers: await asDeputy() })
    ).json()) as FindingsPage;
    const { exposure, record } = (await (
      await scene.raw('GET', '/api/course', { headers: asPart() })
    ).json()) as { exposure: number; record: number };
    expect([exposure, record]).toEqual([page.open, 0]);
    const node = async (headers: Record<string, string>) =>
      (await (
        await scene.raw('GET', `/api/holdings/node?node=${encodeURIComponent(target.inside!)}`, { headers })
      ).json()) as Json;
    const [a, b] = [await node(await asSteward()), await node(asPart())];
    for (const key of ['reach', 'now', 'could', 'people']) expect(b[key]).toEqual(a[key]);
  });

  /** What is asked for: something outside by every name that endpoints take, and everything. */
  const questions = (): Record<string, string>[] => {
    const { node, space, source, item, finding, plan, link } = target;
    const person = all.users.find((u) => outside.includes(u.displayName ?? ''))!.id;
    const group = all.groups.find((g) => outside.includes(g.displayName))?.id ?? '';
    const every = { limit: '500', show: 'all', by: 'space', survey: '1', from: '1', to: '1' };
    return [
      { limit: '500', by: 'domain,department,level', of: 'dormant', space: space!, round: '1' },
      { limit: '500', by: 'owner', show: 'members', list: 'true' },
      { ...every, node: node!, identity: `user:${person}`, key: `user:${person}`, id: finding! },
      {
        node: space!,
        identity: person,
        key: `group:${group}`,
        id: plan!,
        kind: 'link',
        source: source!,
        item: item!,
      },
      {
        kind: 'link',
        source: 'drives',
        id: link!,
        finding: finding!,
        domain: 'fjordport.example',
        text: 'a',
      },
      {
        parent: space!,
        key: 'domain:fjordport.example',
        partner: 'true',
        domain: 'fjordport.example',
        limit: '500',
      },
      {
        id: 'iban',
        text: all.spaces[0]!.name,
        by: 'department',
        at: '[null]',
        limit: '500',
        survey: '1',
      },
      { id: '1', rule: 'r1' },
      { key: 'drives:any-format.drives', app: 'drives:any-format.drives', node: node! },
      { key: 'sites:site-index.sites', limit: '500' },
      { key: 'units', text: '', what: 'iban' },
      { key: 'groups', what: 'pack:bank-data', certainty: '30' },
      { asked: '6d0f4a52-93a1-4b3d-9a55-0d2f4c7b1e10', table: 'items', where: 'weight > 0' },
    ];
  };

  it.each([
    ['an account', asDeputy],
    ['a token', () => Promise.resolve(asPart())],
  ])('is told nothing of what lies outside by any endpoint that is read: %s', async (who, headers) => {
    const endpoints = (await listEndpoints()).filter(
      (e) => e.method === 'GET' && e.declared!.role !== 'public',
    );
    const answered = new Map<string, Set<number>>();
    for (const { path } of endpoints) {
      if (path === '/api/events') continue;
      const seen = new Set<number>();
      answered.set(path, seen);
      const ids = [target.finding!, target.plan!, 'iban'];
      const paths = path.includes('[id]')
        ? ids.map((id) => `${path.replace('[id]', id)}?version=1`)
        : questions().map((q) => `${path}?${new URLSearchParams(q)}`);
      const tables =
        path === '/api/export'
          ? TABLES.flatMap((table) =>
              (who === 'an account' ? ['csv', 'xlsx', 'jsonl'] : ['jsonl']).map((format) => {
                const more = table.startsWith('cross')
                  ? `&by=domain${table === 'cross' ? '' : '&at=%5Bnull%5D'}`
                  : '';
                return `${path}?table=${table}&format=${format}${table === 'changes' ? '&from=1&to=1' : more}`;
              }),
            )
          : [];
      for (const url of [path.includes('[id]') ? [] : [path], paths, tables].flat()) {
        const response = await scene.raw('GET', url, { headers: await headers() }).catch((e: unknown) => {
          throw new Error(`GET ${url}`, { cause: e });
        });
        seen.add(response.status);
        expect(response.status, `GET ${url}`).not.toBe(500);
        // an export that is refused on its way ends before its end
        const text = await told(response).catch(() => '');
        expect(found(text), `GET ${url}`).toEqual([]);
        expect(text.includes('elsewhere.invalid'), `GET ${url} tells of a pseudonym`).toBe(false);
      }
    }
    // each was really asked: it answered, or said that it is not for whoever is held to a part, or for a token
    for (const [path, seen] of answered)
      expect(
        [...seen].some((s) => [200, 403, 404].includes(s)),
        `${path}: ${[...seen].join(', ')}`,
      ).toBe(true);
    const refused = [...answered].filter(([, seen]) => [...seen].every((s) => s === 403 || s === 422));
    expect(refused.map(([path]) => path).filter((p) => !p.startsWith('/api/accounts/'))).toEqual(
      [
        '/api/accounts',
        '/api/apps/approvals',
        '/api/apps/domains',
        '/api/apps/scopes',
        '/api/decisions',
        '/api/decisions/asking',
        '/api/events/list',
        '/api/events/telling',
        '/api/events/times',
        '/api/ledger/check',
        '/api/ledger/export',
        '/api/ledger/heads',
        '/api/ledger',
        '/api/messages',
        '/api/messages/settings',
        '/api/messages/alerts',
        '/api/orders/[id]',
        '/api/orders/coaching',
        '/api/orders',
        '/api/orders/reasons',
        '/api/orders/runs/[id]',
        '/api/orders/runs',
        '/api/orders/suspended',
        '/api/policies/[id]',
        '/api/policies/applies',
        '/api/policies/around',
        '/api/policies/coverage',
        '/api/policies/foretell',
        '/api/policies/hits',
        '/api/policies/marks',
        '/api/policies/names',
        '/api/policies',
        '/api/policies/versions/[id]',
        '/api/problems',
        '/api/retention',
        '/api/rounds/[id]',
        '/api/rounds',
        '/api/rounds/answers',
        '/api/rounds/certificate',
        '/api/charters',
        '/api/spaces',
        '/api/spaces/one',
        '/api/schedule',
        '/api/signals/[id]',
        '/api/signals/patterns',
        '/api/signals',
        '/api/survey-failures',
      ]
        .filter((p) => answered.has(p))
        .sort((a, b) => [...answered.keys()].indexOf(a) - [...answered.keys()].indexOf(b)),
    );
  });

  it('does nothing to what lies outside by any endpoint that changes something', async () => {
    const { source, item, finding, plan, link } = target;
    const change = { kind: 'link', source: 'drives', id: link };
    const member = { kind: 'member', source: 'directory', id: 'g-crew u-1' };
    const items = [{ source, item }];
    const pattern = {
      name: 'x',
      severity: 'low',
      window: { by: 'actor', distinct: 'item', count: 1, within: 'PT1H' },
    };
    const goal = { keepOut: { outside: true }, items, words: 'a goal' };
    /** What each is sent, and what it answers. */
    const sent: Record<string, [number, Json][]> = {
      'POST /api/accounts': [[403, { name: 'x', address: 'x@tarntide.example', role: 'steward' }]],
      'PUT /api/accounts': [[403, { id: 1, act: 'disable' }]],
      'PUT /api/accounts/sign-in': [[403, { idleMinutes: 30, longestHours: 12, secondFactor: [] }]],
      'PUT /api/accounts/sso': [
        [
          403,
          {
            name: 'x',
            issuer: 'https://x.example',
            clientId: 'x',
            secret: 'x',
            claim: 'groups',
            roles: [],
            otherwise: 'steward',
            makes: true,
            passwords: true,
            emergency: null,
          },
        ],
      ],
      'POST /api/accounts/sso': [[403, { approved: true, at: '2026-01-01' }]],
      'DELETE /api/accounts/sso': [[403, {}]],
      'POST /api/accounts/scim': [[403, {}]],
      'PUT /api/approval': [[403, { people: 9, spaces: 9, weight: 4, suspension: true }]],
      'POST /api/approval': [[403, { approved: true, at: '2026-01-01' }]],
      'POST /api/contents/scan': [[404, { source: source!, item: item! }]],
      'POST /api/cuts': [[404, { items, keepOut: { outside: true } }]],
      'DELETE /api/cuts': [[200, { asked: '6d0f4a52-93a1-4b3d-9a55-0d2f4c7b1e10' }]],
      'PUT /api/data-types/[id]': [[403, { name: 'x' }]],
      'DELETE /api/data-types/[id]': [[403, {}]],
      'PUT /api/data-types/bench': [[422, {}]],
      'POST /api/data-types/bench': [[200, {}]],
      'PUT /api/data-types/certainty': [[403, { type: null, certainty: 50 }]],
      'PUT /api/data-types/marks': [
        [403, { type: 'iban', source: source!, item: item!, place: 'body 1', certainty: 50, right: true }],
      ],
      'PUT /api/data-types/pictures': [[403, { read: true }]],
      'POST /api/data-types/words': [[200, {}]],
      'POST /api/extracts': [[403, {}]],
      'PUT /api/extracts/[id]': [[422, {}]],
      'POST /api/extracts/[id]': [[403, {}]],
      'POST /api/findings/pick-up': [[200, { findings: [Number(finding)] }]],
      'POST /api/findings/triage': [
        [404, { findings: [Number(finding)], decision: { act: 'note', note: 'x' } }],
      ],
      'POST /api/holdings/what-if': [[200, { changes: [change] }]],
      'POST /api/ledger/heads': [[403, {}]],
      'PUT /api/apps/approvals': [
        [403, { app: 'drives:x', approved: true, groups: [], scopes: [], until: null, reason: 'to see' }],
      ],
      'POST /api/apps/approvals': [
        [403, { id: 1, approved: true, groups: [], until: null, answer: 'to see' }],
      ],
      'DELETE /api/apps/approvals': [[403, { id: 1 }]],
      'POST /api/apps/pass': [[403, { id: 1, to: 'x@tarntide.example' }]],
      'PUT /api/apps/domains': [[403, { url: '' }]],
      'PUT /api/apps/scopes': [[403, { kind: '', scope: 'x', words: 'do a thing', means: [] }]],
      'DELETE /api/apps/scopes': [[403, { kind: '', scope: 'x' }]],
      'PUT /api/outside/partner': [[403, { domain: 'x.example', until: null, sponsor: 'x' }]],
      'DELETE /api/outside/partner': [[403, { domain: 'x.example' }]],
      'POST /api/policies': [[403, { policy: {} }]],
      'POST /api/policies/try': [[403, { policy: {}, rule: 'r1' }]],
      'POST /api/policies/trial': [[403, { policy: {}, rule: 'r1' }]],
      'PUT /api/policies/marks': [[403, { id: 1, rule: 'r1', key: 'item:x:y', right: true }]],
      'PUT /api/policies/[id]': [[403, { policy: {}, version: 1 }]],
      'POST /api/policies/[id]': [[403, { act: 'run' }]],
      'DELETE /api/policies/[id]': [[403, {}]],
      'POST /api/policies/exceptions': [
        [403, { policy: 1, keys: ['item:x:y'], until: '2099-01-01', reason: 'x' }],
      ],
      'POST /api/decisions/asking': [[403, { source: 'drives' }]],
      'DELETE /api/decisions/asking': [[403, { source: 'drives' }]],
      'POST /api/events/telling': [[403, { source: 'drives' }]],
      'PUT /api/events/telling': [[403, { keptDays: 30 }]],
      'DELETE /api/events/telling': [[403, { source: 'drives' }]],
      'POST /api/events/in/[source]': [[401, {}]],
      'PUT /api/schedule': [[403, { zone: 'UTC', full: null, incremental: null }]],
      'PUT /api/answers/[id]': [[404, { id: 1, what: 'keep' }]],
      'PUT /api/desk/[id]': [[404, { id: 1, given: [{ n: 0, what: 'remove' }], send: true }]],
      'POST /api/rounds': [[403, { round: { name: 'x', kind: 'guests', where: 'true' } }]],
      'PUT /api/charters': [
        [403, { of: 'purpose', doc: { id: 'x', name: 'x', description: '', dormantDays: 30 } }],
      ],
      'DELETE /api/charters': [[403, { of: 'purpose', id: 'x' }]],
      'POST /api/spaces': [[403, { does: { act: 'archive', spaces: ['space:x'] } }]],
      'POST /api/rounds/preview': [[403, { round: { name: 'x', kind: 'guests', where: 'true' } }]],
      'POST /api/rounds/[id]': [[403, { does: { act: 'end' } }]],
      'PUT /api/messages': [[403, { ids: [1] }]],
      'PUT /api/messages/settings': [
        [
          403,
          {
            host: 'x',
            port: 25,
            security: 'tls',
            user: '',
            password: '',
            from: 'x@x.example',
            site: 'https://x.example',
          },
        ],
      ],
      'PUT /api/messages/alerts': [[403, { rules: [] }]],
      'POST /api/messages/settings': [[403, { to: 'x@x.example' }]],
      'PUT /api/messages/wish': [[200, { gather: 'daily', quiet: null }]],
      'POST /api/orders': [[403, { order: {} }]],
      'PUT /api/orders/[id]': [[403, { order: {}, from: 1 }]],
      'DELETE /api/orders/[id]': [[403, {}]],
      'POST /api/orders/foresee': [[403, { order: {} }]],
      'POST /api/orders/begin': [[403, { order: 1, signal: 1 }]],
      'DELETE /api/orders/exceptions': [[403, { id: 1 }]],
      'PUT /api/orders/reasons': [[403, { reasons: [] }]],
      'PUT /api/orders/runs': [[403, { ids: [1], act: 'cancel' }]],
      'PUT /api/orders/runs/[id]': [[403, { until: '2099-01-01', reason: 'because' }]],
      'DELETE /api/orders/suspended': [[403, { id: 1 }]],
      'PUT /api/signals': [[403, { ids: [1], state: 'ignored' }]],
      'POST /api/signals/patterns': [[403, pattern]],
      'PUT /api/signals/patterns': [[403, { ...pattern, id: 1, version: 1 }]],
      'DELETE /api/signals/patterns': [[403, { id: 1 }]],
      'DELETE /api/policies/exceptions': [[403, { id: 1 }]],
      'PUT /api/packs/[id]': [[403, { name: 'x', about: '', types: ['iban'] }]],
      'DELETE /api/packs/[id]': [[403, {}]],
      'POST /api/plans': [[409, { name: 'x' }]],
      'POST /api/plans/[id]': [
        [404, { act: 'discard' }],
        [404, { act: 'renew' }],
        [404, { act: 'apply' }],
        [404, { act: 'undo' }],
        [404, { act: 'schedule', at: '2030-01-01T00:00:00Z' }],
        [404, { act: 'decide', approved: true, survey: 1 }],
      ],
      'PUT /api/retention': [[403, { surveyDays: 30, runDays: null }]],
      'POST /api/sources': [
        [403, { id: 'x', kind: 'drives', name: 'x', url: 'https://x.example', token: 'x' }],
      ],
      'PUT /api/sources': [[403, { id: 'drives', paused: true }]],
      'DELETE /api/sources': [[403, { id: 'drives' }]],
      'POST /api/surveys': [[403, {}]],
      'DELETE /api/surveys': [[403, { id: 1 }]],
      'POST /api/tray': [
        [404, { changes: [change] }],
        [404, { changes: [member] }],
        [404, { changes: [change], goal }],
      ],
      'PUT /api/tray': [[200, {}]],
      'DELETE /api/tray': [[200, {}]],
      'POST /api/views': [[200, { name: 'x', path: '/exposure/watch', search: '', shared: false }]],
      'DELETE /api/views': [[200, { id: 1 }]],
    };
    const writing = (await listEndpoints()).filter(
      (e) =>
        e.method !== 'GET' &&
        e.declared!.role !== 'public' &&
        !e.path.startsWith('/api/session') &&
        !/^\/api\/accounts\/(?:own|second|tokens|dates)$/.test(e.path),
    );
    for (const { method, path } of writing) {
      const cases = sent[`${method} ${path}`];
      expect(cases, `${method} ${path} is not tried here`).toBeDefined();
      for (const [status, body] of cases!) {
        const url = path.replace(
          '[id]',
          /plans|policies|orders|answers|rounds|desk/.test(path) ? plan! : 'iban',
        );
        const response = await scene.raw(method, url, { headers: asPart(), body });
        const text = await response.text();
        expect([`${method} ${path} ${JSON.stringify(body)}`, response.status, text.slice(0, 200)]).toEqual([
          `${method} ${path} ${JSON.stringify(body)}`,
          status,
          text.slice(0, 200),
        ]);
        expect(found(text), `${method} ${path}`).toEqual([]);
      }
    }
    // nothing was picked up, and what is outside is as it was
    const tray = (await (await scene.raw('GET', '/api/tray', { headers: asPart() })).json()) as { list: [] };
    expect(tray.list).toEqual([]);
    expect(await scene.api('GET', `/api/plans/${plan}`)).toMatchObject({ state: 'draft' });
  });

  it('signs in again while it is signed in, as everybody does', async () => {
    const response = await scene.raw('POST', '/api/session', {
      headers: await asDeputy(),
      body: { address: 'deputy@tarntide.example', password: 'lantern-deputy' },
    });
    expect(response.status).toBe(200);
  });

  it('makes and applies a plan of what lies in it, which the whole sees too', async () => {
    const grant = part.grants.find((g) => g.role !== 'owner')!;
    const [source, ...id] = grant.id.split(':');
    const changes = [{ kind: 'grant', source, id: id.join(':') }];
    const post = async <T>(path: string, body: object): Promise<T> => {
      const response = await scene.raw('POST', path, { headers: asPart(), body });
      const answer = (await response.json()) as T;
      expect([response.status, answer]).toEqual([200, answer]);
      return answer;
    };
    await post('/api/tray', { changes });
    const { id: plan } = await post<{ id: number }>('/api/plans', { name: 'Within the part' });
    const list = (await (await scene.raw('GET', '/api/plans', { headers: await asDeputy() })).json()) as {
      rows: { id: number; name: string }[];
    };
    expect(list.rows.map((p) => p.name)).toEqual(['Within the part']);
    await post(`/api/plans/${plan}`, { act: 'discard' });
    expect(await scene.api('GET', `/api/plans/${plan}`)).toMatchObject({ state: 'discarded' });
  });

  it('hears that another survey is in force, and nothing else of what happens', async () => {
    const response = await scene.raw('GET', '/api/events', { headers: asPart() });
    const reader = response.body!.getReader();
    await scene.survey('incremental');
    let text = '';
    while (!text.includes('event: present')) text += new TextDecoder().decode((await reader.read()).value);
    await reader.cancel();
    expect(text).not.toContain('event: job');
  });
});

describe('a token for machines', () => {
  const make = async (more: Json, role: 'steward' | 'auditor' = 'steward') => {
    const lastDay = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);
    const body = { name: 'a machine', role: 'auditor', lastDay, held: null, ...more };
    const response = await scene.raw('POST', '/api/accounts/tokens', { role, body });
    return { status: response.status, ...((await response.json()) as { token: string; detail?: string }) };
  };
  const status = async (token: string, method: string, path: string, body?: Json): Promise<number> =>
    (await scene.raw(method, path, { headers: { authorization: `Bearer ${token}`, origin: '' }, body }))
      .status;

  it('opens every endpoint that its role does, needs no page of ours, and makes no other token', async () => {
    const { token } = await make({});
    for (const { path, method, declared } of await listEndpoints()) {
      const { role, session } = declared!;
      if (role === 'public' || path === '/api/events') continue;
      const answer = await status(
        token,
        method,
        path.replace('[id]', 'x'),
        method === 'GET' ? undefined : {},
      );
      const closed = role === 'steward' || session;
      if (closed) expect([`${method} ${path}`, answer]).toEqual([`${method} ${path}`, 403]);
      else expect([401, 403, 500], `${method} ${path}: ${answer}`).not.toContain(answer);
    }
  });

  it('serves gl: it asks, exports, surveys, and answers of a survey as of an extract', async () => {
    const { token } = await make({ role: 'steward' });
    const gl = (args: string[], env: NodeJS.ProcessEnv = { GATE_LANTERN_TOKEN: token }, input = '') =>
      runGl(['--server', scene.base, ...args], { env, input });
    const lines = (out: string): Json[] =>
      out
        .split('\n')
        .filter(Boolean)
        .map((l) => JSON.parse(l) as Json);
    const { total } = await scene.api<FindingsPage>('GET', '/api/findings?state=open');
    const exported = await gl(['export', 'findings', 'state=open']);
    expect([exported.status, exported.err, lines(exported.out).length]).toEqual([0, '', total]);
    const got = await gl(['get', 'findings', 'state=open', 'limit=3']);
    expect(lines(got.out).map((r) => r.id)).toEqual(
      (await scene.api<FindingsPage>('GET', '/api/findings?state=open&limit=3')).rows.map((r) => r.id),
    );
    const item = all.items.find((i) => i.id === `${target.source}:${target.item}`)!;
    const who = await gl(['who', 'now', item.id]);
    const page = await scene.api<{ total: number }>(
      'GET',
      `/api/holdings/who?node=${encodeURIComponent(target.node!)}`,
    );
    expect([who.status, who.err, lines(who.out).length]).toEqual([0, '', page.total]);
    expect(lines((await gl(['survey'])).out)).toMatchObject([{ state: 'done' }]);
    expect(lines((await gl(['send', 'POST', 'cuts'], undefined, '{"items":[]}')).out)).toEqual([]);
    for (const [args, env, says] of [
      [['get', 'findings'], { GATE_LANTERN_TOKEN: 'x' }, /token/],
      [['get', 'findings'], { GATE_LANTERN_TOKEN: '' }, /Give a token/],
      [['get', 'nothing-here'], { GATE_LANTERN_TOKEN: token }, /404/],
      [['find', 'now', 'weight > 0'], { GATE_LANTERN_TOKEN: token }, /no contents/],
      [['who', 'some-dir', 'x'], { GATE_LANTERN_TOKEN: token }, /“now” or the number/],
      [['get', 'findings', 'x'], { GATE_LANTERN_TOKEN: token }, /NAME=VALUE/],
    ] as const) {
      const { status, err } = await gl([...args], env);
      expect([args, status, err]).toEqual([args, 2, expect.stringMatching(says)]);
      expect(err).not.toContain(token);
    }
    const far = await gl(['--server', 'http://lantern.example', 'get', 'findings']);
    expect([far.status, far.err]).toEqual([2, expect.stringContaining('over https alone')]);
  });

  it('is no more than whoever makes it, ends at once, with its day, and with its account', async () => {
    expect((await make({ role: 'steward' }, 'auditor')).status).toBe(403);
    expect((await make({ lastDay: '2020-01-01' })).status).toBe(422);
    expect((await make({ lastDay: '2199-01-01' })).status).toBe(422);
    const wider = await scene.raw('POST', '/api/accounts/tokens', {
      headers: { cookie: await scene.cookieOf('deputy') },
      body: {
        name: 'x',
        role: 'auditor',
        lastDay: new Date().toISOString().slice(0, 10),
        held: { workspaces: ['drives'] },
      },
    });
    expect(wider.status).toBe(403);
    const { token } = await make({}, 'auditor');
    const me = await scene.raw('GET', '/api/session', { headers: { authorization: `Bearer ${token}` } });
    expect((await me.json()) as Account).toMatchObject({
      role: 'auditor',
      address: 'auditor@tarntide.example',
    });
    // a cookie that comes along lends it nothing
    const cookie = await scene.cookieOf('steward');
    expect(
      (await scene.raw('GET', '/api/accounts', { headers: { authorization: `Bearer ${token}`, cookie } }))
        .status,
    ).toBe(403);
    expect(await status(`${token}x`, 'GET', '/api/session')).toBe(401);
    const tokens = (await scene.api<{ id: number; by: string }[]>('GET', '/api/accounts/tokens')).filter(
      (t) => t.by === 'auditor@tarntide.example',
    );
    await scene.api('DELETE', '/api/accounts/tokens', { id: tokens[0]!.id });
    expect(await status(token, 'GET', '/api/session')).toBe(401);
    const again = await make({}, 'auditor');
    const { rows } = await scene.api<AccountList>('GET', '/api/accounts');
    const auditor = rows.find((a) => a.role === 'auditor')!;
    await scene.api('PUT', '/api/accounts', { id: auditor.id, act: 'disable' });
    expect(await status(again.token, 'GET', '/api/session')).toBe(401);
    const dump = JSON.stringify(await scene.api('GET', '/api/ledger?limit=500'));
    expect(dump).toContain('token.made');
    for (const t of [token, again.token, tokenOfPart]) expect(dump).not.toContain(t);
  });
});
