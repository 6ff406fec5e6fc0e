/** Review › Rounds: what owners are asked, how far they are, and what came of it. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { REVIEWS } from '../../../core/ask/kinds.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { RoundRow } from '../../../dto/review.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { count, Empty, plural, State, Trouble, When } from '../../parts/marks.tsx';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';
import { NewRound } from './rounds/NewRound.tsx';
import { One } from './rounds/One.tsx';

export default function Rounds({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  const round = Number(params.get('round'));
  const props = { params, set, narrow: Boolean(dossier) };
  return (
    <Shell account={account} path="/review/rounds" dossier={dossier}>
      {round ? <One key={round} id={round} {...props} /> : <List {...props} />}
    </Shell>
  );
}

const ROUND_STATES = { running: 'running', over: 'all over', ended: 'ended early' } as const;

const COLUMNS: Column<RoundRow>[] = [
  {
    key: 'name',
    name: 'Round',
    width: 'minmax(220px, 1.6fr)',
    value: (r) => r.round.name,
    cell: (r) => <b className="truncate">{r.round.name}</b>,
  },
  {
    key: 'kind',
    name: 'About',
    width: 'minmax(150px, 1fr)',
    value: (r) => REVIEWS[r.round.kind].name,
    cell: (r) => <span className="truncate">{REVIEWS[r.round.kind].name}</span>,
  },
  {
    key: 'state',
    name: 'State',
    width: '124px',
    value: (r) => r.state,
    cell: (r) => (
      <State icon={r.state === 'running' ? 'running' : r.state === 'over' ? 'done' : 'back'}>
        {ROUND_STATES[r.state]}
      </State>
    ),
  },
  {
    key: 'answered',
    name: 'Answered',
    width: '110px',
    right: true,
    value: (r) => r.answered / Math.max(1, r.things),
    cell: (r) => `${count(r.answered)} of ${count(r.things)}`,
  },
  {
    key: 'spaces',
    name: 'Spaces done',
    width: '110px',
    right: true,
    value: (r) => r.done,
    cell: (r) => `${count(r.done)} of ${count(r.spaces)}`,
  },
  {
    key: 'removed',
    name: 'To change',
    width: '92px',
    right: true,
    value: (r) => r.removed,
    cell: (r) => count(r.removed),
  },
  { key: 'made', name: 'Begun', width: '132px', value: (r) => r.madeAt, cell: (r) => <When at={r.madeAt} /> },
  {
    key: 'until',
    name: 'Until',
    width: '132px',
    value: (r) => r.until ?? '',
    cell: (r) => (r.state === 'running' ? <When at={r.until} /> : ''),
  },
];

function List({ set }: ViewProps) {
  const { steward } = useSigned();
  const { data, error, refetch } = useQuery(ask('/api/rounds'));
  const [making, setMaking] = useState(false);
  const make = steward && (
    <button className="btn btn-sm btn-primary" onClick={() => setMaking(true)}>
      New round …
    </button>
  );
  const dialog = making && (
    <NewRound
      close={() => setMaking(false)}
      done={(id) => {
        setMaking(false);
        set({ round: String(id) }, 'push');
      }}
    />
  );
  if (data && !data.length)
    return (
      <>
        <Empty action={make}>
          Nobody was asked so far. Owners know who should be in their spaces, and which links are still
          needed: ask them, and what they answer is done. You see first who would be asked what, and how long
          it takes them.
        </Empty>
        {dialog}
      </>
    );
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Rounds">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">{data ? plural(data.length, 'round') : 'Rounds'}</h1>
        <span className="flex-1" />
        {make}
      </div>
      {error && <Trouble error={error} retry={() => void refetch()} />}
      {data && (
        <Table
          label="Rounds"
          columns={COLUMNS}
          rows={data}
          rowKey={(r) => r.id}
          onSelect={(r) => r && set({ round: String(r.id) }, 'push')}
        />
      )}
      {dialog}
    </section>
  );
}
