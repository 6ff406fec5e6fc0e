/** How many there are of each, as bars to press. */
import { Bar, BarChart, Cell, Tooltip, XAxis, YAxis } from 'recharts';
import { count } from '../parts/marks.tsx';
import { AXIS, Chart, COLOURS, Tip, useMotion } from './chart.tsx';

interface Counted {
  name: string;
  hits: number;
}

export default function Counts({
  label,
  of,
  chosen,
  choose,
}: {
  label: string;
  /** What is counted by: the head of the first column of its table. */
  of: { head: string; rows: readonly Counted[] };
  chosen: string | undefined;
  choose: (name: string) => void;
}) {
  const moves = useMotion();
  return (
    <Chart
      label={label}
      height={20 * of.rows.length + 8}
      head={[of.head, 'Hits']}
      rows={of.rows.map((r) => [r.name, count(r.hits)])}
    >
      <BarChart
        data={[...of.rows]}
        layout="vertical"
        margin={{ top: 0, right: 40, bottom: 0, left: 0 }}
        accessibilityLayer={false}
      >
        <XAxis type="number" hide allowDecimals={false} />
        <YAxis {...AXIS} type="category" dataKey="name" width={110} interval={0} />
        <Tooltip
          isAnimationActive={false}
          cursor={{ fill: COLOURS.line }}
          content={({ active, payload }) => {
            const d = active ? (payload?.[0]?.payload as Counted | undefined) : undefined;
            return d ? (
              <Tip title={d.name}>
                {count(d.hits)} {d.hits === 1 ? 'hit' : 'hits'}
              </Tip>
            ) : null;
          }}
        />
        <Bar
          dataKey="hits"
          isAnimationActive={moves}
          cursor="pointer"
          barSize={12}
          label={{ position: 'right', fill: COLOURS.ink, fontSize: 11 }}
          onClick={(d: { payload?: Counted }) => d.payload && choose(d.payload.name)}
        >
          {of.rows.map((r) => (
            <Cell
              key={r.name}
              fill={chosen === undefined || chosen === r.name ? COLOURS.ink : COLOURS.quiet}
              fillOpacity={chosen === undefined || chosen === r.name ? 0.8 : 0.35}
            />
          ))}
        </Bar>
      </BarChart>
    </Chart>
  );
}
