/** Guard › Events: what happened at the workspaces, when, and by whom. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { EVENT_TYPES, type EventType } from '../../../core/guard/events.ts';
import type { Account } from '../../../dto/accounts.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { Choose } from '../../parts/Choose.tsx';
import { momentOfMinute, readerZone } from '../../parts/dates.ts';
import { count, plural } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { eventColumns } from './happened/columns.tsx';
import { TellingDialog } from './happened/Telling.tsx';

const Times = lazy(() => import('../../drawings/Times.tsx'));
const TYPES = Object.keys(EVENT_TYPES) as EventType[];

export default function EventsView({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/guard/events" dossier={dossier}>
      <View params={params} set={set} narrow={Boolean(dossier)} />
    </Shell>
  );
}

/** The moment at which a day begins, and the one at which it ends, by the reader’s clock. */
const spanOf = (day: string | undefined) =>
  day
    ? {
        since: momentOfMinute(`${day}T00:00`),
        until: momentOfMinute(`${new Date(Date.parse(day) + 86_400_000).toISOString().slice(0, 10)}T00:00`),
      }
    : {};

function View({ params, set, narrow }: ViewProps) {
  const of = (name: string): string | undefined => params.get(name) ?? undefined;
  const [type, day, weekday, hour] = [of('type'), of('day'), of('weekday'), of('hour')];
  const asked = {
    type: TYPES.find((t) => t === type),
    actor: of('actor'),
    node: of('node'),
    signal: of('signal') ? Number(of('signal')) : undefined,
    weekday: weekday ? Number(weekday) : undefined,
    hour: hour ? Number(hour) : undefined,
    zone: readerZone(),
    ...spanOf(day),
    text: of('text'),
    where: of('where'),
  };
  const { query, first, rows, more } = usePages('/api/events/list', asked, 200);
  const times = useQuery({ ...ask('/api/events/times', asked), placeholderData: keepPreviousData });
  const [telling, setTelling] = useState(false);
  return (
    <>
      <TableView
        table="events"
        asked={asked}
        query={query}
        {...{ params, set, narrow }}
        find={{ label: 'Find in events', placeholder: 'person, file, address …', width: 'w-52' }}
        filters={['type', 'actor', 'node', 'signal', 'day', 'weekday', 'hour']}
        title={
          <h1 className="text-base font-bold">
            {first ? plural(first.total, 'event') : 'Events'}
            {first?.reached && (
              <span className="font-normal text-quiet">
                {' '}
                since {first.reached.slice(0, 10)}; what was before was not looked at
              </span>
            )}
            {asked.actor && rows[0] && (
              <span className="font-normal text-quiet"> of {rows[0].actorName}</span>
            )}
          </h1>
        }
        before={
          <Choose
            label="What happened"
            width="w-44"
            value={asked.type}
            of={[
              ['', 'All that happened'],
              ...TYPES.map((t) => [t, `${t.split('.')[0]}: ${EVENT_TYPES[t]}`] as const),
            ]}
            choose={(type) => set({ type })}
          />
        }
        after={
          !narrow && (
            <button className="btn btn-sm" onClick={() => setTelling(true)}>
              How workspaces tell …
            </button>
          )
        }
        above={
          times.data && times.data.days.length > 0 && !narrow ? (
            <Suspense fallback={<div className="h-36" />}>
              <Times
                times={times.data}
                {...{ day, weekday, hour }}
                choose={(by, key) => set({ [by]: key })}
              />
            </Suspense>
          ) : null
        }
        empty={first?.total === 0}
        nothing={
          <>
            Nothing has been told so far. A workspace sends what happens with a secret of its own, or is asked
            for it every minute: see <b>How workspaces tell</b>.
          </>
        }
      >
        <Table
          label="Events"
          columns={eventColumns(narrow)}
          rows={rows}
          rowKey={(e) => e.seq}
          selected={rows.find((e) => e.nodeKey && e.nodeKey === params.get('sel'))?.seq}
          onSelect={(e) => set({ sel: e?.nodeKey || undefined }, 'push')}
          onEnd={more}
        />
      </TableView>
      {telling && <TellingDialog close={() => setTelling(false)} />}
      <span className="sr-only" aria-live="polite">
        {first && `${count(first.total)} events`}
      </span>
    </>
  );
}
