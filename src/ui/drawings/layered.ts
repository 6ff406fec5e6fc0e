/** A drawing as ELK takes it: in layers from left to right. */
import type { ElkNode } from 'elkjs/lib/elk-api.js';

interface Size {
  width: number;
  height: number;
}
export interface ToLayOut {
  /** `column`: those of a lower one stand left of those of a higher. */
  nodes: (Size & { id: string; column: number })[];
  /** `label`: the size of what is written on it. */
  edges: { id: string; from: string; to: string; label?: Size }[];
}

const LAYERED = {
  'elk.algorithm': 'layered',
  'elk.direction': 'RIGHT',
  'elk.layered.thoroughness': '1',
  'elk.layered.spacing.nodeNodeBetweenLayers': '36',
  'elk.layered.spacing.edgeNodeBetweenLayers': '10',
  'elk.spacing.nodeNode': '12',
  'elk.edgeLabels.inline': 'true',
  'elk.edgeRouting': 'POLYLINE',
};
/** Things of one kind stand below each other. */
const IN_COLUMNS = {
  ...LAYERED,
  'elk.layered.layering.strategy': 'LONGEST_PATH_SOURCE',
  'elk.partitioning.activate': 'true',
};
/** Columns cost four times the time, so a drawing of more things than `MANY` does without (`npm run bench -- drawing`). */
const OF_MANY = {
  ...LAYERED,
  'elk.layered.layering.strategy': 'LONGEST_PATH',
  'elk.layered.crossingMinimization.greedySwitch.type': 'OFF',
};
const MANY = 150;

export const asElk = ({ nodes, edges }: ToLayOut): ElkNode => ({
  id: 'drawing',
  layoutOptions: nodes.length > MANY ? OF_MANY : IN_COLUMNS,
  children: nodes.map(({ id, width, height, column }) => ({
    id,
    width,
    height,
    ...(nodes.length <= MANY && { layoutOptions: { 'elk.partitioning.partition': String(column) } }),
  })),
  edges: edges.map(({ id, from, to, label }) => ({
    id,
    sources: [from],
    targets: [to],
    ...(label && { labels: [{ id: `${id} label`, text: ' ', ...label }] }),
  })),
});
