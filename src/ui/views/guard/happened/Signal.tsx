/** One signal: whose it is, what it is about, what is usual, and what became of it. */
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { ChevronLeft, ChevronRight } from 'lucide-react';
import { lazy, Suspense, useEffect, useState } from 'react';
import { EVENT_TYPES, type EventType } from '../../../../core/guard/events.ts';
import type { SignalPage, SignalState, SignalThing } from '../../../../dto/events.ts';
import { ignoreForm } from '../../../../dto/forms.ts';
import { ask, send, withQuery } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { Back } from '../../../parts/Choose.tsx';
import { dayOf, readerZone } from '../../../parts/dates.ts';
import { UntilDialog } from '../../../parts/UntilDialog.tsx';
import { Beam, count, plural, Trouble, Weight, When } from '../../../parts/marks.tsx';
import { Picker } from '../../../parts/Picker.tsx';
import type { Column } from '../../../parts/table/column.ts';
import { Table } from '../../../parts/table/Table.tsx';
import { Severity } from './Severity.tsx';
import { countedWords, STATE_WORDS } from './words.ts';

const Times = lazy(() => import('../../../drawings/Times.tsx'));
/** Days before and after a signal of which it is shown what somebody did. */
const AROUND = 14;
const DAY = 86_400_000;
const typeWords = (t: string): string => EVENT_TYPES[t as EventType] ?? t;

export function Signal({ id, params, set, narrow }: ViewProps & { id: number }) {
  const { data: signal, error, refetch } = useQuery(ask('/api/signals/[id]', { id }));
  const things = signal?.things ?? [];
  const at = things.findIndex((t) => t.nodeKey && t.nodeKey === params.get('sel'));
  const go = (n: number): void => {
    const next = things[(n + things.length) % things.length];
    if (next?.nodeKey) set({ sel: next.nodeKey });
  };
  useEffect(() => {
    const onKey = (e: KeyboardEvent): void => {
      const there = (e.target as HTMLElement).closest('input, textarea, select, [role=dialog], [role=menu]');
      if (there || e.altKey || e.ctrlKey || e.metaKey || !things.length) return;
      if (e.key === 'ArrowRight') go(at + 1);
      else if (e.key === 'ArrowLeft') go(at < 0 ? -1 : at - 1);
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!signal) return null;
  const [actor] = signal.actors;
  const [first, ...others] = signal.parts;
  const columns: Column<SignalThing>[] = [
    { key: 'weight', name: 'Weight', width: '64px', cell: (t) => <Weight weight={t.weight} /> },
    {
      key: 'name',
      name: 'What',
      width: 'minmax(180px, 1.6fr)',
      cell: (t) => (
        <span className="truncate" title={`${t.name} ${t.path}`}>
          <b>{t.name}</b> <span className="text-quiet">{t.path}</span>
        </span>
      ),
    },
    {
      key: 'did',
      name: 'Was',
      width: 'minmax(90px, 0.7fr)',
      cell: (t) => <span className="truncate">{t.did.map(typeWords).join(', ')}</span>,
    },
    {
      key: 'with',
      name: 'With',
      width: 'minmax(120px, 1fr)',
      cell: (t) => (
        <span className="truncate" title={t.targets.join(', ')}>
          {t.targets.join(', ')}
        </span>
      ),
    },
    {
      key: 'reach',
      name: 'Reach now, and without this',
      width: '200px',
      cell: (t) => t.reach && <Reach {...t.reach} />,
    },
    ...(narrow
      ? []
      : ([
          {
            key: 'types',
            name: 'Holds',
            width: 'minmax(120px, 1fr)',
            cell: (t) => <span className="truncate">{t.types.join(', ')}</span>,
          },
        ] satisfies Column<SignalThing>[])),
  ];
  return (
    <section className="flex h-full flex-col overflow-auto px-5 pt-2.5" aria-label={first!.name}>
      <div className="flex items-center gap-3">
        <Back to="All signals" go={() => set({ signal: undefined, sel: undefined }, 'push')} />
        <h1 className="min-w-0 truncate text-base font-bold">
          {first!.name}: {first!.keyName}
        </h1>
        <Severity of={signal.severity} />
        <span className="flex-1" />
        <BeginOrder signal={id} />
        <Settle id={id} state={signal.state} />
      </div>
      <p className="py-1">
        {countedWords(signal)}, <When at={signal.from} /> to <When at={signal.to} />.{' '}
        <span className="text-quiet">{first!.purpose}</span>
      </p>
      {others.map((p) => (
        <p key={`${p.pattern} ${p.key}`} className="pb-1">
          Also <b>{p.name}</b>: {p.keyName}. <span className="text-quiet">{p.purpose}</span>
        </p>
      ))}
      {signal.looked && (
        <p className="pb-1">
          <b>{STATE_WORDS[signal.state]}</b> by {signal.looked.by}, <When at={signal.looked.at} />
          {signal.looked.note && <>: “{signal.looked.note}”</>}
          {signal.looked.until && <>. Others of the same are ignored until {signal.looked.until}, too.</>}
        </p>
      )}
      <div className="flex items-center gap-2 pt-2">
        <h2 className="font-bold">{plural(things.length, 'file or space', 'files and spaces')}</h2>
        {things.length > 1 && (
          <span className="flex items-center">
            <button
              className="btn btn-xs btn-ghost btn-square"
              aria-label="The one before"
              onClick={() => go(at < 0 ? -1 : at - 1)}
            >
              <ChevronLeft size={14} aria-hidden />
            </button>
            <span className="tabular-nums text-quiet">
              {at < 0 ? '–' : at + 1} of {things.length}
            </span>
            <button
              className="btn btn-xs btn-ghost btn-square"
              aria-label="The next one"
              onClick={() => go(at + 1)}
            >
              <ChevronRight size={14} aria-hidden />
            </button>
          </span>
        )}
        <span className="flex-1" />
        <a className="underline decoration-slate" href={withQuery('/guard/events', { signal: String(id) })}>
          {plural(signal.events, 'event')} one by one
        </a>
      </div>
      <div className="mt-1 h-[220px] shrink-0 border-t border-slate">
        <Table
          label="What it is about"
          columns={columns}
          rows={things}
          rowKey={(t) => t.nodeKey || t.item}
          selected={at < 0 ? undefined : things[at]!.nodeKey}
          onSelect={(t) => set({ sel: t?.nodeKey || undefined })}
          onEnd={() => undefined}
        />
      </div>
      {signal.actors.length > 1 && (
        <p className="pt-2">By {signal.actors.map((a) => `${a.name} (${count(a.events)})`).join(', ')}.</p>
      )}
      {actor?.actorKey && <History key={actor.actorKey} actor={actor} from={signal.from} to={signal.to} />}
    </section>
  );
}

/** How far it can be reached now; and without what was shared, where that is less. */
function Reach({ now, without }: NonNullable<SignalThing['reach']>) {
  const same = now.now === without.now && now.could === without.could;
  return (
    <span className="inline-flex items-center gap-2">
      <Beam {...now} words={false} />
      {same ? <span className="text-quiet">the same</span> : <Beam {...without} words={false} />}
    </span>
  );
}

function History({ actor: a, from, to }: { actor: SignalPage['actors'][number]; from: string; to: string }) {
  const [since, until] = [
    new Date(Date.parse(from) - AROUND * DAY).toISOString(),
    new Date(Date.parse(to) + AROUND * DAY).toISOString(),
  ];
  const { data } = useQuery({
    ...ask('/api/events/times', { actor: a.actorKey, since, until, zone: readerZone() }),
    placeholderData: keepPreviousData,
  });
  return (
    <section aria-label={`What ${a.name} did`} className="mt-3 border-t border-slate pt-2">
      <h2 className="flex items-baseline gap-2 font-bold">
        <a className="underline decoration-slate" href={withQuery('/survey/people', { sel: a.actorKey })}>
          {a.name}
        </a>
        <span className="font-normal text-quiet">
          {a.department && `${a.department}; `}two weeks before and after
        </span>
        <span className="flex-1" />
        <a
          className="font-normal underline decoration-slate"
          href={withQuery('/guard/events', { actor: a.actorKey })}
        >
          all that they did
        </a>
      </h2>
      <div className="grid grid-cols-[minmax(0,1fr)_300px] gap-4 pt-1 max-[1100px]:grid-cols-1">
        <table className="h-fit w-full">
          <caption className="sr-only">What is usual</caption>
          <thead>
            <tr className="text-left text-xs text-quiet">
              <th className="font-semibold">Did</th>
              <th className="text-right font-semibold">Here</th>
              <th className="text-right font-semibold">In a usual week</th>
              <th className="text-right font-semibold">
                {a.department ? `Others of ${a.department}` : 'Others'}
              </th>
            </tr>
          </thead>
          <tbody>
            {a.usual.map((u) => (
              <tr key={u.type} className="border-t border-base-300">
                <td className="py-0.5">{typeWords(u.type)}</td>
                <td className="text-right tabular-nums">{u.here ? <b>{count(u.here)}</b> : '–'}</td>
                <td className="text-right tabular-nums">{rate(u.week)}</td>
                <td className="text-right tabular-nums">{rate(u.colleagues)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {data && (
          <Suspense fallback={<div className="h-28" />}>
            <Times
              times={data}
              span={[dayOf(new Date(since)), dayOf(new Date(until))]}
              choose={(_by, key) =>
                location.assign(
                  withQuery('/guard/events', { actor: a.actorKey, day: key ?? dayOf(new Date(to)) }),
                )
              }
            />
          </Suspense>
        )}
      </div>
    </section>
  );
}

const rate = (n: number): string => (n === 0 ? '–' : n < 0.1 ? '< 0.1' : n.toFixed(n < 10 ? 1 : 0));

/** What became of it: said with a note, and taken back as easily. */
function Settle({ id, state }: { id: number; state: SignalState }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [note, setNote] = useState('');
  const [until, setUntil] = useState(false);
  const settle = useMutation({
    mutationFn: (next: SignalState) => send('PUT', '/api/signals', { ids: [id], state: next, note }),
    onSuccess: () => {
      setNote('');
      refresh();
    },
  });
  if (!steward) return null;
  const act = (next: SignalState, words: string, look = 'btn btn-sm') => (
    <button className={look} disabled={settle.isPending} onClick={() => settle.mutate(next)}>
      {words}
    </button>
  );
  return (
    <>
      {settle.error && <Trouble error={settle.error} />}
      {state === 'waiting' ? (
        <>
          <input
            className="input input-sm w-52"
            aria-label="What came of it"
            placeholder="what came of it (may be empty)"
            value={note}
            maxLength={2000}
            onChange={(e) => setNote(e.target.value)}
          />
          {act('seen-to', 'Seen to', 'btn btn-sm btn-primary')}
          {act('ignored', 'Ignore')}
          <button className="btn btn-sm" onClick={() => setUntil(true)}>
            Ignore until …
          </button>
          {until && (
            <UntilDialog
              title="Ignore it, and others of the same"
              about="What is found of the same kind and about the same until that day is ignored, too: nobody is told, and no order begins."
              button="Ignore"
              schema={ignoreForm}
              reason={note}
              save={({ reason, ...day }) =>
                send('PUT', '/api/signals', { ids: [id], state: 'ignored', note: reason, ...day })
              }
              close={() => setUntil(false)}
            />
          )}
        </>
      ) : (
        act('waiting', 'Let it wait again')
      )}
    </>
  );
}

/** Does what an order says about this signal: withdraw, ask, tell, suspend. */
function BeginOrder({ signal }: { signal: number }) {
  const { steward } = useSigned();
  const { data } = useQuery(ask('/api/orders'));
  const begin = useMutation({
    mutationFn: (order: number) => send('POST', '/api/orders/begin', { order, signal }),
    onSuccess: ({ run }) => location.assign(`/guard/orders?run=${run}`),
  });
  if (!steward || !data) return null;
  const orders = data.orders.filter((o) => 'event' in o.order.when || 'signal' in o.order.when);
  return (
    <>
      {begin.error && <span className="text-error">{begin.error.message}</span>}
      <Picker
        label="Begin an order"
        button="Begin an order …"
        nothing="There is no order that could. Make one under Guard › Orders."
        groups={[
          {
            choices: orders.map((o) => ({
              value: String(o.id),
              name: o.order.name,
              detail: o.order.purpose ?? '',
            })),
          },
        ]}
        choose={(order) => begin.mutate(Number(order))}
      />
    </>
  );
}
