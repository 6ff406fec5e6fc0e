/** How often a rule is right: a sample of what it hits, marked right or wrong by whoever looks at it. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Check, X } from 'lucide-react';
import { useState } from 'react';
import {
  advise,
  FEWEST_MARKS,
  precisionOf,
  type HitMark,
  type Precision,
} from '../../../../core/guard/marks.ts';
import type { Rule } from '../../../../core/guard/schema.ts';
import type { Sample } from '../../../../dto/guard.ts';
import { ask, openedAt, send } from '../../../frame/api.ts';
import { useSigned } from '../../../frame/signed.ts';
import { Dialog } from '../../../parts/Dialog.tsx';
import { count, plural, Trouble } from '../../../parts/marks.tsx';
import { valueWords } from '../../../parts/words.ts';

const percent = (share: number): string => `${Math.round(share * 100)} %`;
export const precisionWords = ({ share, low, high, marks }: Precision): string =>
  `${percent(share)} right (${percent(low)} to ${percent(high)}, of ${marks} looked at)`;

/** What was marked, of what is hit at rest and of acts that a trial showed. */
export const marksOf = ({ rows, others }: Sample): HitMark[] => [
  ...rows.flatMap(({ stratum, certainty, right }) => (right === null ? [] : { stratum, certainty, right })),
  ...others.map(({ certainty, right }) => ({ stratum: 'trial', certainty, right })),
];

/** What was said of a rule's hits, and saying it. */
export function useMarks(id: number, rule: string) {
  const client = useQueryClient();
  const asked = ask('/api/policies/marks', { id, rule });
  const { data, error } = useQuery(asked);
  const mark = useMutation({
    mutationFn: (m: { key: string; right: boolean | null; certainty: number | null }) =>
      send('PUT', '/api/policies/marks', { id, rule, ...m }),
    onSuccess: () => client.invalidateQueries({ queryKey: asked.queryKey }),
  });
  return { sample: data, error: error ?? mark.error, mark: mark.mutate };
}

/** Two buttons that say of a thing whether it is right; pressing the same again takes it back. */
export function RightOrWrong({
  name,
  right,
  set,
}: {
  name: string;
  right: boolean | null;
  set: (right: boolean | null) => void;
}) {
  return (
    <span className="join shrink-0">
      {[true, false].map((is) => (
        <button
          key={String(is)}
          type="button"
          className={`btn join-item btn-xs ${right === is ? 'btn-neutral' : ''}`}
          aria-pressed={right === is}
          aria-label={`${name}: ${is ? 'right' : 'wrong'}`}
          onClick={() => set(right === is ? null : is)}
        >
          {is ? <Check size={12} aria-hidden /> : <X size={12} aria-hidden />}
          {is ? 'Right' : 'Wrong'}
        </button>
      ))}
    </span>
  );
}

export function Marks({ id, rule, close }: { id: number; rule: Rule; close: () => void }) {
  const { steward } = useSigned();
  const { sample, error, mark } = useMarks(id, rule.id);
  const [wanted, setWanted] = useState(0.9);
  const marks = sample ? marksOf(sample) : [];
  const precision = sample && precisionOf(marks, sample.sizes);
  const advice = sample && advise(marks, sample.sizes, wanted);
  const all = Object.values(sample?.sizes ?? {}).reduce((a, b) => a + b, 0);
  return (
    <Dialog title={`How often “${rule.name}” is right`} size="medium" close={close}>
      <div className="flex flex-col gap-2 p-4">
        {error && <Trouble error={error} />}
        {sample && all === 0 && <p>Nothing is hit now, so there is nothing to look at.</p>}
        {sample && all > 0 && (
          <>
            <p>
              {sample.rows.length < all
                ? `A sample of ${sample.rows.length} of ${plural(all, 'hit')}, some of each certainty or workspace. `
                : `All ${plural(all, 'hit')}. `}
              Open each and say whether the rule is right about it.
            </p>
            <p aria-live="polite">
              <b>{precision ? precisionWords(precision) : 'Nothing was marked yet.'}</b>
            </p>
            {marks.some((m) => m.certainty !== null) && (
              <p className="text-quiet">
                <label>
                  To have{' '}
                  <select
                    className="select select-xs w-20"
                    value={wanted}
                    onChange={(e) => setWanted(Number(e.target.value))}
                  >
                    {[0.8, 0.9, 0.95, 0.99].map((w) => (
                      <option key={w} value={w}>
                        {percent(w)}
                      </option>
                    ))}
                  </select>{' '}
                  right:
                </label>{' '}
                {marks.length < FEWEST_MARKS
                  ? `mark ${FEWEST_MARKS - marks.length} more.`
                  : advice
                    ? advice.missed
                      ? `ask for a certainty of ${advice.certainty}. About ${plural(Math.round(advice.hits), 'hit')} would be left, and about ${plural(Math.round(advice.missed), 'right one')} missed.`
                      : 'it is so already.'
                    : 'no certainty is enough; the condition has to be another.'}
              </p>
            )}
            <ul className="max-h-[52vh] overflow-auto border-t border-base-300" aria-label="Hits to look at">
              {sample.rows.map((r) => (
                <li key={r.key} className="flex items-center gap-3 border-b border-base-300 py-1">
                  <span className="min-w-0 flex-1">
                    <span className="flex gap-2">
                      <a
                        className="truncate font-medium underline decoration-slate"
                        target="_blank"
                        rel="noreferrer"
                        href={openedAt(r.open)}
                      >
                        {r.name}
                      </a>
                      <span className="min-w-0 flex-1 truncate text-quiet" title={r.where}>
                        {r.where}
                      </span>
                    </span>
                    <span className="block truncate text-xs text-quiet">
                      {[r.certainty !== null && `certainty ${r.certainty}`, ...r.values.map(valueWords)]
                        .filter(Boolean)
                        .join('; ')}
                    </span>
                  </span>
                  {steward ? (
                    <RightOrWrong
                      name={r.name}
                      right={r.right}
                      set={(right) => mark({ key: r.key, right, certainty: r.certainty })}
                    />
                  ) : (
                    <span className="text-quiet">
                      {r.right === null ? 'not looked at' : r.right ? 'right' : 'wrong'}
                    </span>
                  )}
                </li>
              ))}
            </ul>
          </>
        )}
        <p className="text-xs text-quiet">
          {count(marks.length)} marked. The interval is that of Wilson (1927), at 95 %.
        </p>
      </div>
    </Dialog>
  );
}
