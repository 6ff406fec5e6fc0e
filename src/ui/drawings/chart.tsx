/**
 * What every chart shares: its frame with the same as a table, colours of both themes, axes, and the tooltip. Charts
 * are Recharts'; every mark can be clicked and reached by keyboard, and nothing moves where less motion is wanted.
 */
import { useSyncExternalStore, type ReactNode } from 'react';
import { ResponsiveContainer } from 'recharts';

/** Colours of the theme that is on. */
export const COLOURS = {
  ink: 'var(--color-base-content)',
  quiet: 'var(--quiet)',
  line: 'var(--color-base-300)',
  paper: 'var(--color-base-100)',
} as const;

/** For `XAxis` and `YAxis`: quiet words, no line of their own. */
export const AXIS = {
  tick: { fill: COLOURS.quiet, fontSize: 11 },
  axisLine: false,
  tickLine: false,
} as const;

const query = '(prefers-reduced-motion: reduce)';
/** Whether marks may move into place. */
export const useMotion = (): boolean =>
  useSyncExternalStore(
    (changed) => {
      const media = matchMedia(query);
      media.addEventListener('change', changed);
      return () => media.removeEventListener('change', changed);
    },
    () => !matchMedia(query).matches,
    () => false,
  );

/** A chart with its name for those who cannot see it, and its table twin. */
export function Chart({
  label,
  height,
  note,
  head,
  rows,
  children,
}: {
  label: string;
  height: number;
  note?: ReactNode;
  /** The table's columns, and its rows. */
  head: readonly string[];
  rows: readonly (readonly ReactNode[])[];
  children: ReactNode;
}) {
  return (
    <figure aria-label={label}>
      <ResponsiveContainer width="100%" height={height}>
        {children}
      </ResponsiveContainer>
      <details className="text-xs text-quiet">
        <summary className="cursor-pointer">{note} Show as a table</summary>
        <table className="mt-1">
          <caption className="sr-only">{label}</caption>
          <thead>
            <tr className="text-left">
              {head.map((h) => (
                <th key={h} className="pr-5 font-semibold">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((cells, i) => (
              <tr key={i}>
                {cells.map((cell, k) => (
                  <td key={head[k]} className="pr-5">
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  );
}

/** A tooltip's box, in our dress. */
export const Tip = ({ title, children }: { title: ReactNode; children: ReactNode }) => (
  <div className="max-w-72 rounded border border-slate bg-base-100 px-2.5 py-1.5 text-[13px] shadow-lg">
    <div className="font-semibold">{title}</div>
    {children}
  </div>
);
