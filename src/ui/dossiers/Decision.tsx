/** What was decided of a finding, and by whom. */
import { useState } from 'react';
import type { FindingEvent, FindingRow } from '../../dto/exposure.ts';
import { Trouble } from '../parts/marks.tsx';
import { useSigned } from '../frame/signed.ts';
import { Decide, useTriage, type Deciding } from '../parts/Triage.tsx';

export const eventWords = (h: FindingEvent): string => {
  const by = h.who ? ` by ${h.who}` : '';
  switch (h.what) {
    case 'opened':
      return 'found';
    case 'accepted':
      return `accepted until ${h.detail.until}${by}: ${h.detail.reason}`;
    case 'given':
      return h.detail.to ? `assigned to ${h.detail.to}${by}` : `unassigned${by}`;
    case 'note':
      return `${h.who ?? 'somebody'}: ${h.detail.note}`;
    case 'reopened':
      return h.detail.words
        ? `came back${h.detail.by ? `, by ${h.detail.by}` : ''}: ${h.detail.words}`
        : 'came back';
    case 'lapsed':
      return 'no longer accepted: the day is past';
    case 'worse':
      return 'no longer accepted: it got worse';
    default:
      return `${h.what}${by}`;
  }
};

/** What was decided of it, and deciding anew. */
export function Decision({ row }: { row: FindingRow }) {
  const { steward } = useSigned();
  const [deciding, setDeciding] = useState<Deciding>();
  const { decide } = useTriage();
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1">
      {row.accepted && (
        <p className="w-full">
          <b>Accepted</b> until {row.accepted.until}: {row.accepted.reason}
        </p>
      )}
      {row.assignee && (
        <p className="w-full text-quiet">
          Assigned to <b className="text-base-content">{row.assignee}</b>
        </p>
      )}
      {steward && (
        <>
          {row.accepted ? (
            <button
              className="btn btn-xs"
              onClick={() => decide.mutate({ findings: [row.id], decision: { act: 'reopen' } })}
            >
              Reopen
            </button>
          ) : (
            <button className="btn btn-xs" onClick={() => setDeciding('accept')}>
              Accept …
            </button>
          )}
          <button className="btn btn-xs" onClick={() => setDeciding('give')}>
            Assign …
          </button>
          <button className="btn btn-xs" onClick={() => setDeciding('note')}>
            Comment …
          </button>
        </>
      )}
      {deciding && <Decide what={deciding} findings={[row.id]} close={() => setDeciding(undefined)} />}
      {decide.error && <Trouble error={decide.error} />}
    </div>
  );
}
