/** Standing orders from what happens on the far side to the mail in the mailbox, the answer in the page and the change at the workspace. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { GrantRow, ItemRow, LinkRow, SpaceRow } from '../../src/core/model.ts';
import { ORDER_STARTERS } from '../../src/core/orders/starters.ts';
import type { Order, Step } from '../../src/core/orders/schema.ts';
import type { SignalPage } from '../../src/dto/events.ts';
import type { MessagesPage } from '../../src/dto/messages.ts';
import type { Coaching, Foreseen, QuestionPage, RunPage, RunsPage } from '../../src/dto/orders.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene({ mail: true });
let file: ItemRow;
let owner: { id: string; name: string; address: string };
const OUT = 'pilot@harbour-office.test';

const runs = (q = 'show=all') => scene.api<RunsPage>('GET', `/api/orders/runs?limit=200&${q}`);
const run = (id: number) => scene.api<RunPage>('GET', `/api/orders/runs/${id}`);
const order = (name: string, when: Order['when'], steps: Step[], more: Partial<Order> = {}): Order => ({
  format: 'gate-lantern-order',
  version: 1,
  name,
  severity: 'high',
  on: true,
  when,
  steps,
  ...more,
});
const make = (of: Order) => scene.api<{ id: number; version: number }>('POST', '/api/orders', { order: of });
const remove = (id: number) => scene.api('DELETE', `/api/orders/${id}`, {});
const ended = (id: number) =>
  until('a run to end', async () => {
    const { rows } = await runs(`show=over&order=${id}`);
    return rows[0] && run(rows[0].id);
  });
let n = 0;
/** Makes a link or grant on the far side, as a person does there. */
async function share(how: { audience?: 'anyone'; to?: string }): Promise<string> {
  const id = `made-${++n}`;
  const on = { item: file.id };
  if (how.audience) {
    const link: LinkRow = {
      id,
      on,
      audience: 'anyone',
      role: 'reader',
      createdBy: owner.id,
      createdAt: new Date().toISOString(),
    };
    await scene.control('PUT', 'truth/links', link);
  } else {
    const grant: GrantRow = {
      id,
      on,
      to: { email: how.to! },
      role: 'reader',
      grantedBy: owner.id,
      grantedAt: new Date().toISOString(),
    };
    await scene.control('PUT', 'truth/grants', grant);
  }
  return id;
}

beforeAll(async () => {
  await scene.upSurveyed();
  const spaces = new Map((await scene.truth<SpaceRow[]>('spaces')).map((s) => [s.id, s]));
  const users =
    await scene.truth<
      { id: string; displayName: string; userName: string; active?: boolean; emails?: { value: string }[] }[]
    >('users');
  file = (await scene.truth<ItemRow[]>('items')).find(
    (i) =>
      i.kind === 'file' &&
      i.owner &&
      spaces.get(i.space)?.workspace === 'drives' &&
      !i.held &&
      users.find((u) => u.id === i.owner)?.active !== false,
  )!;
  const u = users.find((x) => x.id === file.owner)!;
  owner = { id: u.id, name: u.displayName, address: (u.emails?.[0]?.value ?? u.userName).toLowerCase() };
  const secrets: Record<string, string> = {};
  for (const source of ['drives', 'sites', 'channels'])
    secrets[source] = (await scene.api<{ secret: string }>('POST', '/api/events/telling', { source })).secret;
  await scene.control('PUT', 'hearing', { url: `${scene.base}/api/events/in`, secrets, mode: 'structured' });
  await scene.setMail();
});
afterAll(() => scene.down());

describe('mail', () => {
  it('goes out as it is set, and the password is told to nobody', async () => {
    expect(await scene.api('POST', '/api/messages/settings', { to: 'somebody@tarntide.example' })).toEqual({
      sent: true,
    });
    const [letter] = await scene.letters('somebody@tarntide.example');
    expect(letter!.subject).toBe('A test message from Gate Lantern');
    await scene.control('PUT', 'mail', { mode: 'never', times: 1 });
    const no = await scene.raw('POST', '/api/messages/settings', {
      role: 'steward',
      body: { to: 'x@tarntide.example' },
    });
    expect([no.status, ((await no.json()) as { detail: string }).detail]).toEqual([
      502,
      expect.stringContaining('No such mailbox'),
    ]);
  });
});

describe('a link for anyone', () => {
  it('is asked about, and withdrawn by whoever made it from the page that the mail opens', async () => {
    const starter = ORDER_STARTERS.find((s) => s.name === 'A link for anyone on a heavy file')!;
    const { id } = await make({ ...starter, if: 'target == "anyone"' });
    const link = await share({ audience: 'anyone' });
    const [asked] = await until('the question in the mailbox', async () => {
      const found = (await scene.letters(owner.address)).filter((l) => l.subject.startsWith('Why is'));
      return found.length > 0 && found;
    });
    expect(asked!.text).toContain(`Hello ${owner.name}`);
    expect(asked!.text).toContain(file.name);
    expect(asked!.attachments[0]!.type).toBe('text/calendar');
    expect(asked!.attachments[0]!.text).toContain('BEGIN:VEVENT');
    const opened = /\/answer#(\S+)/.exec(asked!.text)![1]!;
    const open = (token: string) => scene.raw('POST', '/api/answers/link', { body: { link: token } });
    const question = (await (await open(opened)).json()) as QuestionPage;
    expect(question).toMatchObject({
      state: 'open',
      reader: owner.name,
      answers: ['reason', 'undo', 'not-me'],
    });
    expect(question.things.map((t) => t.name)).toEqual([file.name]);
    // no wider than the question, and not to be guessed
    expect((await open(opened.replace(/^\d+/, (q) => String(Number(q) + 1)))).status).toBe(404);
    expect((await open(opened.slice(0, -1) + (opened.endsWith('A') ? 'B' : 'A'))).status).toBe(404);
    expect(JSON.stringify(question)).not.toContain('@');
    const wrong = await scene.raw('PUT', '/api/answers/link', { body: { link: opened, what: 'remove' } });
    expect(wrong.status).toBe(422);
    const answer = await scene.raw('PUT', '/api/answers/link', { body: { link: opened, what: 'undo' } });
    expect(await answer.json()).toMatchObject({ state: 'answered', answer: { what: 'undo', by: 'you' } });
    const page = await ended(id);
    expect(await scene.truth('links', link)).toBeNull();
    expect(page.did.map((d) => d.what)).toEqual([
      'asked',
      'answered',
      'planned',
      'changed',
      'branched',
      'branched',
    ]);
    expect(page.state).toBe('done');
    // the dossier of the file tells of it
    const about = await runs(`show=all&key=${encodeURIComponent(`item:drives:${file.id}`)}`);
    expect(about.rows.map((r) => r.id)).toEqual([page.id]);
    expect((await runs('show=all&key=item:drives:none')).total).toBe(0);
    // a plan like any other: it can be undone
    const { plan } = page.did.find((d) => d.plan)!;
    expect(await scene.api('GET', `/api/plans/${plan}`)).toMatchObject({ state: 'applied' });
    const shown = (await (await open(opened)).json()) as QuestionPage;
    expect(shown.effect).toContain('Done: ');
    // the first answer counts
    const second = await scene.raw('PUT', '/api/answers/link', {
      body: { link: opened, what: 'reason', reason: 'x' },
    });
    expect([second.status, ((await second.json()) as { detail: string }).detail]).toEqual([
      409,
      expect.stringContaining('was first'),
    ]);
    const coaching = await scene.api<Coaching>('GET', '/api/orders/coaching?by=person');
    expect(coaching.rows).toMatchObject([{ name: owner.name, notices: 1, answered: 1, undone: 1, again: 0 }]);
    await remove(id);
  });
});

describe('a reason that is enough', () => {
  it('is accepted by the order itself: until its day none begins about the same, and another reason is no exception', async () => {
    const steps: Step[] = [
      {
        do: 'ask',
        to: [{ owner: true }],
        subject: 'A reason for {{ thing.name }}?',
        text: '{{ answer.link }}',
        answers: ['reason', 'undo'],
        within: 'P3D',
      },
      {
        do: 'branch',
        on: { reason: ['It was agreed with a customer or partner'] },
        then: [{ do: 'accept', for: 'P90D' }],
        else: [],
      },
    ];
    const { id } = await make(order('Enough', { event: ['grant.made'] }, steps, { if: 'outside' }));
    const answered = async (nth: number, reason: string): Promise<RunPage> => {
      await share({ to: OUT });
      const letter = await until('the question', async () => {
        const found = (await scene.letters(owner.address)).filter((l) => l.subject.startsWith('A reason'));
        return found[nth];
      });
      const link = /\/answer#(\S+)/.exec(letter.text)![1]!;
      await scene.raw('PUT', '/api/answers/link', { body: { link, what: 'reason', reason, words: 'see 7' } });
      return until('the run to end', async () => {
        const { rows } = await runs(`show=over&order=${id}`);
        return rows.length > nth && run(rows[0]!.id);
      });
    };
    expect((await answered(0, 'I will take it back soon')).excepted).toBeNull();
    const second = await answered(1, 'It was agreed with a customer or partner');
    const day = new Date(Date.now() + 90 * 86_400_000).toISOString().slice(0, 10);
    expect([second.state, second.excepted]).toEqual(['done', day]);
    expect(second.did.at(-1)!.words).toBe(
      `Accepted until ${day}: It was agreed with a customer or partner: see 7.`,
    );
    await share({ to: OUT });
    const other = await make(
      order('After it', { event: ['grant.made'] }, [{ do: 'stop' }], { if: 'outside' }),
    );
    await share({ to: OUT });
    await ended(other.id);
    expect((await runs(`order=${id}&show=all`)).total).toBe(2);
    await remove(other.id);
    await remove(id);
  });
});

describe('four weeks later', () => {
  it('a share is looked at again, withdrawn where it still is, and left alone where it is not', async () => {
    const steps: Step[] = [
      { do: 'wait', for: 'P4W' },
      { do: 'look', still: true },
      { do: 'change', about: 'share', response: { do: 'withdraw' } },
      {
        do: 'tell',
        to: [{ actor: true }, { channel: (await channel()).name }],
        subject: '“{{ thing.name }}” is not shared any more',
        text: '{{ change.did }}',
      },
    ];
    const { id } = await make(
      order('Four weeks', { event: ['file.shared', 'grant.made'] }, steps, { if: 'outside' }),
    );
    const first = await share({ to: OUT });
    const one = await until('a run to wait', async () =>
      (await runs(`order=${id}`)).rows.find((r) => r.state === 'waiting'),
    );
    const weeks = (Date.parse(one.due!) - Date.parse(one.beganAt)) / 86_400_000;
    expect(Math.round(weeks)).toBe(28);
    const foreseen = await scene.api<{ foreseen: Foreseen }>('POST', '/api/orders/foresee', {
      order: order('Four weeks', { event: ['file.shared', 'grant.made'] }, steps, { if: 'outside' }),
    });
    expect(foreseen.foreseen.lines.map((l) => l.assumed)).toEqual([null, 'It still is.', null, null]);
    expect(foreseen.foreseen.lines[3]!.messages[0]).toMatchObject({
      subject: `“${file.name}” is not shared any more`,
    });
    expect(foreseen.foreseen.times).toBeGreaterThan(0);
    await scene.api('PUT', '/api/orders/runs', { ids: [one.id], act: 'go-on' });
    const page = await ended(id);
    expect(page.did.map((d) => d.what)).toEqual([
      'hurried',
      'waited',
      'looked',
      'planned',
      'changed',
      'told',
    ]);
    expect(await scene.truth('grants', first)).toBeNull();
    const posts = await until('the message in the channel', async () => {
      const all = (await (await scene.control('GET', 'posts')).json()) as { channel: string; text: string }[];
      return all.length > 0 && all;
    });
    expect(posts).toHaveLength(1);
    expect(posts[0]!.text).toContain('is not shared any more');
    // one that is gone by itself
    const second = await share({ to: 'other@harbour-office.test' });
    const two = await until('another run to wait', async () =>
      (await runs(`order=${id}`)).rows.find((r) => r.state === 'waiting'),
    );
    await scene.control('DELETE', `truth/grants/${second}`);
    await scene.api('PUT', '/api/orders/runs', { ids: [two.id], act: 'go-on' });
    const stopped = await until('it to stop', async () => {
      const p = await run(two.id);
      return p.state === 'stopped' && p;
    });
    expect(stopped.did.at(-1)!.words).toContain('not so any more');
    await remove(id);
  });
});

const channel = async (): Promise<SpaceRow> =>
  (await scene.truth<SpaceRow[]>('spaces')).find((s) => s.kind === 'channel' && s.workspace === 'channels')!;

describe('a burst', () => {
  it('suspends sharing, which the workspace asks about, until a steward lets them share again', async () => {
    const { id } = await make(
      order(
        'Burst',
        { event: ['file.shared'] },
        [
          { do: 'suspend-sharing', about: 'actor' },
          {
            do: 'tell',
            to: [{ stewards: true }],
            subject: 'Sharing by {{ actor.name }} is suspended',
            text: '{{ change.did }}\n{{ run.link }}',
          },
        ],
        { if: 'outside' },
      ),
    );
    await scene.control('POST', 'happen', {
      workspace: 'drives',
      type: 'file.shared',
      subject: file.id,
      data: { user: owner.id, target: { email: OUT } },
    });
    const page = await ended(id);
    expect(page.suspended).toMatchObject([{ name: owner.name, over: false }]);
    const token = (await scene.api<{ token: string }>('POST', '/api/decisions/asking', { source: 'drives' }))
      .token;
    const ask = async (): Promise<boolean> => {
      const answer = await fetch(`${scene.base}/access/v1/evaluation`, {
        method: 'POST',
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        body: JSON.stringify({
          subject: { type: 'user', id: owner.id },
          action: { name: 'share' },
          resource: { type: 'item', id: file.id },
          context: { target: { email: OUT }, access: 'checked' },
        }),
      });
      return ((await answer.json()) as { decision: boolean }).decision;
    };
    expect(await ask()).toBe(false);
    await scene.api('DELETE', '/api/orders/suspended', { id: page.suspended[0]!.id });
    expect(await ask()).toBe(true);
    await remove(id);
  });
});

describe('what can go wrong', () => {
  it('an order that cannot be is refused with all that is wrong with it', async () => {
    const answer = await scene.raw('POST', '/api/orders', {
      role: 'steward',
      body: {
        order: order('Wrong', { event: ['file.shared'] }, [
          { do: 'tell', to: [{ actor: true }], subject: '{{ thing.colour }}', text: '{% include "x" %}' },
          { do: 'branch', on: { answer: ['keep'] }, then: [], else: [] },
          { do: 'look', if: 'nothing == 1' },
        ]),
      },
    });
    const { detail } = (await answer.json()) as { detail: string };
    expect(answer.status).toBe(422);
    for (const part of [
      'steps[0].subject: There is no field thing.colour',
      'steps[0].text',
      'steps[1].on: Nobody was asked',
      'steps[2].if',
    ])
      expect(detail).toContain(part);
  });

  it('names that mean harm are text in a message', async () => {
    const name =
      'Pay {{ order.name }} now <script>alert(1)</script>\r\nBcc: all@evil.test http://evil.test/x';
    await scene.control('PUT', 'truth/items', { ...file, name });
    await scene.survey();
    const { id } = await make(
      order('Hostile', { event: ['file.shared'] }, [
        {
          do: 'tell',
          to: [{ address: 'reader@tarntide.example' }],
          subject: 'About {{ thing.name }}',
          text: 'See {{ thing.name }}',
        },
      ]),
    );
    await scene.control('POST', 'happen', {
      workspace: 'drives',
      type: 'file.shared',
      subject: file.id,
      data: { user: owner.id },
    });
    await ended(id);
    const [letter] = await until('the mail', async () => {
      const all = await scene.letters('reader@tarntide.example');
      return all.length > 0 && all;
    });
    expect(letter!.subject).toContain('Pay {{ order.name }} now <script>');
    expect(letter!.html).toContain('&lt;script&gt;');
    expect(letter!.html).not.toContain('<script');
    expect(letter!.text).not.toContain('http://evil.test');
    expect(await scene.letters('all@evil.test')).toEqual([]);
    await scene.control('PUT', 'truth/items', file);
    await scene.survey('incremental');
    await remove(id);
  });

  it('mail that is refused for now is tried again, and what is refused for ever is said', async () => {
    const { id } = await make(
      order('Refusals', { event: ['file.shared'] }, [
        { do: 'tell', to: [{ address: 'gone@tarntide.example' }], subject: 'x', text: 'y' },
      ]),
    );
    await scene.control('PUT', 'mail', { mode: 'never', times: 1 });
    await scene.control('POST', 'happen', {
      workspace: 'drives',
      type: 'file.shared',
      subject: file.id,
      data: { user: owner.id },
    });
    const failed = await until(
      'it to fail',
      async () => (await scene.api<MessagesPage>('GET', '/api/messages?state=failed')).rows[0],
    );
    expect(failed.recipient).toBe('gone@tarntide.example');
    expect(failed.trouble).toContain('No such mailbox');
    await scene.api('PUT', '/api/messages', { ids: [failed.id] });
    await until('it to be sent', async () => (await scene.letters('gone@tarntide.example')).length === 1);
    await remove(id);
  });
});

describe('who is told by itself', () => {
  it('is told of signals by severity and workspace, and of nothing else', async () => {
    const rule = { from: 'medium', types: [], gathered: false } as const;
    const alerts = (...rules: object[]) => scene.api('PUT', '/api/messages/alerts', { rules });
    await alerts(
      { ...rule, kinds: ['signal'], workspaces: ['drives'], to: [{ address: 'lead@tarntide.example' }] },
      { ...rule, kinds: ['signal'], workspaces: ['channels'], to: [{ address: 'other@tarntide.example' }] },
      {
        ...rule,
        kinds: ['signal'],
        from: 'critical',
        workspaces: [],
        to: [{ address: 'grave@tarntide.example' }],
      },
    );
    const name = 'Wide <b>\r\nBcc: all@evil.test http://evil.test/x';
    await scene.api('POST', '/api/signals/patterns', {
      name,
      severity: 'high',
      window: { by: 'actor', distinct: 'item', count: 1, within: 'PT1H', if: 'type == "link.made"' },
    });
    const link = await share({ audience: 'anyone' });
    const [letter] = await until('the mail', async () => {
      const all = await scene.letters('lead@tarntide.example');
      return all.length > 0 && all;
    });
    expect(letter!.subject).toContain(owner.name);
    expect(letter!.text).toContain(file.name);
    expect(letter!.text).not.toContain('http://evil.test');
    expect(letter!.text).toMatch(new RegExp(`${scene.base}/guard/signals\\?signal=\\d+`));
    for (const nobody of ['other@tarntide.example', 'grave@tarntide.example', 'all@evil.test'])
      expect(await scene.letters(nobody)).toEqual([]);
    await alerts();
    // how far the file can be reached now, and how far without the link
    await scene.survey('incremental');
    const signal = /signal=(\d+)/.exec(letter!.text)![1]!;
    const { things } = await scene.api<SignalPage>('GET', `/api/signals/${signal}`);
    expect(things[0]!.reach!.now.could).toBe('public');
    expect(things[0]!.reach!.without.could).not.toBe('public');
    await scene.removeTruth('links', link);
    await scene.survey('incremental');
    const after = (await scene.api<SignalPage>('GET', `/api/signals/${signal}`)).things[0]!.reach!;
    expect(after.now).toEqual(things[0]!.reach!.without);
    expect(after.without).toEqual(after.now);
    const { patterns } = await scene.api<{ patterns: { id: number; name: string }[] }>(
      'GET',
      '/api/signals/patterns',
    );
    await scene.api('DELETE', '/api/signals/patterns', {
      id: patterns.find((p) => p.name.startsWith('Wide'))!.id,
    });
  });

  it('is told by a rule of a policy of what it newly hits: owners of their own alone, and only stewards while it observes', async () => {
    const items = await scene.truth<ItemRow[]>('items');
    const rest = {
      subject: 'item',
      atRest: true,
      severity: 'high',
      responses: [{ do: 'finding' }],
    };
    const of = (names: string[]) => `kind == "file" && name in ${JSON.stringify(names)}`;
    const other = items.find(
      (i) => i.kind === 'file' && i.owner && i.owner !== file.owner && i.name !== file.name,
    )!;
    await scene.api('POST', '/api/policies', {
      note: 'They have to know.',
      policy: {
        format: 'gate-lantern-policy',
        version: 1,
        name: 'Told',
        scope: { of: 'owner' },
        rules: [
          {
            ...rest,
            id: 'both',
            name: 'Both files',
            if: of([file.name, other.name]),
            mode: 'enforce',
            tell: [{ owner: true }, { address: 'legal@tarntide.example' }],
          },
          {
            ...rest,
            id: 'quiet',
            name: 'Quietly',
            if: of([file.name]),
            mode: 'observe',
            tell: [{ address: 'nobody@tarntide.example' }, { stewards: true }],
          },
        ],
      },
    });
    const got = (to: string) =>
      until(`a mail to ${to}`, async () =>
        (await scene.letters(to)).find((l) => l.text.includes('of the policy “Told”')),
      );
    const legal = await got('legal@tarntide.example');
    expect(legal.text).toContain(file.name);
    expect(legal.text).toContain(other.name);
    const own = await got(owner.address);
    expect(own.text).toContain(file.name);
    expect(own.text).not.toContain(other.name);
    expect(own.text).not.toContain('/guard/');
    expect((await got('steward@tarntide.example')).subject).toContain('Quietly');
    expect(await scene.letters('nobody@tarntide.example')).toEqual([]);
  });

  it('is told of what was done to their own account', async () => {
    const accounts = await scene.api<{ rows: { id: number; address: string }[] }>('GET', '/api/accounts');
    const { id } = accounts.rows.find((a) => a.address === 'auditor@tarntide.example')!;
    await scene.api('PUT', '/api/accounts', { act: 'endSessions', id });
    const letter = await until('the mail', async () =>
      (await scene.letters('auditor@tarntide.example')).find((l) => l.subject.includes('sessions')),
    );
    expect(letter.text).toContain('steward@tarntide.example did it');
  });
});
