/** When something was: each day, by weekday, and by the hour of the day; each bar can be pressed. */
import { Bar, BarChart, CartesianGrid, Cell, Tooltip, XAxis, YAxis } from 'recharts';
import type { EventTimes } from '../../dto/events.ts';
import { dayWords } from '../parts/dates.ts';
import { count, plural } from '../parts/marks.tsx';
import { AXIS, Chart, COLOURS, Tip } from './chart.tsx';

interface Slot {
  key: string;
  name: string;
  n: number;
}

function Bars({
  label,
  head,
  slots,
  gap,
  chosen,
  choose,
}: {
  label: string;
  head: string;
  slots: Slot[];
  /** Room between two names under the bars, in pixels. */
  gap: number;
  chosen: string | undefined;
  choose: (key: string | undefined) => void;
}) {
  return (
    <div className="min-w-0">
      <h2 className="text-xs font-semibold text-quiet">{label}</h2>
      <Chart
        label={label}
        height={96}
        head={[head, 'Events']}
        rows={slots.filter((s) => s.n).map((s) => [s.name, count(s.n)])}
      >
        <BarChart data={slots} margin={{ top: 4, right: 4, bottom: 0, left: 0 }} accessibilityLayer={false}>
          <CartesianGrid vertical={false} stroke={COLOURS.line} />
          <XAxis {...AXIS} dataKey="name" minTickGap={gap} />
          <YAxis {...AXIS} allowDecimals={false} tickCount={3} width={34} />
          <Tooltip
            isAnimationActive={false}
            cursor={{ fill: COLOURS.line }}
            content={({ active, payload }) => {
              const s = active ? (payload?.[0]?.payload as Slot | undefined) : undefined;
              return s ? <Tip title={s.name}>{plural(s.n, 'event')}</Tip> : null;
            }}
          />
          <Bar
            dataKey="n"
            isAnimationActive={false}
            cursor="pointer"
            onClick={(d: { payload?: Slot }) =>
              d.payload && choose(d.payload.key === chosen ? undefined : d.payload.key)
            }
          >
            {slots.map((s) => (
              <Cell
                key={s.key}
                fill={COLOURS.ink}
                fillOpacity={chosen === undefined || chosen === s.key ? 0.75 : 0.25}
              />
            ))}
          </Bar>
        </BarChart>
      </Chart>
    </div>
  );
}

const WEEK = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const DAY = 86_400_000;

/** Every day from the first to the last, those without events too; the latest, where there are very many. */
function everyDay(days: EventTimes['days'], span: readonly [string, string] | undefined): Slot[] {
  const [first, last] = [span?.[0] ?? days[0]?.day, span?.[1] ?? days.at(-1)?.day];
  if (!first || !last) return [];
  const known = new Map(days.map((d) => [d.day, d.events]));
  const slots: Slot[] = [];
  const from = Math.max(Date.parse(first), Date.parse(last) - 366 * DAY);
  for (let at = from; at <= Date.parse(last); at += DAY) {
    const key = new Date(at).toISOString().slice(0, 10);
    slots.push({ key, name: dayWords(key), n: known.get(key) ?? 0 });
  }
  return slots;
}

export default function Times({
  times,
  day,
  weekday,
  hour,
  span,
  choose,
}: {
  times: EventTimes;
  /** Each day from one to another, and nothing else. */
  span?: readonly [from: string, to: string];
  day?: string | undefined;
  weekday?: string | undefined;
  hour?: string | undefined;
  choose: (by: 'day' | 'weekday' | 'hour', key: string | undefined) => void;
}) {
  const days = (
    <Bars
      label="Each day"
      head="Day"
      slots={everyDay(times.days, span)}
      gap={40}
      chosen={day}
      choose={(key) => choose('day', key)}
    />
  );
  if (span) return days;
  return (
    <div className="grid grid-cols-[minmax(0,3fr)_minmax(0,1.4fr)_minmax(0,2fr)] gap-4 px-4 pb-2">
      {days}
      <Bars
        label="By weekday"
        head="Weekday"
        slots={times.week.map((hours, n) => ({
          key: String(n + 1),
          name: WEEK[n]!,
          n: hours.reduce((a, b) => a + b, 0),
        }))}
        gap={4}
        chosen={weekday}
        choose={(key) => choose('weekday', key)}
      />
      <Bars
        label="By hour of the day"
        head="Hour"
        slots={Array.from({ length: 24 }, (_, h) => ({
          key: String(h),
          name: String(h),
          n: times.week.reduce((sum, hours) => sum + hours[h]!, 0),
        }))}
        gap={8}
        chosen={hour}
        choose={(key) => choose('hour', key)}
      />
    </div>
  );
}
