import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query';
import { ChevronDown, ChevronRight, File, Folder, FolderX } from 'lucide-react';
import { useState } from 'react';
import { TIERS } from '../../../core/model.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { HoldingRow } from '../../../dto/access.ts';
import { ask } from '../../frame/api.ts';
import { count, Beam, Empty, plural, ToSources, Trouble, Weight, When } from '../../parts/marks.tsx';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { Conditions, FilterBox } from '../../parts/filter.tsx';
import { Shell } from '../../frame/Shell.tsx';
import type { Column } from '../../parts/table/column.ts';
import { orderIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';

export default function Holdings({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/survey/holdings" dossier={dossier}>
      <View params={params} set={set} narrow={!!dossier} />
    </Shell>
  );
}

/** A row with its place in the tree; `more`: rows of its parent that are not loaded yet. */
type TreeRow = HoldingRow & { depth: number; open: boolean; more?: { parent: string; left: number } };

const PAGE = 200;
const ONLY = {
  exposed: 'exposed files',
  breaks: 'breaks in inheritance',
  links: 'with sharing links',
  'no-owner': 'spaces nobody owns',
  dormant: 'dormant spaces (90 days)',
} as const;
const FILTERS = ['text', 'where', 'kind', 'weight', 'tier', 'domain', 'only'] as const;

function View({ params, set, narrow }: ViewProps) {
  const asOf = asOfOf(params);
  const ws = params.get('ws') ?? undefined;
  const space = params.get('space') ?? undefined;
  const filters = Object.fromEntries(FILTERS.map((f) => [f, params.get(f) ?? undefined])) as Record<
    (typeof FILTERS)[number],
    string | undefined
  >;
  const list = FILTERS.some((f) => filters[f]);
  const { sort, order } = orderIn(params, set, 'reach');

  // the scope line may hold the screen to one workspace or one space
  const scopeSpace = useQuery({
    ...ask('/api/holdings', { list: 'true', kind: 'space', text: space, asOf, limit: 20 }),
    enabled: !!space,
  });
  const scoped = scopeSpace.data?.rows.find((r) => r.name === space);
  const root = scoped?.key ?? (ws ? `workspace:${ws}:${ws}` : undefined);
  const ready = !space || !!scopeSpace.data;

  // as a list: one query; as a tree: one for the top and one for each row that is open
  const [pages, setPages] = useState<Record<string, number>>({});
  // at first the workspaces are open; what is opened or closed then is in the address
  const told = params.get('open');
  const rootPage = useQuery({
    ...ask('/api/holdings', { parent: root, sort, asOf, limit: PAGE }),
    enabled: !list && ready,
  });
  const open =
    told === null
      ? (rootPage.data?.rows ?? []).filter((r) => r.kind === 'workspace').map((r) => r.key)
      : told.split(' ').filter((k) => k.includes(':'));
  const toggle = (key: string) =>
    set({ open: (open.includes(key) ? open.filter((k) => k !== key) : [...open, key]).join(' ') || 'none' });
  const limitOf = (key: string): number => Math.min(500, (pages[key] ?? 1) * PAGE);
  const [listLimit, setListLimit] = useState(PAGE);
  const asked = { list: 'true', parent: root, ...filters, sort, asOf };
  const flat = useQuery({
    ...ask('/api/holdings', { ...asked, limit: listLimit }),
    enabled: list && ready,
    placeholderData: keepPreviousData,
  });
  const parents = [root ?? '', ...open];
  const trees = useQueries({
    queries: parents.map((parent) => ({
      ...ask('/api/holdings', { parent, sort, asOf, limit: limitOf(parent) }),
      enabled: !list && ready,
      placeholderData: keepPreviousData,
    })),
  });
  const below = new Map(parents.map((p, i) => [p, trees[i]?.data]));
  const rows: TreeRow[] = [];
  const put = (parent: string, depth: number): void => {
    const page = below.get(parent);
    for (const r of page?.rows ?? []) {
      const isOpen = open.includes(r.key) && r.children > 0;
      rows.push({ ...r, depth, open: isOpen });
      if (isOpen && depth < 30) put(r.key, depth + 1);
    }
    const left = (page?.total ?? 0) - (page?.rows.length ?? 0);
    if (page && left > 0)
      rows.push({
        ...page.rows[0]!,
        key: `more ${parent}`,
        depth,
        open: false,
        children: 0,
        more: { parent, left },
      });
  };
  if (list) for (const r of flat.data?.rows ?? []) rows.push({ ...r, depth: 0, open: false });
  else put(root ?? '', 0);
  const error = flat.error ?? trees.find((t) => t.error)?.error ?? scopeSpace.error;
  const top = below.get(root ?? '');
  const total = list ? flat.data?.total : top?.total;

  const columns: Column<TreeRow>[] = [
    {
      key: 'name',
      name: 'Name',
      width: 'minmax(220px, 1fr)',
      sorts: true,
      cell: (r) =>
        r.more ? (
          <span className="text-quiet">{count(r.more.left)} more: press Enter or click</span>
        ) : (
          <Name row={r} list={list} toggle={() => toggle(r.key)} />
        ),
    },
    {
      key: 'weight',
      name: 'Weight',
      width: '70px',
      sorts: true,
      cell: (r) => (r.more ? null : <Weight weight={r.weight} />),
    },
    {
      key: 'reach',
      name: list ? 'Reach' : 'Reach, widest in it',
      width: narrow ? '184px' : '268px',
      sorts: true,
      cell: (r) => (r.more ? null : <Reach row={r} list={list} narrow={narrow} />),
    },
    {
      key: 'files',
      name: 'Files',
      width: '72px',
      right: true,
      sorts: true,
      cell: (r) => (r.more || r.kind === 'file' ? '' : count(r.files)),
    },
    {
      key: 'exposed',
      name: 'Exposed',
      width: '72px',
      right: true,
      cell: (r) => (r.more || !r.exposed ? '' : r.kind === 'file' ? 'yes' : count(r.exposed)),
    },
    ...(narrow
      ? []
      : ([
          {
            key: 'members',
            name: 'Members',
            width: '78px',
            right: true,
            sorts: true,
            cell: (r) => (r.more ? '' : count(r.members)),
          },
          {
            key: 'external',
            name: 'Outside',
            width: '72px',
            right: true,
            sorts: true,
            cell: (r) => (r.more || !r.external ? '' : count(r.external)),
          },
          {
            key: 'owners',
            name: 'Owners',
            width: '150px',
            cell: (r) =>
              r.more ? (
                ''
              ) : (
                <span className="truncate" title={r.owners.join(', ')}>
                  {r.owners.join(', ') ||
                    (r.kind === 'space' ? <span className="font-medium">nobody</span> : '')}
                </span>
              ),
          },
          {
            key: 'activity',
            name: 'Last activity',
            width: '118px',
            sorts: true,
            cell: (r) =>
              r.more ? (
                ''
              ) : r.lastActivity ? (
                <When at={r.lastActivity} />
              ) : (
                <span className="text-quiet">never seen</span>
              ),
          },
        ] satisfies Column<TreeRow>[])),
  ];
  const loadMore = (r: TreeRow) => setPages({ ...pages, [r.more!.parent]: (pages[r.more!.parent] ?? 1) + 1 });
  const dropFilters = () => {
    set(Object.fromEntries(FILTERS.map((f) => [f, undefined])));
  };
  const choose = (
    name: (typeof FILTERS)[number],
    label: string,
    none: string,
    options: [string, string][],
    width: string,
  ) => (
    <select
      className={`select select-sm ${narrow ? 'w-[7.2rem]' : width}`}
      aria-label={label}
      value={filters[name] ?? ''}
      onChange={(e) => set({ [name]: e.target.value, sort: undefined })}
    >
      <option value="">{none}</option>
      {options.map(([v, words]) => (
        <option key={v} value={v}>
          {words}
        </option>
      ))}
    </select>
  );
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-2 px-4 py-2">
        <h1 className="mr-auto whitespace-nowrap text-base">
          {total === undefined ? (
            <span className="text-quiet">Holdings …</span>
          ) : list ? (
            <b>{plural(total, 'row')} fit</b>
          ) : (
            <>
              <b>Holdings</b>{' '}
              <span className="text-quiet">{root ? plural(total, 'row') : plural(total, 'workspace')}</span>
            </>
          )}
        </h1>
        <FilterBox
          value={filters.text}
          set={set}
          label="Find by name"
          placeholder="name, or a condition"
          width={narrow ? 'w-32' : 'w-44'}
          table="items"
          where={filters.where}
        />
        {list && !narrow && <ExportMenu table="holdings" query={asked} />}
        {choose(
          'kind',
          'Kind',
          'any kind',
          [
            ['space', 'spaces'],
            ['site', 'sites'],
            ['team', 'teams'],
            ['shared-drive', 'shared drives'],
            ['personal-drive', 'personal drives'],
            ['channel', 'channels'],
            ['mailbox', 'mailboxes'],
            ['folder', 'folders'],
            ['file', 'files'],
          ],
          'w-32',
        )}
        {choose(
          'tier',
          'Reach at least',
          'any reach',
          TIERS.slice(1).map((t): [string, string] => [t, t === 'public' ? 'public' : `${t} or wider`]),
          'w-40',
        )}
        {choose(
          'weight',
          'Weight at least',
          'any weight',
          [
            ['1', 'weight 1 or more'],
            ['2', '2 or more'],
            ['3', '3 or more'],
            ['4', 'weight 4'],
          ],
          'w-36',
        )}
        {choose('only', 'Only', 'all rows', Object.entries(ONLY), 'w-44')}
        {filters.domain && (
          <button
            className="btn btn-sm"
            onClick={() => set({ domain: undefined })}
            aria-label={`Clear the filter on ${filters.domain}`}
          >
            reached by {filters.domain} ×
          </button>
        )}
      </div>
      <Conditions where={filters.where} set={set} />
      {error && <Trouble error={error} retry={() => void (list ? flat.refetch() : trees[0]?.refetch())} />}
      {!error && total === 0 ? (
        <Empty
          action={
            list ? (
              <button className="btn btn-sm" onClick={dropFilters}>
                Clear filters
              </button>
            ) : (
              <ToSources />
            )
          }
        >
          {list
            ? 'Nothing matches these filters.'
            : 'Here you will see every workspace, space, folder and file with how far it can be reached. For that, survey your workspaces.'}
        </Empty>
      ) : (
        <div className="min-h-0 flex-1 border-t border-slate">
          <Table
            label="Holdings"
            columns={columns}
            rows={rows}
            rowKey={(r) => r.key}
            selected={params.get('sel') ?? undefined}
            onSelect={(r) => {
              if (r?.more) loadMore(r);
              else set({ sel: r?.key }, 'push');
            }}
            {...order}
            onKey={(key, r) => {
              if (r.more && key === 'Enter') loadMore(r);
              else if (
                !list &&
                r.children > 0 &&
                ((key === 'ArrowRight' && !r.open) || (key === 'ArrowLeft' && r.open) || key === 'Enter')
              )
                toggle(r.key);
            }}
            {...(list && {
              onEnd: () =>
                flat.data && flat.data.rows.length < flat.data.total && listLimit < 500
                  ? setListLimit(500)
                  : undefined,
            })}
          />
        </div>
      )}
      {list && flat.data && flat.data.total > flat.data.rows.length && flat.data.rows.length >= 500 && (
        <p className="border-t border-slate px-4 py-1 text-quiet">
          The first 500 of {count(flat.data.total)} are shown: narrow the filters or sort differently to see
          others.
        </p>
      )}
    </div>
  );
}

/** Where there is little room the word for now stands alone; the beam still shows what could be. */
function Reach({ row: r, list, narrow }: { row: TreeRow; list: boolean; narrow: boolean }) {
  const { now, could } = list ? r : r.below;
  return narrow ? (
    <span className="flex items-center gap-2">
      <Beam now={now} could={could} words={false} />
      {now}
    </span>
  ) : (
    <Beam now={now} could={could} />
  );
}

function Name({ row: r, list, toggle }: { row: TreeRow; list: boolean; toggle: () => void }) {
  const Icon = r.kind === 'folder' ? (r.breaks ? FolderX : Folder) : r.kind === 'file' ? File : undefined;
  return (
    <span className="flex min-w-0 items-center gap-1.5">
      {!list && <svg width={r.depth * 16} height="1" aria-hidden className="shrink-0" />}
      {!list &&
        (r.children > 0 ? (
          <button
            className="cursor-pointer rounded p-0.5 hover:bg-base-300"
            aria-label={`${r.open ? 'Close' : 'Open'} ${r.name}`}
            aria-expanded={r.open}
            onClick={(e) => {
              e.stopPropagation();
              toggle();
            }}
          >
            {r.open ? <ChevronDown size={14} aria-hidden /> : <ChevronRight size={14} aria-hidden />}
          </button>
        ) : (
          <span className="w-[18px] shrink-0" />
        ))}
      {Icon && <Icon size={14} aria-hidden className="shrink-0 text-quiet" />}
      <span
        className={`truncate ${r.kind === 'workspace' || r.kind === 'space' ? 'font-medium' : ''}`}
        title={r.path ? `${r.name}\n${r.path}` : r.name}
      >
        {r.name}
        {r.spaceKind && <span className="font-normal text-quiet"> {r.spaceKind.replace('-', ' ')}</span>}
        {r.breaks && <span className="text-quiet"> inherits nothing</span>}
        {list && r.path && <span className="font-normal text-quiet"> {r.path}</span>}
      </span>
    </span>
  );
}
