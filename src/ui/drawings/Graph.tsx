/** A drawing of things and the ways between them: pan, zoom, fit, a map of the whole, and the keyboard. */
import { useQuery } from '@tanstack/react-query';
import {
  BaseEdge,
  Controls,
  Handle,
  MiniMap,
  Panel,
  Position,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  type Edge,
  type EdgeProps,
  type Node,
  type NodeProps,
} from '@xyflow/react';
import '@xyflow/react/dist/base.css';
import { createContext, useContext, useEffect, useMemo, type KeyboardEvent } from 'react';
import { Trouble } from '../parts/marks.tsx';
import { layOut } from './layout.ts';

export interface Thing {
  id: string;
  label: string;
  detail?: string | undefined;
  shape: 'box' | 'pill' | 'square';
  /** Those of a lower one stand left of those of a higher. */
  column: number;
  strong?: boolean | undefined;
  struck?: boolean | undefined;
}
export interface Way {
  from: string;
  to: string;
  look: 'used' | 'granted' | 'possible' | 'struck';
  label?: string | undefined;
}

const WIDTH = 148;
const HEIGHT = 38;
/** All of it, and not larger than life. */
const FIT = { maxZoom: 1, padding: 0.05 };
/** From so many things on, the map of the whole is shown. */
const MAPPED = 30;

/** Selected, and what is on a way with it. */
const Chosen = createContext<{
  id: string | undefined;
  lit: Set<string> | undefined;
  choose: (id: string | undefined) => void;
}>({ id: undefined, lit: undefined, choose: () => undefined });

type ThingNode = Node<{ thing: Thing }, 'thing'>;
interface Point {
  x: number;
  y: number;
}
type WayEdge = Edge<{ way: Way; points: Point[]; at: Point | undefined }, 'way'>;

function ThingBox({ data: { thing } }: NodeProps<ThingNode>) {
  const { id, lit, choose } = useContext(Chosen);
  const chosen = id === thing.id;
  return (
    <>
      <Handle type="target" position={Position.Left} className="invisible" isConnectable={false} />
      <button
        aria-label={`${thing.label}${thing.detail ? `, ${thing.detail}` : ''}`}
        aria-pressed={chosen}
        title={`${thing.label}${thing.detail ? `\n${thing.detail}` : ''}`}
        onClick={() => choose(chosen ? undefined : thing.id)}
        style={{ width: WIDTH, height: HEIGHT }}
        className={`nopan pointer-events-auto flex cursor-pointer flex-col justify-center px-2.5 text-left leading-tight ${
          { box: 'rounded', pill: 'rounded-full px-4', square: '' }[thing.shape]
        } ${thing.strong ? 'bg-base-300' : 'bg-base-200'} ${
          thing.struck
            ? 'border-2 border-dashed border-error'
            : chosen
              ? 'border-2 border-base-content'
              : 'border border-slate'
        } ${lit && !lit.has(thing.id) ? 'opacity-30' : ''}`}
      >
        <span className={`w-full truncate text-[12.5px] ${thing.strong ? 'font-bold' : 'font-medium'}`}>
          {thing.label}
        </span>
        {thing.detail && <span className="w-full truncate text-[11px] text-quiet">{thing.detail}</span>}
      </button>
      {thing.struck && (
        <span className="absolute -right-2 -top-2 rounded-full border border-error bg-base-100 px-1.5 text-[11px] font-bold leading-4 text-error">
          cut
        </span>
      )}
      <Handle type="source" position={Position.Right} className="invisible" isConnectable={false} />
    </>
  );
}

const LOOK = {
  used: { className: 'stroke-base-content', width: 2, dash: undefined },
  granted: { className: 'stroke-quiet', width: 1.25, dash: '5 4' },
  possible: { className: 'stroke-quiet', width: 1.5, dash: '1 4' },
  struck: { className: 'stroke-error', width: 1.5, dash: '3 3' },
};

/** Points with one more, where it comes on the way. */
function through(points: readonly Point[], one: Point): Point[] {
  const back = points.length > 1 && points[0]!.x > points.at(-1)!.x;
  return [...points, one].sort((a, b) => (back ? b.x - a.x : a.x - b.x));
}

/** A curve through points, level at each. */
const curve = (points: readonly Point[]): string =>
  points
    .map(({ x, y }, i) => {
      if (i === 0) return `M${x} ${y}`;
      const before = points[i - 1]!;
      const bend = (x - before.x) / 2;
      return `C${before.x + bend} ${before.y} ${x - bend} ${y} ${x} ${y}`;
    })
    .join('');

function WayLine({ source, target, data }: EdgeProps<WayEdge>) {
  const { lit } = useContext(Chosen);
  const { way, points, at } = data!;
  const look = LOOK[way.look];
  const { label } = way;
  return (
    <g className={lit && !(lit.has(source) && lit.has(target)) ? 'opacity-25' : ''}>
      <BaseEdge
        path={curve(at ? through(points, at) : points)}
        className={look.className}
        style={{ strokeWidth: look.width, strokeDasharray: look.dash }}
      />
      {label && at && (
        <>
          <rect
            x={at.x - labelWidth(label) / 2}
            y={at.y - 8}
            width={labelWidth(label)}
            height="16"
            rx="8"
            className={`fill-base-100 ${way.look === 'struck' ? 'stroke-error' : 'stroke-slate'}`}
          />
          <text
            x={at.x}
            y={at.y + 4}
            textAnchor="middle"
            className={`text-[11px] ${way.look === 'struck' ? 'fill-error font-bold' : 'fill-base-content'}`}
          >
            {label}
          </text>
        </>
      )}
    </g>
  );
}
const labelWidth = (label: string): number => 16 + label.length * 7;

const NODE_TYPES = { thing: ThingBox };
const EDGE_TYPES = { way: WayLine };

interface Props {
  things: Thing[];
  ways: Way[];
  chosen: string | undefined;
  choose: (id: string | undefined) => void;
  /** What it is a drawing of, for those who do not see it. */
  of: string;
}

export function Graph(props: Props) {
  return (
    <ReactFlowProvider>
      <Drawing {...props} />
    </ReactFlowProvider>
  );
}

function Drawing({ things, ways, chosen, choose, of }: Props) {
  const { zoomIn, zoomOut, fitView, getViewport, setViewport } = useReactFlow();
  const toLayOut = useMemo(
    () => ({
      nodes: things.map(({ id, column }) => ({ id, column, width: WIDTH, height: HEIGHT })),
      edges: ways.map(({ from, to, label }, n) => ({
        id: String(n),
        from,
        to,
        ...(label && { label: { width: labelWidth(label), height: 16 } }),
      })),
    }),
    [things, ways],
  );
  const places = useQuery({ queryKey: ['layout', toLayOut], queryFn: () => layOut(toLayOut) });
  const { data: laidOut } = places;
  const nodes = useMemo(
    () =>
      things.map((thing): ThingNode => ({
        id: thing.id,
        type: 'thing',
        position: laidOut?.nodes.get(thing.id) ?? { x: 0, y: 0 },
        width: WIDTH,
        height: HEIGHT,
        data: { thing },
      })),
    [things, laidOut],
  );
  const edges = useMemo(
    () =>
      ways.map((way, n): WayEdge => ({
        id: String(n),
        type: 'way',
        source: way.from,
        target: way.to,
        data: { way, points: laidOut?.ways.get(String(n)) ?? [], at: laidOut?.labels.get(String(n)) },
      })),
    [ways, laidOut],
  );
  const around = useMemo(
    () => ({ id: chosen, lit: chosen === undefined ? undefined : onWaysWith(ways, chosen), choose }),
    [ways, chosen, choose],
  );
  // what is chosen is told beside the drawing, which has another width then
  const aside = chosen !== undefined;
  useEffect(() => {
    const frame = requestAnimationFrame(() => void fitView(FIT));
    return () => cancelAnimationFrame(frame);
  }, [aside, fitView]);
  const onKey = (e: KeyboardEvent): void => {
    const move = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[e.key];
    if (move) {
      const { x, y, zoom } = getViewport();
      void setViewport({ x: x + move[0]!, y: y + move[1]!, zoom });
    } else if (e.key === '+' || e.key === '=') void zoomIn();
    else if (e.key === '-') void zoomOut();
    else if (e.key === '0') void fitView(FIT);
    else return;
    e.preventDefault();
  };
  if (places.error) return <Trouble error={places.error} retry={() => void places.refetch()} />;
  if (!laidOut) return <p className="p-4 text-quiet">Drawing …</p>;
  return (
    <Chosen value={around}>
      <div className="h-full w-full" role="group" aria-label={of} onKeyDown={onKey}>
        <ReactFlow
          nodes={nodes}
          edges={edges}
          nodeTypes={NODE_TYPES}
          edgeTypes={EDGE_TYPES}
          fitView
          fitViewOptions={FIT}
          minZoom={0.1}
          maxZoom={2}
          nodesDraggable={false}
          nodesConnectable={false}
          nodesFocusable={false}
          edgesFocusable={false}
          elementsSelectable={false}
          onlyRenderVisibleElements={things.length > MAPPED}
          disableKeyboardA11y
          onPaneClick={() => choose(undefined)}
          proOptions={{ hideAttribution: true }}
        >
          <Controls showInteractive={false} />
          {things.length > MAPPED && <MiniMap pannable zoomable ariaLabel="The whole drawing" />}
          <Panel position="top-right" className="text-xs text-quiet">
            Drag or use the arrow keys to move, + and − to zoom, 0 to see it all
          </Panel>
        </ReactFlow>
      </div>
    </Chosen>
  );
}

/** Everything on a way with one thing, before it and after it. */
function onWaysWith(ways: readonly Way[], id: string): Set<string> {
  const found = new Set([id]);
  for (const [from, to] of [
    ['from', 'to'],
    ['to', 'from'],
  ] as const) {
    const side = new Set([id]);
    for (const n of side) for (const w of ways) if (w[from] === n) side.add(w[to]);
    for (const n of side) found.add(n);
  }
  return found;
}
