/** What is planted is looked for in the log, in every file of the data directory, and in what auditors are told. */
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { Secret, TOTP } from 'otpauth';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Scene } from './harness.ts';

/** Each stands for something that opens something, or that nobody is to read; none is written so by the application itself. */
const PLANTED = {
  password: 'planted-wrong-password-1f8c',
  newPassword: 'seven gulls over planted-water-77d1',
  sourceToken: 'planted-source-token-a91b',
  clientSecret: 'planted-client-secret-c02e',
  search: 'GB33BUKB20201555555555',
  bench: 'NO9386011117947',
  header: 'planted-header-7ac2',
};
const scene = new Scene();
/** What is made while it runs. */
const made: Record<string, string> = {};
const OUTPUT: string[] = [];

beforeAll(async () => {
  await scene.up();
  await scene.kill('SIGTERM');
  await scene.startApp({ GATE_LANTERN_LOG: 'debug', GATE_LANTERN_METRICS_TOKEN: 'measure' });
}, 120_000);
afterAll(() => scene.down());

const files = (dir: string): string[] =>
  readdirSync(dir).flatMap((name) => {
    const path = join(dir, name);
    return statSync(path).isDirectory() ? files(path) : [path];
  });

describe('what is planted', () => {
  it('is sent by every way that takes something', async () => {
    await scene.survey();
    const post = (path: string, body: unknown, headers: Record<string, string> = {}) =>
      scene.raw('POST', path, { body, headers });
    for (const address of ['steward@tarntide.example', 'planted-nobody@tarntide.example'])
      expect((await post('/api/session', { address, password: PLANTED.password })).status).toBe(401);
    const secret = await scene.api<{ code: { seed: string } }>(
      'POST',
      '/api/accounts/second',
      { act: 'code', password: 'lantern-owner' },
      'owner',
    );
    made.seed = secret.code.seed;
    const code = new TOTP({ secret: Secret.fromBase32(made.seed) }).generate();
    const { recovery } = await scene.api<{ recovery: string[] }>(
      'PUT',
      '/api/accounts/second',
      { code },
      'owner',
    );
    recovery.forEach((r, n) => (made[`recovery ${n}`] = r));
    const day = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);
    const token = await scene.api<{ token: string }>('POST', '/api/accounts/tokens', {
      name: 'planted',
      role: 'steward',
      lastDay: day,
      held: null,
    });
    made.token = token.token;
    made.scim = (await scene.api<{ token: string }>('POST', '/api/accounts/scim', {})).token;
    made.cookie = (await scene.cookieOf('steward')).split('=')[1]!;
    await scene.api(
      'PUT',
      '/api/accounts/own',
      { old: 'lantern-auditor', password: PLANTED.newPassword },
      'auditor',
    );
    await scene.api('POST', '/api/sources', {
      id: 'planted',
      kind: 'drives',
      name: 'Planted',
      url: 'http://127.0.0.1:9/drives/v1',
      token: PLANTED.sourceToken,
    });
    await scene.api('PUT', '/api/accounts/sso', {
      name: 'P',
      issuer: 'http://127.0.0.1:9',
      clientId: 'c',
      secret: PLANTED.clientSecret,
      claim: 'groups',
      roles: [],
      otherwise: null,
      makes: false,
      passwords: true,
      emergency: null,
    });
    // what is searched for, brought to the bench, put into a header or a path
    await scene.api('GET', `/api/findings?text=${PLANTED.search}`);
    await scene.raw('GET', `/api/export?table=findings&format=csv&text=${PLANTED.search}`, {
      role: 'steward',
    });
    await scene.raw('GET', `/api/${PLANTED.header}/${PLANTED.search}`, {
      headers: { 'x-planted': PLANTED.header },
    });
    await scene.raw('GET', `/${PLANTED.header}?q=${PLANTED.search}`, {
      headers: { authorization: `Bearer ${PLANTED.header}` },
    });
    await scene.raw('POST', '/api/data-types/bench', {
      role: 'steward',
      body: `IBAN: ${PLANTED.bench}`,
      headers: { 'content-type': 'application/octet-stream' },
    });
    // an error on the way: a number that no database takes
    await scene.raw('GET', '/api/holdings/node?node=item:drives:' + PLANTED.header, { role: 'steward' });
    await scene.raw('POST', '/scim/v2/Users', {
      headers: { authorization: `Bearer ${made.scim}`, 'content-type': 'application/json' },
      body: { userName: 'scim-made@tarntide.example', displayName: 'S' },
    });
    const { id } = await scene.api<{ id: number }>('POST', '/api/surveys', { kind: 'full' });
    await scene.surveyEnd(id);
    OUTPUT.push(...scene.output);
  });

  it('is not in the log, which says what was asked and how it went', () => {
    const log = OUTPUT.filter((l) => l.startsWith('{')).map((l) => JSON.parse(l) as Record<string, unknown>);
    expect(log.length).toBeGreaterThan(30);
    expect(log).toContainEqual(
      expect.objectContaining({ method: 'POST', route: '/api/session', status: 401, source: '127.0.0.1' }),
    );
    expect(log).toContainEqual(expect.objectContaining({ job: 'survey', state: 'done' }));
    const text = OUTPUT.join('\n');
    for (const [name, value] of Object.entries({ ...PLANTED, ...made }))
      expect(text.includes(value), `${name} is in the log`).toBe(false);
    expect(text).not.toContain('planted-nobody');
  });

  it('is in no file of the data directory, as it is or in base64', async () => {
    // what the database has in memory is written when it ends
    await scene.kill('SIGTERM');
    const all = files(join(scene.home, 'data'));
    expect(all.length).toBeGreaterThan(100);
    const wanted = Object.entries({ ...PLANTED, ...made }).flatMap(([name, value]) => [
      [name, value],
      [`${name} in base64`, Buffer.from(value).toString('base64').slice(0, -4)],
    ]);
    for (const file of all) {
      const bytes = readFileSync(file);
      for (const [name, value] of wanted) expect(bytes.includes(value!), `${name} is in ${file}`).toBe(false);
    }
    for (const dir of ['data', 'data/db']) expect(statSync(join(scene.home, dir)).mode & 0o077, dir).toBe(0);
    await scene.startApp({ GATE_LANTERN_METRICS_TOKEN: 'measure' });
  });

  it('nor among the numbers, which the operator’s token alone reads', async () => {
    const ask = (authorization?: string) =>
      scene.raw('GET', '/metrics', authorization ? { headers: { authorization } } : {});
    expect((await ask()).status).toBe(404);
    expect((await ask(`Bearer ${made.token}`)).status).toBe(404);
    await scene.api('GET', '/api/course');
    const text = await (await ask('Bearer measure')).text();
    expect(text).toMatch(
      /gate_lantern_request_seconds_count\{method="GET",route="\/api\/course",status="200"\} \d/,
    );
    expect(Number(/gate_lantern_open_findings (\d+)/.exec(text)![1])).toBeGreaterThan(10);
    for (const value of Object.values({ ...PLANTED, ...made })) expect(text).not.toContain(value);
    expect(text).not.toContain('tarntide');
  });
});
