/** The flow from departments to external domains: how often each shared with each. */
import { Sankey, Tooltip } from 'recharts';
import { plural } from '../parts/marks.tsx';
import { Chart, COLOURS, Tip } from './chart.tsx';

interface FlowRow {
  department: string;
  domain: string;
  shares: number;
}
/** More domains than this cannot be told apart in a drawing; the table has them all. */
const DRAWN = 40;
/** Pixels for each name. */
const LINE = 26;
const SIDES = { left: 190, right: 250 };

interface Node {
  name: string;
  side: 'department' | 'domain';
}

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
  if (!flows.length)
    return <p className="p-4 text-quiet">No department has shared anything with these domains.</p>;
  const sum = (of: 'department' | 'domain'): string[] => {
    const sums = new Map<string, number>();
    for (const f of flows) sums.set(f[of], (sums.get(f[of]) ?? 0) + f.shares);
    return [...sums].sort((a, b) => b[1] - a[1]).map(([name]) => name);
  };
  const [departments, domains] = [sum('department'), sum('domain').slice(0, DRAWN)];
  const nodes: Node[] = [
    ...departments.map((name): Node => ({ name, side: 'department' })),
    ...domains.map((name): Node => ({ name, side: 'domain' })),
  ];
  const links = flows
    .filter((f) => domains.includes(f.domain))
    .map((f) => ({
      source: departments.indexOf(f.department),
      target: departments.length + domains.indexOf(f.domain),
      value: f.shares,
    }));
  return (
    <div className="h-full overflow-auto p-4" tabIndex={0} role="region" aria-label="The flow of sharing">
      <Chart
        label="Departments on the left, the domains they share with on the right"
        height={Math.max(220, LINE * Math.max(departments.length, domains.length))}
        note="As wide as how often it was shared; domains that are not expected in bold."
        head={['Department', 'Domain', 'Times shared']}
        rows={flows.map((f) => [f.department, f.domain, f.shares])}
      >
        <Sankey
          data={{ nodes, links }}
          nodeWidth={8}
          nodePadding={12}
          margin={{ top: 6, bottom: 6, ...SIDES }}
          sort={false}
          node={({ x, y, width, height, payload }) => {
            const { name, side, value } = payload as unknown as Node & { value: number };
            const left = side === 'department';
            const open = () => (left ? onDepartment(name) : onDomain(name));
            const strong = !left && !expected(name);
            return (
              <g
                role="button"
                tabIndex={0}
                aria-label={
                  left
                    ? `${name}, shared ${plural(value, 'time')}`
                    : `${name}, ${expected(name) ? 'a partner’s' : 'not expected'}, shared with ${plural(value, 'time')}`
                }
                className="cursor-pointer hover:opacity-70"
                onClick={open}
                onKeyDown={(e) => {
                  if (e.key === 'Enter' || e.key === ' ') open();
                }}
              >
                <rect
                  x={left ? x - SIDES.left : x}
                  y={y - 4}
                  width={SIDES.left + width}
                  height={height + 8}
                  fill="transparent"
                />
                <rect x={x} y={y} width={width} height={Math.max(2, height)} fill={COLOURS.ink} />
                <text
                  x={left ? x - 8 : x + width + 8}
                  y={y + height / 2}
                  dominantBaseline="middle"
                  textAnchor={left ? 'end' : 'start'}
                  className={`fill-base-content text-[13px] ${strong ? 'font-bold' : ''}`}
                >
                  {name} <tspan className="fill-quiet font-normal">{value}</tspan>
                </text>
              </g>
            );
          }}
          link={({
            sourceX,
            targetX,
            sourceY,
            targetY,
            sourceControlX,
            targetControlX,
            linkWidth,
            payload,
          }) => {
            const target = (payload as unknown as { target: Node }).target.name;
            return (
              <path
                d={`M${sourceX},${sourceY}C${sourceControlX},${sourceY} ${targetControlX},${targetY} ${targetX},${targetY}`}
                fill="none"
                strokeWidth={Math.max(1.5, linkWidth)}
                className={target === selected ? 'stroke-primary' : 'stroke-slate'}
                opacity={target === selected ? 0.9 : 0.55}
              />
            );
          }}
        >
          <Tooltip
            isAnimationActive={false}
            content={({ active, payload }) => {
              const at = active ? (payload?.[0] as { name?: string; value?: number } | undefined) : undefined;
              return at?.name ? <Tip title={at.name}>{plural(at.value ?? 0, 'time')} shared</Tip> : null;
            }}
          />
        </Sankey>
      </Chart>
    </div>
  );
}
