import providers from 'email-providers/common.json' with { type: 'json' };
import { describe, expect, it } from 'vitest';
import { aboutDomain, lookAlike, registrable } from './domains.ts';

const KNOWN = ['tarntide.example', 'ticketcove.example', 'kelda-yard.example'];

describe('domains', () => {
  it('are registered below a public suffix (publicsuffix.org, its own test cases)', () => {
    expect(registrable('b.c.example.co.uk')).toBe('example.co.uk');
    expect(registrable('a.b.c.kobe.jp')).toBe('b.c.kobe.jp');
    expect(registrable('www.city.kobe.jp')).toBe('city.kobe.jp');
    expect(registrable('test.k12.ak.us')).toBe('test.k12.ak.us');
    expect(registrable('mail.quickclaims.test')).toBe('quickclaims.test');
  });

  it('are a partner’s below the partner’s, and providers of free mailboxes are known', () => {
    expect(aboutDomain('post.kelda-yard.example', ['tarntide.example'], KNOWN.slice(1)).standing).toBe(
      'partner',
    );
    const provider = providers.find((d) => !d.endsWith('example.com'))!;
    expect(aboutDomain(provider, [], []).consumer).toBe(true);
    expect(aboutDomain(`mail.${provider}`, [], []).consumer).toBe(true);
    expect(aboutDomain('quickclaims.test', [], []).consumer).toBe(false);
  });

  it.each([
    ['tarntide.test', 'tarntide.example', 'another suffix'],
    ['tarnt1de.example', 'tarntide.example', 'look alike'],
    ['tаrntide.example', 'tarntide.example', 'look alike'],
    ['tarntlde.example', 'tarntide.example', 'look alike'],
    ['tarntides.example', 'tarntide.example', 'letter or two'],
    ['ticketcove-refunds.test', 'ticketcove.example', 'something added'],
    ['keldayard.test', 'kelda-yard.example', 'look alike'],
    ['xn--trntide-2fg.example', 'tarntide.example', 'look alike'],
  ])('%s may be taken for %s', (name, domain, how) => {
    expect(lookAlike(name, KNOWN)).toEqual({ domain, how: expect.stringContaining(how) as string });
  });

  it('that merely are other names are no look-alikes', () => {
    for (const name of [
      'quickclaims.test',
      'harbourcount.test',
      'northquay-advisers.test',
      'hullmark.example',
      'sub.tarntide.example',
    ])
      expect(lookAlike(name, KNOWN), name).toBeUndefined();
  });
});
