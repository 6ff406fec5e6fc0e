/** A policy: for whom it is, its rules in order, what they hit, its runs and versions. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import type { Policy, Rule } from '../../../../core/guard/schema.ts';
import type { HitState, PolicyPage } from '../../../../dto/guard.ts';
import { ask, send, withQuery } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { count, plural, Trouble, When } from '../../../parts/marks.tsx';
import { Menu, MenuItem } from '../../../parts/Menu.tsx';
import { useSay } from '../../../parts/Toasts.tsx';
import { Hits } from './Hits.tsx';
import {
  MODE_WORDS,
  responseWords,
  rhythmWords,
  ruleWords,
  scopeWords,
  STATE_WORDS,
} from '../../../parts/policy-words.ts';

const EditPolicy = lazy(() => import('./Edit.tsx'));
const Enforce = lazy(() => import('./Enforce.tsx').then((m) => ({ default: m.Enforce })));
const Exceptions = lazy(() => import('./Exceptions.tsx').then((m) => ({ default: m.Exceptions })));
const Marks = lazy(() => import('./Marks.tsx').then((m) => ({ default: m.Marks })));
const Versions = lazy(() => import('./Versions.tsx'));

export function OnePolicy({ id, params, set, narrow }: ViewProps & { id: number }) {
  const { data, error, refetch } = useQuery(ask('/api/policies/[id]', { id }));
  const { steward } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  /** What is changed: as it is, or an older version that is taken up again. */
  const [editing, setEditing] = useState<Policy>();
  const [looking, setLooking] = useState(false);
  const [marking, setMarking] = useState<Rule>();
  const [sure, setSure] = useState(false);
  /** A rule, or all that do not respond yet. */
  const [enforcing, setEnforcing] = useState<Rule | 'all'>();
  const run = useMutation({
    mutationFn: () => send('POST', '/api/policies/[id]', { id, act: 'run' }),
    onSuccess: () => say('It is being judged.'),
  });
  const remove = useMutation({
    mutationFn: () => send('DELETE', '/api/policies/[id]', { id }),
    onSuccess: () => {
      set({ policy: undefined, rule: undefined });
      refresh();
    },
  });
  const change = useMutation({
    mutationFn: ({ policy, note }: { policy: Policy; note: string }) =>
      send('PUT', '/api/policies/[id]', { id, version: data!.version, policy, note }),
    // Until the page shows the new version, a further change would be made to the old one.
    onSuccess: () => {
      refresh();
      return refetch();
    },
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const { policy } = data;
  const chosen = params.get('rule') ?? undefined;
  const setRule = (rule: Rule, to: Rule['mode']): void =>
    change.mutate({
      policy: withMode(policy, rule, to),
      note: `${rule.name}: ${MODE_WORDS[to].toLowerCase()}`,
    });
  return (
    <article className="flex h-full min-h-[640px] flex-col px-5 pt-2.5">
      <header className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="text-base font-bold">{policy.name}</h2>
          {policy.purpose && <p className="text-quiet">{policy.purpose}</p>}
        </div>
        {steward && (
          <div className="flex shrink-0 gap-2">
            <button className="btn btn-sm" disabled={run.isPending} onClick={() => run.mutate()}>
              Judge now
            </button>
            <button className="btn btn-sm btn-primary" onClick={() => setEditing(policy)}>
              Edit …
            </button>
            <Menu label="More" button={<button className="btn btn-sm btn-ghost">More</button>}>
              {policy.rules.some((r) => r.mode !== 'enforce') && policy.rules.length > 1 && (
                <MenuItem run={() => setEnforcing('all')}>Enforce all rules …</MenuItem>
              )}
              {(['observe', 'paused'] as const).map(
                (m) =>
                  policy.rules.length > 1 &&
                  policy.rules.some((r) => r.mode !== m) && (
                    <MenuItem
                      key={m}
                      run={() =>
                        change.mutate({
                          policy: allWithMode(policy, m),
                          note: `All rules: ${MODE_WORDS[m].toLowerCase()}`,
                        })
                      }
                    >
                      {m === 'observe' ? 'Let all rules observe' : 'Pause all rules'}
                    </MenuItem>
                  ),
              )}
              <MenuItem run={() => saveAs(`policy-${id}.json`, policy)}>Export as a file</MenuItem>
              <MenuItem run={() => setSure(true)}>Remove …</MenuItem>
            </Menu>
          </div>
        )}
      </header>
      {sure && (
        <p role="alert" className="mt-2 flex items-center gap-3 border-y border-slate py-2">
          <span className="flex-1">
            It will be judged no more, and what it hit is over. Its versions stay on the record.
          </span>
          <button
            className="btn btn-sm btn-error"
            disabled={remove.isPending}
            onClick={() => remove.mutate()}
          >
            Remove the policy
          </button>
          <button className="btn btn-sm" onClick={() => setSure(false)}>
            Keep it
          </button>
        </p>
      )}
      {[run, remove, change].map((m, n) => m.error && <Trouble key={n} error={m.error} />)}
      {data.wrong.length > 0 && (
        <Trouble error={`It cannot be judged as it stands. ${data.wrong.map((w) => w.why).join(' ')}`} />
      )}
      <p className="mt-1.5">
        {scopeWords(policy)} <span className="text-quiet">{rhythmWords(policy.rhythm)}.</span>{' '}
        <LastRun page={data} />{' '}
        <button
          className="cursor-pointer text-quiet underline decoration-slate"
          onClick={() => setLooking(true)}
        >
          {plural(data.versions.length, 'version')}
        </button>
      </p>
      {policy.filter && (
        <p className="mt-1 text-quiet">
          Only where <code className="text-base-content">{policy.filter}</code>
        </p>
      )}
      <ol className="mt-2 max-h-[42%] shrink-0 overflow-auto border-t border-slate" aria-label="Rules">
        {policy.rules.map((r) => (
          <li
            key={r.id}
            className={`flex items-start gap-3 border-b border-base-300 py-1.5 ${chosen === r.id ? 'bg-base-200' : ''}`}
          >
            <button
              className="w-16 shrink-0 cursor-pointer text-right text-base font-bold tabular-nums hover:underline"
              aria-pressed={chosen === r.id}
              aria-label={`${plural(allOf(data, r), 'hit')} of ${r.name}`}
              onClick={() => set({ rule: chosen === r.id ? undefined : r.id })}
            >
              {r.atRest ? count(allOf(data, r)) : '–'}
            </button>
            <div className="min-w-0 flex-1">
              <span className="font-medium">{r.name}</span>{' '}
              <span className="text-quiet">
                {ruleWords(r)}; {r.severity}
              </span>
              <code className="block truncate text-quiet" title={r.if}>
                {r.if}
              </code>
              {!narrow && (
                <span className="text-quiet">
                  {r.mode === 'enforce' ? 'Does' : 'Would'}:{' '}
                  {r.responses.map(responseWords).join(', ') || 'nothing but record it'}
                </span>
              )}
              <HowFar states={data.states[r.id] ?? {}} rule={r.id} set={set} />
              {r.atRest && allOf(data, r) > 0 && (
                <button
                  className="block min-h-6 cursor-pointer text-quiet underline decoration-slate"
                  onClick={() => setMarking(r)}
                >
                  How often is it right?
                </button>
              )}
            </div>
            {steward ? (
              <select
                className="select select-sm w-28 shrink-0"
                aria-label={`Mode of ${r.name}`}
                value={r.mode}
                disabled={change.isPending}
                onChange={(e) => {
                  const to = e.target.value as Rule['mode'];
                  if (to === 'enforce') setEnforcing(r);
                  else setRule(r, to);
                }}
              >
                {(['enforce', 'observe', 'paused'] as const).map((m) => (
                  <option key={m} value={m}>
                    {MODE_WORDS[m]}
                  </option>
                ))}
              </select>
            ) : (
              <span className="shrink-0">{MODE_WORDS[r.mode]}</span>
            )}
          </li>
        ))}
      </ol>
      {data.exceptions.length > 0 && (
        <Suspense>
          <Exceptions page={data} />
        </Suspense>
      )}
      <Hits id={id} page={data} rule={chosen} params={params} set={set} narrow={narrow} />
      {enforcing && (
        <Suspense>
          <Enforce
            id={id}
            policy={policy}
            rule={enforcing === 'all' ? undefined : enforcing}
            close={() => setEnforcing(undefined)}
            enforce={async (note) => {
              await change.mutateAsync({
                policy:
                  enforcing === 'all'
                    ? allWithMode(policy, 'enforce')
                    : withMode(policy, enforcing, 'enforce'),
                note,
              });
              setEnforcing(undefined);
            }}
          />
        </Suspense>
      )}
      {marking && (
        <Suspense>
          <Marks id={id} rule={marking} close={() => setMarking(undefined)} />
        </Suspense>
      )}
      {looking && (
        <Suspense>
          <Versions
            page={data}
            close={() => setLooking(false)}
            edit={(version) => {
              setLooking(false);
              setEditing(version);
            }}
          />
        </Suspense>
      )}
      {editing && (
        <Suspense>
          <EditPolicy
            given={editing}
            of={{ id, version: data.version }}
            again={editing !== policy}
            close={() => setEditing(undefined)}
            saved={() => setEditing(undefined)}
          />
        </Suspense>
      )}
    </article>
  );
}

const withMode = (policy: Policy, { id }: Rule, mode: Rule['mode']): Policy => ({
  ...policy,
  rules: policy.rules.map((r) => (r.id === id ? { ...r, mode } : r)),
});

const allWithMode = (policy: Policy, mode: Rule['mode']): Policy => ({
  ...policy,
  rules: policy.rules.map((r) => ({ ...r, mode })),
});

/** Hits of a rule that are in force; what was done and is hit no more is not. */
const allOf = ({ hitsByRule }: PolicyPage, { id }: Rule): number => hitsByRule[id] ?? 0;

/** How far the hits of a rule have come, where something was done about any; each leads to them. */
function HowFar({
  states,
  rule,
  set,
}: {
  states: Partial<Record<HitState, number>>;
  rule: string;
  set: ViewProps['set'];
}) {
  const told = (Object.keys(STATE_WORDS) as HitState[]).filter((s) => s !== 'would' && states[s]);
  if (!told.length) return null;
  return (
    <span className="flex flex-wrap gap-x-3">
      {told.map((s) => (
        <button
          key={s}
          className={`cursor-pointer underline decoration-slate ${s === 'failed' ? 'font-bold' : ''}`}
          onClick={() => set({ rule, state: s })}
        >
          {count(states[s]!)} {STATE_WORDS[s].toLowerCase()}
        </button>
      ))}
    </span>
  );
}

/** Gives a policy to whoever asks as the file that `gl policy` takes. */
function saveAs(name: string, policy: Policy): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([`${JSON.stringify(policy, null, 2)}\n`]));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

function LastRun({ page }: { page: PolicyPage }) {
  const [last] = page.runs;
  if (!last) return <span className="text-quiet">Not judged yet.</span>;
  // what waits for somebody was made by this run, or by one before it
  const made = page.runs.find((r) => r.plan !== null && !r.begun) ?? last;
  const news = [
    last.opened && `${count(last.opened)} new`,
    last.over && `${count(last.over)} over by ${last.over === 1 ? 'itself' : 'themselves'}`,
  ].filter(Boolean);
  return (
    <span className="text-quiet">
      Last judged <When at={last.at} />
      {last.failed ? `: ${last.failed}` : news.length ? `: ${news.join(', ')}.` : ': nothing new.'}{' '}
      {made.plan !== null && (
        <>
          <a
            className="underline decoration-slate"
            href={withQuery('/remedy/plans', { plan: String(made.plan) })}
          >
            Plan {made.plan}
          </a>
          {made.waits.length ? (
            <b> waits for a second steward: {made.waits.join('; ')}. </b>
          ) : made.stopped.length && !made.begun ? (
            <b> did not begin: {made.stopped.join('; ')}. </b>
          ) : (
            ' was made. '
          )}
        </>
      )}
      Version {page.version}, <When at={page.changedAt} /> by {page.changedBy}.
    </span>
  );
}
