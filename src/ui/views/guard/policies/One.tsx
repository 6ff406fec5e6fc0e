/** A policy: for whom it is, its rules in order, what they hit, its runs and versions. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Policy, Rule } from '../../../../core/guard/schema.ts';
import type { HitRow, PolicyPage } from '../../../../dto/guard.ts';
import { ask, send, withQuery } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { ExportMenu } from '../../../parts/ExportMenu.tsx';
import { count, plural, Trouble, When } from '../../../parts/marks.tsx';
import { Menu, MenuItem } from '../../../parts/Menu.tsx';
import { usePages } from '../../../parts/pages.ts';
import type { Column } from '../../../parts/table/column.ts';
import { Table } from '../../../parts/table/Table.tsx';
import { useSay } from '../../../parts/Toasts.tsx';
import { EditPolicy } from './Edit.tsx';
import { MODE_WORDS, responseWords, rhythmWords, ruleWords, scopeWords, valueWords } from './words.ts';

export function OnePolicy({ id, params, set, narrow }: ViewProps & { id: number }) {
  const { data, error, refetch } = useQuery(ask('/api/policies/[id]', { id }));
  const { steward } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  const [editing, setEditing] = useState(false);
  const [sure, setSure] = useState(false);
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
    onSuccess: refresh,
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const { policy } = data;
  const chosen = params.get('rule') ?? undefined;
  const setRule = (rule: Rule, to: Rule['mode']): void =>
    change.mutate({
      policy: { ...policy, rules: policy.rules.map((r) => (r === rule ? { ...r, mode: to } : r)) },
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
            <button className="btn btn-sm btn-primary" onClick={() => setEditing(true)}>
              Edit …
            </button>
            <Menu label="More" button={<button className="btn btn-sm btn-ghost">More</button>}>
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
        <LastRun page={data} />
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
              aria-label={`${plural(data.hitsByRule[r.id] ?? 0, 'hit')} of ${r.name}`}
              onClick={() => set({ rule: chosen === r.id ? undefined : r.id })}
            >
              {r.atRest ? count(data.hitsByRule[r.id] ?? 0) : '–'}
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
                  Would: {r.responses.map(responseWords).join(', ') || 'be recorded'}
                </span>
              )}
            </div>
            {steward ? (
              <select
                className="select select-sm w-28 shrink-0"
                aria-label={`Mode of ${r.name}`}
                value={r.mode}
                disabled={change.isPending}
                onChange={(e) => setRule(r, e.target.value as Rule['mode'])}
              >
                {(['observe', 'paused'] as const).map((m) => (
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
      <Hits id={id} page={data} rule={chosen} params={params} set={set} narrow={narrow} />
      {editing && (
        <EditPolicy
          given={policy}
          of={{ id, version: data.version }}
          close={() => setEditing(false)}
          saved={() => setEditing(false)}
        />
      )}
    </article>
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
  const news = [
    last.opened && `${count(last.opened)} new`,
    last.over && `${count(last.over)} over by themselves`,
  ].filter(Boolean);
  return (
    <span className="text-quiet">
      Last judged <When at={last.at} />
      {last.failed
        ? `: ${last.failed}`
        : news.length
          ? `: ${news.join(', ')}.`
          : ': nothing new.'} Version {page.version}, <When at={page.changedAt} /> by {page.changedBy}.
    </span>
  );
}

/** Where a hit opens: beside the policy, or in the view of what it is. */
const opensBeside = (h: HitRow): boolean => /^(?:item|space):/.test(h.open);

function Hits({
  id,
  page,
  rule,
  params,
  set,
  narrow,
}: ViewProps & { id: number; page: PolicyPage; rule: string | undefined }) {
  const state = params.get('state') === 'over' ? 'over' : 'would';
  const asked = { policy: id, rule, state, text: params.get('text') ?? undefined } as const;
  const { query, first, rows, more } = usePages('/api/policies/hits', asked, 200);
  const columns: Column<HitRow>[] = [
    {
      key: 'name',
      name: 'What',
      width: 'minmax(200px, 2fr)',
      cell: (h) => (
        <span className="truncate" title={`${h.name} ${h.where}`}>
          {opensBeside(h) ? (
            <b>{h.name}</b>
          ) : (
            <a
              className="font-bold underline decoration-slate"
              href={withQuery('/survey/people', { sel: h.open })}
            >
              {h.name}
            </a>
          )}{' '}
          <span className="text-quiet">{h.where}</span>
        </span>
      ),
    },
    ...(narrow
      ? []
      : ([
          {
            key: 'values',
            name: 'Because',
            width: 'minmax(180px, 1.5fr)',
            cell: (h) => {
              const said = h.values.map(valueWords).join('; ');
              return (
                <span className="truncate text-quiet" title={said}>
                  {said}
                </span>
              );
            },
          },
        ] satisfies Column<HitRow>[])),
    ...(rule || page.rules === 1 || narrow
      ? []
      : ([
          {
            key: 'rule',
            name: 'Rule',
            width: 'minmax(140px, 1fr)',
            cell: (h) => (
              <span className="truncate" title={h.ruleName}>
                {h.ruleName}
              </span>
            ),
          },
        ] satisfies Column<HitRow>[])),
    {
      key: 'since',
      name: state === 'over' ? 'Over since' : 'Since',
      width: '120px',
      cell: (h) => <When at={h.overAt ?? h.since} />,
    },
  ];
  return (
    <section aria-label="Hits" className="mt-2 flex min-h-[220px] flex-1 flex-col">
      <div className="flex items-center gap-3 pb-1">
        <h3 className="font-bold">
          {first ? plural(first.total, state === 'over' ? 'former hit' : 'hit') : 'Hits'}
        </h3>
        <span className="flex-1 truncate text-quiet">
          {rule && (
            <>
              of “{page.policy.rules.find((r) => r.id === rule)?.name}”{' '}
              <button
                className="cursor-pointer underline decoration-slate"
                onClick={() => set({ rule: undefined })}
              >
                all rules
              </button>
            </>
          )}
        </span>
        <label className="flex cursor-pointer items-center gap-1.5">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={state === 'over'}
            onChange={(e) => set({ state: e.target.checked ? 'over' : undefined })}
          />
          What is over
        </label>
        <input
          type="search"
          className="input input-sm w-40"
          aria-label="Find in hits"
          placeholder="find …"
          defaultValue={asked.text}
          onChange={(e) => set({ text: e.target.value || undefined })}
        />
        <ExportMenu table="hits" query={asked} />
      </div>
      {query.error && <Trouble error={query.error} retry={() => void query.refetch()} />}
      {first?.total === 0 ? (
        <p className="border-t border-base-300 py-3 text-quiet">
          {state === 'over'
            ? 'Nothing that it hit is over.'
            : page.lastRun
              ? 'Nothing is hit.'
              : 'It was not judged yet.'}
        </p>
      ) : (
        <Table
          label="Hits"
          columns={columns}
          rows={rows}
          rowKey={(h) => h.id}
          selected={rows.find((h) => h.open === params.get('sel'))?.id}
          onSelect={(h) => set({ sel: h && opensBeside(h) ? h.open : undefined }, 'push')}
          onEnd={more}
        />
      )}
    </section>
  );
}
