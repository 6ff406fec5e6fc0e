/** Guard › Signals: what happened that somebody should look at. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import { SIGNAL_SHOWS, type SignalRow, type SignalState } from '../../../dto/events.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask, send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { Choose, Find } from '../../parts/Choose.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { Empty, plural, Trouble, When } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';
import { Severity } from './happened/Severity.tsx';
import { Patterns } from './happened/Patterns.tsx';
import { Signal } from './happened/Signal.tsx';
import { countedWords, SHOW_WORDS, STATE_WORDS } from './happened/words.ts';

export default function Signals({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  const id = Number(params.get('signal'));
  const props = { params, set, narrow: Boolean(dossier) };
  return (
    <Shell account={account} path="/guard/signals" dossier={id ? dossier : undefined}>
      {id ? <Signal key={id} id={id} {...props} /> : <View {...props} />}
    </Shell>
  );
}

function View({ params, set }: ViewProps) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const given = params.get('state');
  const asked = {
    state: SIGNAL_SHOWS.find((s) => s === given) ?? 'waiting',
    pattern: params.get('pattern') ? Number(params.get('pattern')) : undefined,
    text: params.get('text') ?? undefined,
  } as const;
  const { query, first, rows, more } = usePages('/api/signals', asked, 200);
  const { data: looked } = useQuery(ask('/api/signals/patterns'));
  const [looking, setLooking] = useState(false);
  const [marked, setMarked] = useState<ReadonlySet<string | number>>(new Set());
  const settle = useMutation({
    mutationFn: (state: SignalState) =>
      send('PUT', '/api/signals', { ids: [...marked].map(Number), state, note: '' }),
    onSuccess: () => {
      setMarked(new Set());
      refresh();
    },
  });
  const columns: Column<SignalRow>[] = [
    { key: 'severity', name: 'Severity', width: '96px', cell: (s) => <Severity of={s.severity} /> },
    {
      key: 'name',
      name: 'What',
      width: 'minmax(220px, 1.8fr)',
      cell: ({ parts: [first, ...more] }) => (
        <span className="truncate" title={more.map((p) => p.name).join('; ')}>
          <b>{first!.name}</b>
          {more.length > 0 && (
            <span className="text-quiet"> and {more.map((p) => p.name.toLowerCase()).join(', ')}</span>
          )}
        </span>
      ),
    },
    {
      key: 'key',
      name: 'Of',
      width: 'minmax(150px, 1.2fr)',
      cell: (s) => (
        <span className="truncate" title={s.parts[0]!.key}>
          {s.parts[0]!.keyName}
        </span>
      ),
    },
    {
      key: 'counted',
      name: 'How much',
      width: 'minmax(130px, 0.8fr)',
      cell: (s) => <span className="truncate">{countedWords(s)}</span>,
    },
    { key: 'to', name: 'Last', width: '132px', cell: (s) => <When at={s.to} /> },
    ...(asked.state === 'waiting'
      ? []
      : ([
          {
            key: 'state',
            name: 'State',
            width: '150px',
            cell: (s) => (
              <span className="truncate" title={s.looked?.note}>
                {STATE_WORDS[s.state]}
                {s.looked && <span className="text-quiet"> {s.looked.note}</span>}
              </span>
            ),
          },
        ] satisfies Column<SignalRow>[])),
  ];
  const ways = (
    <button className="btn btn-sm" onClick={() => setLooking(true)}>
      What is looked for …
    </button>
  );
  const dialog = looking && <Patterns close={() => setLooking(false)} />;
  if (looked && !looked.patterns.length)
    return (
      <>
        <Empty action={ways}>
          Nothing is looked for so far. Say what somebody should look at as soon as it happens, such as many
          files shared outside at once: there are {looked.starters.length} to begin with.
        </Empty>
        {dialog}
      </>
    );
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Signals">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">{first ? plural(first.total, 'signal') : 'Signals'}</h1>
        <span className="min-w-0 flex-1 truncate">
          {steward && marked.size > 0 && (
            <span className="flex items-center gap-2">
              {plural(marked.size, 'signal')} chosen
              <button
                className="btn btn-xs"
                disabled={settle.isPending}
                onClick={() => settle.mutate('seen-to')}
              >
                Seen to
              </button>
              <button
                className="btn btn-xs"
                disabled={settle.isPending}
                onClick={() => settle.mutate('ignored')}
              >
                Ignore
              </button>
            </span>
          )}
        </span>
        <Choose
          label="Which signals"
          width="w-44"
          value={asked.state}
          of={SIGNAL_SHOWS.map((s) => [s, SHOW_WORDS[s]] as const)}
          choose={(state) => set({ state })}
        />
        <Choose
          label="Of what kind"
          width="w-52"
          value={asked.pattern}
          of={[
            ['', 'All kinds'],
            ...(looked?.patterns ?? []).map((p) => [p.id, `${p.name} (${p.waiting} waiting)`] as const),
          ]}
          choose={(pattern) => set({ pattern })}
        />
        <Find of="signals" text={asked.text} find={(text) => set({ text })} />
        {ways}
        <ExportMenu table="signals" query={asked} />
      </div>
      {[query.error, settle.error].map(
        (e, n) => e && <Trouble key={n} error={e} retry={() => void query.refetch()} />,
      )}
      {first?.total === 0 ? (
        <p className="border-t border-base-300 py-3 text-quiet">
          {asked.state === 'waiting' && !asked.pattern && !asked.text
            ? 'No signal waits for somebody to look at it.'
            : 'No signal is like that.'}
        </p>
      ) : (
        <Table
          label="Signals"
          columns={columns}
          rows={rows}
          rowKey={(s) => s.id}
          selected={undefined}
          onSelect={(s) => s && set({ signal: String(s.id) }, 'push')}
          {...(steward && {
            marked,
            onMark: (keys, on) =>
              setMarked((was) => new Set(on ? [...was, ...keys] : [...was].filter((k) => !keys.includes(k)))),
          })}
          onEnd={more}
        />
      )}
      {dialog}
    </section>
  );
}
