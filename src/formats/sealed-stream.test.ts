import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seal, unseal } from './sealed-stream.ts';

const of = (...pieces: Uint8Array[]) => inPieces(pieces);
async function* inPieces(pieces: Iterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  for (const p of pieces) yield await Promise.resolve(p);
}
const all = async (pieces: AsyncIterable<Uint8Array>): Promise<Buffer> => {
  const list: Uint8Array[] = [];
  for await (const p of pieces) list.push(p);
  return Buffer.concat(list);
};
const PASS = 'four words and a river';

describe('a sealed stream', () => {
  it('gives back what was put in, whatever its pieces and theirs', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(0, 1, 65_535, 65_536, 65_537, 131_072, 200_001),
        fc.integer({ min: 1, max: 90_000 }),
        async (length, cut) => {
          const plain = Buffer.alloc(length, 'abcdefghijk');
          const sealed = await all(
            seal(of(plain.subarray(0, length >> 1), plain.subarray(length >> 1)), PASS),
          );
          const pieces: Buffer[] = [];
          for (let at = 0; at < sealed.length; at += cut) pieces.push(sealed.subarray(at, at + cut));
          expect((await all(unseal(inPieces(pieces), PASS))).equals(plain)).toBe(true);
        },
      ),
      { numRuns: 7, examples: [[200_001, 1]] },
    );
  });

  it('opens with its passphrase alone, however that was typed', async () => {
    const sealed = await all(seal(of(Buffer.from('x')), 'Büro'));
    await expect(all(unseal(of(sealed), 'Buro'))).rejects.toThrow('passphrase');
    // composed and not (UAX #15)
    expect((await all(unseal(of(sealed), 'Bu\u0308ro'))).toString()).toBe('x');
  });

  it('shows every change: a bit, a chunk left out, turned round or repeated, and a cut end', async () => {
    const head = (bytes: Buffer): number => bytes.indexOf(10) + 1;
    const sealed = await all(seal(of(Buffer.alloc(200_000, 'x')), PASS));
    const at = head(sealed);
    const size = 65_536 + 16;
    const chunk = (n: number): Buffer => sealed.subarray(at + n * size, at + (n + 1) * size);
    const flipped = Buffer.from(sealed);
    flipped[at + 100]! ^= 1;
    const salted = Buffer.from(sealed);
    salted[at - 8] = salted[at - 8] === 65 ? 66 : 65;
    for (const [what, bad] of Object.entries({
      flipped,
      salted,
      'without its end': sealed.subarray(0, at + 2 * size),
      'within a chunk': sealed.subarray(0, at + 2 * size + 500),
      'without a chunk': Buffer.concat([sealed.subarray(0, at), chunk(0), chunk(2), chunk(3)]),
      'turned round': Buffer.concat([sealed.subarray(0, at), chunk(1), chunk(0), chunk(2), chunk(3)]),
      repeated: Buffer.concat([sealed, chunk(3)]),
    }))
      await expect(all(unseal(of(bad), PASS)), what).rejects.toMatchObject({ name: 'SealError' });
    for (const none of ['', 'hello\n', '{"format":"another"}\n', 'x'.repeat(5000)])
      await expect(all(unseal(of(Buffer.from(none)), PASS))).rejects.toThrow('no backup');
  });
});
