/** Exposure points over time, survey by survey, with the plans that changed them. */
import { CartesianGrid, Line, LineChart, ReferenceLine, Tooltip, XAxis, YAxis } from 'recharts';
import type { WatchPage } from '../../dto/exposure.ts';
import { dayWords, whenWords } from '../parts/dates.ts';
import { count, plural } from '../parts/marks.tsx';
import { AXIS, Chart, COLOURS, Tip, useMotion } from './chart.tsx';

type Point = WatchPage['history'][number] & { time: number };

const hrefOf = (p: Point): string =>
  p.plan === null ? `/survey/changes?asof=${p.survey}` : `/remedy/plans?plan=${p.plan}`;
const words = (p: Point): string =>
  `${whenWords(p.at)}: ${plural(p.points, 'point')} in ${plural(p.findings, 'finding')}${p.planName ? `, after the plan “${p.planName}”` : ''}`;

export function OverTime({ history }: { history: WatchPage['history'] }) {
  const moves = useMotion();
  const points = history.map((h): Point => ({ ...h, time: Date.parse(h.at) }));
  const hasPlans = points.some((p) => p.plan !== null);
  return (
    <Chart
      label="Exposure points over time"
      height={132}
      note={hasPlans && 'Diamonds are plans.'}
      head={['When', 'Points', 'Findings', 'Plan']}
      rows={[...points].reverse().map((p) => [
        <a key="when" className="underline" href={hrefOf(p)}>
          {whenWords(p.at)}
        </a>,
        count(p.points),
        count(p.findings),
        p.planName ?? '',
      ])}
    >
      <LineChart data={points} margin={{ top: 8, right: 8, bottom: 0, left: 0 }} accessibilityLayer={false}>
        <CartesianGrid vertical={false} stroke={COLOURS.line} />
        <XAxis
          {...AXIS}
          dataKey="time"
          type="number"
          scale="time"
          domain={['dataMin', 'dataMax']}
          tickFormatter={(t: number) => dayWords(new Date(t).toISOString())}
          minTickGap={40}
          padding={{ left: 8, right: 8 }}
        />
        <YAxis
          {...AXIS}
          domain={[0, 'auto']}
          tickCount={3}
          width={16 + 7 * count(Math.max(1, ...points.map((p) => p.points))).length}
          tickFormatter={(n: number) => count(n)}
        />
        {points.map(
          (p) =>
            p.plan !== null && (
              <ReferenceLine key={p.survey} x={p.time} stroke={COLOURS.quiet} strokeDasharray="2 3" />
            ),
        )}
        <Tooltip
          isAnimationActive={false}
          content={({ active, payload }) => {
            const p = active ? (payload?.[0]?.payload as Point | undefined) : undefined;
            return p ? (
              <Tip title={`Survey ${p.survey}, ${whenWords(p.at)}`}>
                {plural(p.points, 'point')} in {plural(p.findings, 'finding')}
                {p.planName && <div>after the plan “{p.planName}”</div>}
              </Tip>
            ) : null;
          }}
        />
        <Line
          dataKey="points"
          type="stepAfter"
          stroke={COLOURS.ink}
          strokeWidth={1.75}
          isAnimationActive={moves}
          activeDot={false}
          dot={({ cx, cy, payload }: { cx?: number; cy?: number; payload?: Point }) =>
            payload && cx !== undefined && cy !== undefined ? (
              <a key={payload.survey} href={hrefOf(payload)} aria-label={words(payload)}>
                <circle cx={cx} cy={cy} r="12" fill="transparent" />
                {payload.plan === null ? (
                  <circle cx={cx} cy={cy} r="3.5" fill={COLOURS.ink} />
                ) : (
                  <rect
                    x={cx - 4}
                    y={cy - 4}
                    width="8"
                    height="8"
                    transform={`rotate(45 ${cx} ${cy})`}
                    fill={COLOURS.paper}
                    stroke={COLOURS.ink}
                    strokeWidth="1.5"
                  />
                )}
              </a>
            ) : (
              <g key="none" />
            )
          }
        />
      </LineChart>
    </Chart>
  );
}
