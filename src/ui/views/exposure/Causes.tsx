/** Exposure › Causes: what makes exposures, the change first that closes most. */
import { useQuery } from '@tanstack/react-query';
import type { Account } from '../../../dto/accounts.ts';
import type { CauseRow, CausesPage } from '../../../dto/exposure.ts';
import { withQuery, ask } from '../../frame/api.ts';
import { DossierFrame, Section, type Pinning } from '../../dossiers/Frame.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { count, plural, Share, Trouble, Weight, When } from '../../parts/marks.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import type { Column } from '../../parts/table/column.ts';
import { selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { OptionsButton } from '../../parts/Options.tsx';
import { usePickUp } from '../../frame/Tray.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';

const useCauses = (asOf: number | undefined, text?: string, where?: string) =>
  useQuery({ ...ask('/api/causes', { asOf, text, where }), placeholderData: (before) => before });

export default function Causes({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const { shown, pinning } = usePinned(params.get('cause') ?? undefined, () => set({ cause: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/causes"
      dossier={shown !== undefined && <One cause={shown} asOf={asOfOf(params)} {...pinning} />}
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

const KIND = {
  grant: 'grant',
  link: 'sharing link',
  visibility: 'visibility',
  membership: 'membership',
} as const;

function View({ params, set, narrow }: ViewProps) {
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const held = Boolean(text ?? where);
  const { data, error, refetch } = useCauses(asOfOf(params), text, where);
  const { steward } = useSigned();
  const { pickUp } = usePickUp();
  const half = data ? data.rows.findIndex((r) => r.together >= data.points / 2) + 1 : 0;
  const columns: Column<CauseRow & { rank: number }>[] = [
    {
      key: 'rank',
      name: '',
      width: '44px',
      right: true,
      cell: (r) => <span className="text-quiet">{r.rank}</span>,
    },
    {
      key: 'points',
      name: 'Closes',
      width: '112px',
      cell: (r) => <Share of={r.points} most={Math.max(1, data!.rows[0]?.points ?? 1)} wide={40} />,
    },
    {
      key: 'words',
      name: 'Cause',
      width: 'minmax(260px, 3fr)',
      cell: (r) => (
        <span className="truncate font-medium" title={r.words}>
          {r.words}
        </span>
      ),
    },
    ...(narrow
      ? []
      : [{ key: 'kind', name: 'What it is', width: '112px', cell: (r: CauseRow) => KIND[r.kind] }]),
    {
      key: 'findings',
      name: 'Findings',
      width: '84px',
      right: true,
      cell: (r) =>
        r.findings ? (
          count(r.findings)
        ) : (
          <span className="text-quiet" title="Some points, but no finding of its own">
            ·
          </span>
        ),
    },
    {
      key: 'members',
      name: 'Members hurt',
      width: '116px',
      right: true,
      cell: (r) => (r.members ? count(r.members) : <span className="text-quiet">nobody</span>),
    },
    ...(narrow
      ? []
      : [
          {
            key: 'external',
            name: 'Outsiders',
            width: '92px',
            right: true,
            cell: (r: CauseRow) => (r.external ? count(r.external) : <span className="text-quiet">·</span>),
          },
        ]),
    {
      key: 'together',
      name: 'Together',
      width: '116px',
      right: true,
      cell: (r) => (
        <span title={`This and those above: ${r.together} of ${data!.points} points`}>
          {Math.round((100 * r.together) / data!.points)} %
        </span>
      ),
    },
  ];
  const onKey = (key: string, row: CauseRow) => {
    if (key === 'p' && steward && row.planned && !row.cannot) pickUp.mutate([row.planned]);
  };
  return (
    <TableView
      table="causes"
      asked={{ asOf: asOfOf(params), text, where }}
      query={{ error, refetch }}
      {...{ params, set, narrow }}
      find={{ label: 'Find in causes', placeholder: 'space, group, maker …' }}
      title={
        <h1 className="min-w-0 flex-1 truncate text-base">
          {data && held ? (
            <b>{plural(data.rows.length, 'cause')} fit</b>
          ) : data ? (
            half > 0 ? (
              <>
                <b>{plural(half, 'change')}</b> would close half of{' '}
                <b>{count(data.points)} exposure points</b>
                <span className="text-quiet">
                  {' '}
                  in {plural(data.findings, 'finding')}; all {data.rows.length} here,{' '}
                  {Math.round((100 * data.rows[data.rows.length - 1]!.together) / data.points)} %
                </span>
              </>
            ) : (
              <>
                <b>{plural(data.rows.length, 'change')}</b> would close{' '}
                {Math.round((100 * data.rows[data.rows.length - 1]!.together) / data.points)} % of{' '}
                {count(data.points)} exposure points
              </>
            )
          ) : (
            <span className="text-quiet">Working out what each change would close …</span>
          )}
        </h1>
      }
      empty={data?.rows.length === 0}
      nothing={
        data?.points
          ? 'No single change closes anything: whatever is exposed can be reached in several ways.'
          : 'Nothing is exposed, so nothing causes it.'
      }
    >
      <Table
        label="Causes"
        columns={columns}
        rows={(data?.rows ?? []).map((r, i) => ({ ...r, rank: i + 1 }))}
        {...selectIn(params, set, 'cause', (r: CauseRow) => r.key)}
        onKey={onKey}
      />
    </TableView>
  );
}

function One({ cause, asOf, ...pinning }: { cause: string; asOf: number | undefined } & Pinning) {
  const { data, error, refetch } = useCauses(asOf);
  const row = data?.rows.find((r) => r.key === cause);
  const gone = data && !row ? new Error('This cause is not in this survey any more.') : undefined;
  return (
    <DossierFrame name="Cause" error={error ?? gone} retry={() => void refetch()} {...pinning}>
      {row && data && <Body row={row} page={data} now={asOf === undefined} />}
    </DossierFrame>
  );
}

const TO_DO: Record<CauseRow['kind'], string> = {
  grant: 'Withdraw the grant.',
  link: 'Withdraw the sharing link.',
  visibility: 'Make the space visible to its members only.',
  membership: 'Take them out of the group.',
};

function Body({ row, page, now }: { row: CauseRow; page: CausesPage; now: boolean }) {
  const { steward } = useSigned();
  const { pickUp, has } = usePickUp();
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.words}</h2>
        {row.entry?.madeAt && (
          <p className="text-quiet">
            {row.entry.madeBy && `by ${row.entry.madeBy} `}
            <When at={row.entry.madeAt} />
          </p>
        )}
        <p className="mt-2">
          One change here closes{' '}
          <b>
            {count(row.points)} of {count(page.points)} points
          </b>
          {row.findings > 0 && (
            <>
              {' '}
              and <b>{plural(row.findings, 'finding')}</b>
            </>
          )}
          .
        </p>
      </header>
      <Section name="What to do">
        <p>
          {TO_DO[row.kind]}{' '}
          {row.members
            ? `${plural(row.members, 'member')} would lose something.`
            : 'No member would lose anything.'}
        </p>
        {steward && now && row.planned && !row.cannot && (
          <button
            className="btn btn-sm btn-primary mt-2"
            disabled={has(row.planned)}
            onClick={() => pickUp.mutate([row.planned!])}
          >
            {has(row.planned) ? 'In the tray' : `Pick up: ${TO_DO[row.kind].toLowerCase().slice(0, -1)}`}
          </button>
        )}
        {row.cannot && <p className="mt-1 text-quiet">{row.cannot}</p>}
        {row.entry && now && (
          <span className="mt-1.5 block">
            <OptionsButton of={row.entry} name={`this ${KIND[row.kind]}`} />
          </span>
        )}
        {pickUp.error && <Trouble error={pickUp.error} />}
      </Section>
      <Section name="What it closes" aside={plural(row.files.length + row.filesMore, 'file')}>
        <ul>
          {row.files.map((f) => (
            <li key={f.node.key} className="flex items-center gap-2 py-0.5">
              <b className="w-10 text-right">{f.points}</b>
              <Weight weight={f.weight} />
              <span className="min-w-0 flex-1 truncate" title={f.path}>
                <a
                  className="underline decoration-slate hover:decoration-current"
                  href={withQuery('/survey/holdings', { sel: f.node.key })}
                >
                  {f.node.name}
                </a>{' '}
                <span className="text-quiet">{f.path}</span>
              </span>
            </li>
          ))}
        </ul>
        {row.filesMore > 0 && <p className="text-quiet">and {count(row.filesMore)} more.</p>}
      </Section>
      <Section
        name="Whom it would hurt"
        aside={`${plural(row.members, 'member')}, ${plural(row.external, 'other')}`}
      >
        {row.people.length === 0 && (
          <p className="text-quiet">Nobody we know of: whoever has the link could no longer use it.</p>
        )}
        <ul>
          {row.people.map((p) => (
            <li key={p.id}>
              {p.name} <span className="text-quiet">{p.kind === 'member' ? '' : p.kind}</span>
            </li>
          ))}
        </ul>
        {row.members + row.external > row.people.length && (
          <p className="text-quiet">and {count(row.members + row.external - row.people.length)} more.</p>
        )}
      </Section>
    </>
  );
}
