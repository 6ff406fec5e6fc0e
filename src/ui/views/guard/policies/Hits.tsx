/** What a policy hits: why, since when, and how far it has come. */
import { lazy, Suspense, useState } from 'react';
import { HIT_STATES, type HitRow, type HitState, type PolicyPage } from '../../../../dto/guard.ts';
import { openedAt } from '../../../frame/api.ts';
import { useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { Choose, Find } from '../../../parts/Choose.tsx';
import { ExportMenu } from '../../../parts/ExportMenu.tsx';
import { plural, Trouble, When } from '../../../parts/marks.tsx';
import { usePages } from '../../../parts/pages.ts';
import type { Column } from '../../../parts/table/column.ts';
import { Table } from '../../../parts/table/Table.tsx';
import { valueWords } from '../../../parts/words.ts';
import { STATE_WORDS } from '../../../parts/policy-words.ts';
import { Come } from '../../../parts/Come.tsx';

const Except = lazy(() => import('./Exceptions.tsx').then((m) => ({ default: m.Except })));

/** Where a hit opens: beside the policy, or in the view of what it is. */
const opensBeside = (h: HitRow): boolean => /^(?:item|space):/.test(h.open);

const isState = (s: string | null): s is HitState => HIT_STATES.includes(s as HitState);

export function Hits({
  id,
  page,
  rule,
  params,
  set,
  narrow,
}: ViewProps & { id: number; page: PolicyPage; rule: string | undefined }) {
  const { steward } = useSigned();
  const given = params.get('state');
  const state = isState(given) ? given : 'now';
  const asked = { policy: id, rule, state, text: params.get('text') ?? undefined } as const;
  const { query, first, rows, more } = usePages('/api/policies/hits', asked, 200);
  const [marked, setMarked] = useState<ReadonlySet<string | number>>(new Set());
  const [excepting, setExcepting] = useState(false);
  const responds = page.modes.enforce > 0 || rows.some((h) => h.plan !== null);
  const chosen = rows.filter((h) => marked.has(h.id));
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
            <a className="font-bold underline decoration-slate" href={openedAt(h.open)}>
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
            width: 'minmax(160px, 1.3fr)',
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
            width: 'minmax(120px, 1fr)',
            cell: (h) => (
              <span className="truncate" title={h.ruleName}>
                {h.ruleName}
              </span>
            ),
          },
        ] satisfies Column<HitRow>[])),
    ...(responds
      ? ([
          {
            key: 'state',
            name: 'How far',
            width: 'minmax(120px, 1.2fr)',
            cell: (h) => <Come h={h} />,
          },
        ] satisfies Column<HitRow>[])
      : []),
    {
      key: 'since',
      name: state === 'over' ? 'Over since' : 'Since',
      width: '128px',
      cell: (h) => <When at={h.overAt ?? h.since} />,
    },
  ];
  return (
    <section aria-label="Hits" className="mt-2 flex min-h-[220px] flex-1 flex-col">
      <div className="flex items-center gap-3 pb-1">
        <h3 className="font-bold">{first ? plural(first.total, 'hit') : 'Hits'}</h3>
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
        {steward && chosen.length > 0 && (
          <button className="btn btn-sm" onClick={() => setExcepting(true)}>
            Leave {chosen.length} out …
          </button>
        )}
        <Choose
          label="Which hits"
          width="w-40"
          value={state}
          of={[['now', 'Hit now'], ...HIT_STATES.map((s) => [s, STATE_WORDS[s]] as const)]}
          choose={(shown) => set({ state: shown })}
        />
        <Find of="hits" text={asked.text} find={(text) => set({ text })} />
        <ExportMenu table="hits" query={asked} />
      </div>
      {query.error && <Trouble error={query.error} retry={() => void query.refetch()} />}
      {first?.total === 0 ? (
        <p className="border-t border-base-300 py-3 text-quiet">
          {state === 'now'
            ? page.lastRun
              ? 'Nothing is hit.'
              : 'It was not judged yet.'
            : `No hit is “${STATE_WORDS[state].toLowerCase()}”.`}
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
          {...(steward && {
            marked,
            onMark: (keys: (string | number)[], on: boolean) =>
              setMarked((now) => {
                const next = new Set(now);
                for (const k of keys)
                  if (on) next.add(k);
                  else next.delete(k);
                return next;
              }),
          })}
        />
      )}
      {excepting && (
        <Suspense>
          <Except
            hits={chosen}
            close={() => {
              setExcepting(false);
              setMarked(new Set());
            }}
          />
        </Suspense>
      )}
    </section>
  );
}
