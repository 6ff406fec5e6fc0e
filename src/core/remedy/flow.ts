/**
 * Maximum flow and minimum cut on a directed network, by Dinic's algorithm (Dinitz 1970: blocking flows
 * in level graphs), on typed arrays. Capacities are whole numbers below 2^50; `UNCUTTABLE` or more is
 * never part of a cut.
 */
import { counting, GrowFloat64, GrowInt32, listsBy, type Lists } from '../access/growable.ts';

export const UNCUTTABLE = 2 ** 50;

export interface MinCut {
  /** Of the maximum flow, which is the capacity of the minimum cut (Ford and Fulkerson 1956). */
  value: number;
  /** Numbers of the edges that lead out of the source's side: as few steps from the source as there can be. */
  edges: number[];
  /** Flow by edge: what proves that no cut is cheaper. */
  flow: Float64Array;
  /** 1 for the vertices on the source's side. */
  side: Uint8Array;
}

export class Network {
  /** Edge 2e is edge e, and 2e + 1 its way back. */
  private readonly from = new GrowInt32();
  private readonly to = new GrowInt32();
  private readonly cap = new GrowFloat64();
  private count = 0;
  private joined: { edges: number; arcs: Lists; heads: Int32Array } | undefined;

  vertex(): number {
    return this.count++;
  }

  get vertices(): number {
    return this.count;
  }

  get edges(): number {
    return this.from.length;
  }

  /** Adds an edge; gives its number. */
  edge(a: number, b: number, capacity: number): number {
    this.to.push(b);
    this.cap.push(capacity);
    return this.from.push(a);
  }

  ends(edge: number): [number, number] {
    return [this.from.at(edge), this.to.at(edge)];
  }

  /** Capacities by edge. */
  capacities(): Float64Array {
    return this.cap.done().slice();
  }

  /** Arcs out of each vertex, both ways of every edge, and where each leads; made once, as long as no edge is added. */
  private arcs(): { arcs: Lists; heads: Int32Array } {
    const E = this.edges;
    if (this.joined?.edges !== E) {
      const tails = new Int32Array(2 * E);
      for (let e = 0; e < E; e++) {
        tails[2 * e] = this.from.at(e);
        tails[2 * e + 1] = this.to.at(e);
      }
      const arcs = listsBy(tails, counting(2 * E), this.count);
      this.joined = { edges: E, arcs, heads: arcs.values.map((arc) => tails[arc ^ 1]!) };
    }
    return this.joined;
  }

  /** The edges that lead out of a vertex, or into it. */
  *edgesAt(vertex: number, out: boolean): Generator<number> {
    const { start, values } = this.arcs().arcs;
    for (let k = start[vertex]!; k < start[vertex + 1]!; k++)
      if ((values[k]! & 1) === (out ? 0 : 1)) yield values[k]! >> 1;
  }

  /** `begun`: a flow that keeps within the capacities, to go on from. */
  minCut(source: number, sink: number, capacities = this.capacities(), begun?: Float64Array): MinCut {
    const [V, E] = [this.count, this.edges];
    const from = this.from.done();
    const to = this.to.done();
    const { arcs: lists, heads } = this.arcs();
    const { start, values: arcs } = lists;
    const left = new Float64Array(2 * E);
    let value = 0;
    for (let e = 0; e < E; e++) {
      const flow = begun ? begun[e]! : 0;
      left[2 * e] = capacities[e]! - flow;
      left[2 * e + 1] = flow;
      if (to[e] === sink) value += flow;
      else if (from[e] === sink) value -= flow;
    }
    const head = (arc: number): number => (arc & 1 ? from[arc >> 1]! : to[arc >> 1]!);
    const level = new Int32Array(V);
    const next = new Int32Array(V);
    const queue = new Int32Array(V);
    const layers = (): boolean => {
      level.fill(-1);
      level[source] = 0;
      queue[0] = source;
      for (let read = 0, end = 1; read < end; read++) {
        const v = queue[read]!;
        // what is as far as the sink leads nowhere
        if (level[sink]! >= 0 && level[v]! >= level[sink]!) break;
        for (let k = start[v]!; k < start[v + 1]!; k++) {
          const w = heads[k]!;
          if (level[w]! >= 0 || left[arcs[k]!]! <= 0) continue;
          level[w] = level[v]! + 1;
          queue[end++] = w;
        }
      }
      return level[sink]! >= 0;
    };
    const path = new Int32Array(V);
    while (value < UNCUTTABLE && layers()) {
      next.set(start.subarray(0, V));
      // one way after another to the sink, without recursion: ways may be long
      for (let depth = 0, v = source; ;) {
        if (v === sink) {
          let least = Infinity;
          for (let k = 0; k < depth; k++) least = Math.min(least, left[path[k]!]!);
          for (let k = 0; k < depth; k++) {
            left[path[k]!]! -= least;
            left[path[k]! ^ 1]! += least;
          }
          value += least;
          if (value >= UNCUTTABLE) break;
          // go on from where the way is full
          let full = 0;
          while (left[path[full]!]! > 0) full++;
          depth = full;
          v = head(path[full]! ^ 1);
          continue;
        }
        let found = -1;
        for (; next[v]! < start[v + 1]!; next[v]!++) {
          const k = next[v]!;
          if (level[heads[k]!]! === level[v]! + 1 && left[arcs[k]!]! > 0) {
            found = arcs[k]!;
            break;
          }
        }
        if (found >= 0) {
          path[depth++] = found;
          v = head(found);
        } else {
          if (v === source) break;
          depth--;
          v = head(path[depth]! ^ 1);
          next[v]!++;
        }
      }
    }
    const side = new Uint8Array(V);
    if (value < UNCUTTABLE) {
      layers();
      for (let v = 0; v < V; v++) side[v] = level[v]! >= 0 ? 1 : 0;
    }
    const edges: number[] = [];
    const flow = new Float64Array(E);
    for (let e = 0; e < E; e++) {
      flow[e] = capacities[e]! - left[2 * e]!;
      if (side[from[e]!] && !side[to[e]!]) edges.push(e);
    }
    return { value, edges, flow, side };
  }

  /** A way from the source to the sink over uncuttable edges alone, as edges in order; none where there is no such way. */
  uncuttableWay(source: number, sink: number, capacities = this.capacities()): number[] | undefined {
    const by = new Int32Array(this.count).fill(-1);
    const queue = [source];
    for (const v of queue)
      for (const e of this.edgesAt(v, true)) {
        const w = this.to.at(e);
        if (capacities[e]! < UNCUTTABLE || w === source || by[w]! >= 0) continue;
        by[w] = e;
        if (w === sink) {
          const way: number[] = [];
          for (let x = sink; x !== source; x = this.from.at(by[x]!)) way.unshift(by[x]!);
          return way;
        }
        queue.push(w);
      }
    return undefined;
  }
}

/**
 * Whether a cut is proven: the flow keeps within every capacity and is kept at every vertex, and its
 * value is what the cut costs, so that no cut costs less (max-flow min-cut).
 */
export function isProven(
  network: Network,
  source: number,
  sink: number,
  cut: MinCut,
  capacities = network.capacities(),
): boolean {
  const balance = new Float64Array(network.vertices);
  for (let e = 0; e < network.edges; e++) {
    if (cut.flow[e]! < 0 || cut.flow[e]! > capacities[e]!) return false;
    const [a, b] = network.ends(e);
    balance[a]! -= cut.flow[e]!;
    balance[b]! += cut.flow[e]!;
  }
  const kept = balance.every((x, v) => v === source || v === sink || x === 0);
  const cost = cut.edges.reduce((n, e) => n + capacities[e]!, 0);
  return (
    kept && balance[sink] === cut.value && cost === cut.value && cut.side[source] === 1 && !cut.side[sink]
  );
}
