/** Weight by reach: how much lies where, cell by cell; what should not be there stands out. */
import type { Measure } from '../../core/exposure/tab.ts';
import { ALLOWED } from '../../core/exposure/exposure.ts';
import { TIERS } from '../../core/model.ts';
import type { CrossPage } from '../../dto/exposure.ts';
import { count, Weight } from '../parts/marks.tsx';
import { bytesWords, tierHead } from '../parts/words.ts';

export const amount = (n: number, measure: Measure): string =>
  measure === 'bytes' ? bytesWords(n) : count(n);

/** A page's values by its cells' coordinates. */
export const valuesByCell = (page: CrossPage, measure: Measure): ((at: (string | null)[]) => number) => {
  const m = page.measures.indexOf(measure);
  const known = new Map(
    page.cells.map((c) => [
      c.at.map((v, k) => (v === null ? '*' : page.values[k]![v])).join('\n'),
      c.values[m] ?? 0,
    ]),
  );
  return (at) => known.get(at.map((v) => v ?? '*').join('\n')) ?? 0;
};

export function Matrix({
  page,
  measure,
  before,
  href,
}: {
  page: CrossPage;
  measure: Measure;
  /** Another survey's, to tell the difference to. */
  before?: CrossPage | undefined;
  href: (weight: number, tier: string | null) => string;
}) {
  const value = valuesByCell(page, measure);
  const was = before && valuesByCell(before, measure);
  const most = Math.max(
    1,
    ...[0, 1, 2, 3, 4].flatMap((w) => TIERS.map((t) => (beyond(w, t) ? value([String(w), t]) : 0))),
  );
  return (
    <table className="w-full table-fixed border-separate border-spacing-[2px]">
      <caption className="sr-only">
        {measure} by weight and by how far they could be reached; those beyond what the weight allows are set
        off
      </caption>
      <thead>
        <tr className="text-[11px] text-quiet">
          <th className="w-9">
            <span className="sr-only">Weight</span>
          </th>
          {TIERS.map((t) => (
            <th key={t} scope="col" className="truncate p-0 font-medium" title={t}>
              <svg
                viewBox="0 0 60 16"
                className="mb-0.5 block h-4 w-full"
                preserveAspectRatio="none"
                aria-hidden
              >
                <path d={wedge(TIERS.indexOf(t))} className="fill-beam" />
              </svg>
              {tierHead(t)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {[4, 3, 2, 1, 0].map((w) => (
          <tr key={w}>
            <th scope="row" className="text-left">
              <Weight weight={w} />
            </th>
            {TIERS.map((t) => {
              const n = value([String(w), t]);
              const d = was ? n - was([String(w), t]) : 0;
              const bad = beyond(w, t);
              return (
                <td
                  key={t}
                  className={`h-8 p-0 text-center ${bad ? 'bg-base-300' : 'bg-base-200'}`}
                  {...(bad &&
                    n > 0 && {
                      ref: (el: HTMLElement | null) =>
                        void (
                          el &&
                          (el.style.boxShadow = `inset 0 -${Math.round(2 + (5 * n) / most)}px 0 var(--quiet)`)
                        ),
                    })}
                >
                  {n > 0 || d !== 0 ? (
                    <a
                      href={href(w, t)}
                      className="flex h-full flex-col justify-center leading-none hover:underline"
                      title={`${amount(n, measure)} ${measure} of weight ${w}, ${t}${bad ? `: weight ${w} allows ${ALLOWED[w]}` : ''}`}
                    >
                      <span className={bad ? 'font-bold' : ''}>{amount(n, measure)}</span>
                      {d !== 0 && (
                        <span className="text-[10.5px]">
                          {d > 0 ? '+' : '−'}
                          {amount(Math.abs(d), measure)}
                        </span>
                      )}
                    </a>
                  ) : (
                    <span className="text-quiet" aria-label="none">
                      ·
                    </span>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The part of the beam over one tier's column. */
const wedge = (tier: number): string => {
  const half = (k: number): number => 0.8 + (k / TIERS.length) * 7.2;
  return `M0 ${8 - half(tier)}L58 ${8 - half(tier + 1)}L58 ${8 + half(tier + 1)}L0 ${8 + half(tier)}Z`;
};

/** Whether a tier is more than a weight allows. */
const beyond = (weight: number, tier: string): boolean =>
  TIERS.indexOf(tier as (typeof TIERS)[number]) > TIERS.indexOf(ALLOWED[weight]!);
