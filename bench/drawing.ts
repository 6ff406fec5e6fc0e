/** Laying out a drawing of five hundred things, against ELK's layered layout as it comes. */
import ELK from 'elkjs/lib/elk.bundled.js';
import { dice } from '../demo/make.ts';
import { asElk, type ToLayOut } from '../src/ui/drawings/layered.ts';
import { ratio } from './ratios.ts';

/** People, groups within groups, grants, and a chain of folders, as in a drawing of routes. */
function drawing(): ToLayOut {
  const d = dice(7);
  const [who, groups, grants, chain] = [280, 120, 90, 10];
  const edges: [string, string][] = [];
  for (let i = 0; i < who; i++) {
    edges.push([`w${i}`, `g${d.int(groups)}`]);
    if (d.int(3) === 0) edges.push([`w${i}`, `e${d.int(grants)}`]);
  }
  for (let i = 0; i < groups; i++) {
    edges.push([`g${i}`, `e${d.int(grants)}`]);
    if (d.int(4) === 0 && i < groups - 1) edges.push([`g${i}`, `g${i + 1 + d.int(groups - i - 1)}`]);
  }
  for (let i = 0; i < grants; i++) edges.push([`e${i}`, `n${d.int(chain)}`]);
  for (let i = 1; i < chain; i++) edges.push([`n${i - 1}`, `n${i}`]);
  const some = (letter: string, n: number, column: number) =>
    Array.from({ length: n }, (_, i) => ({ id: `${letter}${i}`, width: 148, height: 38, column }));
  return {
    nodes: [...some('w', who, 0), ...some('g', groups, 1), ...some('e', grants, 2), ...some('n', chain, 3)],
    edges: edges.map(([from, to], i) => ({
      id: String(i),
      from,
      to,
      // what a cut would cost is written on the ways out of grants
      ...(from.startsWith('e') && { label: { width: 37, height: 16 } }),
    })),
  };
}

export async function drawings(): Promise<void> {
  const elk = new ELK();
  const ours = asElk(drawing());
  const asItComes = {
    ...ours,
    layoutOptions: { 'elk.algorithm': 'layered', 'elk.direction': 'RIGHT' },
    children: ours.children!.map(({ id, width, height }) => ({ id, width, height })),
  };
  const best = async (graph: typeof ours): Promise<number> => {
    let least = Infinity;
    for (let turn = 0; turn < 5; turn++) {
      const from = performance.now();
      await elk.layout(structuredClone(graph));
      least = Math.min(least, performance.now() - from);
    }
    return least;
  };
  const [first, second] = [await best(ours), await best(asItComes)];
  ratio('a drawing of 500 things, against ELK as it comes', first, second);
  process.stdout.write(
    `laying out ${ours.children!.length} things and ${ours.edges!.length} ways: ${first.toFixed(0)} ms; ELK as it comes ${second.toFixed(0)} ms\n`,
  );
}
