/** Where the things of a drawing stand: in layers from left to right, worked out by elkjs in a thread of its own. */
import ELK, { type ElkNode } from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';

interface Size {
  width: number;
  height: number;
}
interface Point {
  x: number;
  y: number;
}
export interface ToLayOut {
  /** `column`: those of a lower one stand left of those of a higher. */
  nodes: (Size & { id: string; column: number })[];
  /** `label`: the size of what is written on it. */
  edges: { id: string; from: string; to: string; label?: Size }[];
}
export interface LaidOut {
  /** Upper left corners. */
  nodes: Map<string, Point>;
  /** The points that each way goes through, around what lies between its ends. */
  ways: Map<string, Point[]>;
  /** Middles of labels, which cover neither each other nor a node. */
  labels: Map<string, Point>;
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

let elk: InstanceType<typeof ELK> | undefined;

/** Lays a drawing out. */
export async function layOut(drawing: ToLayOut): Promise<LaidOut> {
  elk ??= new ELK({ workerUrl });
  const done = await elk.layout(asElk(drawing));
  return {
    nodes: new Map(done.children?.map((n) => [n.id, { x: n.x ?? 0, y: n.y ?? 0 }])),
    ways: new Map(
      done.edges?.map((e) => [
        e.id,
        (e.sections ?? []).flatMap((s) => [s.startPoint, ...(s.bendPoints ?? []), s.endPoint]),
      ]),
    ),
    labels: new Map(
      done.edges?.flatMap(({ id, labels }) =>
        (labels ?? []).map((t): [string, Point] => [
          id,
          { x: (t.x ?? 0) + (t.width ?? 0) / 2, y: (t.y ?? 0) + (t.height ?? 0) / 2 },
        ]),
      ),
    ),
  };
}
