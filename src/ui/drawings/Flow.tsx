/** The flow from departments to external domains: how often each shared with each, drawn, and as a table. */
import { useMemo } from 'react';
import { plural } from '../parts/marks.tsx';

interface FlowRow {
  department: string;
  domain: string;
  shares: number;
}
const WIDTH = 900;
const LEFT = 190;
const RIGHT = WIDTH - 260;
const GAP = 10;
const LEAST = 7;

export function Flow({
  flows,
  expected,
  selected,
  onDomain,
  onDepartment,
}: {
  flows: FlowRow[];
  expected: (domain: string) => boolean;
  selected: string | undefined;
  onDomain: (domain: string) => void;
  onDepartment: (department: string) => void;
}) {
  const drawing = useMemo(() => layout(flows), [flows]);
  if (!flows.length) return <p className="p-4 text-quiet">Nobody of a department shared with these domains.</p>;
  return (
    <div className="h-full overflow-auto p-4" tabIndex={0} aria-label="The flow of sharing">
      <svg viewBox={`0 0 ${WIDTH} ${drawing.height}`} className="w-full max-w-5xl" role="group" aria-label="Departments on the left, domains on the right">
        {drawing.ribbons.map((r) => (
          <path
            key={`${r.department} ${r.domain}`}
            d={`M${LEFT + 8} ${r.y1} C${(LEFT + RIGHT) / 2} ${r.y1} ${(LEFT + RIGHT) / 2} ${r.y2} ${RIGHT - 8} ${r.y2}`}
            fill="none"
            strokeWidth={r.width}
            className={r.domain === selected ? 'stroke-primary' : 'stroke-slate'}
            opacity={r.domain === selected ? 0.9 : 0.55}
          >
            <title>{`${r.department} shared ${plural(r.shares, 'time')} with ${r.domain}`}</title>
          </path>
        ))}
        {drawing.departments.map((d) => (
          <Node key={d.name} {...d} x={LEFT} left open={() => onDepartment(d.name)} label={`${d.name}, shared ${plural(d.shares, 'time')}`} />
        ))}
        {drawing.domains.map((d) => (
          <Node key={d.name} {...d} x={RIGHT} strong={!expected(d.name)} open={() => onDomain(d.name)} label={`${d.name}, ${expected(d.name) ? 'a partner’s' : 'not expected'}, shared with ${plural(d.shares, 'time')}`} />
        ))}
      </svg>
      <p className="mb-3 text-quiet">As wide as how often it was shared; domains that are not expected in bold.</p>
      <details>
        <summary className="cursor-pointer text-quiet">The same as a table</summary>
        <table className="mt-1">
          <thead>
            <tr className="text-left text-xs text-quiet">
              <th className="pr-8 font-semibold">Department</th>
              <th className="pr-8 font-semibold">Domain</th>
              <th className="text-right font-semibold">Shared</th>
            </tr>
          </thead>
          <tbody>
            {flows.map((f) => (
              <tr key={`${f.department} ${f.domain}`}>
                <td className="pr-8">{f.department}</td>
                <td className="pr-8">{f.domain}</td>
                <td className="text-right">{f.shares}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </div>
  );
} // prettier-ignore

interface Place {
  name: string;
  y: number;
  height: number;
  shares: number;
}

function Node({ name, x, y, height, shares, left = false, strong = false, open, label }: Place & { x: number; left?: boolean; strong?: boolean; open: () => void; label: string }) {
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={label}
      className="cursor-pointer hover:opacity-70"
      onClick={open}
      onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && open()}
    >
      <rect x={left ? 0 : x - 8} y={y - 3} width={left ? x + 8 : WIDTH - x + 8} height={height + 6} fill="transparent" />
      <rect x={left ? x : x - 8} y={y} width={8} height={height} className="fill-base-content" />
      <text x={left ? x - 8 : x + 8} y={y + height / 2} dominantBaseline="middle" textAnchor={left ? 'end' : 'start'} className={`fill-base-content text-[13px] ${strong ? 'font-bold' : ''}`}>
        {name} <tspan className="fill-quiet font-normal">{shares}</tspan>
      </text>
    </g>
  );
} // prettier-ignore

function layout(flows: FlowRow[]) {
  const sum = (of: 'department' | 'domain'): [string, number][] => {
    const sums = new Map<string, number>();
    for (const f of flows) sums.set(f[of], (sums.get(f[of]) ?? 0) + f.shares);
    return [...sums].sort((a, b) => b[1] - a[1]);
  };
  const [departments, domains] = [sum('department'), sum('domain').slice(0, 40)];
  const total = flows.reduce((n, f) => n + f.shares, 0);
  const unit = Math.min(14, 420 / total);
  const stack = (list: [string, number][]): Place[] => {
    let y = 6;
    return list.map(([name, shares]) => {
      const height = Math.max(LEAST, shares * unit);
      const place = { name, y, height, shares };
      y += height + GAP;
      return place;
    });
  };
  const [left, right] = [stack(departments), stack(domains)];
  const end = (places: Place[]): number => (places.length ? places[places.length - 1]!.y + places[places.length - 1]!.height : 0);
  const from = new Map(left.map((p) => [p.name, { at: p.y, scale: p.height / p.shares }]));
  const to = new Map(right.map((p) => [p.name, { at: p.y, scale: p.height / p.shares }]));
  const order = new Map(right.map((p, i) => [p.name, i]));
  const ribbons = flows
    .filter((f) => to.has(f.domain))
    .sort((a, b) => order.get(a.domain)! - order.get(b.domain)!)
    .map((f) => {
      const [a, b] = [from.get(f.department)!, to.get(f.domain)!];
      const ribbon = { ...f, y1: a.at + (f.shares * a.scale) / 2, y2: b.at + (f.shares * b.scale) / 2, width: Math.max(1.5, f.shares * Math.min(a.scale, b.scale)) };
      a.at += f.shares * a.scale;
      b.at += f.shares * b.scale;
      return ribbon;
    });
  return { departments: left, domains: right, ribbons, height: Math.max(end(left), end(right)) + 10 };
} // prettier-ignore
