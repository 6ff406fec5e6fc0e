/** Whom a rule that is judged as something is shared would have stopped lately. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import type { Policy } from '../../../../core/guard/schema.ts';
import { send, withQuery } from '../../../frame/api.ts';
import { count, plural, Trouble, When } from '../../../parts/marks.tsx';

const PerDay = lazy(() => import('../../../drawings/PerDay.tsx'));
const SPANS = [7, 30, 90] as const;

export function Trial({ policy, rule }: { policy: Policy; rule: string }) {
  const [days, setDays] = useState<number>(30);
  const [day, setDay] = useState<string>();
  const { data, error } = useQuery({
    queryKey: ['/api/policies/trial', JSON.stringify(policy), rule, days],
    queryFn: () => send('POST', '/api/policies/trial', { policy, rule, days }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (error) return <Trouble error={error} />;
  const trial = data?.trial;
  if (!trial) return null;
  const rows = trial.rows.filter((r) => !day || r.at.startsWith(day));
  return (
    <section aria-label="What was shared lately" className="mt-3 border-t border-slate pt-2">
      <div className="flex items-center gap-2">
        <h3 className="flex-1 font-bold">What was shared lately</h3>
        <select
          className="select select-xs w-28"
          aria-label="How far back"
          value={days}
          onChange={(e) => {
            setDays(Number(e.target.value));
            setDay(undefined);
          }}
        >
          {SPANS.map((n) => (
            <option key={n} value={n}>
              {n} days
            </option>
          ))}
        </select>
      </div>
      <p>
        <b>{count(trial.hits)}</b> of {plural(trial.shared, 'grant or link', 'grants and links')} that were
        made in these days, and are there still, would have been hit
        {trial.hits > 0 && <>, of {plural(trial.ofPeople, 'person', 'people')}</>}
        {trial.refusedAlready > 0 && (
          <>; another rule refuses {count(trial.refusedAlready)} of them already</>
        )}
        .
      </p>
      {trial.shared > 0 && (
        <Suspense>
          <PerDay days={trial.byDay} choose={(d) => setDay(d === day ? undefined : d)} />
        </Suspense>
      )}
      {trial.hits > 0 && (
        <>
          <h4 className="mt-2 font-bold">Whom it would have hit most</h4>
          <ul>
            {trial.people.map((p) => (
              <li key={p.key ?? ''} className="flex justify-between gap-2">
                {p.key ? (
                  <a
                    className="truncate underline decoration-slate"
                    href={withQuery('/survey/people', { sel: p.key })}
                  >
                    {p.name}
                  </a>
                ) : (
                  <span>{p.name}</span>
                )}
                <span className="tabular-nums">{count(p.hits)}</span>
              </li>
            ))}
          </ul>
          <p className="mt-1 text-quiet">
            By department: {trial.departments.map((d) => `${d.name} ${count(d.hits)}`).join(', ')}.
          </p>
          <h4 className="mt-2 font-bold">
            {day ? 'On that day' : 'The latest'}{' '}
            {day && (
              <button
                type="button"
                className="cursor-pointer font-normal underline decoration-slate"
                onClick={() => setDay(undefined)}
              >
                all days
              </button>
            )}
          </h4>
          <ul>
            {rows.map((r, n) => (
              <li key={n} className="border-t border-base-300 py-1">
                <span className="flex justify-between gap-2">
                  <b className="truncate" title={r.name}>
                    {r.name}
                  </b>
                  <When at={r.at} />
                </span>
                <span className="block truncate text-quiet" title={r.words}>
                  {r.actorName && `${r.actorName}: `}
                  {r.words}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
