/** Where the things of a drawing stand: in layers from left to right, worked out by elkjs in a thread of its own. */
import ELK from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';
import { asElk, type ToLayOut } from './layered.ts';

interface Point {
  x: number;
  y: number;
}
export interface LaidOut {
  /** Upper left corners. */
  nodes: Map<string, Point>;
  /** The points that each way goes through, around what lies between its ends. */
  ways: Map<string, Point[]>;
  /** Middles of labels, which cover neither each other nor a node. */
  labels: Map<string, Point>;
}

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
