import type { Account } from '../../../dto/accounts.ts';
import type { IdentityRow } from '../../../dto/access.ts';
import { IdentityDossier } from '../../dossiers/IdentityDossier.tsx';
import { TabBar, Tabs } from '../../parts/Tabs.tsx';
import { count, plural } from '../../parts/marks.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { usePages } from '../../parts/pages.ts';
import { Shell } from '../../frame/Shell.tsx';
import type { Column } from '../../parts/table/column.ts';
import { orderIn, selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';

export default function People({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const sel = params.get('sel') ?? undefined;
  const { shown, pinning } = usePinned(sel, () => set({ sel: undefined }));
  return (
    <Shell
      account={account}
      path="/survey/people"
      dossier={
        shown !== undefined && (
          <IdentityDossier
            key={shown}
            identity={shown}
            asOf={asOfOf(params)}
            select={(key) => set({ sel: key }, 'push')}
            {...pinning}
          />
        )
      }
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

const SHOW = {
  groups: 'Groups',
  members: 'Members',
  guests: 'Guests',
  outsiders: 'Outsiders',
  domains: 'Outside domains',
  dangling: 'Grants to nobody',
} as const;
type Show = keyof typeof SHOW;
const EXPLAIN: Record<Show, string> = {
  groups: 'what each lets its members reach, and which hold nearly everybody',
  members: 'people of the organisation, and what each can reach',
  guests: 'external people with an account',
  outsiders: 'addresses that were given access and have no account',
  domains: 'everybody outside, by domain',
  dangling: 'grants and links in force for accounts that can no longer use them',
};
const PAGE = 100;

function View({ params, set, narrow }: ViewProps) {
  const asOf = asOfOf(params);
  const wanted = params.get('show') ?? 'groups';
  const show: Show = wanted in SHOW ? (wanted as Show) : 'groups';
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const usual =
    show === 'groups' ? 'members' : show === 'dangling' ? 'grants' : show === 'members' ? 'items' : 'heavy';
  const { sort, order } = orderIn(params, set, usual);
  const asked = { show, text, where, sort, asOf };
  const { query, first, rows, more } = usePages('/api/people', asked, PAGE);
  const number = (n: number | null | undefined) => (n ? count(n) : '');
  const columns: Column<IdentityRow>[] = [
    {
      key: 'name',
      name: show === 'groups' ? 'Group' : show === 'domains' ? 'Domain' : 'Who',
      width: 'minmax(200px, 1.2fr)',
      sorts: true,
      cell: (r) => (
        <span className="truncate" title={`${r.name}\n${r.detail}`}>
          <span className="font-medium">{r.name}</span> <span className="text-quiet">{r.detail}</span>
        </span>
      ),
    },
    ...(show === 'groups'
      ? ([
          {
            key: 'members',
            name: 'Members',
            width: '170px',
            sorts: true,
            cell: (r) => (
              <span className="flex w-full items-center gap-2">
                <span className="w-10 text-right">{number(r.members) || '0'}</span>
                <svg width="48" height="6" aria-hidden>
                  <rect width="48" height="6" className="fill-base-300" />
                  <rect width={48 * (r.share ?? 0)} height="6" className="fill-quiet" />
                </svg>
                <span className="whitespace-nowrap text-quiet">{Math.round((r.share ?? 0) * 100)} %</span>
              </span>
            ),
          },
        ] satisfies Column<IdentityRow>[])
      : []),
    ...((show === 'groups' && !narrow) || show === 'domains'
      ? ([
          {
            key: 'external',
            name: show === 'domains' ? 'Identities' : 'Outside',
            width: '84px',
            right: true,
            sorts: true,
            cell: (r) => number(r.external),
          },
        ] satisfies Column<IdentityRow>[])
      : []),
    {
      key: 'grants',
      name: show === 'dangling' ? 'Grants' : 'Named by',
      width: '84px',
      right: true,
      sorts: true,
      cell: (r) => number(r.grants),
    },
    ...(show === 'dangling'
      ? []
      : ([
          {
            key: 'items',
            name: 'Files',
            width: '76px',
            right: true,
            sorts: true,
            cell: (r) => number(r.items) || '0',
          },
          {
            key: 'heavy',
            name: 'Heavy files',
            width: '96px',
            right: true,
            sorts: true,
            cell: (r) => (r.heavy ? <b>{number(r.heavy)}</b> : ''),
          },
        ] satisfies Column<IdentityRow>[])),
    ...(narrow
      ? []
      : ([
          {
            key: 'flags',
            name: show === 'dangling' ? 'On' : 'Mind',
            width: 'minmax(160px, 0.8fr)',
            cell: (r) => (
              <span className="truncate" title={r.flags.join(', ')}>
                {r.flags.join(', ')}
              </span>
            ),
          },
        ] satisfies Column<IdentityRow>[])),
  ];
  return (
    <Tabs
      value={show}
      choose={(s) => set({ show: s === 'groups' ? undefined : s, sort: undefined, sel: undefined })}
    >
      <TableView
        table="people"
        asked={asked}
        query={query}
        {...{ params, set, narrow }}
        tabs
        find={{ label: 'Find people and groups', placeholder: 'name, address' }}
        title={
          <TabBar
            label="Who is shown"
            tabs={(Object.keys(SHOW) as Show[]).map((s) => [
              s,
              <>
                {SHOW[s]}{' '}
                {first && <span className="tabular-nums opacity-80">{count(first.counts[s] ?? 0)}</span>}
              </>,
            ])}
          />
        }
        above={
          <h1 className="px-4 pb-1.5 text-quiet">
            {first ? <b className="text-base-content">{plural(first.total, 'row')}</b> : 'People …'}:{' '}
            {EXPLAIN[show]}
            {show !== 'dangling' && '. Heavy files weigh 2 or more.'}
          </h1>
        }
        empty={first !== undefined && rows.length === 0}
        nothing={
          show === 'dangling'
            ? 'Every grant and link in force names somebody who is there.'
            : 'There is nobody of this kind in the survey.'
        }
      >
        <Table
          label={SHOW[show]}
          columns={columns}
          rows={rows}
          {...selectIn(params, set, 'sel', (r: IdentityRow) => r.key)}
          {...order}
          onEnd={more}
        />
      </TableView>
    </Tabs>
  );
}
