/** What a rule would have hit in the surveys that are kept, one after the other. */
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import type { Policy } from '../../../../core/guard/schema.ts';
import { ask, send } from '../../../frame/api.ts';
import { dayWords } from '../../../parts/dates.ts';
import { Trouble } from '../../../parts/marks.tsx';

const Counts = lazy(() => import('../../../drawings/Counts.tsx'));
const MOST = 12;

interface Past {
  name: string;
  hits: number;
}

export function PastSurveys({ policy, rule }: { policy: Policy; rule: string }) {
  const { data: surveys } = useQuery(ask('/api/surveys'));
  const [found, setFound] = useState<Past[]>();
  const [error, setError] = useState<unknown>();
  const going = useRef<AbortController>(undefined);
  const asked = JSON.stringify([policy, rule]);
  // of another rule nothing is known yet
  useEffect(() => {
    setFound(undefined);
    setError(undefined);
    return () => going.current?.abort();
  }, [asked]);
  const past = (surveys ?? []).filter((s) => s.state === 'done' && s.kind !== 'read-back').slice(1, MOST + 1);
  if (!past.length) return null;
  const look = async (): Promise<void> => {
    going.current = new AbortController();
    const { signal } = going.current;
    setFound([]);
    setError(undefined);
    try {
      for (const s of past) {
        const { tried } = await send('POST', '/api/policies/try', { policy, rule, survey: s.id });
        if (signal.aborted) return;
        setFound((now) => [
          ...(now ?? []),
          { name: `${dayWords(s.takenAt!)}, survey ${s.id}`, hits: tried?.hits ?? 0 },
        ]);
      }
    } catch (e) {
      setError(e);
    }
    going.current = undefined;
  };
  const stop = (): void => {
    going.current?.abort();
    going.current = undefined;
    setFound((now) => [...(now ?? [])]);
  };
  const done = found?.length ?? 0;
  return (
    <section aria-label="In past surveys" className="mt-3 border-t border-slate pt-2">
      <div className="flex items-center gap-2">
        <h3 className="flex-1 font-bold">In past surveys</h3>
        {found && done < past.length && going.current ? (
          <>
            <span aria-live="polite" className="text-quiet">
              {done} of {past.length}
            </span>
            <button type="button" className="btn btn-xs" onClick={stop}>
              Stop
            </button>
          </>
        ) : (
          <button type="button" className="btn btn-xs" onClick={() => void look()}>
            {found ? 'Look again' : `Look at the last ${past.length}`}
          </button>
        )}
      </div>
      {error !== undefined && <Trouble error={error} />}
      {done > 0 && (
        <Suspense>
          <Counts
            label="Hits in past surveys"
            of={{ head: 'Survey', rows: found! }}
            chosen={undefined}
            choose={() => undefined}
          />
        </Suspense>
      )}
    </section>
  );
}
