/** Exposure › Apps: third-party apps, what each could really read, and who let it in. */
import type { Account } from '../../../dto/accounts.ts';
import type { AppRowDto } from '../../../dto/apps.ts';
import { AppDossier } from '../../dossiers/AppDossier.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';
import { ByWeight } from '../../parts/ByWeight.tsx';
import { count, Empty, When } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import { usePinned } from '../../parts/pinned.ts';
import type { Column } from '../../parts/table/column.ts';
import { orderIn, selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { TabBar, Tabs } from '../../parts/Tabs.tsx';
import { DomainsDialog } from './apps/Domains.tsx';
import { ScopesDialog } from './apps/Scopes.tsx';

export default function Apps({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const { shown, pinning } = usePinned(params.get('app') ?? undefined, () => set({ app: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/apps"
      dossier={
        shown !== undefined && <AppDossier key={shown} app={shown} asOf={asOfOf(params)} {...pinning} />
      }
    >
      <View params={params} set={set} narrow={shown !== undefined} />
      {params.get('domains') !== null && <DomainsDialog close={() => set({ domains: undefined })} />}
      {params.get('scopes') !== null && <ScopesDialog close={() => set({ scopes: undefined })} />}
    </Shell>
  );
}

const SHOW = {
  all: 'all',
  everyone: 'for everyone',
  unverified: 'not verified',
  unused: 'unused',
  new: 'new',
} as const;

function View({ params, set, narrow }: ViewProps) {
  const show = (params.get('show') ?? 'all') as keyof typeof SHOW;
  const { sort, order } = orderIn(params, set, 'points');
  const asked = {
    show,
    sort,
    text: params.get('text') ?? undefined,
    where: params.get('where') ?? undefined,
    ws: params.get('ws') ?? undefined,
    asOf: asOfOf(params),
  };
  const { query, first, rows, more } = usePages('/api/apps', asked, 200);
  if (first && first.counts.all === 0)
    return (
      <Empty>
        No third-party app has been let in, as far as the workspaces tell. When somebody lets one in, it
        appears here with what it could read.
      </Empty>
    );
  return (
    <Tabs value={show} choose={(key) => set({ show: key === 'all' ? undefined : key })}>
      <TableView
        table="apps"
        asked={asked}
        query={query}
        {...{ params, set, narrow }}
        tabs
        find={{ label: 'Find an app', placeholder: 'app, publisher …', width: narrow ? 'w-32' : 'w-56' }}
        title={
          <TabBar
            label="Which apps"
            tabs={(Object.entries(SHOW) as [keyof typeof SHOW, string][]).map(([key, name]) => [
              key,
              <>
                {name} {first && <b>{first.counts[key]}</b>}
              </>,
            ])}
          />
        }
        before={
          !narrow && (
            <>
              <button className="btn btn-sm" onClick={() => set({ scopes: '' }, 'push')}>
                Scopes …
              </button>
              <button className="btn btn-sm" onClick={() => set({ domains: '' }, 'push')}>
                Domains …
              </button>
            </>
          )
        }
        empty={first?.total === 0}
        nothing="There is no app of this kind."
      >
        <Table
          label="Apps"
          columns={columnsOf(narrow)}
          rows={rows}
          onEnd={more}
          {...selectIn(params, set, 'app', (r: AppRowDto) => r.key)}
          {...order}
        />
      </TableView>
    </Tabs>
  );
}

const columnsOf = (narrow: boolean): Column<AppRowDto>[] => [
  {
    key: 'points',
    name: 'Points',
    width: '76px',
    right: true,
    sorts: true,
    cell: (r) => (r.points ? <b>{count(r.points)}</b> : <span className="text-quiet">·</span>),
  },
  {
    key: 'name',
    name: 'App',
    width: narrow ? 'minmax(150px, 1fr)' : 'minmax(200px, 1.4fr)',
    sorts: true,
    cell: (r) => (
      <span className="truncate" title={`${r.name} ${r.publisher}`}>
        <span className="font-medium">{r.name}</span>{' '}
        <span className="text-quiet">{narrow ? r.workspace : r.publisher}</span>
      </span>
    ),
  },
  ...(narrow
    ? []
    : ([
        {
          key: 'workspace',
          name: 'Workspace',
          width: 'minmax(120px, 0.8fr)',
          cell: (r) => <span className="truncate">{r.workspace}</span>,
        },
      ] satisfies Column<AppRowDto>[])),
  {
    key: 'heavy',
    name: 'Could read',
    width: narrow ? '150px' : 'minmax(210px, 1.2fr)',
    sorts: true,
    cell: (r) => <ByWeight files={r.byWeight} wide={narrow ? 70 : 110} />,
  },
  {
    key: 'people',
    name: 'Let in by',
    width: '110px',
    right: true,
    sorts: true,
    cell: (r) =>
      r.everyone ? <b title="An administrator let it in for everyone">everyone</b> : count(r.people),
  },
  ...(narrow
    ? []
    : ([
        {
          key: 'verified',
          name: 'Publisher',
          width: '116px',
          cell: (r) => (r.verified ? 'verified' : <span className="font-medium">not verified</span>),
        },
        {
          key: 'lastUsed',
          name: 'Last used',
          width: '150px',
          sorts: true,
          cell: (r) =>
            r.lastUsed ? <When at={r.lastUsed} /> : <span className="text-quiet">never seen</span>,
        },
      ] satisfies Column<AppRowDto>[])),
];
