/** A text with its matches marked in place, and the sum of the one that is looked at. */
import { useMemo, type ReactNode } from 'react';
import type { BenchResult } from '../../dto/recognition.ts';
import type { FoundContent } from '../../dto/contents.ts';
import { PRESETS } from '../../core/recognise/threshold.ts';

export interface Place {
  type: string;
  name: string;
  match: FoundContent['matches'][number];
}

/** All matches of a result in the order of the text. */
export const placesOf = (result: BenchResult): Place[] =>
  result.found
    .flatMap((f) => f.matches.map((match) => ({ type: f.dataType, name: f.name, match })))
    .sort((a, b) =>
      a.match.part < b.match.part
        ? -1
        : a.match.part > b.match.part
          ? 1
          : a.match.start - b.match.start || b.match.certainty - a.match.certainty,
    );

/** How sure, by the line under it. */
const underline = (certainty: number): string =>
  certainty >= PRESETS.strict
    ? 'decoration-solid decoration-2'
    : certainty >= PRESETS.balanced
      ? 'decoration-dashed decoration-2'
      : certainty >= PRESETS.wide
        ? 'decoration-dotted decoration-2'
        : 'decoration-dotted decoration-1 opacity-70';

const PART = {
  title: 'file name and titles',
  body: 'body',
  comment: 'comments',
  suggestion: 'suggested changes',
  metadata: 'properties',
} as const;

export function MatchedText({
  result,
  shown,
  show,
}: {
  result: BenchResult;
  shown: Place | undefined;
  show: (p: Place) => void;
}) {
  const places = useMemo(() => placesOf(result), [result]);
  const parts = useMemo(() => {
    const texts = new Map<string, string>();
    for (const { part, text } of result.text) texts.set(part, (texts.get(part) ?? '') + text);
    return [...texts];
  }, [result]);
  return (
    <div className="font-mono text-[12.5px] leading-relaxed">
      {parts.map(([part, text]) => {
        const pieces: ReactNode[] = [];
        let at = 0;
        for (const p of places) {
          const { start, end } = p.match;
          if (p.match.part !== part || start < at || end > text.length) continue;
          pieces.push(text.slice(at, start));
          pieces.push(
            <button
              key={`${start} ${p.type}`}
              className={`cursor-pointer rounded-sm px-0.5 underline underline-offset-3 ${underline(p.match.certainty)} ${p === shown ? 'bg-primary text-primary-content' : 'bg-base-300'}`}
              title={`${p.name}, certainty ${p.match.certainty}`}
              onClick={() => show(p)}
            >
              {text.slice(start, end)}
            </button>,
          );
          at = end;
        }
        pieces.push(text.slice(at, at + 100_000));
        return (
          <section key={part}>
            {(parts.length > 1 || part !== 'body') && (
              <h3 className="mt-2 font-sans text-xs font-semibold text-quiet first:mt-0">
                {PART[part as keyof typeof PART]}
              </h3>
            )}
            <div className="whitespace-pre-wrap break-words">{pieces}</div>
          </section>
        );
      })}
    </div>
  );
}

/** A match's certainty as a sum; what else is said of it stands beside the total. */
export function Sum({
  match,
  children,
}: {
  match: Pick<Place['match'], 'reasons' | 'certainty'>;
  children?: ReactNode;
}) {
  const total = match.reasons.reduce((n, r) => n + r.points, 0);
  return (
    <table className="w-full">
      <tbody>
        {match.reasons.map((r) => (
          <tr key={r.why}>
            <td className="pr-2">{r.why}</td>
            <td className="text-right align-top">{r.points > 0 ? `+${r.points}` : `−${-r.points}`}</td>
          </tr>
        ))}
        <tr className="border-t border-slate font-semibold">
          <td>
            Certainty{total > 100 && ', 100 at most'}
            {total < 0 && ', 0 at least'}
            {children && <span className="font-normal text-quiet">{children}</span>}
          </td>
          <td className="text-right">{match.certainty}</td>
        </tr>
      </tbody>
    </table>
  );
}
