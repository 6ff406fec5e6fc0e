import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { listEndpoints } from '../../scripts/endpoints.ts';
import { Scene } from './harness.ts';

const scene = new Scene();
beforeAll(() => scene.upSurveyed());
afterAll(() => scene.down());

const RANK = { public: 0, owner: 1, auditor: 2, steward: 3 };

describe('every endpoint', () => {
  it('declares its role and input, refuses no session and each lesser role, and another site’s writes', async () => {
    const all = await listEndpoints();
    expect(all.length).toBeGreaterThan(20);
    for (const { path, method, declared } of all) {
      expect(declared, `${method} ${path}`).toBeDefined();
      const url = path.replace('[id]', '1');
      const what = `${method} ${path}`;
      if (declared!.role !== 'public') expect((await scene.raw(method, url)).status, what).toBe(401);
      for (const role of ['owner', 'auditor'] as const)
        if (RANK[role] < RANK[declared!.role]) {
          const response = await scene.raw(method, url, { role });
          expect(response.status, `${what} as ${role}`).toBe(403);
          expect(response.headers.get('content-type')).toBe('application/problem+json');
        }
      if (method !== 'GET') {
        for (const origin of ['https://elsewhere.example', 'null', ''])
          expect(
            (await scene.raw(method, url, { role: 'steward', headers: { origin } })).status,
            `${what} from ${origin}`,
            // machines sign what they send, wherever they are
          ).toBe(declared!.signed ? 401 : 403);
        if (declared!.stream) continue;
        expect(
          (await scene.raw(method, url, { role: 'steward', headers: { 'content-type': 'text/plain' } }))
            .status,
          what,
        ).toBe(415);
        expect((await scene.raw(method, url, { role: 'steward', body: '{"a":' })).status, what).toBe(400);
        expect(
          (
            await scene.raw(method, url, {
              role: 'steward',
              body: JSON.stringify({ a: 'x'.repeat(1_100_000) }),
            })
          ).status,
          what,
        ).toBe(413);
      }
    }
  });

  it('answers bad input with problem details that say what is wrong (RFC 9457)', async () => {
    const response = await scene.raw('POST', '/api/plans', {
      role: 'steward',
      body: { name: '', reason: 'a\0b' },
    });
    expect(response.status).toBe(422);
    expect(await response.json()).toMatchObject({
      type: 'urn:gate-lantern:problem:input',
      status: 422,
      detail: expect.stringMatching(/name.*reason/) as string,
    });
    expect((await scene.raw('GET', '/api/findings?sort=%27;drop', { role: 'steward' })).status).toBe(422);
    expect(
      (
        await scene.raw('GET', `/api/findings?text=${encodeURIComponent("'; drop table finding; --")}`, {
          role: 'steward',
        })
      ).status,
    ).toBe(200);
    expect((await scene.raw('GET', '/api/findings/999999', { role: 'steward' })).status).toBe(404);
    expect((await scene.raw('POST', '/api/plans', { role: 'steward', body: { name: 'x' } })).status).toBe(
      409,
    );
    expect(
      (
        await scene.raw('POST', '/api/tray', {
          role: 'steward',
          body: { changes: [{ kind: 'grant', source: 'drives', id: 'no-such' }] },
        })
      ).status,
    ).toBe(404);
  });
});

describe('signing in', () => {
  it('sets a cookie that pages’ scripts cannot read, and signing out ends it', async () => {
    const response = await scene.raw('POST', '/api/session', {
      body: { address: ' Steward@tarntide.example ', password: 'lantern-steward' },
    });
    const cookie = response.headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const headers = { cookie: cookie.split(';')[0]! };
    expect((await scene.raw('GET', '/api/course', { headers })).status).toBe(200);
    expect((await scene.raw('DELETE', '/api/session', { headers })).status).toBe(200);
    expect((await scene.raw('GET', '/api/course', { headers })).status).toBe(401);
    expect(
      (await scene.raw('GET', '/api/course', { headers: { cookie: 'gate-lantern=made-up' } })).status,
    ).toBe(401);
  });

  it('ends the streams of what happens with the session, and lets no session hold many', async () => {
    const signed = await scene.raw('POST', '/api/session', {
      body: { address: 'auditor@tarntide.example', password: 'lantern-auditor' },
    });
    const headers = { cookie: signed.headers.get('set-cookie')!.split(';')[0]! };
    const open = () => scene.raw('GET', '/api/events', { headers });
    const streams = await Promise.all(Array.from({ length: 12 }, open));
    expect(streams.map((s) => s.status)).toEqual(Array(12).fill(200));
    expect((await open()).status).toBe(429);
    const readers = streams.map((s) => s.body!.getReader());
    for (const r of readers) expect((await r.read()).done).toBe(false);
    expect((await scene.raw('DELETE', '/api/session', { headers })).status).toBe(200);
    for (const r of readers) expect((await r.read()).done).toBe(true);
  });

  it('slows down after failed tries, for an unknown address too, and says for how long', async () => {
    for (const address of ['nobody@tarntide.example', 'owner@tarntide.example']) {
      for (let i = 0; i < 5; i++)
        expect(
          (await scene.raw('POST', '/api/session', { body: { address, password: `wrong ${i}` } })).status,
        ).toBe(401);
      const slowed = await scene.raw('POST', '/api/session', {
        body: { address, password: 'lantern-owner' },
      });
      expect(slowed.status).toBe(429);
      expect(Number(slowed.headers.get('retry-after'))).toBeGreaterThan(0);
    }
    // others are not held up
    expect(
      (
        await scene.raw('POST', '/api/session', {
          body: { address: 'auditor@tarntide.example', password: 'lantern-auditor' },
        })
      ).status,
    ).toBe(200);
  });
});

describe('every answer', () => {
  it('carries the security headers, and pages a content security policy without unsafe-inline', async () => {
    for (const path of ['/sign-in', '/api/course', '/exposure/findings']) {
      const { headers } = await scene.raw('GET', path);
      expect(headers.get('x-content-type-options')).toBe('nosniff');
      expect(headers.get('x-frame-options')).toBe('DENY');
      expect(headers.get('content-security-policy')).toContain("frame-ancestors 'none'");
      expect(headers.get('cache-control')).toBe('no-store');
    }
    const policy = (await scene.raw('GET', '/sign-in')).headers.get('content-security-policy')!;
    expect(policy).toContain("default-src 'self'");
    expect(policy).toMatch(/script-src[^;]*'sha256-/);
    expect(policy).not.toContain('unsafe');
  });

  it('is refused under another name and is not sniffed, files too; owners get no numbers of the organisation', async () => {
    const page = await (await scene.raw('GET', '/sign-in')).text();
    const file = /(?:src|href|component-url)="(\/_astro\/[^"]+)"/.exec(page)![1]!;
    const { headers, status } = await scene.raw('GET', file);
    expect([status, headers.get('x-content-type-options')]).toEqual([200, 'nosniff']);
    const { request } = await import('node:http');
    const foreign = await new Promise<number>((done) =>
      request(`${scene.base}${file}`, { headers: { host: 'evil.example' } }, (r) =>
        done(r.statusCode!),
      ).end(),
    );
    expect(foreign).toBe(421);
    expect((await scene.raw('GET', '/api/course', { role: 'owner' })).status).toBe(403);
    // the scheme counts too: a page in the clear is not ours where we are behind TLS, and the other way about
    const origin = scene.base.replace('http:', 'https:');
    expect((await scene.raw('POST', '/api/surveys', { role: 'steward', headers: { origin } })).status).toBe(
      403,
    );
    // U+0000 is an answer, wherever it comes
    for (const path of [
      '/api/holdings?text=a%00b',
      '/api/search?q=%00',
      '/api/findings?where=name+%3D%3D+%22%00%22',
    ])
      expect((await scene.raw('GET', path, { role: 'steward' })).status, path).toBe(422);
    const sources = await scene.api<{ kind: string; url: string }[]>(
      'GET',
      '/api/sources',
      undefined,
      'auditor',
    );
    for (const s of sources) if (s.kind === 'extract') expect(s.url).toBe('');
  });

  it('sends the visitor to sign in and back only to our own pages', async () => {
    const response = await scene.raw('GET', '/record/ledger?entry=3');
    expect(response.headers.get('location')).toBe('/sign-in?to=%2Frecord%2Fledger%3Fentry%3D3');
    for (const to of ['//elsewhere.example', '/%09/elsewhere.example', '/%5Celsewhere.example']) {
      const page = await (await scene.raw('GET', `/sign-in?to=${to}`)).text();
      expect(page).not.toContain('elsewhere.example');
    }
  });

  it('is refused under a name that is not ours', async () => {
    const { request } = await import('node:http');
    const status = await new Promise<number>((done) =>
      request(`${scene.base}/sign-in`, { headers: { host: 'evil.example' } }, (r) =>
        done(r.statusCode!),
      ).end(),
    );
    expect(status).toBe(421);
  });
});

describe('the process', () => {
  it('says whether it lives and whether it can answer, and cuts off no answer when it stops', async () => {
    for (const probe of ['/healthz', '/readyz']) expect((await scene.raw('GET', probe)).status).toBe(200);
    const signed = await scene.raw('GET', '/api/events', { role: 'steward' });
    const stream = signed.body!.getReader();
    // a long answer whose reader is slow
    const long = await scene.raw('GET', '/api/extracts', { role: 'auditor' });
    const body = long.body!.getReader();
    const first = await body.read();
    const stopped = scene.kill('SIGTERM');
    let bytes = first.value!.length;
    for (let part = await body.read(); !part.done; part = await body.read()) bytes += part.value.length;
    expect(bytes).toBeGreaterThan(1000);
    for (let part = await stream.read(); !part.done; part = await stream.read());
    await stopped;
    await expect(scene.raw('GET', '/healthz')).rejects.toThrow();
    await scene.startApp();
    expect(await scene.api('GET', '/api/ledger/check')).toMatchObject({ holds: true });
  });
});

describe('the first visit of an empty installation', () => {
  const bare = new Scene({ bare: true });
  afterAll(() => bare.down());

  it('makes the first steward from the code the server printed, once', async () => {
    await bare.startApp();
    expect((await bare.raw('GET', '/')).headers.get('location')).toBe('/first-steward');
    const code = /first steward: (.*)$/.exec(
      (await import('./harness.ts').then(({ until }) =>
        until('the code', () => Promise.resolve(bare.output.find((l) => l.includes('first steward'))), 5),
      )) ?? '',
    )![1]!;
    const form = { code, name: 'First', address: 'first@own.example', password: 'a long enough one' };
    expect((await bare.raw('POST', '/api/first-steward', { body: { ...form, code: 'x' } })).status).toBe(403);
    expect(
      (await bare.raw('POST', '/api/first-steward', { body: { ...form, password: 'short' } })).status,
    ).toBe(422);
    expect((await bare.raw('POST', '/api/first-steward', { body: form })).status).toBe(200);
    expect((await bare.raw('POST', '/api/first-steward', { body: form })).status).not.toBe(200);
    const signed = await bare.raw('POST', '/api/session', {
      body: { address: form.address, password: form.password },
    });
    expect(await signed.json()).toEqual({ wants: [] });
    expect(
      (
        await bare.raw('POST', '/api/session', {
          body: { address: 'steward@tarntide.example', password: 'lantern-steward' },
        })
      ).status,
    ).toBe(401);
  });
});
