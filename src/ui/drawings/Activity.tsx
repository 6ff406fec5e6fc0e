/** What happened in a space each day, by source. */
import { Bar, BarChart, CartesianGrid, Tooltip, XAxis, YAxis } from 'recharts';
import { ACTIVITY_NAMES, ACTIVITY_SOURCES, dayIn, type SpaceDay } from '../../core/ask/activity.ts';
import { dayWords } from '../parts/dates.ts';
import { count } from '../parts/marks.tsx';
import { AXIS, Chart, COLOURS, Tip, useMotion } from './chart.tsx';

const DAY = 86_400_000;
/** From dark to light, in the order of the sources. */
const SHADES = [1, 0.75, 0.5, 0.35, 0.2];

export default function Activity({
  days,
  from,
  to,
}: {
  days: readonly SpaceDay[];
  from: string;
  to: string;
}) {
  const moves = useMotion();
  const known = new Map(days.map((d) => [d.day, d]));
  const data: SpaceDay[] = [];
  for (let at = Date.parse(from); at <= Date.parse(to); at += DAY) {
    const day = new Date(at).toISOString().slice(0, 10);
    data.push(dayIn(known, day));
  }
  const seen = ACTIVITY_NAMES.filter((n) => days.some((d) => d[n]));
  const said = (d: SpaceDay): string =>
    ACTIVITY_NAMES.filter((n) => d[n])
      .map((n) => `${count(d[n])} ${ACTIVITY_SOURCES[n]}`)
      .join(', ') || 'nothing';
  return (
    <Chart
      label="What happened each day"
      height={110}
      note={seen.map((n) => ACTIVITY_SOURCES[n]).join(', from dark to light: ')}
      head={['Day', ...seen.map((n) => ACTIVITY_SOURCES[n])]}
      rows={days.map((d) => [dayWords(d.day), ...seen.map((n) => count(d[n]))])}
    >
      <BarChart data={data} margin={{ top: 4, right: 4, bottom: 0, left: 0 }} accessibilityLayer={false}>
        <CartesianGrid vertical={false} stroke={COLOURS.line} />
        <XAxis {...AXIS} dataKey="day" tickFormatter={(d: string) => dayWords(d)} minTickGap={50} />
        <YAxis {...AXIS} allowDecimals={false} tickCount={3} width={30} />
        <Tooltip
          isAnimationActive={false}
          cursor={{ fill: COLOURS.line }}
          content={({ active, payload }) => {
            const d = active ? (payload?.[0]?.payload as SpaceDay | undefined) : undefined;
            return d ? <Tip title={dayWords(d.day)}>{said(d)}</Tip> : null;
          }}
        />
        {seen.map((n, k) => (
          <Bar
            key={n}
            dataKey={n}
            stackId="day"
            fill={COLOURS.ink}
            fillOpacity={SHADES[k] ?? 0.2}
            isAnimationActive={moves}
          />
        ))}
      </BarChart>
    </Chart>
  );
}
