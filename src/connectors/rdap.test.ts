/** What a registration data server says of a domain. */
import { describe, expect, it } from 'vitest';
import { readRegistration } from './rdap.ts';

const NOW = Date.parse('2026-06-01T00:00:00Z');
/** A part of the example of RFC 9083 §5.3, from memory. */
const EXAMPLE = {
  objectClassName: 'domain',
  handle: 'XXXX',
  ldhName: 'xn--fo-5ja.example',
  unicodeName: 'fóo.example',
  status: ['locked', 'transfer prohibited'],
  events: [
    { eventAction: 'registration', eventDate: '1990-12-31T23:59:59Z' },
    { eventAction: 'last changed', eventDate: '1991-12-31T23:59:59Z', eventActor: 'joe@example.com' },
    { eventAction: 'expiration', eventDate: '2027-12-31T23:59:59Z' },
  ],
};

describe('the registration of a domain', () => {
  it('ends when it is said to expire, and now where it is being let go', () => {
    expect(readRegistration(EXAMPLE, NOW)).toEqual({
      registered: true,
      ends: Date.parse('2027-12-31T23:59:59Z'),
    });
    expect(readRegistration({ ...EXAMPLE, events: [] }, NOW)).toEqual({ registered: true, ends: null });
    for (const events of [EXAMPLE.events, []])
      expect(readRegistration({ ...EXAMPLE, status: ['redemption period'], events }, NOW)).toEqual({
        registered: true,
        ends: NOW,
      });
  });

  it('is not made up of anything else', () => {
    for (const wrong of [null, [], 'domain', {}, { objectClassName: 'entity' }, { ...EXAMPLE, events: [{}] }])
      expect(() => readRegistration(wrong, NOW), JSON.stringify(wrong)).toThrow('RFC 9083');
    const odd = { ...EXAMPLE, events: [{ eventAction: 'expiration', eventDate: 'soon' }] };
    expect(readRegistration(odd, NOW)).toEqual({ registered: true, ends: null });
  });
});
