import { describe, expect, it } from 'vitest';
import type { AppGrantRow, AppRow } from '../model.ts';
import { appRisk, domainToRegister } from './risk.ts';
import { allowedBy, ScopeBook, scopesIn, SHIPPED_SCOPES } from './scopes.ts';
import { capabilityNames } from '../model.ts';

const NOW = Date.parse('2026-06-30T00:00:00Z');
const ago = (days: number): string => new Date(NOW - days * 86_400_000).toISOString();
const own = { domains: ['tarntide.example'], partnerDomains: ['harbourworks.example'] };
const planner: AppRow = {
  id: 'p',
  workspace: 'w',
  name: 'Berth Planner',
  publisher: 'Northlight',
  verified: true,
  redirectHosts: ['login.northlight.example'],
  createdAt: ago(900),
};
const grant = (more: Partial<AppGrantRow>): AppGrantRow => ({
  id: 'g',
  app: 'x',
  workspace: 'w',
  user: 'u',
  scopes: ['files:read:own'],
  grantedAt: ago(50),
  lastUsedAt: ago(3),
  ...more,
});
const riskOf = (
  app: Partial<AppRow>,
  grants: readonly AppGrantRow[],
  byWeight = [9, 0, 0, 0, 0],
  lapsed: [string, number][] = [],
) =>
  appRisk({
    lapsed: new Map(lapsed),
    app: { ...planner, id: 'x', name: 'Tide Tables', ...app },
    grants,
    scopes: scopesIn(grants),
    reading: { items: 20, files: 9, byWeight },
    known: [planner],
    own,
    moment: NOW,
  });

describe('the risk of an app', () => {
  it('is nothing where it is verified, in use, and reads what anybody may know', () => {
    expect(riskOf({}, [grant({})])).toEqual({ points: 0, severity: 'low', lines: [] });
  });

  it('counts what it could read by weight, ten times as many once more, and adds to that what it may do', () => {
    // 40 × (1 + lg 10) + 15 × (1 + lg 100) + 5 × 1, and half of that for deleting
    const { points, severity, lines } = riskOf(
      {},
      [grant({ scopes: ['files:write:own'] })],
      [5, 0, 1, 100, 10],
    );
    expect(lines.map((l) => l.points)).toEqual([80, 45, 5, 65]);
    expect([points, severity]).toEqual([195, 'critical']);
  });

  it('says what it reads beside files, and that what is not known may be anything', () => {
    const { lines } = riskOf({}, [grant({ scopes: ['mail:send', 'calendar:read', 'drawer:open'] })]);
    expect(lines).toEqual([
      { why: 'Could read or use mail', points: 30 },
      { why: 'Could read or use calendar', points: 5 },
      { why: 'It may administrate: + 100 %', points: 35 },
      { why: 'What it may do by drawer:open is not known', points: 40 },
    ]);
  });

  it.each([
    [{ verified: false }, 'Nobody has verified who publishes it', 10],
    [
      { name: 'Berth P1anner', verified: false, publisher: 'N' },
      'Its name looks like Berth Planner, of Northlight',
      60,
    ],
    [{ redirectHosts: ['http://app.example'] }, 'It answers to app.example without TLS', 20],
    [{ redirectHosts: ['https://192.0.2.7/back'] }, 'It answers to the bare address 192.0.2.7', 20],
    // the private part of the Public Suffix List (publicsuffix.org)
    [{ redirectHosts: ['mine.eu.org'] }, 'It answers to mine.eu.org, which anybody can rent', 10],
    [
      { redirectHosts: ['login.harb0urworks.test'] },
      'It answers to login.harb0urworks.test, which looks like harbourworks.example: letters that look alike',
      40,
    ],
    [{ createdAt: ago(29) }, 'It is new', 10],
  ])('counts to whom it answers: %o', (app, why, points) => {
    expect(riskOf(app, [grant({})]).lines).toContainEqual({ why, points });
  });

  it('counts how it was let in, and that nobody uses it', () => {
    const many = Array.from({ length: 10 }, (_, n) =>
      grant({ id: `g${n}`, user: `u${n}`, lastUsedAt: ago(90) }),
    );
    expect(riskOf({}, many, [0, 0, 0, 0, 1]).lines.slice(1)).toEqual([
      { why: '10 people let it in: + 20 %', points: 8 },
      { why: 'Nobody has used it for 90 days', points: 20 },
    ]);
    const all = [grant({ everyone: true, lastUsedAt: ago(89) })];
    expect(
      riskOf({}, all, [0, 0, 0, 0, 1])
        .lines.slice(1)
        .map((l) => l.why),
    ).toContain('It was let in for everyone: + 50 %');
  });
});

describe('scopes', () => {
  it('of all are of the person’s own where one person let the app in, and pick nothing by themselves', () => {
    const names = (scopes: string[], everyone: boolean) => {
      const { own: mine, all } = allowedBy(
        scopes.map((s) => SHIPPED_SCOPES.of(s)),
        everyone,
      );
      return [capabilityNames(mine).sort(), capabilityNames(all).sort()];
    };
    const read = ['copy', 'find', 'open'];
    expect(names(['files:read:all'], true)).toEqual([[], read]);
    expect(names(['files:read:all'], false)).toEqual([read, []]);
    expect(names(['files:read:picked', 'mail:read'], true)).toEqual([[], []]);
    expect(names(['something else'], true)[1]).toHaveLength(8);
  });

  it('of other vocabularies are what somebody said of them, in one kind of workspace or in all', () => {
    const book = new ScopeBook([
      { scope: 'drawer.read', words: 'read drawers', means: ['files:read:own'] },
      {
        kind: 'sites',
        scope: 'drawer.read',
        words: 'read all drawers',
        means: ['files:read:all', 'mail:send'],
      },
      { scope: 'mail:read', words: 'do nothing', means: [] },
    ]);
    expect(book.of('drawer.read', 'drives')).toMatchObject({ words: 'read drawers', known: true });
    expect(allowedBy([book.of('drawer.read', 'sites')], true)).toEqual(
      allowedBy([book.of('files:read:all')], true),
    );
    // what is in the table cannot be made out to be less
    expect(book.of('mail:read').words).toBe('read their mail');
    expect(book.of('shelf.read', 'drives').known).toBe(false);
  });

  it('is more where anybody can register the domain that it answers to, from that moment on', () => {
    const of = (redirectHosts: string[], lapsed: [string, number][]) =>
      riskOf({ redirectHosts }, [grant({})], undefined, lapsed).lines.filter((l) =>
        l.why.includes('register'),
      );
    const hosts = ['https://login.gone.example/back'];
    expect(of(hosts, [['gone.example', NOW]])).toEqual([
      { why: 'It answers to login.gone.example, and anybody can register gone.example now', points: 60 },
    ]);
    expect(of(hosts, [['gone.example', NOW + 1]])).toEqual([]);
    expect(of(hosts, [['other.example', 0]])).toEqual([]);
    expect(of(['192.0.2.4', 'localhost', ''], [['', 0]])).toEqual([]);
    expect(
      ['HTTP://a.B.Example:8443/x', 'fóo.example', 'x.co.uk', '[2001:db8::1]', 'com'].map(domainToRegister),
    ).toEqual(['b.example', 'xn--fo-5ja.example', 'x.co.uk', null, null]);
  });
});
