/** Guard › Data types: the catalogue, the bench, types of our own, packs. */
import { useQuery } from '@tanstack/react-query';
import type { Account } from '../../../dto/accounts.ts';
import type { TypeRow } from '../../../dto/recognition.ts';
import { ask } from '../../frame/api.ts';
import { Bench } from './Bench.tsx';
import { TabBar, TabPanel, Tabs } from '../../parts/Tabs.tsx';
import { Conditions, FilterBox } from '../../parts/filter.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { MakeType } from './MakeType.tsx';
import { count, Empty, plural, Trouble, Weight } from '../../parts/marks.tsx';
import { Packs } from './Packs.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import type { Column } from '../../parts/table/column.ts';
import { compareBy } from '../../../core/sorts.ts';
import { orderIn, selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TypeDossier } from '../../dossiers/TypeDossier.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { WhatCounts } from './WhatCounts.tsx';

const useCatalogue = (where?: string) =>
  useQuery({ ...ask('/api/data-types', { where }), placeholderData: (before) => before });

const PARTS = { types: 'Catalogue', counts: 'What counts', bench: 'Bench', packs: 'Packs' } as const;

export default function DataTypes({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const sel = params.get('type') ?? undefined;
  const { shown, pinning } = usePinned(sel, () => set({ type: undefined }));
  const at = params.get('at') ?? 'types';
  return (
    <Shell
      account={account}
      path="/guard/data-types"
      dossier={
        at === 'types' &&
        shown !== undefined && (
          <TypeDossier
            key={shown}
            id={shown}
            change={() => set({ at: 'make', type: shown }, 'push')}
            gone={() => set({ type: undefined })}
            {...pinning}
          />
        )
      }
    >
      <View params={params} set={set} at={at} narrow={shown !== undefined} />
    </Shell>
  );
}

function View({ params, set, at, narrow }: ViewProps & { at: string }) {
  const { steward } = useSigned();
  if (at === 'make')
    return (
      <MakeType
        id={params.get('type') ?? undefined}
        done={(id) => set({ at: undefined, type: id }, 'push')}
        leave={() => set({ at: undefined }, 'push')}
      />
    );
  return (
    <Tabs
      value={at}
      choose={(key) =>
        set({ at: key === 'types' ? undefined : key, type: undefined, text: undefined }, 'push')
      }
    >
      <div className="flex items-center gap-3 px-4 py-2">
        <TabBar
          label="Parts of this view"
          tabs={Object.entries(PARTS).filter(([key]) => steward || key !== 'bench')}
        />
        {at === 'bench' && (
          <p className="min-w-0 flex-1 truncate text-quiet">
            Paste a text or drop a file, and see what is recognised where. Nothing of it is kept.
          </p>
        )}
        {at === 'types' && <CatalogueBar params={params} set={set} narrow={narrow} />}
      </div>
      <TabPanel>
        {at === 'types' && <Conditions where={params.get('where') ?? undefined} set={set} />}
        <div className="min-h-0 flex-1 border-t border-slate">
          {at === 'bench' && steward ? (
            <Bench />
          ) : at === 'counts' ? (
            <WhatCounts open={(type) => set({ at: undefined, type }, 'push')} />
          ) : at === 'packs' ? (
            <Packs selected={params.get('pack') ?? undefined} select={(id) => set({ pack: id }, 'push')} />
          ) : (
            <CatalogueTable params={params} set={set} narrow={narrow} />
          )}
        </div>
      </TabPanel>
    </Tabs>
  );
}

function CatalogueBar({ params, set, narrow }: ViewProps) {
  const { steward } = useSigned();
  const { data } = useCatalogue();
  const packs = useQuery(ask('/api/packs'));
  const found = data?.rows.filter((r) => r.use && r.use.files > 0).length;
  return (
    <>
      <h1 className="min-w-0 flex-1 truncate text-base">
        {data && (
          <>
            <b>{plural(data.rows.length, 'data type')}</b>
            {data.surveyed && !narrow && <span className="text-quiet">, {found} found in your files</span>}
          </>
        )}
      </h1>
      <FilterBox
        value={params.get('text') ?? undefined}
        set={set}
        label="Find a data type"
        placeholder="name, country, source …"
        width={narrow ? 'w-36' : 'w-52'}
        table="data-types"
        where={params.get('where') ?? undefined}
      />
      <select
        className="select select-sm w-36"
        aria-label="Of which pack"
        value={params.get('pack') ?? ''}
        onChange={(e) => set({ pack: e.target.value })}
      >
        <option value="">every pack</option>
        {packs.data?.map((p) => (
          <option key={p.id} value={p.name}>
            {p.name}
          </option>
        ))}
      </select>
      {!narrow && <ExportMenu table="data-types" query={{ where: params.get('where') ?? undefined }} />}
      {steward && (
        <button
          className="btn btn-sm btn-primary"
          onClick={() => set({ at: 'make', type: undefined }, 'push')}
        >
          Create a data type
        </button>
      )}
    </>
  );
}

const country = new Intl.DisplayNames(['en'], { type: 'region' });

function CatalogueTable({ params, set, narrow }: ViewProps) {
  const { data, error, refetch } = useCatalogue(params.get('where') ?? undefined);
  const text = params.get('text')?.toLowerCase();
  const pack = params.get('pack');
  const { order } = orderIn(params, set, 'files');
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  const rows = (data?.rows ?? []).filter(
    (r) =>
      (!pack || r.packs.includes(pack)) &&
      (!text ||
        `${r.name} ${r.id} ${r.source} ${r.country ? country.of(r.country) : ''}`
          .toLowerCase()
          .includes(text)),
  );
  const by: Record<string, (a: TypeRow, b: TypeRow) => number> = {
    files: (a, b) => Number(a.custom) - Number(b.custom) || (a.use?.files ?? 0) - (b.use?.files ?? 0),
    name: (a, b) => a.name.localeCompare(b.name, 'en'),
    weight: (a, b) => a.weight - b.weight,
    country: (a, b) => (a.country ?? '~').localeCompare(b.country ?? '~'),
    from: (a, b) => a.from - b.from,
  };
  const compare = compareBy(
    order.sorting.filter((s) => s.key in by),
    by,
  );
  rows.sort((a, b) => compare(a, b) || by.name!(a, b));
  const columns: Column<TypeRow>[] = [
    {
      key: 'name',
      name: 'Data type',
      width: 'minmax(220px, 1.4fr)',
      sorts: true,
      cell: (r) => (
        <span className="flex min-w-0 items-baseline gap-2">
          <span className={`truncate ${r.active ? 'font-medium' : 'text-quiet'}`}>{r.name}</span>
          {r.custom && (
            <span className="shrink-0 text-xs text-quiet">
              {r.active ? 'our own' : 'our own, switched off'}
            </span>
          )}
        </span>
      ),
    },
    { key: 'weight', name: 'Weight', width: '80px', sorts: true, cell: (r) => <Weight weight={r.weight} /> },
    ...(narrow
      ? []
      : [
          {
            key: 'country',
            name: 'Country',
            width: 'minmax(110px, 0.6fr)',
            sorts: true,
            cell: (r: TypeRow) =>
              r.country ? (
                <span className="truncate">{country.of(r.country)}</span>
              ) : (
                <span className="text-quiet">everywhere</span>
              ),
          },
        ]),
    {
      key: 'from',
      name: 'Counts from',
      width: '104px',
      right: true,
      sorts: true,
      cell: (r) => (
        <span title={r.ownCertainty ? 'Its own certainty' : 'The usual certainty'}>
          {r.ownCertainty ? <b>{r.from}</b> : <span className="text-quiet">{r.from}</span>}
        </span>
      ),
    },
    {
      key: 'files',
      name: 'In files',
      width: '86px',
      right: true,
      sorts: true,
      cell: (r) => <Number_ n={r.use?.files} />,
    },
    {
      key: 'occurrences',
      name: 'Occurrences',
      width: '106px',
      right: true,
      cell: (r) => <Number_ n={r.use?.occurrences} />,
    },
    ...(narrow
      ? []
      : [
          {
            key: 'source',
            name: 'Source',
            width: 'minmax(200px, 1.4fr)',
            cell: (r: TypeRow) => (
              <span className="truncate text-quiet" title={r.source}>
                {r.source}
              </span>
            ),
          },
        ]),
  ];
  if (data && rows.length === 0)
    return (
      <Empty
        action={
          <button className="btn btn-sm" onClick={() => set({ text: undefined, pack: undefined })}>
            Clear filters
          </button>
        }
      >
        No data type matches.
      </Empty>
    );
  return (
    <Table
      label="Data types"
      columns={columns}
      rows={rows}
      {...selectIn(params, set, 'type', (r: TypeRow) => r.id)}
      {...order}
    />
  );
}

const Number_ = ({ n }: { n: number | undefined }) =>
  n ? <span className="font-medium">{count(n)}</span> : <span className="text-quiet">·</span>;
