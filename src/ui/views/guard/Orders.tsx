/** Guard › Orders: what is done by itself when something happens, and how far it has come. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import { RUN_SHOWS, type OrderRow } from '../../../dto/orders.ts';
import { orderSchema, type Order } from '../../../core/orders/schema.ts';
import { whenWords } from '../../../core/orders/words.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask, send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { Choose, Find } from '../../parts/Choose.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { count, Empty, plural, State, Trouble, When } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';
import { Edit, EMPTY } from './orders/Edit.tsx';
import { LetShare } from './orders/LetShare.tsx';
import { One } from './orders/One.tsx';
import { Run } from './orders/Run.tsx';
import { RUN_COLUMNS } from './orders/columns.tsx';

export default function Orders({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  const [run, order] = [Number(params.get('run')), Number(params.get('order'))];
  const props = { params, set, narrow: Boolean(dossier) };
  return (
    <Shell account={account} path="/guard/orders" dossier={run ? dossier : undefined}>
      {run ? (
        <Run key={run} id={run} {...props} />
      ) : order ? (
        <One key={order} id={order} {...props} />
      ) : params.get('list') === 'runs' ? (
        <Runs {...props} />
      ) : (
        <List {...props} />
      )}
    </Shell>
  );
}

/** The two lists, and which of them is shown. */
function Which({ params, set }: Pick<ViewProps, 'params' | 'set'>) {
  const runs = params.get('list') === 'runs';
  return (
    <div role="group" aria-label="Orders or runs" className="join">
      <button
        className={`btn btn-sm join-item ${runs ? '' : 'btn-active'}`}
        aria-pressed={!runs}
        onClick={() => set({ list: undefined }, 'push')}
      >
        Orders
      </button>
      <button
        className={`btn btn-sm join-item ${runs ? 'btn-active' : ''}`}
        aria-pressed={runs}
        onClick={() => set({ list: 'runs' }, 'push')}
      >
        Runs
      </button>
    </div>
  );
}

const ORDER_COLUMNS: Column<OrderRow>[] = [
  {
    key: 'on',
    name: 'On',
    width: '60px',
    cell: (o) => (o.order.on ? 'on' : <span className="text-quiet">off</span>),
  },
  {
    key: 'name',
    name: 'Order',
    width: 'minmax(220px, 1.4fr)',
    cell: (o) => (
      <span className="truncate" title={o.order.purpose}>
        <b>{o.order.name}</b>
      </span>
    ),
  },
  {
    key: 'when',
    name: 'Begins when',
    width: 'minmax(220px, 1.6fr)',
    cell: (o) => (
      <span className="truncate" title={o.order.if}>
        {whenWords(o.order.when)}
      </span>
    ),
  },
  {
    key: 'underWay',
    name: 'Under way',
    width: '92px',
    right: true,
    cell: (o) => count(o.underWay),
  },
  { key: 'begun', name: 'In 30 days', width: '92px', right: true, cell: (o) => count(o.begun) },
  {
    key: 'trouble',
    name: 'Needs a look',
    width: '104px',
    cell: (o) => (o.trouble ? <State icon="trouble">{count(o.trouble)}</State> : ''),
  },
  { key: 'last', name: 'Last', width: '132px', cell: (o) => (o.last ? <When at={o.last} /> : 'never') },
];

const LONGEST_FILE = 500_000;

function List({ params, set }: ViewProps) {
  const { steward } = useSigned();
  const { data, error, refetch } = useQuery(ask('/api/orders'));
  const { data: suspended } = useQuery(ask('/api/orders/suspended'));
  const [editing, setEditing] = useState<Order>();
  const [choosing, setChoosing] = useState(false);
  const [refused, setRefused] = useState<string>();
  const make = steward && (
    <>
      <label className="btn btn-sm">
        Import …
        <input
          type="file"
          accept="application/json,.json"
          className="sr-only"
          onChange={(e) => {
            const [file] = e.target.files ?? [];
            e.target.value = '';
            if (!file || file.size > LONGEST_FILE)
              return setRefused(file ? 'This file is too long for a standing order.' : undefined);
            void file.text().then((text) => {
              try {
                const read = orderSchema.safeParse(JSON.parse(text));
                if (read.success) setEditing(read.data);
                const [wrong] = read.error?.issues ?? [];
                setRefused(
                  wrong && `This file is no standing order: ${wrong.path.join('.')}: ${wrong.message}.`,
                );
              } catch {
                setRefused('This file is not JSON. Choose one that was exported from an order.');
              }
            });
          }}
        />
      </label>
      <button className="btn btn-sm" onClick={() => setChoosing(true)}>
        From a starter …
      </button>
      <button className="btn btn-sm btn-primary" onClick={() => setEditing(EMPTY)}>
        New order …
      </button>
    </>
  );
  const dialogs = (
    <>
      {choosing && data && (
        <Dialog title="Orders to begin with" size="medium" close={() => setChoosing(false)}>
          <ul className="flex flex-col p-4">
            {data.starters.map((s) => (
              <li key={s.name} className="flex items-start gap-3 border-b border-base-300 py-2">
                <span className="min-w-0 flex-1">
                  <b>{s.name}</b>
                  <span className="block text-quiet">{s.purpose}</span>
                </span>
                <button
                  className="btn btn-xs"
                  onClick={() => {
                    setChoosing(false);
                    setEditing(s);
                  }}
                >
                  Use
                </button>
              </li>
            ))}
          </ul>
        </Dialog>
      )}
      {editing && (
        <Edit
          order={editing}
          close={() => setEditing(undefined)}
          done={(id) => set({ order: String(id) }, 'push')}
        />
      )}
    </>
  );
  if (data && !data.orders.length)
    return (
      <>
        <Empty action={<span className="flex gap-2">{make}</span>}>
          Nothing is done by itself so far. Say what is to be done when something happens, such as: somebody
          shares a file outside, wait four weeks, withdraw it if it still is. There are {data.starters.length}{' '}
          to begin with.
        </Empty>
        {dialogs}
      </>
    );
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Standing orders">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">
          {data ? plural(data.orders.length, 'standing order') : 'Standing orders'}
        </h1>
        <Which params={params} set={set} />
        <span className="flex-1" />
        {make}
      </div>
      {error && <Trouble error={error} retry={() => void refetch()} />}
      {refused && <Trouble error={refused} />}
      {suspended && suspended.length > 0 && <Suspended list={suspended} set={set} />}
      <Table
        label="Standing orders"
        columns={ORDER_COLUMNS}
        rows={data?.orders ?? []}
        rowKey={(o) => o.id}
        selected={undefined}
        onSelect={(o) => o && set({ order: String(o.id) }, 'push')}
      />
      {dialogs}
    </section>
  );
}

/** Those who can share nothing until somebody has looked: never far down. */
function Suspended({
  list,
  set,
}: {
  list: readonly { id: number; name: string; reason: string; at: string; run: number | null }[];
  set: ViewProps['set'];
}) {
  return (
    <ul className="mb-2 border-l-2 border-error pl-3">
      {list.map((s) => (
        <li key={s.id} className="flex items-center gap-3 py-0.5">
          <span className="min-w-0 truncate">
            Sharing by <b>{s.name}</b> is suspended since <When at={s.at} />: {s.reason}.
          </span>
          {s.run !== null && (
            <button className="btn btn-xs" onClick={() => set({ run: String(s.run) }, 'push')}>
              Look at it
            </button>
          )}
          <LetShare id={s.id} />
        </li>
      ))}
    </ul>
  );
}

const SHOW_WORDS: Record<(typeof RUN_SHOWS)[number], string> = {
  'under-way': 'Under way',
  trouble: 'That need a look',
  over: 'Over',
  all: 'All runs',
};
function Runs({ params, set }: ViewProps) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const given = params.get('show');
  const asked = {
    show: RUN_SHOWS.find((s) => s === given) ?? 'under-way',
    order: params.get('of') ? Number(params.get('of')) : undefined,
    text: params.get('text') ?? undefined,
  } as const;
  const { query, first, rows, more } = usePages('/api/orders/runs', asked, 200);
  const { data } = useQuery(ask('/api/orders'));
  const [marked, setMarked] = useState<ReadonlySet<string | number>>(new Set());
  const act = useMutation({
    mutationFn: (what: 'cancel' | 'go-on') =>
      send('PUT', '/api/orders/runs', { ids: [...marked].map(Number), act: what }),
    onSuccess: () => {
      setMarked(new Set());
      refresh();
    },
  });
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Runs">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">{first ? plural(first.total, 'run') : 'Runs'}</h1>
        <Which params={params} set={set} />
        <span className="min-w-0 flex-1 truncate">
          {steward && marked.size > 0 && (
            <span className="flex items-center gap-2">
              {count(marked.size)} chosen
              <button className="btn btn-xs" disabled={act.isPending} onClick={() => act.mutate('go-on')}>
                Go on now
              </button>
              <button className="btn btn-xs" disabled={act.isPending} onClick={() => act.mutate('cancel')}>
                Cancel them
              </button>
            </span>
          )}
        </span>
        <Choose
          label="Which runs"
          width="w-40"
          value={asked.show}
          of={RUN_SHOWS.map((s) => [s, SHOW_WORDS[s]] as const)}
          choose={(show) => set({ show })}
        />
        <Choose
          label="Of which order"
          width="w-56"
          value={asked.order}
          of={[['', 'All orders'], ...(data?.orders ?? []).map((o) => [o.id, o.order.name] as const)]}
          choose={(of) => set({ of })}
        />
        <Find of="runs" text={asked.text} find={(text) => set({ text })} />
        <ExportMenu table="runs" query={asked} />
      </div>
      {[query.error, act.error].map(
        (e, n) => e && <Trouble key={n} error={e} retry={() => void query.refetch()} />,
      )}
      {first?.total === 0 ? (
        <p className="border-t border-base-300 py-3 text-quiet">No run is like that.</p>
      ) : (
        <Table
          label="Runs"
          columns={RUN_COLUMNS}
          rows={rows}
          rowKey={(r) => r.id}
          selected={undefined}
          onSelect={(r) => r && set({ run: String(r.id) }, 'push')}
          {...(steward && {
            marked,
            onMark: (keys, on) =>
              setMarked((was) => new Set(on ? [...was, ...keys] : [...was].filter((k) => !keys.includes(k)))),
          })}
          onEnd={more}
        />
      )}
    </section>
  );
}
