/** Every route to a node drawn at once: identities on the left, the node on the right. */
import { useQuery } from '@tanstack/react-query';
import { Check, Plus } from 'lucide-react';
import { useState } from 'react';
import type { RouteGraph as Graph } from '../../dto/access.ts';
import { ask } from '../frame/api.ts';
import { Dialog } from '../parts/Dialog.tsx';
import { plural, Trouble } from '../parts/marks.tsx';
import { useSigned } from '../frame/signed.ts';
import { usePickUp } from '../frame/Tray.tsx';
import { asOfOf } from '../frame/url.ts';
import { entryWords } from '../parts/words.ts';

type GNode = Graph['nodes'][number];
interface Placed extends GNode {
  x: number;
  y: number;
  w: number;
}
const ROW = 44;
const BOX = 34;
const WIDTH = { who: 168, group: 130, entry: 152, node: 156 } as const;
const GAP = 54;
/** Where there is less room. */
const TIGHT = { widths: { who: 148, group: 100, entry: 136, node: 128 }, gap: 24 };

/** Columns from left to right, groups by how deep they lie; each column in the order of what it is joined to. */
function place(graph: Graph, tight: boolean): { nodes: Placed[]; width: number; height: number } {
  const [widths, gap] = tight ? [TIGHT.widths, TIGHT.gap] : [WIDTH, GAP];
  const level = new Map<string, number>();
  const byId = new Map(graph.nodes.map((n) => [n.id, n]));
  const groups = graph.nodes.filter((n) => n.column === 'group');
  // a group lies right of what it holds; groups that hold each other share a place
  for (const g of groups) level.set(g.id, 0);
  for (let turn = 0; turn < groups.length && turn < 12; turn++)
    for (const e of graph.edges) {
      const [a, b] = [level.get(e.from), level.get(e.to)];
      if (a !== undefined && b !== undefined && b <= a && a < 6) level.set(e.to, a + 1);
    }
  const depths = [...new Set(level.values())].sort((a, b) => a - b);
  const chain = graph.nodes.filter((n) => n.column === 'node');
  const columns: GNode[][] = [
    graph.nodes.filter((n) => n.column === 'who'),
    ...depths.map((d) => groups.filter((g) => level.get(g.id) === d)),
    graph.nodes.filter((n) => n.column === 'entry'),
    chain,
  ];
  const order = new Map<string, number>();
  columns.forEach((c) => c.forEach((n, i) => order.set(n.id, i)));
  const sweep = (list: GNode[], side: 'from' | 'to'): void => {
    const other = side === 'from' ? 'to' : 'from';
    const middle = (n: GNode): number => {
      const near = graph.edges
        .filter((e) => e[side] === n.id && byId.has(e[other]))
        .map((e) => order.get(e[other])!);
      return near.length ? near.reduce((a, b) => a + b, 0) / near.length : order.get(n.id)!;
    };
    const at = new Map(list.map((n) => [n.id, middle(n)]));
    list.sort((a, b) => at.get(a.id)! - at.get(b.id)!);
    list.forEach((n, i) => order.set(n.id, i));
  };
  for (let turn = 0; turn < 3; turn++) {
    for (let c = 1; c < columns.length - 1; c++) sweep(columns[c]!, 'to');
    for (let c = columns.length - 2; c >= 0; c--) sweep(columns[c]!, 'from');
  }
  // folders stand further apart: what breaking inheritance costs is written between them
  const step = (c: GNode[]): number => (c === chain && !tight ? ROW + 20 : ROW);
  const height = Math.max(...columns.map((c) => c.length * step(c)), ROW);
  const nodes: Placed[] = [];
  let x = 0;
  for (const column of columns) {
    if (!column.length) continue;
    const w = widths[column[0]!.column];
    const top = (height - column.length * step(column)) / 2;
    column.forEach((n, i) => nodes.push({ ...n, x, y: top + i * step(column), w }));
    x += w + gap;
  }
  return { nodes, width: x - gap, height };
}

const short = (text: string, width: number): string => {
  const most = Math.floor(width / 6.6);
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
};

export function RouteGraphDialog({ nodeKey, close }: { nodeKey: string; close: () => void }) {
  const asOf = typeof location === 'undefined' ? undefined : asOfOf(new URLSearchParams(location.search));
  const { data, error, refetch } = useQuery(ask('/api/holdings/graph', { node: nodeKey, asOf }));
  return (
    <Dialog
      title={
        <>
          All routes
          {data && (
            <span className="font-normal text-quiet">
              {' '}
              by which {plural(data.people, 'identity', 'identities')} can reach it now
            </span>
          )}
        </>
      }
      aside={<Legend />}
      size="full"
      close={close}
    >
      {error && <Trouble error={error} retry={() => void refetch()} />}
      {data && <Drawing graph={data} />}
    </Dialog>
  );
}

function Legend() {
  return (
    <span className="flex items-center gap-4 text-xs text-quiet">
      <span className="flex items-center gap-1.5">
        <svg width="26" height="8" aria-hidden>
          <path d="M0 4H26" className="stroke-base-content" strokeWidth="2" />
        </svg>
        used lately
      </span>
      <span className="flex items-center gap-1.5">
        <svg width="26" height="8" aria-hidden>
          <path d="M0 4H26" className="stroke-quiet" strokeWidth="1.25" strokeDasharray="5 4" />
        </svg>
        only granted
      </span>
      <span className="flex items-center gap-1.5">
        <svg width="26" height="8" aria-hidden>
          <path d="M0 4H26" className="stroke-quiet" strokeWidth="1.5" strokeDasharray="1 4" />
        </svg>
        not followed yet
      </span>
      <span className="flex items-center gap-1.5">
        <span className="rounded-full border border-slate px-1.5 text-[11px] leading-4 text-base-content">
          −12
        </span>
        lose all access if it is cut
      </span>
    </span>
  );
}

/** Says that a cut goes through here. */
const Struck = ({ x, y }: { x: number; y: number }) => (
  <g>
    <rect x={x - 16} y={y - 9} width="32" height="18" rx="9" className="fill-base-100 stroke-error" />
    <text x={x} y={y + 4} textAnchor="middle" className="fill-error text-[11px] font-bold">
      cut
    </text>
  </g>
);

/** The drawing itself: what the chosen thing is joined to is lit; what a cut goes through is struck. */
export function Picture({
  graph,
  chosen,
  choose,
  tight = false,
}: {
  graph: Graph;
  chosen: string | undefined;
  choose: (id: string | undefined) => void;
  tight?: boolean;
}) {
  const { nodes, width, height } = place(graph, tight);
  const at = new Map(nodes.map((n) => [n.id, n]));
  const lit = chosen ? joined(graph, chosen) : undefined;
  return (
    <svg
      className="h-auto max-w-full"
      style={tight ? { minWidth: Math.round(width * 0.85) } : undefined}
      width={width + 8}
      height={height + 8}
      viewBox={`-4 -4 ${width + 8} ${height + 8}`}
      role="group"
      aria-label="Drawing of the routes; the table below it says the same"
    >
      {graph.edges.map((e, i) => {
        const [a, b] = [at.get(e.from), at.get(e.to)];
        if (!a || !b) return null;
        const down = a.x === b.x;
        const [x1, y1] = down ? [a.x + a.w / 2, a.y + BOX] : [a.x + a.w, a.y + BOX / 2];
        const [x2, y2] = down ? [b.x + b.w / 2, b.y] : [b.x, b.y + BOX / 2];
        const bend = down ? 0 : Math.max(24, (x2 - x1) / 2);
        const dim = lit && !(lit.has(e.from) && lit.has(e.to));
        return (
          <g key={i} className={dim ? 'opacity-25' : ''}>
            <path
              d={`M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}`}
              fill="none"
              className={e.struck ? 'stroke-error' : e.used ? 'stroke-base-content' : 'stroke-quiet'}
              strokeWidth={e.used ? 2 : 1.25}
              strokeDasharray={e.struck ? '3 3' : e.could ? '1 4' : e.used ? undefined : '5 4'}
            />
            {e.struck && <Struck x={(x1 + x2) / 2} y={(y1 + y2) / 2} />}
            {e.cut !== undefined && (
              <g>
                <rect
                  x={(x1 + x2) / 2 - 15}
                  y={(y1 + y2) / 2 - 8}
                  width="30"
                  height="16"
                  rx="8"
                  className="fill-base-100 stroke-slate"
                />
                <text
                  x={(x1 + x2) / 2}
                  y={(y1 + y2) / 2 + 4}
                  textAnchor="middle"
                  className="fill-base-content text-[11px]"
                >
                  {e.cut ? `−${e.cut}` : '0'}
                </text>
              </g>
            )}
          </g>
        );
      })}
      {nodes.map((n) => (
        <g
          key={n.id}
          role="button"
          tabIndex={0}
          aria-label={`${n.label}${n.detail ? `, ${n.detail}` : ''}`}
          aria-pressed={n.id === chosen}
          className={`cursor-pointer outline-offset-2 ${lit && !lit.has(n.id) ? 'opacity-30' : ''}`}
          onClick={() => choose(n.id === chosen ? undefined : n.id)}
          onKeyDown={(e) => {
            if (e.key !== 'Enter' && e.key !== ' ') return;
            e.preventDefault();
            choose(n.id === chosen ? undefined : n.id);
          }}
        >
          <rect
            x={n.x}
            y={n.y}
            width={n.w}
            height={BOX}
            rx={n.column === 'group' ? 17 : n.column === 'node' ? 0 : 4}
            className={`${n.outside ? 'fill-base-300' : 'fill-base-200'} ${n.struck ? 'stroke-error' : n.id === chosen ? 'stroke-base-content' : 'stroke-slate'}`}
            strokeDasharray={n.struck ? '3 3' : undefined}
            strokeWidth={n.id === chosen || n.struck ? 2 : 1}
          />
          <text
            x={n.x + 10}
            y={n.y + (n.detail ? 15 : 21)}
            className={`fill-base-content text-[12.5px] ${n.outside ? 'font-bold' : 'font-medium'}`}
          >
            {short(n.label, n.w - 14)}
          </text>
          {n.struck && <Struck x={n.x + n.w - 12} y={n.y} />}
          {n.detail && (
            <text x={n.x + 10} y={n.y + 28} className="fill-quiet text-[11px]">
              {short(n.detail, n.w + 8)}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}

function Drawing({ graph }: { graph: Graph }) {
  const { steward } = useSigned();
  const { pickUp, putDown, has } = usePickUp();
  const [chosen, setChosen] = useState<string>();
  const at = new Map(graph.nodes.map((n) => [n.id, n]));
  const node = at.get(chosen ?? '');
  return (
    <div className="flex min-h-0 flex-1">
      <div className="min-w-0 flex-1 overflow-auto p-4">
        <Picture graph={graph} chosen={chosen} choose={setChosen} />
        {graph.left.bundles > 0 && (
          <p className="mt-2 text-quiet">
            And {plural(graph.left.people, 'more person', 'more people')} in{' '}
            {plural(graph.left.bundles, 'other combination')} of the same routes, counted in the numbers and
            not drawn.
          </p>
        )}
        <p className="mt-4 text-quiet">Choose anything in the drawing to see who and what it is.</p>
        <h3 className="mt-6 font-semibold">What each cut would cost</h3>
        <table className="mt-1 w-full max-w-3xl">
          <tbody>
            {graph.edges
              .filter((e) => e.cut !== undefined && at.has(e.from))
              .sort((a, b) => b.cut! - a.cut!)
              .slice(0, 60)
              .map((e) => (
                <tr key={`${e.from}${e.to}`} className="border-b border-base-300 align-top">
                  <td className="py-1 pr-2">
                    {at.get(e.from)!.label} <span className="text-quiet">→ {at.get(e.to)?.label}</span>
                    {!e.used && <span className="block text-xs text-quiet">only granted</span>}
                  </td>
                  <td className="py-1 text-right">{e.cut}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </div>
      {node && (
        <aside
          aria-label="What is chosen"
          className="w-[290px] shrink-0 overflow-auto border-l border-slate p-4"
        >
          <>
            <h3 className="font-bold break-words">{node.label}</h3>
            {node.detail && <p className="text-quiet">{node.detail}</p>}
            {node.entry && (
              <>
                <p className="mt-2">
                  {entryWords(node.entry)[0]!.toUpperCase()}
                  {entryWords(node.entry).slice(1)}.
                </p>
                <p className="mt-1">
                  {(graph.edges.find((e) => e.from === node.id)?.cut ?? 0) > 0
                    ? `${plural(graph.edges.find((e) => e.from === node.id)!.cut!, 'identity', 'identities')} would lose all access if it were withdrawn.`
                    : 'Nobody would lose all access if it alone were withdrawn.'}{' '}
                  {node.used ? 'It was used lately.' : 'Nobody who holds it has used it lately.'}
                </p>
                {steward && (
                  <button
                    className="btn btn-sm mt-2 w-full border-slate"
                    onClick={() => (has(node.entry!) ? putDown : pickUp).mutate([node.entry!])}
                  >
                    {has(node.entry) ? <Check size={14} aria-hidden /> : <Plus size={14} aria-hidden />}
                    {has(node.entry) ? 'In the tray' : 'Pick up: withdraw it'}
                  </button>
                )}
              </>
            )}
            {node.people && (
              <ul className="mt-2">
                {node.people.map((p) => (
                  <li key={p.id} className="border-b border-base-300 py-1">
                    {p.name}
                    {p.kind !== 'member' && <span className="text-quiet"> {p.kind}</span>}
                    {p.address !== p.name && (
                      <span className="block truncate text-xs text-quiet">{p.address}</span>
                    )}
                  </li>
                ))}
                {(node.count ?? 0) > node.people.length && (
                  <li className="py-1 text-quiet">and {(node.count ?? 0) - node.people.length} more</li>
                )}
              </ul>
            )}
          </>
        </aside>
      )}
    </div>
  );
}

/** Everything on a route with one node, before it and after it. */
function joined(graph: Graph, id: string): Set<string> {
  const found = new Set([id]);
  for (const [from, to] of [
    ['from', 'to'],
    ['to', 'from'],
  ] as const) {
    const side = new Set([id]);
    for (const n of side) for (const e of graph.edges) if (e[from] === n) side.add(e[to]);
    for (const n of side) found.add(n);
  }
  return found;
}
