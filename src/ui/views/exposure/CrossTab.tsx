/** Exposure › Cross-tab: anything by anything, with totals in which everything counts once. */
import type { Measure } from '../../../core/exposure/tab.ts';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import type { CrossFile, CrossPage, DimensionName } from '../../../dto/exposure.ts';
import { withQuery, ask } from '../../frame/api.ts';
import { TabBar, TabPanel, Tabs } from '../../parts/Tabs.tsx';
import { Conditions, FilterBox, KeptViews } from '../../parts/filter.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { Compose } from '../../parts/Compose.tsx';
import { DossierFrame, type Pinning } from '../../dossiers/Frame.tsx';
import {} from '../../dossiers/Dossier.tsx';
import { count, Beam, Empty, plural, Trouble, Weight } from '../../parts/marks.tsx';
import { amount, valuesByCell } from '../../drawings/Matrix.tsx';
import { usePages } from '../../parts/pages.ts';
import { Shell } from '../../frame/Shell.tsx';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';

const DIMENSIONS: Record<DimensionName, string> = {
  weight: 'weight',
  reach: 'reach',
  type: 'data type',
  label: 'label',
  workspace: 'workspace',
  'space-kind': 'kind of space',
  used: 'last used',
  level: 'shared on',
  role: 'role shared',
  audience: 'shared by',
  department: 'sharer’s department',
  domain: 'external domain',
  app: 'app that could read it',
  age: 'age of the share',
};
const MEASURES: Record<Measure, string> = {
  files: 'files',
  items: 'files and folders',
  people: 'people who reach them',
  links: 'sharing links',
  bytes: 'bytes',
  points: 'exposure points',
};

/** What the address says the table is of. */
function heldOf(params: URLSearchParams) {
  const one = <T extends string>(
    name: string,
    known: Record<T, string>,
    usual: T | undefined,
  ): T | undefined => {
    const wanted = params.get(name);
    return wanted !== null && wanted in known ? (wanted as T) : usual;
  };
  const rows = one<DimensionName>('rows', DIMENSIONS, 'type')!;
  const columns = one<DimensionName>('columns', DIMENSIONS, rows === 'reach' ? 'weight' : 'reach')!;
  const third = one('layers', DIMENSIONS, undefined);
  const layers = third === rows || third === columns ? undefined : third;
  const measure = one('measure', MEASURES, 'files')!;
  const by = [...new Set([rows, columns, ...(layers ? [layers] : [])])];
  return {
    rows,
    columns,
    layers,
    measure,
    query: {
      by: by.join(','),
      measures: measure,
      where: params.get('where') ?? undefined,
      ws: params.get('ws') ?? undefined,
      space: params.get('space') ?? undefined,
      asOf: asOfOf(params),
    },
  };
}

const cellOf = (params: URLSearchParams): (string | null)[] | undefined => {
  try {
    const at = JSON.parse(params.get('at') ?? '') as unknown;
    return Array.isArray(at) ? (at as (string | null)[]) : undefined;
  } catch {
    return undefined;
  }
};

export default function CrossTab({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const at = cellOf(params);
  const { shown, pinning } = usePinned(at && JSON.stringify(at), () => set({ at: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/cross-tab"
      dossier={shown !== undefined && <Behind at={shown} params={params} {...pinning} />}
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

function View({ params, set, narrow }: ViewProps) {
  const held = heldOf(params);
  const { rows, columns, layers, measure } = held;
  const { data, error, refetch, isFetching } = useQuery({
    ...ask('/api/cross', held.query),
    placeholderData: (before) => before,
  });
  const fits = data && data.by.join() === held.query.by && data.measures[0] === measure;
  const layer = params.get('layer');
  const pick = <T extends string>(
    name: string,
    label: string,
    value: T | undefined,
    known: Record<T, string>,
    none?: string,
  ) => (
    <label className="flex items-center gap-1.5 whitespace-nowrap text-quiet">
      {label}
      <select
        className="select select-sm w-36 text-base-content"
        aria-label={label}
        value={value ?? ''}
        onChange={(e) =>
          set(
            { [name]: e.target.value, at: undefined, ...(name === 'layers' && { layer: undefined }) },
            'push',
          )
        }
      >
        {none !== undefined && <option value="">{none}</option>}
        {(Object.entries(known) as [T, string][]).map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <Tabs
      value={layer ?? ANY_LAYER}
      choose={(v) => set({ layer: v === ANY_LAYER ? undefined : v, at: undefined })}
    >
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 px-4 py-2">
        <h1 className="sr-only">Cross-tabulation</h1>
        {pick('measure', 'Count', measure, MEASURES)}
        {pick('rows', 'down', rows, DIMENSIONS)}
        {pick('columns', 'across', columns, DIMENSIONS)}
        {pick('layers', 'for each', layers, DIMENSIONS, 'nothing more')}
        <button
          className="btn btn-sm btn-ghost px-2 font-normal"
          title="Swap rows and columns"
          onClick={() => set({ rows: columns, columns: rows, at: undefined })}
        >
          ⇄ turn
        </button>
        <span className="flex-1" />
        {!narrow && <KeptViews path="/exposure/cross-tab" set={set} />}
        {!narrow && <ExportMenu table="cross" query={held.query} />}
        <FilterBox
          value={undefined}
          set={set}
          label="Filter by a condition"
          placeholder="a condition …"
          table="items"
          where={held.query.where}
        />
      </div>
      <Conditions where={held.query.where} set={set} />
      {layers && fits && (
        <div className="px-4 pb-2">
          <TabBar
            small
            label={DIMENSIONS[layers]}
            tabs={[null, ...data.values[2]!].map((v) => [
              v ?? ANY_LAYER,
              v === null ? `any ${DIMENSIONS[layers]}` : v,
            ])}
          />
        </div>
      )}
      <TabPanel>
        {error && <Trouble error={error} retry={() => void refetch()} />}
        {!fits ? (
          !error && <p className="p-4 text-quiet">{isFetching ? 'Counting …' : ''}</p>
        ) : data.cells.length === 0 ? (
          <Empty>Nothing matches. Remove a condition, or widen the scope above.</Empty>
        ) : (
          <Grid
            page={data}
            measure={measure}
            rows={rows}
            columns={columns}
            layers={layers}
            layer={layer}
            selected={params.get('at')}
            open={(at) => set({ at: JSON.stringify(at) }, 'push')}
          />
        )}
      </TabPanel>
    </Tabs>
  );
}

/** The tab of all layers together. */
const ANY_LAYER = ' any';
const SHARES = new Set<DimensionName>(['level', 'role', 'audience', 'department', 'domain', 'age']);

function Grid({
  page,
  measure,
  rows,
  columns,
  layers,
  layer,
  selected,
  open,
}: {
  page: CrossPage;
  measure: Measure;
  rows: DimensionName;
  columns: DimensionName;
  layers: DimensionName | undefined;
  layer: string | null;
  selected: string | null;
  open: (at: (string | null)[]) => void;
}) {
  const value = valuesByCell(page, measure);
  const same = rows === columns;
  const at = (r: string | null, c: string | null): (string | null)[] => [
    ...(same ? [r ?? c] : [r, c]),
    ...(layers ? [layer] : []),
  ];
  const down = [null, ...page.values[0]!];
  const across = same ? [null] : [null, ...page.values[1]!];
  const overlaps = page.by.filter((_, k) => page.overlaps[k]).map((b) => DIMENSIONS[b]);
  const shares = page.by.some((b) => SHARES.has(b));
  const name = (dimension: DimensionName, v: string) =>
    dimension === 'weight' ? (
      <span className="inline-flex items-center gap-1.5">
        <Weight weight={Number(v)} /> {v}
      </span>
    ) : (
      v
    );
  return (
    <div className="min-h-0 flex-1 overflow-auto border-t border-slate" tabIndex={0} aria-label="The table">
      <table className="border-separate border-spacing-0">
        <thead className="sticky top-0 z-20 bg-base-100">
          <tr>
            <th className="sticky left-0 z-20 min-w-44 border-b border-slate bg-base-100 px-4 py-1.5 text-left text-xs font-semibold text-quiet">
              {DIMENSIONS[rows]} {!same && <>↓ &nbsp;{DIMENSIONS[columns]} →</>}
            </th>
            {across.map((c) => (
              <th
                key={c ?? ''}
                scope="col"
                className={`min-w-20 max-w-40 truncate border-b border-slate px-3 py-1.5 text-right text-xs ${c === null ? 'font-bold' : 'font-semibold text-quiet'}`}
                title={c ?? ''}
              >
                {c === null ? 'all' : name(columns, c)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {down.map((r) => (
            <tr key={r ?? ''} className={r === null ? 'font-bold' : ''}>
              <th
                scope="row"
                className="sticky left-0 z-10 max-w-64 truncate border-b border-base-300 bg-base-100 px-4 text-left font-medium"
                title={r ?? ''}
              >
                {r === null ? 'all' : name(rows, r)}
              </th>
              {across.map((c) => {
                const n = value(at(r, c));
                const here = JSON.stringify(at(r, c));
                return (
                  <td
                    key={c ?? ''}
                    className={`h-8 border-b border-base-300 p-0 text-right ${here === selected ? 'bg-base-300' : ''}`}
                  >
                    {n ? (
                      <button
                        className={`relative h-8 w-full cursor-pointer px-3 text-right hover:underline ${c === null || r === null ? 'font-bold' : ''}`}
                        title={`${amount(n, measure)} ${MEASURES[measure]}: ${r ?? 'all'}${same ? '' : `, ${c ?? 'all'}`}`}
                        onClick={() => open(at(r, c))}
                      >
                        {amount(n, measure)}
                      </button>
                    ) : (
                      <span className="px-3 text-quiet" aria-label="none">
                        ·
                      </span>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="max-w-3xl px-4 py-3 text-quiet">
        Click a number for what is behind it.{' '}
        {overlaps.length > 0
          ? `One thing can be in several rows or columns here (by ${overlaps.join(' and ')}): in every total it counts once, so a total can be less than its parts together.`
          : 'Nothing is in two cells at once: rows and columns add up.'}{' '}
        A team and its site are one.
        {shares && ' A cell holds what one and the same share does: who, by which role, for whom.'}
      </p>
    </div>
  );
}

const PAGE = 100;

function Behind({ at, params, ...pinning }: { at: string; params: URLSearchParams } & Pinning) {
  const held = heldOf(params);
  const [composing, setComposing] = useState(false);
  const { query, first, rows, more } = usePages('/api/cross/items', { ...held.query, at }, PAGE);
  const values = JSON.parse(at) as (string | null)[];
  const names = held.query.by.split(',') as DimensionName[];
  const columns: Column<CrossFile>[] = [
    {
      key: 'points',
      name: 'Points',
      width: '58px',
      right: true,
      cell: (r) => r.points || <span className="text-quiet">·</span>,
    },
    {
      key: 'name',
      name: 'File',
      width: 'minmax(0, 1fr)',
      cell: (r) => (
        <a
          className="truncate hover:underline"
          title={`${r.name}\n${r.path}${r.types.length ? `\n${r.types.join(', ')}` : ''}`}
          href={withQuery('/survey/holdings', { sel: r.key, asof: held.query.asOf })}
        >
          {r.name} <span className="text-quiet">{r.path}</span>
        </a>
      ),
    },
    { key: 'weight', name: '', width: '40px', cell: (r) => <Weight weight={r.weight} /> },
    {
      key: 'reach',
      name: 'Reach',
      width: '112px',
      cell: (r) => <Beam now={r.now} could={r.could} words={false} />,
    },
  ];
  return (
    <DossierFrame
      name="Behind the number"
      error={query.error}
      retry={() => void query.refetch()}
      {...pinning}
    >
      <div className="flex h-full flex-col">
        <header className="flex items-start gap-2 px-4 py-3">
          <h2 className="min-w-0 flex-1">
            <b>{first ? plural(first.total, 'file or folder', 'files and folders') : '…'}</b>
            <span className="block text-quiet">
              {names.map((b, k) => `${DIMENSIONS[b]}: ${values[k] ?? 'all'}`).join(' · ')}
            </span>
          </h2>
          <ExportMenu table="cross-files" query={{ ...held.query, at }} />
        </header>
        {rows.length > 0 && held.query.asOf === undefined && (
          <p className="px-4 pb-2">
            <button className="btn btn-sm" onClick={() => setComposing(true)}>
              Find the least change for{' '}
              {first!.total > rows.length ? `the first ${count(rows.length)}` : 'them'} …
            </button>
          </p>
        )}
        {composing && (
          <Compose
            rows={rows.map(({ source, item, name }) => ({ source, item, summary: { name } }))}
            of="files and folders"
            close={() => setComposing(false)}
          />
        )}
        <div className="min-h-0 flex-1 border-t border-slate">
          <Table label="Behind the number" columns={columns} rows={rows} rowKey={(r) => r.key} onEnd={more} />
        </div>
      </div>
    </DossierFrame>
  );
}
