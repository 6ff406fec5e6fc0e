/** Notices of each month, and how many of them came again within 30 days: whether telling people works. */
import { Bar, BarChart, CartesianGrid, Tooltip, XAxis, YAxis } from 'recharts';
import type { Coaching } from '../../dto/orders.ts';
import { count } from '../parts/marks.tsx';
import { AXIS, Chart, COLOURS, Tip, useMotion } from './chart.tsx';

type Month = Coaching['months'][number];
const words = (m: string): string =>
  new Intl.DateTimeFormat('en', { month: 'short', year: '2-digit', timeZone: 'UTC' }).format(
    new Date(`${m}-15T00:00:00Z`),
  );

export default function Months({ months }: { months: Month[] }) {
  const moves = useMotion();
  const data = months.map((m) => ({ ...m, first: m.notices - m.again }));
  return (
    <Chart
      label="Notices by month"
      height={150}
      note="Dark is what happened again within 30 days."
      head={['Month', 'Notices', 'Answered', 'Undone', 'Again']}
      rows={months.map((m) => [
        words(m.month),
        count(m.notices),
        count(m.answered),
        count(m.undone),
        count(m.again),
      ])}
    >
      <BarChart
        data={data}
        margin={{ top: 4, right: 4, bottom: 0, left: 0 }}
        accessibilityLayer={false}
        barCategoryGap="35%"
      >
        <CartesianGrid vertical={false} stroke={COLOURS.line} />
        <XAxis {...AXIS} dataKey="month" tickFormatter={words} />
        <YAxis {...AXIS} allowDecimals={false} tickCount={3} width={30} />
        <Tooltip
          isAnimationActive={false}
          cursor={{ fill: COLOURS.line }}
          content={({ active, payload }) => {
            const m = active ? (payload?.[0]?.payload as Month | undefined) : undefined;
            return m ? (
              <Tip title={words(m.month)}>
                {count(m.notices)} notices: {count(m.answered)} answered, {count(m.undone)} undone by
                themselves, {count(m.again)} again within 30 days
              </Tip>
            ) : null;
          }}
        />
        {(['again', 'first'] as const).map((key) => (
          <Bar
            key={key}
            dataKey={key}
            stackId="month"
            maxBarSize={48}
            fill={key === 'again' ? COLOURS.ink : COLOURS.quiet}
            fillOpacity={key === 'again' ? 1 : 0.35}
            isAnimationActive={moves}
          />
        ))}
      </BarChart>
    </Chart>
  );
}
