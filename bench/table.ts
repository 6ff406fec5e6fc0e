/** Sorting a hundred thousand rows in the page, against Array.sort with a collator, which is what one would write. */
import { dice } from '../demo/make.ts';
import { sortRows } from '../src/ui/parts/table/sort.ts';
import { ratio } from './ratios.ts';

const ROWS = 100_000;

export function table(): void {
  const d = dice(7);
  const rows = Array.from({ length: ROWS }, (_, i) => ({
    name: `${['Crew list', 'Berth contract', 'Årsrapport', 'manifest', 'Dispute evidence'][d.int(5)]!} ${d.int(ROWS)}`,
    points: d.int(500),
    id: i,
  }));
  const best = (work: () => unknown): number => {
    const times = Array.from({ length: 5 }, () => {
      const from = performance.now();
      work();
      return performance.now() - from;
    });
    return Math.min(...times);
  };
  const collator = new Intl.Collator('en', { sensitivity: 'base' });
  const cases: [string, () => unknown, () => unknown][] = [
    [
      'by a number',
      () => sortRows(rows, [{ value: (r) => r.points, down: true }]),
      () => [...rows].sort((a, b) => b.points - a.points),
    ],
    [
      'by name',
      () => sortRows(rows, [{ value: (r) => r.name, down: false }]),
      () => [...rows].sort((a, b) => collator.compare(a.name, b.name)),
    ],
    [
      'by a number, then by name',
      () =>
        sortRows(rows, [
          { value: (r) => r.points, down: true },
          { value: (r) => r.name, down: false },
        ]),
      () => [...rows].sort((a, b) => b.points - a.points || collator.compare(a.name, b.name)),
    ],
  ];
  for (const [what, ours, theirs] of cases) {
    const [x, y] = [best(ours), best(theirs)];
    ratio(`sorting 100,000 rows ${what}, against Array.sort with Intl.Collator`, x, y);
    process.stdout.write(
      `${ROWS.toLocaleString('en')} rows ${what}: ${x.toFixed(0)} ms; Array.sort with a collator ${y.toFixed(0)} ms\n`,
    );
  }
}
