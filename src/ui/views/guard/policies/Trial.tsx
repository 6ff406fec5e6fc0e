/** Whom a rule that is judged as something is shared, or an app let in, would have stopped lately. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { tenFrom } from '../../../../core/guard/marks.ts';
import { isTriedLately, type Policy } from '../../../../core/guard/schema.ts';
import type { TrialRow } from '../../../../dto/guard.ts';
import { send, withQuery } from '../../../frame/api.ts';
import { dayWords } from '../../../parts/dates.ts';
import { count, plural, Trouble, When } from '../../../parts/marks.tsx';
import { RightOrWrong, useMarks } from './Marks.tsx';

const PerDay = lazy(() => import('../../../drawings/PerDay.tsx'));
const Counts = lazy(() => import('../../../drawings/Counts.tsx'));
/** Of what was shared so much is shown; the rest by day, department or certainty. */
const SHOWN = 50;
const SPANS = [7, 30, 90] as const;

/** What can be chosen in the charts. */
interface Only {
  day?: string | undefined;
  department?: string | undefined;
  certainty?: string | undefined;
}

/** `of`: the policy as it is kept, whose hits can be marked right or wrong; absent while it is being written. */
export function Trial({
  policy,
  rule,
  of,
}: {
  policy: Policy;
  rule?: string | undefined;
  of?: number | undefined;
}) {
  const [days, setDays] = useState<number>(30);
  /** What the rows are held to, by the charts. */
  const [only, setOnly] = useState<Only>({});
  const { day, department, certainty } = only;
  const toggle = (by: keyof Only) => (value: string) =>
    setOnly({ ...only, [by]: value === only[by] ? undefined : value });
  const { data, error } = useQuery({
    queryKey: ['/api/policies/trial', JSON.stringify(policy), rule, days],
    queryFn: () => send('POST', '/api/policies/trial', { policy, rule, days }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (error) return <Trouble error={error} />;
  const trial = data?.trial;
  if (!trial) return null;
  const rows = trial.rows.filter(
    (r) =>
      (!day || r.at.startsWith(day)) &&
      (!department || r.department === department) &&
      (!certainty || bandOf(r.certainty ?? -1) === certainty),
  );
  const tried = policy.rules.filter((r) => (rule === undefined ? isTriedLately(r) : r.id === rule));
  const apps = tried.some((r) => r.subject === 'appGrant');
  const shares = tried.some((r) => r.subject !== 'appGrant');
  const title = !apps
    ? 'What was shared lately'
    : shares
      ? 'What was shared or let in lately'
      : 'Apps that were let in lately';
  const ofWhat = [
    ...(shares ? [['grant or link made', 'grants and links made']] : []),
    ...(apps ? [['app let in', 'apps let in']] : []),
  ] as [string, string][];
  const [one, many] = [0, 1].map((n) => ofWhat.map((w) => w[n]!).join(' or ')) as [string, string];
  const chosen = [day && `on ${dayWords(day)}`, department, certainty && `certainty ${certainty}`].filter(
    Boolean,
  );
  return (
    <section aria-label={title} className="mt-3 border-t border-slate pt-2">
      <div className="flex items-center gap-2">
        <h3 className="flex-1 font-bold">{title}</h3>
        <select
          className="select select-xs w-28"
          aria-label="How far back"
          value={days}
          onChange={(e) => {
            setDays(Number(e.target.value));
            setOnly({ ...only, day: undefined });
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
        <b>{count(trial.hits)}</b> of {plural(trial.shared, one, many)} in these days that are still there
        would have been hit
        {trial.hits > 0 && <>, of {plural(trial.ofPeople, 'person', 'people')}</>}
        {trial.refusedAlready > 0 && (
          <>; another rule refuses {count(trial.refusedAlready)} of them already</>
        )}
        {trial.hits > 0 && !policy.scope?.pilot && (
          <>; a pilot with a tenth of the people would have hit {count(trial.inPilot)}</>
        )}
        .
      </p>
      {trial.shared > 0 && (
        <Suspense>
          <PerDay
            days={trial.byDay}
            done={apps ? (shares ? 'Made' : 'Let in') : 'Shared'}
            choose={toggle('day')}
          />
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
          <h4 className="mt-2 font-bold">By department</h4>
          <Suspense>
            <Counts
              label="Hits by department"
              of={{ head: 'Department', rows: trial.departments }}
              chosen={department}
              choose={toggle('department')}
            />
            {trial.certainties.length > 0 && (
              <>
                <h4 className="mt-2 font-bold">By certainty of the surest match</h4>
                <Counts
                  label="Hits by certainty"
                  of={{
                    head: 'Certainty',
                    rows: trial.certainties.map((c) => ({ name: bandOf(c.from), hits: c.hits })),
                  }}
                  chosen={certainty}
                  choose={toggle('certainty')}
                />
              </>
            )}
          </Suspense>
          <h4 className="mt-2 font-bold">
            {chosen.length ? `${count(rows.length)}: ${chosen.join(', ')}` : 'The latest'}{' '}
            {chosen.length > 0 && (
              <button
                type="button"
                className="cursor-pointer font-normal underline decoration-slate"
                onClick={() => setOnly({})}
              >
                show all
              </button>
            )}
          </h4>
          <ul>
            {rows.slice(0, SHOWN).map((r) => (
              <li key={r.share} className="border-t border-base-300 py-1">
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
                {of !== undefined && rule !== undefined && <MarkShare id={of} rule={rule} row={r} />}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** A certainty as what stands for ten points of it. */
const bandOf = (certainty: number): string => {
  const from = tenFrom(certainty);
  return `${from} to ${from === 90 ? 100 : from + 9}`;
};

/** Whether the rule would have been right about something that was shared. */
function MarkShare({ id, rule, row }: { id: number; rule: string; row: TrialRow }) {
  const { sample, mark } = useMarks(id, rule);
  const said = [...(sample?.others ?? []), ...(sample?.rows ?? [])].find((m) => m.key === row.share);
  return (
    <RightOrWrong
      name={row.name}
      right={said?.right ?? null}
      set={(right) => mark({ key: row.share, right, certainty: row.certainty })}
    />
  );
}
