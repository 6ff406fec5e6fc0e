/** What happens on the far side, told well and badly: it is in the log once, and what belongs together is one signal. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CloudEvent, HTTP } from 'cloudevents';
import { Webhook } from 'standardwebhooks';
import { PATTERN_STARTERS, type Window } from '../../src/core/guard/patterns.ts';
import { signals as plainly } from '../../src/core/guard/windows.ts';
import type { ItemRow, SpaceRow } from '../../src/core/model.ts';
import type {
  EventRow,
  EventsPage,
  EventTimes,
  PatternRow,
  SignalPage,
  SignalsPage,
  Taken,
  Telling,
} from '../../src/dto/events.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene();
const SOURCES = ['drives', 'sites', 'channels'];
const secrets: Record<string, string> = {};
let files: ItemRow[];
let owner: string;

const hear = (how: object) => scene.control('PUT', 'hearing', how);
const happen = (workspace: string, type: string, subject: string | undefined, data: object, time?: string) =>
  scene.control('POST', 'happen', { workspace, type, subject, data, time });
const list = (q = '') => scene.api<EventsPage>('GET', `/api/events/list?limit=500&${q}`);
const DAY = 86_400_000;
/** Nine o’clock, by UTC, on a Monday some weeks ago: what is older than events are kept for is dropped. */
const MONDAY = (() => {
  const day = new Date(Date.now() - 14 * DAY);
  return Date.UTC(day.getUTCFullYear(), day.getUTCMonth(), day.getUTCDate() - ((day.getUTCDay() + 6) % 7), 9);
})();
const minute = (n: number, from = MONDAY) => new Date(from + n * 60_000).toISOString();
/** Sends a message as a workspace would, signed with a secret, and gives what is answered. */
async function send(
  source: string,
  body: string,
  more: { secret?: string; at?: Date; id?: string; headers?: Record<string, string> } = {},
): Promise<{ status: number; body: Taken & { detail?: string } }> {
  const { secret = secrets[source]!, at = new Date(), id = 'm1' } = more;
  const answer = await fetch(`${scene.base}/api/events/in/${source}`, {
    method: 'POST',
    headers: {
      'content-type': 'application/cloudevents+json',
      ...more.headers,
      'webhook-id': id,
      'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
      'webhook-signature': new Webhook(secret).sign(id, at, body),
    },
    body,
  });
  return { status: answer.status, body: (await answer.json()) as Taken & { detail?: string } };
}
const event = (id: string, more: object = {}) => ({
  specversion: '1.0',
  id,
  source: '/workspaces/drives',
  type: 'file.opened',
  subject: files[0]!.id,
  time: minute(0),
  data: { actor: owner },
  ...more,
});

beforeAll(async () => {
  await scene.upSurveyed();
  for (const source of SOURCES)
    secrets[source] = (await scene.api<{ secret: string }>('POST', '/api/events/telling', { source })).secret;
  const spaces = new Map((await scene.truth<SpaceRow[]>('spaces')).map((s) => [s.id, s]));
  files = (await scene.truth<ItemRow[]>('items')).filter(
    (i) => i.kind === 'file' && i.owner && spaces.get(i.space)?.workspace === 'drives',
  );
  owner = files[0]!.owner!;
});
afterAll(() => scene.down());

describe('what happens', () => {
  it('is taken in every mode of CloudEvents, and once however often it is told', async () => {
    const one = event('one');
    expect((await send('drives', JSON.stringify(one))).body).toMatchObject({ taken: 1, known: 0 });
    expect((await send('drives', JSON.stringify(one))).body).toMatchObject({ taken: 0, known: 1 });
    const { headers, body } = HTTP.binary(new CloudEvent(event('two')));
    const binary = { headers: headers as Record<string, string> };
    expect((await send('drives', body as string, { ...binary, id: 'two' })).body.taken).toBe(1);
    // what is not signed cannot make another event of it
    expect((await send('drives', body as string, { ...binary, id: 'three' })).status).toBe(400);
    const batch = [event('one'), event('three'), event('three'), event('four', { time: 'yesterday' }), 7];
    const answer = await send('drives', JSON.stringify(batch), {
      headers: { 'content-type': 'application/cloudevents-batch+json' },
    });
    expect(answer.body).toMatchObject({ taken: 1, known: 2 });
    expect(answer.body.wrong.map((w) => w.id)).toEqual(['four', '']);
    expect((await list()).rows.map((e) => e.id).sort()).toEqual(['one', 'three', 'two']);
  });

  it('is refused where it is not signed as agreed, too old, no event, or of the future', async () => {
    const body = JSON.stringify(event('five'));
    const status = async (...args: Parameters<typeof send>) => (await send(...args)).status;
    expect(await status('drives', body, { secret: secrets.sites! })).toBe(401);
    expect(await status('nowhere', body, { secret: secrets.sites! })).toBe(401);
    expect(await status('drives', body, { at: new Date(Date.now() - 6 * 60_000) })).toBe(401);
    expect(await status('drives', 'not at all')).toBe(400);
    expect(await status('drives', '{}', { headers: { 'content-type': 'text/plain' } })).toBe(400);
    expect(await status('drives', JSON.stringify({ ...event('five'), type: 'file.eaten' }))).toBe(422);
    const ahead = new Date(Date.now() + 3_600_000).toISOString();
    expect(await status('drives', JSON.stringify(event('five', { time: ahead })))).toBe(422);
    expect(await status('drives', JSON.stringify(event('five', { data: { actor: 'x'.repeat(2e6) } })))).toBe(
      413,
    );
    expect((await list()).total).toBe(3);
  });

  it('is known by name, with what the file holds and who did it', async () => {
    const [row] = (await list(`where=${encodeURIComponent('id == "one"')}`)).rows;
    expect(row).toMatchObject({ name: files[0]!.name, actorKey: expect.stringContaining('user:') as string });
    expect(row!.actorName).not.toBe('');
    expect(row!.nodeKey).toBe(`item:drives:${files[0]!.id}`);
  });

  it('is heard as it happens, twice, late and the wrong way round, and is there once', async () => {
    await hear({ url: `${scene.base}/api/events/in`, secrets, hold: true, twice: true, reversed: true });
    for (let n = 0; n < 40; n++)
      await happen(
        'drives',
        'file.shared',
        files[n % 7]!.id,
        { user: owner, target: { email: `x${n}@far.example` } },
        minute(n * 9),
      );
    await hear({ mode: 'structured', hold: false });
    const there = async () => (await list('type=file.shared')).total === 40;
    await until('all to be there', there);
    const { rows } = await list('type=file.shared');
    expect(new Set(rows.map((e) => e.id)).size).toBe(40);
    expect(rows.every((e) => e.outside && e.domain === 'far.example')).toBe(true);
    expect(rows.map((e) => e.at)).toEqual(
      rows
        .map((e) => e.at)
        .sort()
        .reverse(),
    );
    await hear({ twice: false, reversed: false });
  });

  it('is asked for where it is not sent', async () => {
    await hear({ url: null });
    await until('each source to have been asked', async () => {
      const { sources } = await scene.api<{ sources: Telling[] }>('GET', '/api/events/telling');
      return sources.every((s) => s.askedAt);
    });
    await happen('sites', 'file.printed', undefined, { user: owner, space: 'nowhere' }, minute(5));
    await scene.kill('SIGTERM');
    await scene.startApp();
    await until('it to be there', async () => (await list('type=file.printed')).total === 1);
    const [printed] = (await list('type=file.printed')).rows;
    expect(printed!.toldBy).toBe('sites');
    expect(printed!.actorName).not.toBe('');
    await hear({ url: `${scene.base}/api/events/in` });
  });

  it('is counted by day and hour as it is listed, with a condition or without', async () => {
    for (const q of ['', 'type=file.shared', `where=${encodeURIComponent('outside && hour < 12')}`]) {
      const { rows, total } = await list(q);
      const times = await scene.api<EventTimes>('GET', `/api/events/times?zone=Europe/Oslo&${q}`);
      expect(rows.length).toBe(total);
      expect(times.days.reduce((n, d) => n + d.events, 0)).toBe(total);
      expect(times.week.flat().reduce((n, h) => n + h, 0)).toBe(total);
    }
    const times = await scene.api<EventTimes>('GET', '/api/events/times?zone=Europe/Oslo&type=file.shared');
    const there = new Intl.DateTimeFormat('en', {
      hour: '2-digit',
      hourCycle: 'h23',
      timeZone: 'Europe/Oslo',
    });
    expect(times.week[0]![Number(there.format(MONDAY))]).toBe(7);
  });

  it('shows what people write as they wrote it, and finds nothing where nothing is', async () => {
    const hostile = '<img src=x onerror=alert(1)>=cmd|';
    await send('drives', JSON.stringify(event('six', { data: { actor: hostile, target: hostile } })), {
      id: 'm6',
    });
    const { rows } = await list(`text=${encodeURIComponent('onerror')}`);
    expect(rows.map((e) => e.actor)).toEqual([hostile]);
    expect((await list('text=no-such-thing')).total).toBe(0);
  });
});

describe('signals', () => {
  const burst: Window = {
    by: 'actor',
    distinct: 'item',
    count: 3,
    within: 'PT1H',
    if: 'type == "file.downloaded" && weight >= 0',
  };
  const pattern = { name: 'Many downloads', purpose: '', severity: 'high', on: true, window: burst };
  const found = (q = '') => scene.api<SignalsPage>('GET', `/api/signals?limit=500&state=all&${q}`);
  const shape = (s: SignalPage, events: EventRow[]) => ({
    key: s.parts[0]!.key,
    from: s.from,
    to: s.to,
    distinct: s.parts[0]!.values,
    events: events.map((e) => e.id).sort(),
  });

  it('begin with starters that can all be looked for', async () => {
    for (const starter of PATTERN_STARTERS) await scene.api('POST', '/api/signals/patterns', starter);
    const { patterns } = await scene.api<{ patterns: PatternRow[] }>('GET', '/api/signals/patterns');
    expect(patterns.map((p) => p.name).sort()).toEqual(PATTERN_STARTERS.map((p) => p.name).sort());
    expect(patterns.every((p) => p.trouble === null)).toBe(true);
  });

  it('are what a plain reading of the log finds, whatever is told late and twice and wherever the application is killed', async () => {
    const { id } = await scene.api<{ id: number }>('POST', '/api/signals/patterns', pattern);
    await hear({ url: `${scene.base}/api/events/in`, mode: 'batch', twice: true, reversed: true });
    const people = [...new Set(files.map((f) => f.owner!))].slice(0, 3);
    for (let n = 0; n < 120; n++) {
      if (n % 40 === 20) {
        await scene.kill();
        await scene.startApp();
        await hear({ url: `${scene.base}/api/events/in` });
      }
      await happen(
        'drives',
        'file.downloaded',
        files[(n * 7) % 11]!.id,
        { user: people[n % 3] },
        minute(((n * 37) % 120) * 6, MONDAY + DAY),
      );
    }
    await until('all to be there', async () => (await list('type=file.downloaded')).total === 120);
    const { rows } = await list('type=file.downloaded');
    const wanted = plainly(
      rows.map((e) => ({ ...e, time: Date.parse(e.at) })),
      burst,
    )
      .map((s) => ({
        ...s,
        from: new Date(s.from).toISOString(),
        to: new Date(s.to).toISOString(),
        events: s.events.map((e) => e.id).sort(),
      }))
      .sort((a, b) => (a.from + a.key < b.from + b.key ? -1 : 1));
    expect(wanted.length).toBeGreaterThan(2);
    const got = async () => {
      const { rows: kept } = await found(`pattern=${id}`);
      const all = await Promise.all(
        kept.map(async (s) =>
          shape(
            await scene.api<SignalPage>('GET', `/api/signals/${s.id}`),
            (await list(`signal=${s.id}`)).rows,
          ),
        ),
      );
      return all.sort((a, b) => (a.from + a.key < b.from + b.key ? -1 : 1));
    };
    const told = JSON.stringify(wanted);
    await until('the last to be looked at', async () => JSON.stringify(await got()) === told).catch(
      () => undefined,
    );
    expect(await got()).toEqual(wanted);
  });

  it('say what they are about, whose, and what is usual', async () => {
    const [first] = (await found('text=many')).rows;
    const page = await scene.api<SignalPage>('GET', `/api/signals/${first!.id}`);
    expect(page.things.reduce((n, t) => n + t.events, 0)).toBe(page.events);
    expect(page.actors.reduce((n, a) => n + a.events, 0)).toBe(page.events);
    expect(page.actors[0]!.usual.find((u) => u.type === 'file.downloaded')!.here).toBe(page.events);
  });

  it('are seen to and ignored, with a note on the ledger; one that grows waits again unless it is ignored', async () => {
    const { rows } = await found('text=Many downloads');
    const [a, b] = rows as [(typeof rows)[0], (typeof rows)[0]];
    await scene.api('PUT', '/api/signals', { ids: [a.id], state: 'seen-to', note: 'It was the audit.' });
    await scene.api('PUT', '/api/signals', { ids: [b.id], state: 'ignored', note: '' });
    for (const s of [a, b])
      await happen('drives', 'file.downloaded', files[12]!.id, { user: s.parts[0]!.key }, s.to);
    await until('both to have grown', async () => {
      const now = (await found('text=Many downloads')).rows;
      return [a, b].every((s) => now.find((n) => n.id === s.id)!.events === s.events + 1);
    });
    const now = (await found('text=Many downloads')).rows;
    expect([a, b].map((s) => now.find((n) => n.id === s.id)!.state)).toEqual(['waiting', 'ignored']);
    expect(now.find((n) => n.id === a.id)!.looked!.note).toBe('It was the audit.');
  });
});
