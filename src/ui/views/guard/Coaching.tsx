/** Guard › Coaching: who is told how often, what they answer, and whether it happens again. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import type { CoachingRow } from '../../../dto/orders.ts';
import { ask, send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useUrl } from '../../frame/url.ts';
import { Dialog, DialogEnd } from '../../parts/Dialog.tsx';
import { count, Empty, plural, Trouble, When } from '../../parts/marks.tsx';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';

const Months = lazy(() => import('../../drawings/Months.tsx'));

export default function Coaching({ account, search }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/guard/coaching">
      <View search={search} />
    </Shell>
  );
}

const share = (n: number, of: number): string => (of ? `${Math.round((100 * n) / of)} %` : '–');
const number = (
  key: 'notices' | 'answered' | 'reasons' | 'undone' | 'notMe',
  name: string,
): Column<CoachingRow> => ({
  key,
  name,
  width: '110px',
  right: true,
  cell: (r) => count(r[key]),
});

function View({ search }: { search: string }) {
  const [params, set] = useUrl(search);
  const { steward } = useSigned();
  const by = params.get('by') === 'department' ? 'department' : 'person';
  const { data, error, refetch } = useQuery(ask('/api/orders/coaching', { by }));
  const [reasons, setReasons] = useState(false);
  const columns: Column<CoachingRow>[] = [
    {
      key: 'name',
      name: by === 'person' ? 'Person' : 'Department',
      width: 'minmax(200px, 1.6fr)',
      cell: (r) => (
        <span className="truncate">
          <b>{r.name}</b> {by === 'person' && <span className="text-quiet">{r.department}</span>}
        </span>
      ),
    },
    number('notices', 'Notices'),
    number('answered', 'Answered'),
    number('reasons', 'With a reason'),
    number('undone', 'Undone'),
    number('notMe', 'Not them'),
    {
      key: 'again',
      name: 'Again within 30 days',
      width: '150px',
      right: true,
      cell: (r) => `${count(r.again)} (${share(r.again, r.notices)})`,
    },
    { key: 'last', name: 'Last', width: '132px', cell: (r) => <When at={r.last} /> },
  ];
  if (data && !data.rows.length)
    return (
      <Empty
        action={
          <a className="btn btn-sm btn-primary" href="/guard/orders">
            Go to Guard › Orders
          </a>
        }
      >
        Nobody was told or asked about what they did. A standing order tells whoever shares something, or asks
        them for a reason; here is whether it helps.
      </Empty>
    );
  const notices = data?.rows.reduce((n, r) => n + r.notices, 0) ?? 0;
  const again = data?.rows.reduce((n, r) => n + r.again, 0) ?? 0;
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Coaching">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">
          {plural(notices, 'notice')} in a year, {count(again)} of them again within 30 days (
          {share(again, notices)})
        </h1>
        <span className="flex-1" />
        <select
          className="select select-sm w-44"
          aria-label="By"
          value={by}
          onChange={(e) => set({ by: e.target.value === 'person' ? undefined : e.target.value })}
        >
          <option value="person">by person</option>
          <option value="department">by department</option>
        </select>
        {steward && (
          <button className="btn btn-sm" onClick={() => setReasons(true)}>
            Reasons to choose from …
          </button>
        )}
      </div>
      {error && <Trouble error={error} retry={() => void refetch()} />}
      {data && data.months.length > 0 && (
        <Suspense fallback={<div className="h-52" />}>
          <Months months={data.months} />
        </Suspense>
      )}
      <Table
        label="Notices"
        columns={columns}
        rows={data?.rows ?? []}
        rowKey={(r) => r.key}
        selected={undefined}
        onSelect={(r) =>
          r &&
          by === 'person' &&
          location.assign(`/guard/orders?list=runs&show=all&text=${encodeURIComponent(r.name)}`)
        }
      />
      {reasons && <Reasons close={() => setReasons(false)} />}
    </section>
  );
}

function Reasons({ close }: { close: () => void }) {
  const refresh = useRefresh();
  const { data } = useQuery(ask('/api/orders/reasons'));
  const [text, setText] = useState<string>();
  const save = useMutation({
    mutationFn: (reasons: string[]) => send('PUT', '/api/orders/reasons', { reasons }),
    onSuccess: () => {
      refresh();
      close();
    },
  });
  return (
    <Dialog title="Reasons to choose from" close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p className="text-quiet">
          Whoever is asked for a reason chooses one of these, or writes their own. One a line.
        </p>
        <textarea
          className="textarea w-full"
          aria-label="Reasons"
          rows={8}
          value={text ?? (data ?? []).join('\n')}
          onChange={(e) => setText(e.target.value)}
        />
        {save.error && <Trouble error={save.error} />}
        <DialogEnd close={close}>
          <button
            className="btn btn-sm btn-primary"
            disabled={save.isPending || text === undefined}
            onClick={() =>
              save.mutate(
                text!
                  .split('\n')
                  .map((l) => l.trim())
                  .filter(Boolean),
              )
            }
          >
            Save
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}
