/** Exposure › Contents: what files hold, by data type and reach, down to the files. */
import { useQuery } from '@tanstack/react-query';
import { TIERS, type Tier } from '../../../core/model.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { ContentFile, ContentRow, UnreadFile } from '../../../dto/contents.ts';
import { ask } from '../../frame/api.ts';
import { Conditions, FilterBox } from '../../parts/filter.tsx';
import { count, Beam, Empty, plural, ToSources, Trouble, Weight, When } from '../../parts/marks.tsx';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { usePages } from '../../parts/pages.ts';
import { Shell } from '../../frame/Shell.tsx';
import type { Column } from '../../parts/table/column.ts';
import { orderIn, selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';

const PAGE = 200;

export default function Contents({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/exposure/contents" dossier={dossier}>
      <View params={params} set={set} narrow={!!dossier} />
    </Shell>
  );
}

const FROM = { '30': 'from Wide (30)', '55': 'from Balanced (55)', '80': 'from Strict (80)' };

function View({ params, set, narrow }: ViewProps) {
  const param = (name: string): string | undefined => params.get(name) ?? undefined;
  const held = { asOf: asOfOf(params), ws: param('ws'), pack: param('pack'), certainty: param('certainty') };
  const type = param('type');
  const tier = param('tier') as Tier | undefined;
  const at = param('at');
  const unread = param('show') === 'unread';
  const byWorkspace = param('by') === 'workspace';
  // what holds of the files holds of the numbers above them
  const files = unread ? {} : { text: param('text'), where: param('where') };
  const asked = { ...held, ...files, byWorkspace: String(byWorkspace) };
  const page = useQuery({ ...ask('/api/contents', asked), placeholderData: (before) => before });
  const packs = useQuery(ask('/api/packs'));
  const data = page.data;
  const opened = type !== undefined || tier !== undefined;

  if (data && data.scanned === 0 && data.files === 0)
    return (
      <Empty action={<ToSources />}>
        Here you will see what sensitive content your files hold and how far it can be reached. For that,
        survey your workspaces.
      </Empty>
    );
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-3 px-4 py-2">
        <h1 className="min-w-0 flex-1 truncate text-base">
          {data ? (
            <>
              <b>{plural(data.files, 'file')}</b>
              <span className="text-quiet"> of {count(data.scanned)} scanned hold something sensitive </span>
              {data.unread > 0 && (
                <button
                  className="cursor-pointer underline decoration-slate hover:decoration-current"
                  aria-pressed={unread}
                  onClick={() =>
                    set(
                      {
                        show: unread ? undefined : 'unread',
                        type: undefined,
                        tier: undefined,
                        at: undefined,
                        sel: undefined,
                      },
                      'push',
                    )
                  }
                >
                  {count(data.unread)} not fully scanned
                </button>
              )}
            </>
          ) : (
            <span className="text-quiet">Contents …</span>
          )}
        </h1>
        {!narrow && <ExportMenu table="contents" query={asked} />}
        {!narrow && !opened && !unread && (
          <FilterBox
            value={files.text}
            set={set}
            label="Find in these files"
            placeholder="file, folder, space …"
            table="content-files"
            where={files.where}
          />
        )}
        <select
          className="select select-sm w-44"
          aria-label="Which data types"
          value={held.pack ?? ''}
          onChange={(e) => set({ pack: e.target.value, type: undefined, at: undefined })}
        >
          <option value="">all data types</option>
          {packs.data?.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
        <select
          className="select select-sm w-40"
          aria-label="From which certainty"
          title="Matches from this certainty on are counted"
          value={held.certainty ?? ''}
          onChange={(e) => set({ certainty: e.target.value })}
        >
          <option value="">certainty as set</option>
          {Object.entries(FROM).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <label className="flex items-center gap-1.5 whitespace-nowrap">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={byWorkspace}
            onChange={(e) => set({ by: e.target.checked ? 'workspace' : undefined })}
          />
          by workspace
        </label>
      </div>
      {!opened && !unread && <Conditions where={files.where} set={set} />}
      {page.error && <Trouble error={page.error} retry={() => void page.refetch()} />}
      {unread ? (
        <div className="min-h-0 flex-1 border-t border-slate">
          <Unread held={held} params={params} set={set} narrow={narrow} />
        </div>
      ) : (
        <>
          <div className={`border-t border-slate ${opened ? 'h-[42%] shrink-0' : 'min-h-0 flex-1'}`}>
            {data && data.rows.length === 0 ? (
              <Empty
                action={
                  <button
                    className="btn btn-sm"
                    onClick={() =>
                      set({
                        pack: undefined,
                        certainty: undefined,
                        ws: undefined,
                        text: undefined,
                        where: undefined,
                      })
                    }
                  >
                    Clear filters
                  </button>
                }
              >
                None of these data types was found in these files at this certainty.
              </Empty>
            ) : (
              <Matrix
                rows={data?.rows ?? []}
                byWorkspace={byWorkspace}
                narrow={narrow}
                type={type}
                tier={tier}
                at={at}
                open={(row, t) => set({ type: row?.type, at: row?.ws, tier: t, sel: undefined }, 'push')}
              />
            )}
          </div>
          {opened && (
            <div className="min-h-0 flex-1 border-t-2 border-slate">
              <Files
                held={{ ...held, ws: at ?? held.ws, type, tier }}
                name={data?.rows.find((r) => r.type === type)?.name}
                params={params}
                set={set}
                narrow={narrow}
              />
            </div>
          )}
        </>
      )}
    </div>
  );
}

/** Data types by how far the files that hold them could be reached; every number opens its files. */
function Matrix({
  rows,
  byWorkspace,
  narrow,
  type,
  tier,
  at,
  open,
}: {
  rows: ContentRow[];
  byWorkspace: boolean;
  narrow: boolean;
  type: string | undefined;
  tier: Tier | undefined;
  at: string | undefined;
  open: (row: ContentRow | undefined, tier?: Tier) => void;
}) {
  const most = Math.max(1, ...rows.flatMap((r) => r.tiers));
  const key = (r: ContentRow): string => `${r.type} ${r.ws ?? ''}`;
  const tiers: Column<ContentRow>[] = TIERS.map((t, k) => ({
    key: t,
    name: t === 'organisation' && narrow ? 'org.' : t,
    width: narrow ? 'minmax(46px, 0.5fr)' : 'minmax(72px, 0.6fr)',
    right: true,
    cell: (r) => {
      const n = r.tiers[k]!;
      const on = type === r.type && tier === t && (!byWorkspace || at === r.ws);
      return n ? (
        <button
          className={`relative h-6 w-full cursor-pointer rounded px-1.5 text-right hover:underline ${on ? 'outline-2 outline-base-content' : ''}`}
          aria-label={`${plural(n, 'file')} with ${r.name} that could be reached at ${t}`}
          onClick={(e) => {
            e.stopPropagation();
            open(r, t);
          }}
        >
          <svg
            className="absolute inset-0 h-full w-full"
            preserveAspectRatio="none"
            viewBox="0 0 1 1"
            aria-hidden
          >
            <rect
              width="1"
              height="1"
              className="fill-beam"
              opacity={(k >= 4 ? 0.3 : 0.08) + (k >= 4 ? 0.6 : 0.3) * (Math.log(1 + n) / Math.log(1 + most))}
            />
          </svg>
          <span className="relative">{count(n)}</span>
        </button>
      ) : (
        <span className="pr-1.5 text-quiet" aria-label="none">
          ·
        </span>
      );
    },
  }));
  const columns: Column<ContentRow>[] = [
    {
      key: 'name',
      name: 'Data type',
      width: 'minmax(170px, 1.5fr)',
      cell: (r) => (
        <span className="flex min-w-0 items-center gap-2">
          <Weight weight={r.weight} />
          <span className="truncate font-medium" title={r.name}>
            {r.name}
          </span>
        </span>
      ),
    },
    ...(byWorkspace
      ? [
          {
            key: 'ws',
            name: 'Workspace',
            width: 'minmax(100px, 0.8fr)',
            cell: (r: ContentRow) => <span className="truncate">{r.workspace}</span>,
          },
        ]
      : []),
    {
      key: 'files',
      name: 'Files',
      width: '68px',
      right: true,
      cell: (r) => <b>{count(r.files)}</b>,
    },
    {
      key: 'occurrences',
      name: 'Occurrences',
      width: '104px',
      right: true,
      cell: (r) => count(r.occurrences),
    },
    ...(narrow
      ? []
      : [
          {
            key: 'owners',
            name: 'Owners',
            width: '72px',
            right: true,
            cell: (r: ContentRow) => (r.owners ? count(r.owners) : <span className="text-quiet">·</span>),
          },
        ]),
    ...tiers,
  ];
  return (
    <Table
      label="Contents by data type"
      columns={columns}
      rows={rows}
      rowKey={key}
      selected={type === undefined ? undefined : `${type} ${byWorkspace ? (at ?? '') : ''}`}
      onSelect={(r) => open(r)}
    />
  );
}

interface Held {
  asOf: number | undefined;
  ws: string | undefined;
  pack: string | undefined;
  certainty: string | undefined;
}

function fileColumn<R extends { name: string; path: string }>(): Column<R> {
  return {
    key: 'name',
    name: 'File',
    width: 'minmax(200px, 1.8fr)',
    sorts: true,
    cell: (r) => (
      <span className="truncate" title={`${r.name}\n${r.path}`}>
        <span className="font-medium">{r.name}</span> <span className="text-quiet">{r.path}</span>
      </span>
    ),
  };
}

function Files({
  held,
  name,
  params,
  set,
  narrow,
}: ViewProps & {
  held: Held & { type: string | undefined; tier: Tier | undefined };
  name: string | undefined;
}) {
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const { sort, order } = orderIn(params, set, 'reach');
  const { query, first, rows, more } = usePages('/api/contents/files', { ...held, text, where, sort }, PAGE);
  const columns: Column<ContentFile>[] = [
    fileColumn(),
    ...(narrow
      ? []
      : [
          {
            key: 'owner',
            name: 'Owner',
            width: 'minmax(90px, 0.6fr)',
            cell: (r: ContentFile) => (
              <span className="truncate">{r.owner ?? <span className="text-quiet">·</span>}</span>
            ),
          },
          {
            key: 'scanned',
            name: 'Scanned',
            width: '112px',
            cell: (r: ContentFile) => <When at={r.scannedAt} />,
          },
        ]),
    {
      key: 'occurrences',
      name: 'Occurrences',
      width: '106px',
      right: true,
      sorts: true,
      cell: (r) => count(r.occurrences),
    },
    {
      key: 'certainty',
      name: 'Certainty',
      width: '88px',
      right: true,
      sorts: true,
      cell: (r) => r.certainty,
    },
    ...(narrow
      ? []
      : [
          {
            key: 'weight',
            name: 'Weight',
            width: '76px',
            sorts: true,
            cell: (r: ContentFile) => <Weight weight={r.weight} />,
          },
        ]),
    {
      key: 'reach',
      name: 'Reach',
      width: narrow ? '112px' : '270px',
      sorts: true,
      cell: (r) => <Beam now={r.now} could={r.could} words={!narrow} />,
    },
  ];
  return (
    <TableView
      table="content-files"
      asked={{ ...held, text, where, sort }}
      query={query}
      {...{ params, set, narrow }}
      find={{ label: 'Find in these files', placeholder: 'file, folder, space …' }}
      title={
        <h2 className="min-w-0 flex-1 truncate">
          <b>{first ? plural(first.total, 'file') : '…'}</b> with {name ?? 'something'}
          {held.tier && (
            <>
              {' '}
              that could be reached at <b>{held.tier}</b>
            </>
          )}
        </h2>
      }
      after={
        <button
          className="btn btn-xs btn-ghost"
          onClick={() =>
            set({
              type: undefined,
              tier: undefined,
              at: undefined,
              sel: undefined,
              text: undefined,
              where: undefined,
            })
          }
        >
          Close the list
        </button>
      }
      empty={first !== undefined && rows.length === 0}
      nothing="No file holds it."
    >
      <Table
        label="Files"
        columns={columns}
        rows={rows}
        {...selectIn(params, set, 'sel', (r: ContentFile) => r.key)}
        {...order}
        onEnd={more}
      />
    </TableView>
  );
}

function Unread({
  held,
  params,
  set,
  narrow,
}: ViewProps & {
  held: Held;
}) {
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const { query, first, rows, more } = usePages(
    '/api/contents/unread',
    { asOf: held.asOf, ws: held.ws, text, where },
    PAGE,
  );
  const columns: Column<UnreadFile>[] = [
    fileColumn(),
    {
      key: 'reason',
      name: 'What was not scanned',
      width: 'minmax(220px, 1.4fr)',
      cell: (r) => (
        <span className="truncate" title={r.reason}>
          {r.reason.replace('Not fully scanned: ', '')}
        </span>
      ),
    },
    ...(narrow
      ? []
      : [
          {
            key: 'scanned',
            name: 'Scanned',
            width: '112px',
            cell: (r: UnreadFile) => <When at={r.scannedAt} />,
          },
        ]),
    {
      key: 'reach',
      name: 'Reach',
      width: narrow ? '112px' : '270px',
      cell: (r) => <Beam now={r.now} could={r.could} words={!narrow} />,
    },
  ];
  return (
    <TableView
      table="unread"
      asked={{ asOf: held.asOf, ws: held.ws, text, where }}
      query={query}
      {...{ params, set, narrow }}
      find={{ label: 'Find in these files', placeholder: 'file or reason …' }}
      title={
        <h2 className="min-w-0 flex-1 truncate">
          <b>{first ? plural(first.total, 'file') : '…'}</b> not scanned, or not completely: the widest reach
          first
        </h2>
      }
      after={
        <button
          className="btn btn-xs btn-ghost"
          onClick={() => set({ show: undefined, sel: undefined, text: undefined, where: undefined })}
        >
          Back to what was found
        </button>
      }
      empty={first !== undefined && rows.length === 0}
      nothing="Every file was scanned completely."
    >
      <Table
        label="Files not fully scanned"
        columns={columns}
        rows={rows}
        {...selectIn(params, set, 'sel', (r: UnreadFile) => r.key)}
        onEnd={more}
      />
    </TableView>
  );
}
