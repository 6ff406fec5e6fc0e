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
/** Layers as near as can be, one pass against crossings: half the time of the usual, and as good to read. */
export const LAYERED = {
  'elk.algorithm': 'layered',
  'elk.direction': 'RIGHT',
  'elk.layered.layering.strategy': 'LONGEST_PATH_SOURCE',
  'elk.layered.thoroughness': '1',
  'elk.partitioning.activate': 'true',
  'elk.layered.spacing.nodeNodeBetweenLayers': '36',
  'elk.layered.spacing.edgeNodeBetweenLayers': '10',
  'elk.spacing.nodeNode': '12',
  'elk.edgeLabels.inline': 'true',
  'elk.edgeRouting': 'POLYLINE',
} as const;

export const asElk = ({ nodes, edges }: ToLayOut): ElkNode => ({
  id: 'drawing',
  layoutOptions: LAYERED,
  children: nodes.map(({ id, width, height, column }) => ({
    id,
    width,
    height,
    layoutOptions: { 'elk.partitioning.partition': String(column) },
  })),
  edges: edges.map(({ id, from, to, label }) => ({
    id,
    sources: [from],
    targets: [to],
    ...(label && { labels: [{ id: `${id} label`, text: ' ', ...label }] }),
  })),
});
