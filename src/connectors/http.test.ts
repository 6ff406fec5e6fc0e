import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, describe, expect, it } from 'vitest';
import { HttpClient, retryAfter, type HttpOptions } from './http.ts';
import { connectWorkspace, scimDirectory } from './http-connectors.ts';
import type { Page } from './port.ts';

let server: Server | undefined;
afterEach(() => {
  server?.closeAllConnections();
  server?.close();
});
async function serving(listener: RequestListener): Promise<string> {
  server = createServer(listener);
  await new Promise<void>((ready) => server!.listen(0, '127.0.0.1', ready));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}
const waits: number[] = [];
const client = (url: string, more: Partial<HttpOptions> = {}) => {
  waits.length = 0;
  return new HttpClient({
    url,
    token: 't',
    localToo: true,
    random: () => 0.5,
    sleep: (ms) => {
      waits.push(ms);
      return Promise.resolve();
    },
    ...more,
  });
};
const collect = async <T>(pages: AsyncIterable<Page<T>>) => {
  const rows: T[] = [];
  const rejected: { id: string; reason: string }[] = [];
  for await (const p of pages) {
    rows.push(...p.rows);
    rejected.push(...p.rejected);
  }
  return { rows, rejected };
};

describe('requests', () => {
  it('are tried again with growing waits, and sooner never than told', async () => {
    let n = 0;
    const url = await serving((_, res) => {
      n++;
      if (n === 1) res.writeHead(503).end();
      else if (n === 2) res.writeHead(429, { 'retry-after': '7' }).end();
      else if (n === 3) res.destroy();
      else res.end('{"ok":true}');
    });
    expect(await client(url).getJson('/x')).toEqual({ ok: true });
    expect(waits).toEqual([125, 7000, 500]);
    expect(retryAfter('Wed, 21 Oct 2015 07:28:00 GMT', Date.parse('2015-10-21T07:27:50Z'))).toBe(10_000);
  });

  it('carry one key through all tries', async () => {
    const keys: unknown[] = [];
    const url = await serving((req, res) => {
      keys.push(req.headers['idempotency-key']);
      if (keys.length < 3) req.socket.destroy();
      else res.end('{}');
    });
    await client(url).request('DELETE', '/x', { key: 'k1' });
    expect(keys).toEqual(['k1', 'k1', 'k1']);
  });

  it('give up in words, and say whether it may have happened', async () => {
    const silent = await serving(() => undefined);
    await expect(client(silent, { timeLimit: 50, tries: 2 }).getJson('/x')).rejects.toMatchObject({
      code: 'gave-up',
      mayHaveHappened: true,
      message: expect.stringMatching(/2 tries.*in time/) as string,
    });
    server!.closeAllConnections();
    server!.close();
    const refusing = await serving((_, res) => res.writeHead(403).end());
    await expect(client(refusing).getJson('/x')).rejects.toMatchObject({ code: 'not-allowed' });
    expect(waits).toEqual([]);
  });

  it('stop at once when cancelled', async () => {
    const abort = new AbortController();
    const url = await serving(() => setTimeout(() => abort.abort(), 20));
    await expect(client(url, { signal: abort.signal }).getJson('/x')).rejects.toMatchObject({
      code: 'cancelled',
    });
  });

  it('never follow a redirect with our token', async () => {
    const url = await serving((_, res) => res.writeHead(302, { location: 'http://127.0.0.1:1/steal' }).end());
    await expect(client(url, { tries: 1 }).getJson('/x')).rejects.toThrow();
  });
});

describe('lists', () => {
  const item = (id: string) => ({ id, space: 's', kind: 'file', name: id });

  it('leave out ids seen before and rows that do not fit, and go on', async () => {
    const pages: Record<string, unknown> = {
      '': { rows: [item('a'), item('b')], next: '1', total: 4 },
      '1': { rows: [item('b'), { id: 'x', kind: 'neither' }, item('c')], next: '2', total: 4 },
      '2': { rows: [item('d'), { ...item('e'), secret: 1 }], next: null, total: 4 },
    };
    const url = await serving((req, res) =>
      res.end(JSON.stringify(pages[new URL(req.url!, 'http://x').searchParams.get('cursor') ?? ''])),
    );
    const { rows, rejected } = await collect(
      connectWorkspace('drives', { url, token: 't', localToo: true }).list('item'),
    );
    expect(rows.map((r) => r.id)).toEqual(['a', 'b', 'c', 'd', 'e']);
    expect(rows[4]).not.toHaveProperty('secret');
    expect(rejected).toEqual([{ id: 'x', reason: expect.stringContaining('space') as string }]);
  });

  it('do not go round in a circle', async () => {
    const url = await serving((_, res) => res.end(JSON.stringify({ rows: [], next: 'again' })));
    await expect(
      collect(connectWorkspace('drives', { url, token: 't', localToo: true }).list('item')),
    ).rejects.toMatchObject({
      code: 'not-understood',
    });
  });

  it('read SCIM by startIndex and count (RFC 7644 §3.4.2.4)', async () => {
    const asked: string[] = [];
    const url = await serving((req, res) => {
      asked.push(req.url!);
      const start = Number(new URL(req.url!, 'http://x').searchParams.get('startIndex'));
      const all = Array.from({ length: 5 }, (_, i) => ({
        id: `u${i}`,
        userName: `U${i}@Own.example`,
        emails: [{ value: `u${i}@own.example` }],
      }));
      res.end(JSON.stringify({ totalResults: 5, Resources: all.slice(start - 1, start + 1) }));
    });
    const { rows } = await collect(scimDirectory({ url, token: 't', localToo: true }).list('person'));
    expect(rows.map((r) => r.addresses)).toEqual([0, 1, 2, 3, 4].map((i) => [`u${i}@own.example`]));
    expect(asked).toEqual([1, 3, 5].map((s) => `/Users?startIndex=${s}&count=200`));
  });
});

describe('channels and changes', () => {
  it('are read as spaces, grants and items, whatever the workspace calls them', async () => {
    const lists: Record<string, unknown[]> = {
      accounts: [{ id: 'c-1', address: 'Kim@Far.test', name: 'Kim', active: true, external: true }],
      channels: [
        { id: 'ch1', name: 'desk', open: true, responsible: ['c-1'], lastMessage: '2026-01-01T00:00:00Z' },
        { id: 'ch2' },
      ],
      members: [{ id: 'c-1', channel: 'ch1', leads: true, since: '2026-01-01T00:00:00Z' }],
      files: [{ id: 'f1', channel: 'ch1', name: 'a.txt', type: 'text/plain', size: 3, postedBy: 'c-1' }],
    };
    const url = await serving((req, res) =>
      res.end(JSON.stringify({ rows: lists[req.url!.slice(1).split('?')[0]!], next: null })),
    );
    const c = connectWorkspace('channels', { url, token: 't', localToo: true });
    const all = async (kind: 'person' | 'space' | 'item' | 'grant' | 'link') =>
      collect(c.list<typeof kind>(kind));
    expect((await all('person')).rows).toEqual([
      { id: 'c-1', name: 'Kim', addresses: ['kim@far.test'], active: true, kind: 'guest' },
    ]);
    const spaces = await all('space');
    expect(spaces.rows).toMatchObject([
      {
        id: 'ch1',
        kind: 'channel',
        visibility: 'organisation',
        visibilityRole: 'commenter',
        owners: ['c-1'],
      },
    ]);
    expect(spaces.rejected).toHaveLength(1);
    expect((await all('grant')).rows).toMatchObject([
      { id: 'ch1/c-1', on: { space: 'ch1' }, to: { user: 'c-1' }, role: 'manager' },
    ]);
    expect((await all('item')).rows).toMatchObject([{ id: 'f1', space: 'ch1', kind: 'file', owner: 'c-1' }]);
    expect((await all('link')).rows).toEqual([]);
  });

  it('come in parts up to their end, and say so when the token is too old', async () => {
    const asked: string[] = [];
    const url = await serving((req, res) => {
      const since = new URL(req.url!, 'http://x').searchParams.get('since')!;
      asked.push(since);
      if (since === 'old') res.writeHead(410).end();
      else
        res.end(
          JSON.stringify({
            changes: [
              { kind: 'items', id: `i${since}`, row: null },
              { kind: 'whatever', id: 'x', row: {} },
            ],
            changeToken: String(Number(since) + 1),
            more: since !== '2',
          }),
        );
    });
    const c = connectWorkspace('drives', { url, token: 't', localToo: true });
    const parts: string[] = [];
    for await (const p of c.changesSince('1')) parts.push(...p.changes.map((x) => x.id), p.changeToken);
    expect(parts).toEqual(['i1', '2', 'i2', '3']);
    expect(asked).toEqual(['1', '2']);
    await expect(c.changesSince('old').next()).rejects.toMatchObject({ code: 'token-expired' });
  });
});
