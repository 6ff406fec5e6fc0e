/** Exposure points over time, survey by survey, with the plans that changed them; and the same as a table. */
import type { WatchPage } from '../../dto/exposure.ts';
import { plural } from '../parts/marks.tsx';
import { whenWords } from '../parts/dates.ts';

const [W, H, TOP, BOTTOM] = [470, 118, 10, 20];
/** Of a digit of the scale. */
const DIGIT = 7;

export function OverTime({ history }: { history: WatchPage['history'] }) {
  const most = Math.max(1, ...history.map((h) => h.points));
  const left = 10 + Math.round(most).toLocaleString('en').length * DIGIT;
  const first = Date.parse(history[0]!.at);
  const span = Math.max(1, Date.parse(history[history.length - 1]!.at) - first);
  const x = (at: string): number =>
    left + 6 + (history.length === 1 ? 0.5 : (Date.parse(at) - first) / span) * (W - left - 18);
  const y = (points: number): number => TOP + (1 - points / most) * (H - TOP - BOTTOM);
  const line = history
    .flatMap((h, i) => (i ? [`${x(h.at)},${y(history[i - 1]!.points)}`, `${x(h.at)},${y(h.points)}`] : [`${x(h.at)},${y(h.points)}`]))
    .join(' ');
  return (
    <figure>
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full" role="group" aria-label="Exposure points over time">
        {[0, most / 2, most].map((p) => (
          <g key={p}>
            <line x1={left} x2={W - 4} y1={y(p)} y2={y(p)} className="stroke-base-300" />
            <text x={left - 6} y={y(p) + 4} textAnchor="end" className="fill-quiet text-[11px]">
              {Math.round(p).toLocaleString('en')}
            </text>
          </g>
        ))}
        <polyline points={line} fill="none" className="stroke-base-content" strokeWidth="1.75" />
        {history.map((h) => (
          <a
            key={h.survey}
            href={h.plan === null ? `/survey/changes?asof=${h.survey}` : `/remedy/plans?plan=${h.plan}`}
            aria-label={`${whenWords(h.at)}: ${plural(h.points, 'point')}${h.planName ? `, after the plan ${h.planName}` : ''}`}
          >
            <title>{`Survey ${h.survey}, ${whenWords(h.at)}: ${plural(h.points, 'point')} in ${plural(h.findings, 'finding')}${h.planName ? `, after the plan “${h.planName}”` : ''}`}</title>
            {h.plan === null ? (
              <circle cx={x(h.at)} cy={y(h.points)} r="3.5" className="fill-base-content" />
            ) : (
              <>
                <line x1={x(h.at)} x2={x(h.at)} y1={TOP} y2={H - BOTTOM} className="stroke-quiet" strokeDasharray="2 3" />
                <rect x={x(h.at) - 4} y={y(h.points) - 4} width="8" height="8" transform={`rotate(45 ${x(h.at)} ${y(h.points)})`} className="fill-base-100 stroke-base-content" strokeWidth="1.5" />
              </>
            )}
          </a>
        ))}
        <text x={left} y={H - 4} className="fill-quiet text-[11px]">{whenWords(history[0]!.at)}</text>
        {history.length > 1 && (
          <text x={W - 4} y={H - 4} textAnchor="end" className="fill-quiet text-[11px]">{whenWords(history[history.length - 1]!.at)}</text>
        )}
      </svg>
      <details className="text-xs text-quiet">
        <summary className="cursor-pointer">{history.some((h) => h.plan !== null) ? 'Diamonds are plans. ' : ''}The same as a table</summary>
        <table className="mt-1">
          <thead>
            <tr className="text-left">
              <th className="pr-5 font-semibold">When</th>
              <th className="pr-5 font-semibold">Points</th>
              <th className="pr-5 font-semibold">Findings</th>
              <th className="font-semibold">Plan</th>
            </tr>
          </thead>
          <tbody>
            {[...history].reverse().map((h) => (
              <tr key={h.survey}>
                <td className="pr-5">{whenWords(h.at)}</td>
                <td className="pr-5">{h.points.toLocaleString('en')}</td>
                <td className="pr-5">{h.findings.toLocaleString('en')}</td>
                <td>{h.planName ?? ''}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  );
} // prettier-ignore
