/** Outside in the running application: what each domain reaches, recounted plainly; look-alikes; partners. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeWorld } from '../../demo/world.ts';
import type { FindingRow, OutsideDossier, OutsidePage, PartnerPreview } from '../../src/dto/exposure.ts';
import { demoRows } from '../demo-rows.ts';
import { plainly } from '../reference/plain-access.ts';
import { Scene } from './harness.ts';

const scene = new Scene();
beforeAll(async () => {
  await scene.upSurveyed();
});
afterAll(() => scene.down());

const ask = <T>(path: string, params: Record<string, string | number> = {}) =>
  scene.api<T>(
    'GET',
    `${path}?${new URLSearchParams(Object.entries(params).map(([k, v]) => [k, String(v)]))}`,
  );
const findings = () =>
  ask<{ total: number; points: number; rows: FindingRow[] }>('/api/findings', { limit: 500 });

describe('external domains', () => {
  it('reach as many files as a plain reading of the same rows says', async () => {
    const page = await ask<OutsidePage>('/api/outside', { sort: 'domain' });
    const world = makeWorld();
    const { judge } = plainly(demoRows(world, Date.now()));
    const spaces = new Map(world.spaces.map((x) => [x.id, x]));
    const wanted = new Map<string, number>();
    for (const item of world.items)
      if (item.kind === 'file')
        for (const d of judge(spaces.get(item.space)!, item).now.domains)
          wanted.set(d, (wanted.get(d) ?? 0) + 1);
    const told = Object.fromEntries(page.rows.filter((r) => r.files).map((r) => [r.domain, r.files]));
    // the world's domains are registered as they stand
    expect(told).toEqual(Object.fromEntries([...wanted].filter(([d]) => d !== 'tarntide.example').sort()));
    expect(page.rows.map((r) => r.domain)).toEqual(page.rows.map((r) => r.domain).sort());
  });

  it('are shared with as often, and where, as their grants and links one by one say', async () => {
    const { rows } = await ask<OutsidePage>('/api/outside', { sort: 'domain' });
    expect(rows.filter((r) => r.shares).length).toBeGreaterThan(3);
    for (const row of rows) {
      const { shares, sharesMore } = await ask<OutsideDossier>('/api/outside/one', { domain: row.domain });
      expect(sharesMore, row.domain).toBe(0);
      const at = (kind: string): number => shares.filter((s) => s.entry.on.kind === kind).length;
      expect({ shares: row.shares, levels: row.levels }, row.domain).toEqual({
        shares: shares.length,
        levels: { space: at('space'), folder: at('folder'), file: at('file') },
      });
      expect(new Set(shares.map((s) => `${s.entry.kind} ${s.entry.source} ${s.entry.id}`)).size).toBe(
        shares.length,
      );
    }
  });

  it('that look like a partner’s are told, and no others', async () => {
    const { rows } = await ask<OutsidePage>('/api/outside', { show: 'look-alike', sort: 'domain' });
    expect(rows.map((r) => [r.domain, r.likens!.domain])).toEqual([
      ['fjordport-agents.test', 'fjordport.example'],
      ['ticketcove-refunds.test', 'ticketcove.example'],
    ]);
  });

  it('say who shared what with them, at which level, as which role', async () => {
    const dossier = await ask<OutsideDossier>('/api/outside/one', { domain: 'quickclaims.test' });
    expect(dossier.people.map((p) => p.address).sort()).toEqual([
      'jo@quickclaims.test',
      'kim@quickclaims.test',
    ]);
    expect(dossier.shares).toHaveLength(1);
    expect(dossier.shares[0]).toMatchObject({
      entry: { kind: 'link', role: 'reader', on: { kind: 'folder', name: 'Evidence for the bank' } },
      weight: 3,
      files: 3,
    });
    expect(dossier.row).toMatchObject({
      standing: 'unknown',
      levels: { space: 0, folder: 1, file: 0 },
      sharers: [{ name: 'Sales', shares: 1 }],
    });
    const none = await scene.raw('GET', '/api/outside/one?domain=nobody.test', { role: 'auditor' });
    expect(none.status).toBe(404);
  });
});

describe('a partner', () => {
  const put = (body: object) => scene.api('PUT', '/api/outside/partner', body);

  it('is named with what that changes said before, and exactly that comes of it; and back', async () => {
    const before = await findings();
    const preview = await ask<PartnerPreview>('/api/outside/partner', {
      domain: 'payhelp.test',
      partner: 'true',
    });
    expect(preview.findings.before).toBe(before.total);
    expect(preview.points.before).toBe(before.points);
    expect(preview.points.after).toBeLessThan(before.points);
    await put({ domain: 'payhelp.test', until: '2999-12-31', sponsor: 'Finance' });
    const after = await findings();
    expect([after.total, after.points]).toEqual([preview.findings.after, preview.points.after]);
    const dossier = await ask<OutsideDossier>('/api/outside/one', { domain: 'payhelp.test' });
    expect(dossier).toMatchObject({
      row: { standing: 'partner' },
      partner: { until: '2999-12-31', sponsor: 'Finance' },
    });
    await scene.api('DELETE', '/api/outside/partner', { domain: 'payhelp.test' });
    const again = await findings();
    expect([again.total, again.points]).toEqual([before.total, before.points]);
    const { rows: ledger } = await ask<{ rows: { what: string }[] }>('/api/ledger', { text: 'payhelp.test' });
    expect(ledger.map((e) => e.what)).toEqual(['partner.dropped', 'partner.named']);
  });

  it('is refused where it makes no sense, and to an auditor', async () => {
    await expect(put({ domain: 'payhelp.test', until: '2020-01-01', sponsor: 'x' })).rejects.toThrow('past');
    await expect(put({ domain: 'not a domain', until: null, sponsor: 'x' })).rejects.toThrow('422');
    await expect(put({ domain: 'payhelp.test', until: null, sponsor: ' ' })).rejects.toThrow('422');
    // it is one by what its workspace says
    await expect(
      scene.api('DELETE', '/api/outside/partner', { domain: 'kelda-yard.example' }),
    ).rejects.toThrow('workspace');
    const refused = await scene.raw('PUT', '/api/outside/partner', {
      role: 'auditor',
      body: { domain: 'payhelp.test', until: null, sponsor: 'x' },
    });
    expect(refused.status).toBe(403);
  });
});

describe('tables to take away', () => {
  const take = async (table: string, format: string, more = ''): Promise<string> => {
    const r = await scene.raw('GET', `/api/export?table=${table}&format=${format}${more}`, {
      role: 'auditor',
    });
    expect(r.status).toBe(200);
    expect(r.headers.get('content-disposition')).toContain(`gate-lantern-${table}.${format}`);
    return r.text();
  };

  it('hold every row of the view, and taking them is on the ledger', async () => {
    const { total } = await findings();
    const lines = (await take('findings', 'jsonl'))
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as { points: number });
    expect(lines).toHaveLength(total);
    const csv = await take('findings', 'csv');
    expect(csv.startsWith('finding,state,severity,points,file')).toBe(true);
    expect(csv.trim().split('\r\n')).toHaveLength(total + 1);
    const page = await ask<OutsidePage>('/api/outside', { show: 'unknown' });
    const unknown = (await take('outside', 'jsonl', '&show=unknown')).trim().split('\n');
    expect(unknown).toHaveLength(page.rows.length);
    for (const table of ['causes', 'contents', 'content-files', 'unread']) await take(table, 'csv');
    const { rows: ledger } = await ask<{ rows: { what: string; subject: string }[] }>('/api/ledger', {
      text: 'table.exported',
    });
    expect(ledger.map((e) => e.subject)).toContain('unread');
    const refused = await scene.raw('GET', '/api/export?table=accounts&format=csv', { role: 'auditor' });
    expect(refused.status).toBe(422);
  });
});
