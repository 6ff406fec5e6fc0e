import { SEVERITIES } from '../../core/exposure/exposure.ts';
import type { Account, FindingRow } from '../../services/dto.ts';
import { api } from '../api.ts';
import { Dossier, type FindingDetail } from '../Dossier.tsx';
import { Beam, Empty, plural, Trouble, Weight } from '../marks.tsx';
import { FilterBox, usePinned } from '../filter.tsx';
import { usePages } from '../pages.ts';
import { Shell } from '../Shell.tsx';
import { useSigned } from '../signed.ts';
import { Table, type Column } from '../Table.tsx';
import { TakeAway } from '../TakeAway.tsx';
import { usePickUp } from '../Tray.tsx';
import { useUrl, type ViewProps } from '../url.ts';

interface List {
  rows: FindingRow[];
  total: number;
  points: number;
  open: number;
  fixed: number;
}
const PAGE = 200;

export default function Findings({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const finding = params.get('finding') ? Number(params.get('finding')) : undefined;
  const { shown, pinning } = usePinned(finding, () => set({ finding: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/findings"
      dossier={shown !== undefined && <Dossier finding={shown} {...pinning} />}
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

/** Whence it is reached, the widest first. */
const from = (r: FindingRow): string =>
  r.now === 'public'
    ? 'anyone at all'
    : [...r.summary.domains, ...(r.could === 'public' ? ['any holder of the link'] : [])].join(', ') ||
      'inside';

function View({ params, set, narrow }: ViewProps) {
  const { steward } = useSigned();
  const { pickUp } = usePickUp();
  const state = (params.get('state') ?? 'open') as 'open' | 'fixed' | 'all';
  const severity = params.get('severity') ?? undefined;
  const text = params.get('text') ?? undefined;
  const space = params.get('space') ?? undefined;
  const source = params.get('ws') ?? undefined;
  const sort = params.get('sort') ?? 'points';

  const { query, first, rows, more } = usePages<List>(
    'findings',
    '/api/findings',
    { state, severity, text, space, source, sort },
    PAGE,
  );

  /** `p` picks up what lets outsiders into the selected file. */
  const onKey = (key: string, row: FindingRow) => {
    if (key !== 'p' || !steward) return;
    void api<FindingDetail>('GET', `/api/findings/${row.id}`).then(({ dossier }) => {
      if (dossier?.withdrawable.length) pickUp.mutate(dossier.withdrawable);
    });
  };
  const most = Math.max(1, ...rows.map((r) => r.points));
  const columns: Column<FindingRow>[] = [
    {
      key: 'points',
      name: 'Points',
      width: '96px',
      sorts: true,
      cell: (r) => (
        <span className="flex w-full items-center gap-2">
          <span className="w-8 text-right font-semibold">{r.points}</span>
          <svg width="36" height="6" aria-hidden>
            <rect width="36" height="6" className="fill-base-300" />
            <rect width={(36 * r.points) / most} height="6" className="fill-quiet" />
          </svg>
        </span>
      ),
    },
    {
      key: 'name',
      name: 'File',
      width: narrow ? 'minmax(180px, 1.6fr)' : 'minmax(240px, 1.6fr)',
      sorts: true,
      cell: (r) => (
        <span className="truncate" title={`${r.summary.name}\n${r.summary.path}`}>
          <span className="font-medium">{r.summary.name}</span>{' '}
          <span className="text-quiet">{r.summary.path}</span>
        </span>
      ),
    },
    ...(narrow
      ? []
      : [
          {
            key: 'contains',
            name: 'Contains',
            width: 'minmax(150px, 0.9fr)',
            cell: (r: FindingRow) => (
              <span className="truncate">
                {r.summary.types
                  .map((t) => `${t.name}${t.distinct > 1 ? ` × ${t.distinct}` : ''}`)
                  .join(', ') || 'by its label'}
              </span>
            ),
          },
          {
            key: 'through',
            name: 'Reached from',
            width: 'minmax(140px, 0.9fr)',
            cell: (r: FindingRow) => <span className="truncate">{from(r)}</span>,
          },
        ]),
    { key: 'weight', name: 'Weight', width: '76px', sorts: true, cell: (r) => <Weight weight={r.weight} /> },
    {
      key: 'reach',
      name: 'Reach',
      width: '286px',
      sorts: true,
      cell: (r) => <Beam now={r.now} could={r.could} />,
    },
    ...(state === 'open'
      ? []
      : [
          {
            key: 'state',
            name: 'State',
            width: '84px',
            cell: (r: FindingRow) => (
              <span className={r.state === 'fixed' ? 'text-quiet' : ''}>{r.state}</span>
            ),
          },
        ]),
  ];

  if (first && first.open + first.fixed === 0)
    return (
      <Empty
        action={
          <a className="btn btn-primary btn-sm" href="/survey/sources">
            Go to Survey › Sources
          </a>
        }
      >
        Here you will see every file that more people can reach than its content allows, the costliest first.
        For that, survey your workspaces.
      </Empty>
    );
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-3 px-4 py-2">
        <h1 className="whitespace-nowrap text-base">
          {first ? (
            <>
              <b>
                {plural(
                  first.total,
                  state === 'fixed' ? 'fixed finding' : state === 'all' ? 'finding' : 'open finding',
                )}
              </b>
              {state !== 'fixed' && (
                <span className="text-quiet">, {first.points.toLocaleString('en')} exposure points</span>
              )}
            </>
          ) : (
            <span className="text-quiet">Findings …</span>
          )}
        </h1>
        <span className="flex-1" />
        {!narrow && <TakeAway table="findings" held={{ state, severity, text, space, ws: source }} />}
        <FilterBox
          value={text}
          set={set}
          label="Find in findings"
          placeholder="file, space, domain …"
          width="w-52"
        />
        <select
          className="select select-sm w-32"
          aria-label="Severity"
          value={severity ?? ''}
          onChange={(e) => set({ severity: e.target.value })}
        >
          <option value="">any severity</option>
          {[...SEVERITIES].reverse().map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
        <select
          className="select select-sm w-24"
          aria-label="State"
          value={state}
          onChange={(e) => set({ state: e.target.value === 'open' ? undefined : e.target.value })}
        >
          <option>open</option>
          <option>fixed</option>
          <option>all</option>
        </select>
      </div>
      {query.error && <Trouble error={query.error} retry={() => void query.refetch()} />}
      {first && rows.length === 0 ? (
        <Empty
          action={
            <button
              className="btn btn-sm"
              onClick={() => {
                set({
                  severity: undefined,
                  text: undefined,
                  state: undefined,
                  space: undefined,
                  ws: undefined,
                });
              }}
            >
              Drop the filters
            </button>
          }
        >
          {state === 'open' && !severity && !text && !space && !source && !source
            ? 'Nothing is open: every file’s reach is within what its weight allows.'
            : 'No finding fits these filters.'}
        </Empty>
      ) : (
        <div className="min-h-0 flex-1 border-t border-slate">
          <Table
            label="Findings"
            columns={columns}
            rows={rows}
            rowKey={(r) => r.id}
            selected={params.get('finding') ? Number(params.get('finding')) : undefined}
            onSelect={(r) => set({ finding: r && String(r.id) }, 'push')}
            sort={sort}
            onSort={(k) => set({ sort: k === 'points' ? undefined : k })}
            onKey={onKey}
            onEnd={more}
          />
        </div>
      )}
    </div>
  );
}
