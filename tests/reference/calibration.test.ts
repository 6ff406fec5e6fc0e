/** How often the recogniser is right, on documents that it was not tuned on. */
import { describe, expect, it } from 'vitest';
import { Scanner } from '../../src/core/recognise/scan.ts';
import { DATA_TYPES } from '../../src/core/recognise/types/index.ts';
import { labelled, LABELLED_TYPES } from './labelled.ts';

const PRESETS = { Wide: 30, Balanced: 55, Strict: 80 };
/** The other seed, 1, is for tuning. */
const HELD_OUT = 2;

function judged(seed: number, count: number) {
  return labelled(seed, count).map(({ text, type }) => {
    const scanner = new Scanner({ types: DATA_TYPES, hash: (t, value) => t + value });
    scanner.begin('body');
    scanner.feed(text);
    return { text, type, found: new Map(scanner.finish().map((f) => [f.dataType, f.certainty])) };
  });
}

describe('on a labelled corpus, held out', () => {
  const documents = judged(HELD_OUT, 60);
  const table: Record<string, string> = {};
  for (const [preset, least] of Object.entries(PRESETS))
    it(preset, () => {
      let [right, found, there] = [0, 0, 0];
      for (const { type, found: types } of documents)
        for (const id of LABELLED_TYPES) {
          const said = (types.get(id) ?? 0) >= least;
          if (said) found++;
          if (type === id) there++;
          if (said && type === id) right++;
        }
      const [precision, recall] = [right / found, right / there];
      table[preset] = `precision ${precision.toFixed(3)}, recall ${recall.toFixed(3)}`;
      if (process.env.GATE_LANTERN_CALIBRATION) console.log(preset, table[preset]);
      // what docs/recognition.md says, less a little
      expect(precision).toBeGreaterThan({ Wide: 0.9, Balanced: 0.97, Strict: 0.99 }[preset]!);
      expect(recall).toBeGreaterThan({ Wide: 0.95, Balanced: 0.8, Strict: 0.5 }[preset]!);
    });

  it('a higher certainty is more often right', () => {
    const bands = [0, 20, 40, 60, 80].map((from) => ({ from, right: 0, all: 0 }));
    for (const { type, found } of documents)
      for (const [id, certainty] of found) {
        if (!LABELLED_TYPES.includes(id)) continue;
        const band = bands[Math.min(4, Math.floor(certainty / 20))]!;
        band.all++;
        if (id === type) band.right++;
      }
    if (process.env.GATE_LANTERN_CALIBRATION)
      for (const b of bands)
        console.log(`${b.from}–${b.from + 19}: ${b.right} of ${b.all}, ${(b.right / b.all).toFixed(2)}`);
    const rates = bands.map((b) => b.right / b.all);
    // nothing is a match below 20
    expect(rates[0]).toBeNaN();
    for (let k = 2; k < rates.length; k++) expect(rates[k]!).toBeGreaterThan(rates[k - 1]!);
  });
});

if (process.env.GATE_LANTERN_CALIBRATION)
  it('by type', () => {
    for (const seed of [1, HELD_OUT]) {
      const documents = judged(seed, 60);
      for (const id of LABELLED_TYPES) {
        const cells = Object.values(PRESETS).map((least) => {
          let [right, found, there] = [0, 0, 0];
          for (const { type, found: types } of documents) {
            const said = (types.get(id) ?? 0) >= least;
            found += said ? 1 : 0;
            there += type === id ? 1 : 0;
            right += said && type === id ? 1 : 0;
          }
          return `${found ? (right / found).toFixed(2) : '–'} / ${(right / there).toFixed(2)}`;
        });
        console.log(`${seed === 1 ? 'tune' : 'held'} | \`${id}\` | ${cells.join(' | ')} |`);
      }
    }
    expect(LABELLED_TYPES.length).toBeGreaterThan(20);
  });
