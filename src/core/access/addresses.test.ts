import { domainToASCII, domainToUnicode } from 'node:url';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addressName, domainName, isAddress } from './addresses.ts';

describe('a domain', () => {
  it('is one in capitals, in Unicode and in Punycode, as node:url reads it (UTS #46)', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a-zåäöéüßа-яα-ω]{1,12}$/), (label) => {
        const ascii = domainToASCII(`${label}.example`);
        if (!ascii) return;
        const shown = domainToUnicode(ascii);
        for (const spelling of [
          ascii,
          ascii.toUpperCase(),
          shown,
          shown.normalize('NFD'),
          shown.toUpperCase(),
        ])
          // ß and ς are other letters in capitals
          if (!/[ßς]/.test(shown) || spelling !== shown.toUpperCase())
            expect(domainName(spelling)).toBe(shown);
      }),
    );
  });

  it('is itself again, whatever it was', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        expect(domainName(domainName(text))).toBe(domainName(text));
      }),
    );
  });

  it('takes the examples of UTS #46 (§4.5, table 4; ß is kept, as without transitional processing)', () => {
    expect(domainName('Bloß.de')).toBe('bloß.de');
    expect(domainName('BLOẞ.de')).toBe('bloß.de');
    expect(domainName('xn--blo-7ka.de')).toBe('bloß.de');
    expect(domainName('u\u0308.com')).toBe('ü.com');
    expect(domainName('日本語。ＪＰ')).toBe('日本語.jp');
    expect(domainName('xn--u-ccb.com')).toBe('xn--u-ccb.com'); // decodes to what is not NFC, so it is no domain
  });
});

describe('an address', () => {
  it('is one however its letters are composed', () => {
    for (const spelling of ['Kåre@Tårn.example', 'ka\u030Are@ta\u030Arn.example', 'KÅRE@xn--trn-ula.example'])
      expect(addressName(spelling)).toBe('kåre@tårn.example');
  });

  it('has something on both sides of the last @', () => {
    for (const yes of ['a@b', 'a b@c.example', '"a@b"@c.example']) expect(isAddress(yes), yes).toBe(true);
    for (const no of ['', 'a', '@', 'a@', '@b', ' @b', 'a@b c', 'a@b@'])
      expect(isAddress(no), no).toBe(false);
  });
});
