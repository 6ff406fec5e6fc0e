/** One standing order: what it does in sentences, its runs, versions and exceptions. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Order } from '../../../../core/orders/schema.ts';
import { whenWords } from '../../../../core/orders/words.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { Back } from '../../../parts/Choose.tsx';
import { plural, Trouble, When } from '../../../parts/marks.tsx';
import { usePages } from '../../../parts/pages.ts';
import { Table } from '../../../parts/table/Table.tsx';
import { Severity } from '../happened/Severity.tsx';
import { RUN_COLUMNS } from './columns.tsx';
import { Edit } from './Edit.tsx';
import { Sentences } from './Sentences.tsx';

export function One({ id, set }: ViewProps & { id: number }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [at, setAt] = useState<number>();
  const { data, error, refetch } = useQuery(ask('/api/orders/[id]', { id, version: at }));
  const { rows, first, more } = usePages('/api/orders/runs', { order: id, show: 'all' }, 200);
  const [editing, setEditing] = useState<Order>();
  const turn = useMutation({
    mutationFn: (order: Order) =>
      send('PUT', '/api/orders/[id]', { id, order: { ...order, on: !order.on }, from: data!.page.version }),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: () => send('DELETE', '/api/orders/[id]', { id }),
    onSuccess: () => {
      set({ order: undefined }, 'push');
      refresh();
    },
  });
  const end = useMutation({
    mutationFn: (exception: number) => send('DELETE', '/api/orders/exceptions', { id: exception }),
    onSuccess: refresh,
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const { page } = data;
  const { order } = page;
  const shown = data.version ?? order;
  return (
    <section className="flex h-full flex-col overflow-auto px-5 pt-2.5" aria-label={order.name}>
      <div className="flex items-center gap-3 pb-1">
        <Back to="All orders" go={() => set({ order: undefined }, 'push')} />
        <h1 className="min-w-0 truncate text-base font-bold">{order.name}</h1>
        <Severity of={order.severity} />
        {!order.on && <span className="badge badge-sm">off</span>}
        <span className="flex-1" />
        {steward && (
          <>
            <button className="btn btn-sm" disabled={turn.isPending} onClick={() => turn.mutate(order)}>
              {order.on ? 'Switch off' : 'Switch on'}
            </button>
            <button
              className="btn btn-sm"
              onClick={() => {
                const blob = new Blob([JSON.stringify(order, null, 2)], { type: 'application/json' });
                const a = document.createElement('a');
                a.href = URL.createObjectURL(blob);
                a.download = 'standing-order.json';
                a.click();
                URL.revokeObjectURL(a.href);
              }}
            >
              Export
            </button>
            <button
              className="btn btn-sm"
              disabled={remove.isPending}
              onClick={() =>
                confirm(
                  page.underWay
                    ? `Remove this order and cancel ${plural(page.underWay, 'run')}?`
                    : 'Remove this order?',
                ) && remove.mutate()
              }
            >
              Remove
            </button>
            <button className="btn btn-sm btn-primary" onClick={() => setEditing(order)}>
              Edit
            </button>
          </>
        )}
      </div>
      {[turn.error, remove.error, end.error].map((e, n) => e && <Trouble key={n} error={e} />)}
      {page.wrong.map((w) => (
        <Trouble key={w.at} error={`${w.at}: ${w.why}`} />
      ))}
      {order.purpose && <p className="pb-2 text-quiet">{order.purpose}</p>}
      <div className="grid grid-cols-[minmax(0,1fr)_230px] gap-6">
        <div>
          <p>
            <b>When:</b> {whenWords(shown.when)}.
          </p>
          {shown.if && (
            <p>
              <b>If:</b> <code className="break-words text-sm">{shown.if}</code>
            </p>
          )}
          <Sentences steps={shown.steps} />
        </div>
        <div>
          <h2 className="font-bold">Versions</h2>
          <ul>
            {page.versions.slice(0, 8).map((v) => (
              <li key={v.version}>
                <button
                  className={`btn btn-xs btn-ghost ${(at ?? page.version) === v.version ? 'font-bold' : ''}`}
                  onClick={() => setAt(v.version === page.version ? undefined : v.version)}
                >
                  {v.version}
                </button>{' '}
                <When at={v.madeAt} /> <span className="text-quiet">{v.madeBy}</span>
              </li>
            ))}
          </ul>
          {page.exceptions.length > 0 && (
            <>
              <h2 className="pt-2 font-bold">Accepted until a day</h2>
              <ul>
                {page.exceptions.map((x) => (
                  <li key={x.id}>
                    {x.name}, until {x.until}: “{x.reason}” <span className="text-quiet">{x.madeBy}</span>{' '}
                    {steward && (
                      <button className="btn btn-xs" onClick={() => end.mutate(x.id)}>
                        End
                      </button>
                    )}
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      </div>
      <h2 className="pb-1 pt-3 font-bold">{first ? plural(first.total, 'run') : 'Runs'}</h2>
      {first?.total === 0 ? (
        <p className="text-quiet">It has not begun yet.</p>
      ) : (
        <div className="min-h-60 flex-1">
          <Table
            label="Runs of this order"
            columns={RUN_COLUMNS.filter((c) => c.key !== 'order' && c.key !== 'severity')}
            rows={rows}
            rowKey={(r) => r.id}
            selected={undefined}
            onSelect={(r) => r && set({ run: String(r.id) }, 'push')}
            onEnd={more}
          />
        </div>
      )}
      {editing && (
        <Edit
          order={editing}
          of={{ id, version: page.version }}
          close={() => setEditing(undefined)}
          done={() => setAt(undefined)}
        />
      )}
    </section>
  );
}
