/** Exposure › Watch: what got worse, what matters most and its cheapest fix, where it lies, and what waits. */
import type { Measure } from '../../../core/exposure/tab.ts';
import { useQuery } from '@tanstack/react-query';
import { Check, Plus } from 'lucide-react';
import type { Account } from '../../../dto/accounts.ts';
import type { ChangeNews, FindingRow, Waiting, WatchPage } from '../../../dto/exposure.ts';
import { withQuery, ask } from '../../frame/api.ts';
import { Dossier } from '../../dossiers/Dossier.tsx';
import { useFix } from '../../dossiers/WhatToDo.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { count, Beam, Empty, plural, ToSources, Trouble, Weight, When } from '../../parts/marks.tsx';
import { whenWords } from '../../parts/dates.ts';
import { Matrix } from '../../drawings/Matrix.tsx';
import { OverTime } from '../../drawings/OverTime.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import { usePickUp } from '../../frame/Tray.tsx';
import { fixCost } from '../../parts/words.ts';
import { inScope, useUrl, type ViewProps } from '../../frame/url.ts';

export default function Watch({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const finding = params.get('finding') ? Number(params.get('finding')) : undefined;
  const { shown, pinning } = usePinned(finding, () => set({ finding: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/watch"
      dossier={shown !== undefined && <Dossier finding={shown} {...pinning} />}
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

const CUTS = ['files', 'items', 'people', 'bytes'] as const;

function View({ params, set, narrow }: ViewProps) {
  const held = { source: params.get('ws') ?? undefined, space: params.get('space') ?? undefined };
  const scoped = Boolean(held.source ?? held.space);
  const { data, error, refetch, isPending } = useQuery(ask('/api/watch', held));
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (isPending) return <p className="p-4 text-quiet">Looking …</p>;
  if (!data)
    return (
      <Empty action={<ToSources />}>
        Here you will see what got worse overnight, what matters most and where to begin. For that, survey
        your workspaces.
      </Empty>
    );
  const { sum } = data;
  return (
    <div className="grid h-full auto-rows-min grid-cols-[minmax(0,1fr)] overflow-auto min-[1100px]:grid-cols-[minmax(0,1fr)_480px] min-[1100px]:grid-rows-[auto_1fr]">
      <header className="border-b border-slate px-4 py-3 min-[1100px]:col-span-2">
        <h1 className="text-lg leading-tight">
          <b>{plural(data.open, 'open finding')}</b>, {count(data.points)} exposure points
          {scoped ? (
            <span className="text-quiet"> here; the news and the points over time cover everything</span>
          ) : (
            <Trend history={data.history} />
          )}
        </h1>
        <News news={sum.news} since={sum.since} />
      </header>
      <section aria-labelledby="costliest" className="min-w-0 px-4 py-3">
        <div className="mb-1 flex items-baseline justify-between">
          <h2 id="costliest" className="font-semibold">
            The costliest, and the cheapest fix of each
          </h2>
          <a className="text-quiet underline" href={inScope('/exposure/findings', params)}>
            all findings
          </a>
        </div>
        <Costliest rows={data.costliest} set={set} narrow={narrow} selected={params.get('finding')} />
        <Waits waiting={data.waiting} />
      </section>
      {!narrow && (
        <section
          className="min-w-0 border-slate py-3 pl-2 pr-4 min-[1100px]:border-l min-[1100px]:pl-4"
          aria-label="Where it lies"
        >
          <Where sum={sum} params={params} set={set} history={scoped ? [] : data.history} />
          {data.history.length > 0 && (
            <>
              <h2 className="mb-1 mt-3 font-semibold">Exposure points over time</h2>
              <OverTime history={data.history} />
            </>
          )}
          <Coverage sum={sum} />
        </section>
      )}
    </div>
  );
}

function Trend({ history }: { history: WatchPage['history'] }) {
  const [before, now] = history.slice(-2);
  if (!before || !now) return null;
  const d = now.points - before.points;
  return (
    <span className="text-quiet">
      {d === 0 ? (
        ', as many as'
      ) : (
        <>
          , <b className="text-base-content">{d > 0 ? `${count(d)} more` : `${count(-d)} fewer`}</b> than
        </>
      )}{' '}
      in the survey before (<When at={before.at} />)
    </span>
  );
}

const NEWS: Record<
  ChangeNews['kind'],
  { one: string; many: string; href: (since: number) => string; row: (key: string) => string }
> = {
  brighter: {
    one: 'item got brighter',
    many: 'items got brighter',
    href: (since) => `/survey/changes?since=${since}&change=brighter`,
    row: (k) => withQuery('/survey/holdings', { sel: k }),
  },
  'open-links': {
    one: 'new link for anyone',
    many: 'new links for anyone',
    href: (since) => `/survey/changes?since=${since}&change=brighter`,
    row: (k) => withQuery('/survey/holdings', { sel: k }),
  },
  domains: {
    one: 'new outside domain',
    many: 'new outside domains',
    href: () => '/exposure/outside',
    row: (k) => withQuery('/exposure/outside', { domain: k }),
  },
  guests: {
    one: 'new guest or outsider',
    many: 'new guests and outsiders',
    href: () => '/survey/people?show=guests',
    row: (k) => withQuery('/survey/people', { show: k.startsWith('user') ? 'guests' : 'outsiders', sel: k }),
  },
  apps: {
    one: 'app new or reading more',
    many: 'apps new or reading more',
    href: () => '/exposure/apps',
    row: (k) => withQuery('/exposure/apps', { app: k }),
  },
  wide: {
    one: 'wide group newly granted',
    many: 'wide groups newly granted',
    href: (since) => `/survey/changes?since=${since}`,
    row: (k) => withQuery('/survey/holdings', { sel: k }),
  },
};

function News({ news, since }: { news: ChangeNews[] | undefined; since: number | undefined }) {
  if (!news || since === undefined)
    return (
      <p className="mt-1 text-quiet">
        This is the first survey: from the next one on, what changed is listed here.
      </p>
    );
  const order: ChangeNews['kind'][] = ['brighter', 'open-links', 'domains', 'guests', 'wide', 'apps'];
  return (
    <ul
      className="mt-2 grid grid-cols-2 gap-x-6 gap-y-1 min-[1000px]:grid-cols-6"
      aria-label={`New since survey ${since}`}
    >
      {order.map((kind) => {
        const n = news.find((x) => x.kind === kind);
        // a survey that was summed up before knows nothing of it
        if (!n) return null;
        const w = NEWS[kind];
        return (
          <li key={kind} className="min-w-0">
            <a href={w.href(since)} className={`block hover:underline ${n.count ? '' : 'text-quiet'}`}>
              <b className="text-base">{n.count ? count(n.count) : 'No'}</b> {n.count === 1 ? w.one : w.many}
            </a>
            {n.first.slice(0, 2).map((f, i) => (
              <a
                key={`${i} ${f.key}`}
                href={w.row(f.key)}
                className="block truncate leading-6 text-quiet hover:underline"
                title={f.words}
              >
                {f.words}
              </a>
            ))}
          </li>
        );
      })}
    </ul>
  );
}

function Costliest({
  rows,
  set,
  narrow,
  selected,
}: Pick<ViewProps, 'set' | 'narrow'> & { rows: WatchPage['costliest']; selected: string | null }) {
  if (!rows.length)
    return (
      <p className="py-4 text-quiet">Nothing is open: every file’s reach is within what its weight allows.</p>
    );
  return (
    <table className="w-full table-fixed">
      <colgroup>
        <col className="w-11" />
        <col />
        <col className="w-9" />
        <col className="w-[104px]" />
        {!narrow && <col className="w-[43%]" />}
      </colgroup>
      <thead className="sr-only">
        <tr>
          <th>Points</th>
          <th>File</th>
          <th>Weight</th>
          <th>Reach</th>
          <th>Cheapest fix</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr
            key={row.id}
            className={`border-b border-base-300 ${String(row.id) === selected ? 'bg-base-300' : ''}`}
          >
            <td className="py-1 text-right align-middle">
              <b>{row.points}</b>
            </td>
            <td className="py-1 pl-3 align-middle">
              <button
                className="block w-full cursor-pointer truncate text-left font-medium hover:underline"
                title={`${row.summary.name}\n${row.summary.path}`}
                onClick={() => set({ finding: String(row.id) }, 'push')}
              >
                {row.summary.name}
              </button>
              <span className="block truncate text-xs text-quiet">
                {row.summary.types
                  .map((t) => `${t.name}${t.distinct > 1 ? ` × ${t.distinct}` : ''}`)
                  .join(', ') || 'by its label'}
              </span>
            </td>
            <td className="py-1 pl-2 align-middle">
              <Weight weight={row.weight} />
            </td>
            <td
              className="py-1 pl-2 align-middle"
              title={row.now === row.could ? row.now : `${row.now}, could be ${row.could}`}
            >
              <Beam now={row.now} could={row.could} words={false} />
            </td>
            {!narrow && (
              <td className="h-11 py-1 pl-2 align-middle">
                <CheapestFix row={row} />
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Worked out for itself, so that the page does not wait for it. */
function CheapestFix({ row }: { row: FindingRow }) {
  const { steward } = useSigned();
  const { pickUp, has: tray } = usePickUp();
  const { data: fix, isPending, error } = useFix(row);
  if (isPending) return <span className="text-quiet">Working it out …</span>;
  if (error) return <span className="text-quiet">{error.message}</span>;
  if (!fix) return <span className="text-quiet">It takes several changes: open it to see them.</span>;
  return (
    <span className="flex items-center gap-2">
      <span className="min-w-0 flex-1">
        <span className="block truncate" title={fix.words}>
          {fix.short}
        </span>
        <span className="block truncate text-xs text-quiet">{fixCost(fix, row.points)}</span>
      </span>
      {steward &&
        fix.changes.length > 0 &&
        (fix.changes.every(tray) ? (
          <span className="flex items-center gap-1 text-quiet">
            <Check size={14} aria-hidden /> in the tray
          </span>
        ) : (
          <button
            className="btn btn-xs"
            onClick={() => pickUp.mutate(fix.changes)}
            aria-label={`Pick up: ${fix.words}`}
          >
            <Plus size={13} aria-hidden /> Pick up
          </button>
        ))}
    </span>
  );
}

function Where({
  sum,
  params,
  set,
  history,
}: { sum: WatchPage['sum']; history: WatchPage['history'] } & Pick<ViewProps, 'params' | 'set'>) {
  const cut = (CUTS.find((c) => c === params.get('cut')) ?? 'files') as Measure;
  const other = params.get('beside') ? Number(params.get('beside')) : undefined;
  const { data: beside } = useQuery({
    ...ask('/api/watch/sum', { survey: other }),
    enabled: other !== undefined,
  });
  return (
    <>
      <div className="mb-1 flex items-center gap-2">
        <h2 className="flex-1 whitespace-nowrap font-semibold">Weight by reach</h2>
        <select
          className="select select-xs w-20"
          aria-label="Counted by"
          value={cut}
          onChange={(e) => set({ cut: e.target.value === 'files' ? undefined : e.target.value })}
        >
          {CUTS.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
        {history.length > 1 && (
          <select
            className="select select-xs w-44"
            aria-label="Compare with another survey"
            value={other ?? ''}
            onChange={(e) => set({ beside: e.target.value })}
          >
            <option value="">compared with no other</option>
            {history
              .slice(0, -1)
              .reverse()
              .map((h) => (
                <option key={h.survey} value={h.survey}>
                  beside {whenWords(h.at)}
                </option>
              ))}
          </select>
        )}
      </div>
      <Matrix
        page={sum.matrix}
        measure={cut}
        before={beside?.matrix}
        href={(w, t) =>
          withQuery('/exposure/cross-tab', {
            ws: params.get('ws') ?? undefined,
            space: params.get('space') ?? undefined,
            rows: 'weight',
            columns: 'reach',
            measure: cut,
            at: JSON.stringify([String(w), t]),
          })
        }
      />
      <p className="mt-0.5 text-xs text-quiet">
        In bold: further than the weight allows. Click a number to see what is behind it.
      </p>
    </>
  );
}

function Coverage({ sum: { coverage: c } }: { sum: WatchPage['sum'] }) {
  return (
    <p className="mt-2 border-t border-slate pt-2 text-quiet">
      Covered: <b className="text-base-content">{plural(c.scanned, 'file')}</b> read for what they hold,{' '}
      {count(c.files - c.scanned)} that hold no text judged by name and label;{' '}
      <a className="underline" href="/exposure/contents?show=unread">
        {c.unread ? `${plural(c.unread, 'file')} not read, or not completely` : 'none unread'}
      </a>
      {c.problems > 0 && (
        <>
          ;{' '}
          <a className="underline" href="/survey/sources">
            {plural(c.problems, 'row')} of the workspaces do not match
          </a>
        </>
      )}
      .
    </p>
  );
}

const WAITS: Record<Waiting['kind'], { words: (n: number) => string; href: string }> = {
  'survey-failed': { words: () => 'the last survey failed', href: '/survey/sources' },
  'not-read': {
    words: (n) => `${plural(n, 'thing')} could not be read in the last survey`,
    href: '/survey/sources',
  },
  'survey-old': { words: () => 'the last survey is more than 36 hours old', href: '/survey/sources' },
  'plans-troubled': {
    words: (n) => `${plural(n, 'plan')} with changes that failed or came back`,
    href: '/remedy/plans',
  },
  'runs-troubled': {
    words: (n) => `${plural(n, 'run')} of standing orders to look at`,
    href: '/guard/orders?list=runs&show=trouble',
  },
  'sharing-suspended': {
    words: (n) => `sharing by ${plural(n, 'person', 'people')} is suspended`,
    href: '/guard/orders',
  },
  'messages-failed': {
    words: (n) => `${plural(n, 'message')} could not be sent`,
    href: '/record/messages?state=failed',
  },
  signals: {
    words: (n) => `${plural(n, 'signal')} to look at`,
    href: '/guard/signals',
  },
  reopened: {
    words: (n) => `${plural(n, 'finding')} came back`,
    href: '/exposure/findings?where=state+%3D%3D+%22reopened%22',
  },
  breaches: {
    words: (n) => `${plural(n, 'breach', 'breaches')} of rules to look at`,
    href: '/exposure/findings?kind=breach',
  },
  mine: { words: (n) => `${plural(n, 'finding')} assigned to you`, href: '/exposure/findings' },
  'limits-proposed': {
    words: () => 'looser approval limits are proposed',
    href: '/remedy/plans?limits=open',
  },
  'roles-asked': {
    words: (n) =>
      `${plural(n, 'account')} ${n === 1 ? 'waits' : 'wait'} for you to confirm the role of steward`,
    href: '/accounts',
  },
  'limits-lowered': {
    words: (n) => `approval limits were lowered ${n === 1 ? 'once' : `${n} times`} in the last two weeks`,
    href: '/record/ledger?text=approval.lowered',
  },
  'sign-in-lowered': {
    words: (n) => `signing in was made easier ${n === 1 ? 'once' : `${n} times`} in the last two weeks`,
    href: '/record/ledger?text=sign-in.lowered',
  },
  asked: {
    words: (n) => `${plural(n, 'plan')} ${n === 1 ? 'waits' : 'wait'} for your approval`,
    href: '/remedy/plans?where=waits',
  },
  drafts: { words: (n) => `${plural(n, 'plan')} not applied yet`, href: '/remedy/plans' },
  'accepted-ending': {
    words: (n) => `${plural(n, 'finding')} accepted until within two weeks`,
    href: '/exposure/findings?state=accepted',
  },
  'partners-ending': {
    words: (n) => `${plural(n, 'partner')} ended, or ending within two weeks`,
    href: '/exposure/outside?show=partner',
  },
};

function Waits({ waiting }: { waiting: Waiting[] }) {
  const { account } = useSigned();
  const href = (w: Waiting): string =>
    w.kind === 'mine'
      ? withQuery(WAITS.mine.href, { where: `assignee == ${JSON.stringify(account.address)}` })
      : WAITS[w.kind].href;
  return (
    <>
      <h2 className="mb-0.5 mt-4 font-semibold">Waiting for you</h2>
      {waiting.length === 0 ? (
        <p className="text-quiet">Nothing is waiting for you.</p>
      ) : (
        <ul className="flex flex-wrap gap-x-5 leading-6">
          {waiting.map((w) => (
            <li key={w.kind}>
              <a className="underline" href={href(w)}>
                {WAITS[w.kind].words(w.count)}
              </a>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
