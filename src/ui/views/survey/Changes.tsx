import { useQuery } from '@tanstack/react-query';
import { ArrowDownRight, ArrowUpRight, Minus, Plus } from 'lucide-react';
import type { Account } from '../../../dto/accounts.ts';
import type { ChangeDossier, ChangeRow, PersonRef } from '../../../dto/access.ts';
import type { SurveyRow } from '../../../dto/surveys.ts';
import { withQuery, ask } from '../../frame/api.ts';
import { DossierFrame, Section } from '../../dossiers/Frame.tsx';
import { count, Beam, Empty, plural, ToSources, Weight, When } from '../../parts/marks.tsx';
import { whenWords } from '../../parts/dates.ts';
import { usePinned } from '../../parts/pinned.ts';
import { usePages } from '../../parts/pages.ts';
import { Shell } from '../../frame/Shell.tsx';
import type { Column } from '../../parts/table/column.ts';
import { orderIn, selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { PickUpButton } from '../../frame/Tray.tsx';
import { asOfOf, useUrl } from '../../frame/url.ts';
import { entryWords } from '../../parts/words.ts';

const useSurveys = () => useQuery(ask('/api/surveys'));

/** The two surveys compared: the one chosen, else the last good one before the present. */
function useSides(params: URLSearchParams): {
  from: number | undefined;
  to: number | undefined;
  good: SurveyRow[];
} {
  const { data } = useSurveys();
  const good = (data ?? []).filter((s) => s.state === 'done');
  const to = asOfOf(params);
  const newest = to ?? good[0]?.id;
  const since = params.get('since');
  const from = since ? Number(since) : good.find((s) => newest !== undefined && s.id < newest)?.id;
  return { from, to, good };
}

export default function Changes({ account, search }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/survey/changes" dossier={<Side search={search} />}>
      <View search={search} />
    </Shell>
  );
}

const WORDS = {
  brighter: 'brighter',
  darker: 'darker',
  added: 'new',
  removed: 'gone',
  same: 'same reach',
} as const;
const ICON = {
  brighter: ArrowUpRight,
  darker: ArrowDownRight,
  added: Plus,
  removed: Minus,
  same: Minus,
} as const;
const PAGE = 200;

function View({ search }: { search: string }) {
  const [params, set] = useUrl(search);
  const { from, to, good } = useSides(params);
  const change = params.get('change') ?? undefined;
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const by = params.get('by') ?? undefined;
  const source = params.get('ws') ?? undefined;
  const { sort, order } = orderIn(params, set, 'reach');
  const asked = { from, to, change, text, where, by, source, sort };
  const { query, first, rows, more } = usePages('/api/changes', asked, PAGE, from !== undefined);
  const narrow = params.get('sel') !== null;
  const columns: Column<ChangeRow>[] = [
    {
      key: 'change',
      name: 'Change',
      width: '106px',
      cell: (r) => {
        const Icon = ICON[r.change];
        return (
          <span className="flex items-center gap-1.5">
            <Icon size={14} aria-hidden /> {WORDS[r.change]}
          </span>
        );
      },
    },
    {
      key: 'name',
      name: 'What',
      width: 'minmax(200px, 1.2fr)',
      sorts: true,
      cell: (r) => (
        <span className="truncate" title={`${r.name}\n${r.path}`}>
          <span className="font-medium">{r.name}</span>{' '}
          <span className="text-quiet">{r.kind === 'space' ? 'space' : r.path}</span>
        </span>
      ),
    },
    { key: 'weight', name: 'Weight', width: '92px', sorts: true, cell: (r) => <Weight weight={r.weight} /> },
    {
      key: 'reach',
      name: 'Reach before, after',
      width: '214px',
      sorts: true,
      cell: (r) => (
        <span className="flex items-center gap-2">
          {r.before ? (
            <Beam now={r.before.now} could={r.before.could} words={false} />
          ) : (
            <span className="w-[84px] text-center text-quiet">not there</span>
          )}
          <span aria-hidden>→</span>
          {r.after ? (
            <Beam now={r.after.now} could={r.after.could} words={false} />
          ) : (
            <span className="w-[84px] text-center text-quiet">gone</span>
          )}
        </span>
      ),
    },
    {
      key: 'gained',
      name: 'Gained',
      width: '74px',
      right: true,
      sorts: true,
      cell: (r) => (r.gained ? `+${count(r.gained)}` : ''),
    },
    {
      key: 'lost',
      name: 'Lost',
      width: '64px',
      right: true,
      sorts: true,
      cell: (r) => (r.lost ? `−${count(r.lost)}` : ''),
    },
    ...(narrow
      ? []
      : ([
          {
            key: 'by',
            name: 'By which change',
            width: 'minmax(200px, 1.3fr)',
            cell: (r) => (
              <span className="truncate" title={r.by}>
                {r.by}
              </span>
            ),
          },
        ] satisfies Column<ChangeRow>[])),
  ];
  if (good.length < 2 && good.length > 0)
    return (
      <Empty action={<ToSources />}>
        Here you will see what got brighter or darker between surveys, and why. So far there is one survey:
        run another.
      </Empty>
    );
  return (
    <TableView
      table="changes"
      asked={{ ...asked, from: from! }}
      query={query}
      {...{ params, set, narrow }}
      find={{ label: 'Find in changes', placeholder: 'name, space' }}
      filters={['change', 'by', 'ws']}
      title={
        <div className="flex flex-wrap items-center gap-2">
          <h1 className="flex items-center gap-2 whitespace-nowrap text-base">
            <b>Since</b>
            <select
              className="select select-sm w-52"
              aria-label="Compared with survey"
              value={from ?? ''}
              onChange={(e) => set({ since: e.target.value, sel: undefined })}
            >
              {good
                .filter((s) => s.id < (to ?? Infinity) && s.id !== good[0]!.id)
                .map((s) => (
                  <option key={s.id} value={s.id}>
                    survey {s.id}, {whenWords(s.takenAt ?? s.startedAt)}
                  </option>
                ))}
            </select>
          </h1>
          <div className="flex gap-1" role="group" aria-label="Kind of change">
            {(['brighter', 'darker', 'added', 'removed', 'same'] as const).map((c) => (
              <button
                key={c}
                className={`btn btn-sm ${change === c ? 'btn-primary' : 'btn-ghost font-normal'}`}
                aria-pressed={change === c}
                disabled={!first?.counts[c] && change !== c}
                onClick={() => set({ change: change === c ? undefined : c })}
              >
                {first?.counts[c]?.toLocaleString('en') ?? ''} {WORDS[c]}
              </button>
            ))}
          </div>
        </div>
      }
      above={
        first &&
        first.causes.length > 0 && (
          <section aria-label="What brought it about" className="border-t border-slate px-4 py-2">
            <h2 className="text-xs font-semibold text-quiet">
              What caused it, by items affected; click one to see only those
            </h2>
            <ul className="mt-1 max-h-36 overflow-auto">
              {first.causes.map((c) => (
                <li key={c.words}>
                  <button
                    className={`flex w-full cursor-pointer min-h-6 gap-3 rounded px-1 py-1 text-left hover:bg-base-200 ${by === c.words ? 'bg-base-300' : ''}`}
                    aria-pressed={by === c.words}
                    onClick={() => set({ by: by === c.words ? undefined : c.words })}
                  >
                    <span className="w-10 shrink-0 text-right font-semibold">{count(c.count)}</span>
                    <span className="min-w-0 truncate">{c.words}</span>
                  </button>
                </li>
              ))}
            </ul>
          </section>
        )
      }
      empty={first !== undefined && rows.length === 0}
      nothing="Nobody gained or lost anything between these two surveys."
    >
      <Table
        label="Changes"
        columns={columns}
        rows={rows}
        {...selectIn(params, set, 'sel', (r: ChangeRow) => r.key)}
        {...order}
        onEnd={more}
      />
    </TableView>
  );
}

function Side({ search }: { search: string }) {
  const [params, set] = useUrl(search);
  const { from, to } = useSides(params);
  const sel = params.get('sel') ?? undefined;
  const { shown, pinning } = usePinned(sel, () => set({ sel: undefined }));
  const { data, error, refetch } = useQuery({
    ...ask('/api/changes/one', { from, to, node: shown }),
    enabled: shown !== undefined && from !== undefined,
  });
  if (shown === undefined) return null;
  return (
    <DossierFrame
      name={data ? `${data.row.kind}, ${WORDS[data.row.change]}` : ' '}
      error={error}
      retry={() => void refetch()}
      {...pinning}
    >
      {data && <Body data={data} />}
    </DossierFrame>
  );
}

function Body({ data: { row, gained, lost, by } }: { data: ChangeDossier }) {
  const side = (name: string, t: ChangeRow['before'], none: string) => (
    <div className="flex items-center gap-3 py-1">
      <span className="w-14 text-quiet">{name}</span>
      {t ? <Beam now={t.now} could={t.could} /> : <span>{none}</span>}
    </div>
  );
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.name}</h2>
        <p className="text-quiet">{row.path}</p>
        <div className="mt-2">
          {side('before', row.before, 'was not there')}
          {side('after', row.after, 'is gone')}
        </div>
        {row.change !== 'removed' && (
          <a className="underline" href={withQuery('/survey/holdings', { sel: row.key })}>
            open in Holdings
          </a>
        )}
      </header>
      <Section name="By which change" aside={String(by.length)}>
        <ul>
          {by.map((c) => (
            <li key={c.words} className="flex items-start gap-2 border-b border-base-300 py-1">
              <span className="min-w-0 flex-1">
                {c.words[0]!.toUpperCase() + c.words.slice(1)}.
                {c.entry?.madeAt && (
                  <span className="text-quiet">
                    {' '}
                    Made{c.entry.madeBy && ` by ${c.entry.madeBy}`} <When at={c.entry.madeAt} />.
                  </span>
                )}
              </span>
              {c.entry && <PickUpButton change={c.entry} what={`withdraw ${entryWords(c.entry)}`} />}
            </li>
          ))}
        </ul>
      </Section>
      <Persons name="Gained access" people={gained} total={row.gained} />
      <Persons name="Lost access" people={lost} total={row.lost} />
    </>
  );
}

function Persons({ name, people, total }: { name: string; people: PersonRef[]; total: number }) {
  return (
    <Section name={name} aside={plural(total, 'identity', 'identities')}>
      {people.length === 0 && <p className="text-quiet">Nobody.</p>}
      <ul>
        {people.map((p) => (
          <li key={p.id} className="flex gap-2 py-0.5">
            <span className={`min-w-0 flex-1 truncate ${p.kind === 'member' ? '' : 'font-semibold'}`}>
              {p.kind === 'member' ? p.name : p.address}
            </span>
            <span className="text-quiet">{p.kind}</span>
          </li>
        ))}
      </ul>
      {total > people.length && <p className="text-quiet">and {count(total - people.length)} more</p>}
    </Section>
  );
}
