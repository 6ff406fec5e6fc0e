/**
 * Decisions at the moment, asked as a workspace asks: by the AuthZEN Authorization API 1.0 (OpenID Foundation; its shapes and
 * semantics from memory).
 */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { GrantRow, ItemRow } from '../../src/core/model.ts';
import type { Rule } from '../../src/core/guard/schema.ts';
import type { DecisionAnswer, DecisionsPage, Evaluation } from '../../src/dto/decisions.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene();
let token: string;
let file: ItemRow;
let owner: string;
let stranger: string;
beforeAll(async () => {
  await scene.upSurveyed();
  ({ token } = await scene.api<{ token: string }>('POST', '/api/decisions/asking', { source: 'drives' }));
  const items = await scene.truth<ItemRow[]>('items');
  const drives = new Set(
    (await scene.truth<{ id: string; workspace: string }[]>('spaces'))
      .filter((s) => s.workspace === 'drives')
      .map((s) => s.id),
  );
  file = items.find((i) => i.kind === 'file' && drives.has(i.space) && i.owner)!;
  owner = file.owner!;
  const people = await scene.truth<{ id: string; active?: boolean }[]>('users');
  const granted = new Set(
    (await scene.truth<GrantRow[]>('grants')).flatMap((g) => ('user' in g.to ? g.to.user : [])),
  );
  stranger = people.find((u) => u.active !== false && u.id !== owner && !granted.has(u.id))!.id;
});
afterAll(() => scene.down());

const raw = (path: string, body: unknown, headers: Record<string, string> = {}) =>
  fetch(`${scene.base}${path}`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', ...headers },
    body: typeof body === 'string' ? body : JSON.stringify(body),
  });
const question = (name: string, context: Evaluation['context'] = {}, more: Partial<Evaluation> = {}) => ({
  subject: { type: 'user', id: owner },
  resource: { type: 'file', id: file.id },
  action: { name },
  context,
  ...more,
});
const decide = async (q: object): Promise<DecisionAnswer> => {
  const response = await raw('/access/v1/evaluation', q);
  expect(response.status).toBe(200);
  return (await response.json()) as DecisionAnswer;
};
const OUT = { target: { email: 'someone@elsewhere.example' }, role: 'reader' as const };
const policy = (rules: Partial<Rule>[], more: object = {}) => ({
  format: 'gate-lantern-policy',
  version: 1,
  name: 'At the moment',
  rules: rules.map((r, n) => ({
    id: `r${n + 1}`,
    name: `Rule ${n + 1}`,
    subject: 'item',
    if: 'could >= outside',
    moments: ['share'],
    mode: 'enforce',
    severity: 'high',
    responses: [],
    ...r,
  })),
  ...more,
});
const make = async (...given: Parameters<typeof policy>): Promise<number> =>
  (await scene.api<{ id: number }>('POST', '/api/policies', { policy: policy(...given), note: 'tried' })).id;
const remove = (id: number) => scene.api('DELETE', `/api/policies/${id}`, {});
const recorded = (query = '') => scene.api<DecisionsPage>('GET', `/api/decisions?limit=500${query}`);

describe('a workspace that asks', () => {
  it('finds where to ask, and is known by its token alone', async () => {
    const found = await fetch(`${scene.base}/.well-known/authzen-configuration`);
    expect(await found.json()).toEqual({
      policy_decision_point: scene.base,
      access_evaluation_endpoint: `${scene.base}/access/v1/evaluation`,
      access_evaluations_endpoint: `${scene.base}/access/v1/evaluations`,
    });
    const ask = (headers: Record<string, string>) => raw('/access/v1/evaluation', question('open'), headers);
    expect((await ask({ authorization: '' })).status).toBe(401);
    expect((await ask({ authorization: 'Bearer gld_nothing' })).status).toBe(401);
    const cookie = await scene.cookieOf('steward');
    expect((await ask({ authorization: '', cookie })).status).toBe(401);
    const known = await ask({ 'x-request-id': 'r-17' });
    expect([known.status, known.headers.get('x-request-id')]).toEqual([200, 'r-17']);
  });

  it('is answered by what was surveyed: the owner may, a stranger may not, and what is new is unknown', async () => {
    for (const action of ['open', 'download', 'share', 'move'])
      expect((await decide(question(action))).decision, action).toBe(action !== 'share');
    expect((await decide(question('share', OUT))).decision).toBe(true);
    const not = await decide(question('open', {}, { subject: { type: 'user', id: stranger } }));
    expect(not).toMatchObject({
      decision: false,
      context: { reason_user: { 403: 'This cannot be opened by you.' } },
    });
    const fresh = { resource: { type: 'file', id: 'made-just-now' } };
    expect(await decide(question('open', {}, fresh))).toMatchObject({
      decision: false,
      context: { unknown: true },
    });
    const checked = await decide(question('open', { access: 'checked' }, fresh));
    expect(checked).toMatchObject({ decision: true, context: { unknown: true } });
    expect(await decide(question('juggle'))).toMatchObject({
      decision: false,
      context: { error: { status: 400 } },
    });
    await until('it to be recorded', async () => (await recorded('&outcome=no-access')).total === 1);
  });

  it('is refused what would reach outside, in the words of the rule, and not what stays inside', async () => {
    const id = await make([{ responses: [{ do: 'refuse', text: 'Ask the purser first.' }] }]);
    const no = await decide(question('share', OUT));
    expect(no).toMatchObject({ decision: false, context: { reason_user: { 403: 'Ask the purser first.' } } });
    expect(no.context!.reason_admin![403]).toBe(`Policy ${id} “At the moment”, version 1, rule r1 “Rule 1”.`);
    const inside = { ...OUT, target: { user: stranger } };
    expect((await decide(question('share', inside))).decision).toBe(true);
    expect((await decide(question('share', { audience: 'anyone' }))).decision).toBe(false);
    expect((await decide(question('share', { audience: 'organisation' }))).decision).toBe(true);
    expect((await decide(question('open'))).decision).toBe(true);
    await until('they to be recorded', async () => (await recorded(`&policy=${id}`)).total === 2);
    const [last] = (await recorded(`&policy=${id}`)).rows;
    expect(last).toMatchObject({
      outcome: 'refused',
      action: 'share',
      source: 'drives',
      target: 'link for anyone',
      ruleName: 'Rule 1',
      said: 'Ask the purser first.',
    });
    await remove(id);
    expect((await decide(question('share', OUT))).decision).toBe(true);
  });

  it('cautions, and lets whoever goes on, with a reason where one is wanted', async () => {
    const id = await make([{ responses: [{ do: 'caution', text: 'This leaves the house.', reason: true }] }]);
    const caution = await decide(question('share', OUT));
    expect(caution).toMatchObject({
      decision: true,
      context: { obligations: [{ id: 'caution', text: 'This leaves the house.', reason: true }] },
    });
    const on = (goesOn: { reason?: string }) => decide(question('share', { ...OUT, goesOn }));
    expect((await on({})).context!.obligations).toHaveLength(1);
    expect((await on({ reason: ' ' })).context!.obligations).toHaveLength(1);
    expect((await on({ reason: 'They are our auditors.' })).context!.obligations).toBeUndefined();
    const went = async () => (await recorded(`&policy=${id}&outcome=went-on`)).rows;
    await until('it to be recorded', async () => (await went()).length === 1);
    expect((await went())[0]).toMatchObject({ reason: 'They are our auditors.' });
    await remove(id);
  });

  it('is held to the strictest of several rules, is told of those that observe by nobody, and heeds exceptions', async () => {
    const id = await make([
      { responses: [{ do: 'caution' }] },
      { responses: [{ do: 'refuse' }] },
      { mode: 'observe', responses: [{ do: 'refuse' }] },
      { mode: 'paused', responses: [{ do: 'refuse' }] },
    ]);
    const no = await decide(question('share', OUT));
    expect(no.context!.reason_admin![403]).toContain('rule r2');
    await until('it to be recorded', async () => (await recorded(`&policy=${id}`)).total === 1);
    expect((await recorded(`&policy=${id}`)).rows[0]!.hits.map((h) => h.rule)).toEqual(['r1', 'r2', 'r3']);
    const except = {
      policy: id,
      keys: [`item:drives:${file.id}`],
      until: '2099-01-01',
      reason: 'a press pack',
    };
    await scene.api('POST', '/api/policies/exceptions', except);
    expect(await decide(question('share', OUT))).toMatchObject({ decision: true });
    await remove(id);
    const silent = await make([{ mode: 'observe', responses: [{ do: 'refuse' }] }]);
    const yes = await decide(question('share', OUT));
    expect([yes.decision, yes.context!.obligations, yes.context!.reason_admin]).toEqual([
      true,
      undefined,
      undefined,
    ]);
    await until(
      'it to be recorded',
      async () => (await recorded(`&policy=${silent}&outcome=would`)).total === 1,
    );
    await remove(silent);
  });

  it('is asked of those who act, and of links and grants that are about to be made', async () => {
    const people = (who: string) => ({ scope: { of: 'actor', include: { people: [who] } } });
    const mine = await make([{ if: 'true', responses: [{ do: 'refuse' }] }], people(owner));
    expect((await decide(question('share', OUT))).decision).toBe(false);
    await remove(mine);
    const theirs = await make([{ if: 'true', responses: [{ do: 'refuse' }] }], people(stranger));
    expect((await decide(question('share', OUT))).decision).toBe(true);
    await remove(theirs);
    const made = await make([
      { subject: 'link', if: 'audience == "anyone" && role != "reader"', responses: [{ do: 'refuse' }] },
      {
        subject: 'grant',
        if: 'to == "someone@elsewhere.example" && external && !ends',
        responses: [{ do: 'ask-first' }],
      },
    ]);
    expect((await decide(question('share', { audience: 'anyone', role: 'editor' }))).decision).toBe(false);
    expect((await decide(question('share', { audience: 'anyone', role: 'reader' }))).decision).toBe(true);
    const waits = await decide(question('share', OUT));
    expect(waits).toMatchObject({ decision: false, context: { obligations: [{ id: 'ask-first' }] } });
    const ends = { ...OUT, expiresAt: '2099-01-01T00:00:00Z' };
    expect((await decide(question('share', ends))).decision).toBe(true);
    await remove(made);
  });

  it('asks many at once, to the end or to the first no or yes', async () => {
    const id = await make([{ responses: [{ do: 'refuse' }] }]);
    const many = async (semantic?: string) => {
      const response = await raw('/access/v1/evaluations', {
        subject: { type: 'user', id: owner },
        resource: { type: 'file', id: file.id },
        action: { name: 'open' },
        evaluations: [
          {},
          { action: { name: 'share' }, context: OUT },
          { action: 17 },
          { action: { name: 'print' } },
        ],
        ...(semantic && { options: { evaluations_semantic: semantic } }),
      });
      return ((await response.json()) as { evaluations: DecisionAnswer[] }).evaluations.map(
        (e) => e.decision,
      );
    };
    expect(await many()).toEqual([true, false, false, true]);
    expect(await many('deny_on_first_deny')).toEqual([true, false]);
    expect(await many('permit_on_first_permit')).toEqual([true]);
    const single = await raw('/access/v1/evaluations', question('open'));
    expect(await single.json()).toMatchObject({ decision: true });
    await remove(id);
  });

  it('sends what cannot be read, and is told so', async () => {
    const status = async (body: unknown, headers = {}) =>
      (await raw('/access/v1/evaluation', body, headers)).status;
    expect(await status('{')).toBe(400);
    expect(await status({})).toBe(400);
    expect(await status(question('open', { role: 'emperor' } as never))).toBe(400);
    expect(await status('x', { 'content-type': 'text/plain' })).toBe(415);
    expect(await status({ ...question('open'), junk: 'x'.repeat(2_000_000) })).toBe(413);
    const hostile = question(
      'open',
      {},
      { subject: { type: 'user', id: "'; drop table decision; --<script>" } },
    );
    expect((await decide(hostile)).decision).toBe(false);
    await until('it to be recorded', async () => (await recorded('&text=drop%20table')).total === 1);
  });

  it('loses its token, and what was decided stays on the record over a kill', async () => {
    const before = (await recorded()).total;
    await scene.kill('SIGKILL');
    await scene.startApp();
    expect((await recorded()).total).toBe(before);
    expect((await decide(question('open'))).decision).toBe(true);
    await scene.api('DELETE', '/api/decisions/asking', { source: 'drives' });
    expect((await raw('/access/v1/evaluation', question('open'))).status).toBe(401);
  });
});
