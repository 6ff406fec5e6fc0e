/** What a rule would have hit in the surveys that are kept, one after the other. */
import { useMutation, useQuery } from '@tanstack/react-query';
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
  const [found, setFound] = useState<Past[]>([]);
  const going = useRef<AbortController>(undefined);
  useEffect(() => () => going.current?.abort(), []);
  const past = (surveys ?? []).filter((s) => s.state === 'done' && s.kind !== 'read-back').slice(1, MOST + 1);
  const look = useMutation({
    mutationFn: async () => {
      const { signal } = (going.current = new AbortController());
      setFound([]);
      for (const s of past) {
        const { tried, wrong } = await send('POST', '/api/policies/try', { policy, rule, survey: s.id });
        if (signal.aborted) return;
        if (!tried) throw new Error(wrong.map((w) => w.why).join(' '));
        const name = `${dayWords(s.takenAt!)}, survey ${s.id}`;
        setFound((now) => [...now, { name, hits: tried.hits }]);
      }
    },
  });
  if (!past.length) return null;
  return (
    <section aria-label="In past surveys" className="mt-3 border-t border-slate pt-2">
      <div className="flex items-center gap-2">
        <h3 className="flex-1 font-bold">In past surveys</h3>
        {look.isPending ? (
          <>
            <span aria-live="polite" className="text-quiet">
              {found.length} of {past.length}
            </span>
            <button type="button" className="btn btn-xs" onClick={() => going.current?.abort()}>
              Stop
            </button>
          </>
        ) : (
          <button type="button" className="btn btn-xs" onClick={() => look.mutate()}>
            {found.length ? 'Look again' : `Look at the last ${past.length}`}
          </button>
        )}
      </div>
      {look.error && <Trouble error={look.error} />}
      {found.length > 0 && (
        <Suspense>
          <Counts
            label="Hits in past surveys"
            of={{ head: 'Survey', rows: found }}
            chosen={undefined}
            choose={() => undefined}
          />
        </Suspense>
      )}
    </section>
  );
}
