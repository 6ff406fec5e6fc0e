/** Spaces as they are reviewed: what happens in them, who owns them, what they are for; and what is done about several at once. */
import { useMutation } from '@tanstack/react-query';
import { lazy, Suspense, useState, type ReactNode } from 'react';
import type { z } from 'zod';
import type { ReviewKind } from '../../../../core/ask/kinds.ts';
import type { ReviewSpace, SpacesShow, SpacesShown } from '../../../../dto/charters.ts';
import type { spacesAct } from '../../../../dto/review-forms.ts';
import { send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { Choose } from '../../../parts/Choose.tsx';
import { ExportMenu } from '../../../parts/ExportMenu.tsx';
import { Conditions, FilterBox } from '../../../parts/filter.tsx';
import { count, Empty, plural, Trouble, Weight, When } from '../../../parts/marks.tsx';
import { usePages } from '../../../parts/pages.ts';
import type { Column } from '../../../parts/table/column.ts';
import { orderIn, selectIn } from '../../../parts/table/inUrl.ts';
import { Table } from '../../../parts/table/Table.tsx';
import { useSay } from '../../../parts/Toasts.tsx';

const NewRound = lazy(() => import('../rounds/NewRound.tsx').then((m) => ({ default: m.NewRound })));

export type SpacesAct = z.input<typeof spacesAct>;
export type SpaceColumn = Column<ReviewSpace>;

export const nameColumn: SpaceColumn = {
  key: 'name',
  name: 'Space',
  width: 'minmax(200px, 1.5fr)',
  sorts: true,
  cell: (r) => (
    <span className="truncate" title={`${r.name}, ${r.workspace}`}>
      <b>{r.name}</b>{' '}
      <span className="text-quiet">
        {r.kind.replace('-', ' ')}
        {r.parts.length > 0 && ` with ${r.parts.length} more`}
      </span>
    </span>
  ),
};
export const weightColumn: SpaceColumn = {
  key: 'weight',
  name: 'Weight',
  width: '88px',
  sorts: true,
  cell: (r) => <Weight weight={r.weight} />,
};
export const filesColumn: SpaceColumn = {
  key: 'files',
  name: 'Files',
  width: '72px',
  right: true,
  sorts: true,
  cell: (r) => count(r.files),
};
export const externalColumn: SpaceColumn = {
  key: 'external',
  name: 'Outside',
  width: '78px',
  right: true,
  sorts: true,
  cell: (r) => (r.external ? count(r.external) : ''),
};
export const ownersColumn: SpaceColumn = {
  key: 'owners',
  name: 'Owners',
  width: 'minmax(130px, 1fr)',
  cell: (r) => {
    const active = r.owners.filter((o) => o.active).map((o) => o.name);
    return (
      <span className="truncate" title={r.owners.map((o) => o.name + (o.active ? '' : ' (gone)')).join(', ')}>
        {active.join(', ') || <span className="font-medium">nobody</span>}
      </span>
    );
  },
};
/** What is being asked about it, or what was decided. */
export const askedColumn: SpaceColumn = {
  key: 'asked',
  name: 'Asked',
  width: 'minmax(150px, 1fr)',
  cell: (r) =>
    r.asked ? (
      <a
        className="truncate underline decoration-slate"
        href={`/review/rounds?round=${r.asked.round}`}
        title={r.asked.of.join(', ')}
      >
        {r.asked.state === 'planned' ? 'will be asked' : r.asked.of.join(', ') || 'the stewards'}
      </a>
    ) : r.kept && r.keptUntil ? (
      <span className="truncate text-quiet" title={`${r.kept.by}: ${r.kept.reason}`}>
        kept until {r.keptUntil}
      </span>
    ) : (
      <span className="text-quiet">nobody</span>
    ),
};
export const lastColumn: SpaceColumn = {
  key: 'idle',
  name: 'Idle',
  width: '150px',
  sorts: true,
  cell: (r) =>
    r.idleDays < 0 ? (
      <span className="text-quiet">nothing is known</span>
    ) : (
      <span>
        <b>{plural(r.idleDays, 'day')}</b> <span className="text-quiet">of {r.limit}</span>
      </span>
    ),
};
export const seenColumn: SpaceColumn = {
  key: 'last',
  name: 'Last activity',
  width: '120px',
  cell: (r) => (r.last ? <When at={r.last} /> : <span className="text-quiet">never</span>),
};

export interface SpacesViewProps extends ViewProps {
  of: SpacesShown;
  /** What owners are asked about those that are marked. */
  kind: ReviewKind;
  title: (total: number, of: number) => ReactNode;
  columns: SpaceColumn[];
  shows: readonly (readonly [SpacesShow | '', string])[];
  sort: string;
  empty: ReactNode;
  /** What else is done about those that are marked. */
  actions: (
    does: (act: Exclude<SpacesAct['act'], 'charter' | 'keep'>) => void,
    spaces: readonly string[],
  ) => ReactNode;
  aside?: ReactNode;
}

/** Does something about spaces: a draft of a plan is gone to, to be looked at and applied. */
export function useSpacesAct(done: () => void) {
  const refresh = useRefresh();
  const say = useSay();
  return useMutation({
    mutationFn: (does: SpacesAct) => send('POST', '/api/spaces', { does }),
    onSuccess: ({ plan, cannot }) => {
      refresh();
      done();
      if (plan !== null) location.assign(`/remedy/plans?plan=${plan}`);
      else say(cannot.length ? cannot.join(' ') : 'Done.');
    },
  });
}

export function SpacesTable({
  params,
  set,
  narrow,
  of,
  kind,
  title,
  columns,
  shows,
  sort: usual,
  empty,
  actions,
  aside,
}: SpacesViewProps) {
  const { steward } = useSigned();
  const show = (params.get('show') ?? undefined) as SpacesShow | undefined;
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const { sort, order } = orderIn(params, set, usual);
  const asked = { of, show, text, where, sort };
  const { query, first, rows, more } = usePages('/api/spaces', asked, 200);
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const [asking, setAsking] = useState(false);
  const act = useSpacesAct(() => setMarked(new Set()));
  const spaces = [...marked];
  const total = first?.total;
  const all = first?.of ?? 0;
  return (
    <section className="flex h-full flex-col pt-2" aria-label={total === undefined ? 'Spaces' : undefined}>
      <div className="flex flex-wrap items-center gap-2 px-4 pb-2">
        <h1 className="mr-auto text-base">{total === undefined ? '…' : title(total, all)}</h1>
        <FilterBox
          value={text}
          set={set}
          label="Find by name"
          placeholder="name, or a condition"
          width={narrow ? 'w-32' : 'w-48'}
          table="spaces"
          where={where}
        />
        <Choose
          label="Shown"
          width="w-56"
          value={show}
          of={shows}
          choose={(s) => {
            setMarked(new Set());
            set({ show: s });
          }}
        />
        {!narrow && <ExportMenu table="spaces" query={asked} />}
        {aside}
      </div>
      <Conditions where={where} set={set} />
      {query.error && <Trouble error={query.error} retry={() => void query.refetch()} />}
      {act.error && <Trouble error={act.error} />}
      {steward && total !== undefined && total > 0 && (
        <div role="group" aria-label="What to do" className="flex flex-wrap items-center gap-2 px-4 pb-2">
          <span className="text-quiet">
            {marked.size ? `For ${plural(marked.size, 'space')}:` : 'Tick spaces, then:'}
          </span>
          <button className="btn btn-xs" disabled={!marked.size} onClick={() => setAsking(true)}>
            Ask the owners …
          </button>
          {actions((what) => act.mutate({ act: what, spaces }), spaces)}
          {act.isPending && <span className="text-quiet">Working it out …</span>}
        </div>
      )}
      {total === 0 ? (
        <Empty>{text || where ? 'Nothing matches these filters.' : empty}</Empty>
      ) : (
        <div className="min-h-0 flex-1 border-t border-slate">
          <Table
            label="Spaces"
            columns={columns}
            rows={rows}
            {...selectIn(params, set, 'sel', (r: ReviewSpace) => r.key)}
            {...order}
            marked={marked}
            onMark={(keys, on) =>
              setMarked((had) => {
                const later = new Set(had);
                for (const k of keys)
                  if (on) later.add(String(k));
                  else later.delete(String(k));
                return later;
              })
            }
            onEnd={more}
          />
        </div>
      )}
      {asking && (
        <Suspense fallback={null}>
          <NewRound
            kind={kind}
            spaces={spaces}
            close={() => setAsking(false)}
            done={(id) => location.assign(`/review/rounds?round=${id}`)}
          />
        </Suspense>
      )}
    </section>
  );
}
