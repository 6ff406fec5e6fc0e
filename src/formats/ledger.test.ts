import fc from 'fast-check';
import canonicalize from 'canonicalize';
import { describe, expect, it } from 'vitest';
import { ChainCheck, FIRST_PREVIOUS, ledgerHash, type LedgerEntry } from './ledger.ts';

const chain = (deeds: unknown[]): LedgerEntry[] => {
  let previous = FIRST_PREVIOUS;
  return deeds.map((after, i) => {
    const entry = {
      seq: i + 1,
      at: '2026-01-01T00:00:00.000Z',
      who: 'a',
      what: 'b',
      subject: 'c',
      before: null,
      after,
      previous,
    };
    previous = ledgerHash(entry);
    return { ...entry, hash: previous };
  });
};
const check = (entries: LedgerEntry[]) => {
  const c = new ChainCheck();
  entries.forEach((e) => c.add(e));
  return c.result();
};

describe('the ledger’s chain', () => {
  it('is made over canonical JSON: the example of RFC 8785 §3.2.4', () => {
    const input = JSON.parse(
      '{"numbers":[333333333.33333329,1E30,4.50,2e-3,0.000000000000000000000000001],"string":"\\u20ac$\\u000F\\u000aA\'\\u0042\\u0022\\u005c\\\\\\"\\/","literals":[null,true,false]}',
    ) as unknown;
    expect(canonicalize(input)).toBe(
      '{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27],"string":"€$\\u000f\\nA\'B\\"\\\\\\\\\\"/"}',
    );
  });

  it('holds as made, whatever the order of keys, and not after any alteration', () => {
    fc.assert(
      fc.property(fc.array(fc.jsonValue(), { minLength: 2, maxLength: 6 }), fc.nat(), (deeds, pick) => {
        const entries = chain(deeds);
        expect(check(entries)).toMatchObject({ holds: true, entries: entries.length });
        const turned = entries.map(
          (e) => Object.fromEntries(Object.entries(e).reverse()) as unknown as LedgerEntry,
        );
        expect(check(turned).holds).toBe(true);
        const at = pick % entries.length;
        for (const altered of [
          { who: 'x' },
          { at: '2026-01-02T00:00:00.000Z' },
          { after: { changed: deeds } },
          { hash: FIRST_PREVIOUS },
        ])
          expect(check(entries.map((e, i) => (i === at ? { ...e, ...altered } : e))).holds).toBe(false);
        if (at < entries.length - 1) expect(check(entries.filter((_, i) => i !== at)).holds).toBe(false);
        expect(check([entries[1]!, entries[0]!, ...entries.slice(2)])).toMatchObject({
          holds: false,
          seq: 2,
        });
      }),
    );
  });
});
