/** How much was done each day, and what of it a rule would have hit. */
import { Bar, BarChart, CartesianGrid, Tooltip, XAxis, YAxis } from 'recharts';
import type { Trial } from '../../dto/guard.ts';
import { dayWords } from '../parts/dates.ts';
import { count } from '../parts/marks.tsx';
import { AXIS, Chart, COLOURS, Tip, useMotion } from './chart.tsx';

type Day = Trial['byDay'][number];

export default function PerDay({
  days,
  done,
  choose,
}: {
  days: Day[];
  /** What was done, in a word. */
  done: string;
  choose: (day: string) => void;
}) {
  const moves = useMotion();
  const data = days.map((d) => ({ ...d, rest: d.shared - d.hits }));
  return (
    <Chart
      label={`${done} each day, and what of it would have been hit`}
      height={120}
      note="Dark is what would have been hit."
      head={['Day', done, 'Hit']}
      rows={days.filter((d) => d.shared).map((d) => [dayWords(d.day), count(d.shared), count(d.hits)])}
    >
      <BarChart data={data} margin={{ top: 4, right: 4, bottom: 0, left: 0 }} accessibilityLayer={false}>
        <CartesianGrid vertical={false} stroke={COLOURS.line} />
        <XAxis {...AXIS} dataKey="day" tickFormatter={(d: string) => dayWords(d)} minTickGap={40} />
        <YAxis {...AXIS} allowDecimals={false} tickCount={3} width={30} />
        <Tooltip
          isAnimationActive={false}
          cursor={{ fill: COLOURS.line }}
          content={({ active, payload }) => {
            const d = active ? (payload?.[0]?.payload as Day | undefined) : undefined;
            return d ? (
              <Tip title={dayWords(d.day)}>
                {count(d.hits)} of {count(d.shared)} would have been hit
              </Tip>
            ) : null;
          }}
        />
        {(['hits', 'rest'] as const).map((key) => (
          <Bar
            key={key}
            dataKey={key}
            stackId="day"
            fill={key === 'hits' ? COLOURS.ink : COLOURS.quiet}
            fillOpacity={key === 'hits' ? 1 : 0.35}
            isAnimationActive={moves}
            cursor="pointer"
            onClick={(d: { payload?: Day }) => d.payload && choose(d.payload.day)}
          />
        ))}
      </BarChart>
    </Chart>
  );
}
