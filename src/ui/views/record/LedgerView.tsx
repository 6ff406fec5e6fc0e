import { useQuery } from '@tanstack/react-query';
import { Download } from 'lucide-react';
import type { LedgerEntry } from '../../../formats/ledger.ts';
import type { Account } from '../../../dto/accounts.ts';
import { ask } from '../../frame/api.ts';
import { plural, State, Trouble, When } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import { Shell } from '../../frame/Shell.tsx';
import type { Column } from '../../parts/table/column.ts';
import { selectNumberIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { useUrl, type SetUrl } from '../../frame/url.ts';
import { deedWords } from '../../parts/deed-words.ts';

const PAGE = 200;

export default function LedgerView({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  return (
    <Shell
      account={account}
      path="/record/ledger"
      dossier={
        params.get('entry') && (
          <Entry seq={Number(params.get('entry'))} close={() => set({ entry: undefined })} />
        )
      }
    >
      <View params={params} set={set} />
    </Shell>
  );
}

function View({ params, set }: { params: URLSearchParams; set: SetUrl }) {
  const chain = useQuery(ask('/api/ledger/check'));
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const { query, rows, more } = usePages('/api/ledger', { text, where }, PAGE);
  const columns: Column<LedgerEntry>[] = [
    {
      key: 'seq',
      name: 'Entry',
      width: '72px',
      right: true,
      cell: (r) => <span className="font-semibold">{r.seq}</span>,
    },
    { key: 'at', name: 'When', width: '132px', cell: (r) => <When at={r.at} /> },
    {
      key: 'who',
      name: 'Who',
      width: 'minmax(130px, 0.8fr)',
      cell: (r) => <span className="truncate">{r.who}</span>,
    },
    {
      key: 'what',
      name: 'What',
      width: 'minmax(150px, 0.9fr)',
      cell: (r) => (
        <span className="truncate" title={r.what}>
          {deedWords(r.what)}
        </span>
      ),
    },
    {
      key: 'subject',
      name: 'Of what',
      width: 'minmax(130px, 1fr)',
      cell: (r) => <span className="truncate">{r.subject}</span>,
    },
    {
      key: 'hash',
      name: 'Hash',
      width: '112px',
      cell: (r) => <span className="font-mono text-[12.5px] text-quiet">{r.hash.slice(0, 12)}</span>,
    },
  ];
  return (
    <TableView
      table="ledger"
      asked={{ text, where }}
      query={query}
      {...{ params, set }}
      narrow={false}
      find={{ label: 'Find in the ledger', placeholder: 'person, plan, grant …', width: 'w-56' }}
      title={
        <h1 className="min-w-0 text-base">
          {chain.isPending ? (
            <State icon="running">Following the chain …</State>
          ) : chain.data?.holds ? (
            <State icon="done">
              <b>The chain holds</b>
              <span className="text-quiet">
                {' '}
                over {plural(chain.data.entries, 'entry', 'entries')}
                {chain.data.heads > 0 && `; ${plural(chain.data.heads, 'signed head')} kept apart agree`}
              </span>
            </State>
          ) : (
            chain.data && (
              <State icon="failed">
                <b>The chain is broken at entry {chain.data.seq}</b>: {chain.data.reason}
              </State>
            )
          )}
        </h1>
      }
      before={
        <button className="btn btn-sm" onClick={() => void chain.refetch()}>
          Check again
        </button>
      }
      after={
        <a
          className="btn btn-sm"
          href="/api/ledger/export"
          download
          title="Every entry with its hash, for gl ledger verify"
        >
          <Download size={14} aria-hidden /> Whole chain
        </a>
      }
      above={chain.error && <Trouble error={chain.error} retry={() => void chain.refetch()} />}
      empty={query.data !== undefined && rows.length === 0}
      nothing="Here you will see everything that is done, in a chain that shows any alteration."
    >
      <Table
        label="Ledger"
        columns={columns}
        rows={rows}
        {...selectNumberIn(params, set, 'entry', (r: LedgerEntry) => r.seq)}
        onEnd={more}
      />
    </TableView>
  );
}

function Entry({ seq, close }: { seq: number; close: () => void }) {
  const { data, error } = useQuery({
    ...ask('/api/ledger', { where: `seq == ${seq}`, limit: 1 }),
    select: ({ rows }) => rows[0],
  });
  const block = (name: string, value: unknown) =>
    value !== null && (
      <>
        <h3 className="mt-3 font-semibold">{name}</h3>
        <pre className="overflow-auto whitespace-pre-wrap break-words rounded border border-slate bg-base-200 p-2 font-mono text-[12.5px]">
          {JSON.stringify(value, null, 2)}
        </pre>
      </>
    );
  return (
    <aside aria-label="Dossier" className="w-[420px] shrink-0 overflow-auto border-l border-slate px-4 py-2">
      <div className="flex items-center">
        <h2 className="flex-1 text-base font-bold">Entry {seq}</h2>
        <button className="btn btn-xs btn-ghost" onClick={close}>
          Close
        </button>
      </div>
      {error && <Trouble error={error} />}
      {data && (
        <>
          <p>
            {data.who} {deedWords(data.what)}
          </p>
          <dl className="mt-2 grid grid-cols-[6rem_1fr] gap-y-0.5">
            <dt className="text-quiet">When</dt>
            <dd className="font-mono text-[12.5px]">{data.at}</dd>
            <dt className="text-quiet">What</dt>
            <dd className="font-mono text-[12.5px]">{data.what}</dd>
            <dt className="text-quiet">Of what</dt>
            <dd className="break-all">{data.subject}</dd>
          </dl>
          {block('Before', data.before)}
          {block('After', data.after)}
          <h3 className="mt-3 font-semibold">In the chain</h3>
          <dl className="grid grid-cols-[6rem_1fr] gap-y-0.5">
            <dt className="text-quiet">Previous</dt>
            <dd className="break-all font-mono text-[12.5px]">{data.previous}</dd>
            <dt className="text-quiet">This one</dt>
            <dd className="break-all font-mono text-[12.5px]">{data.hash}</dd>
          </dl>
        </>
      )}
    </aside>
  );
}
