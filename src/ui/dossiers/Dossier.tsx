/** Everything about one finding: why it counts, how it is reached, what is in it, what was done. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { Check, File, Folder, Pin, PinOff, ScanText, Workflow, X } from 'lucide-react';
import { Fragment, useState, type ReactNode } from 'react';
import type { Dossier as DossierData, FindingEvent, FindingRow } from '../../dto/exposure.ts';
import type { EntryRef, RouteDto } from '../../dto/access.ts';
import type { FoundContent } from '../../dto/contents.ts';
import { withQuery, ask, send } from '../frame/api.ts';
import { Compose } from '../parts/Compose.tsx';
import { Sum } from '../parts/MatchedText.tsx';
import { RouteGraphDialog } from '../drawings/RouteGraph.tsx';
import { Beam, plural, Trouble, Weight, When } from '../parts/marks.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Decide, useTriage, type Deciding } from '../parts/Triage.tsx';
import { OptionsButton } from '../parts/Options.tsx';
import { PickUpButton, usePickUp } from '../frame/Tray.tsx';
import { bytesWords, entryWords, fixCost } from '../parts/words.ts';

export interface FindingDetail {
  row: FindingRow;
  history: FindingEvent[];
  dossier: DossierData | null;
}

export interface Pinning {
  close: () => void;
  pinned: boolean;
  pin: () => void;
}

export function Dossier({ finding, ...pinning }: { finding: number } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/findings/[id]', { id: finding }));
  return (
    <DossierFrame name={`Finding ${finding}`} error={error} retry={() => void refetch()} {...pinning}>
      {data && <Body data={data} />}
    </DossierFrame>
  );
}

/** The frame of every dossier: what it is about, pinning and closing. */
export function DossierFrame({
  name,
  error,
  retry,
  close,
  pinned,
  pin,
  children,
}: Pinning & { name: string; error: unknown; retry: () => void; children: ReactNode }) {
  return (
    <aside
      aria-label="Dossier"
      className="flex w-[440px] shrink-0 flex-col border-l border-slate bg-base-100"
    >
      <div className="flex items-center gap-1 border-b border-slate py-1 pl-4 pr-2">
        <span className="flex-1 text-xs font-semibold text-quiet">{name}</span>
        <button
          className="btn btn-xs btn-square btn-ghost"
          aria-pressed={pinned}
          aria-label={pinned ? 'Unpin the dossier' : 'Pin the dossier'}
          title={pinned ? 'Unpin: it follows the selection' : 'Pin: it stays while you select others'}
          onClick={pin}
        >
          {pinned ? <PinOff size={14} aria-hidden /> : <Pin size={14} aria-hidden />}
        </button>
        <button className="btn btn-xs btn-square btn-ghost" aria-label="Close the dossier" onClick={close}>
          <X size={15} aria-hidden />
        </button>
      </div>
      <div className="min-h-0 flex-1 overflow-auto pb-4">
        {error ? (
          <div className="p-4">
            <Trouble error={error} retry={retry} />
          </div>
        ) : null}
        {children}
      </div>
    </aside>
  );
}

export function Section({ name, children, aside }: { name: string; children: ReactNode; aside?: ReactNode }) {
  return (
    <section className="border-t border-slate px-4 py-3">
      <h3 className="mb-1.5 flex items-baseline justify-between font-semibold">
        {name}
        <span className="text-xs font-normal text-quiet">{aside}</span>
      </h3>
      {children}
    </section>
  );
}

function Body({ data: { row, history, dossier } }: { data: FindingDetail }) {
  const fixed = row.state === 'fixed';
  const reach = dossier?.reach;
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.summary.name}</h2>
        <p className="text-quiet break-words">
          {row.summary.path}
          {dossier?.item.owner && <> · owner {dossier.item.owner}</>}
        </p>
        <div className="mt-2 flex items-center gap-4">
          <Beam now={reach?.now.tier ?? row.now} could={reach?.could.tier ?? row.could} large words={false} />
          <div className="leading-snug">
            <div>
              Now <b>{reach?.now.tier ?? row.now}</b>
              {(reach?.could.tier ?? row.could) !== (reach?.now.tier ?? row.now) && (
                <>
                  , could be <b>{reach?.could.tier ?? row.could}</b>
                </>
              )}
            </div>
            <div className="flex items-center gap-1.5 text-quiet">
              <Weight weight={dossier?.weight ?? row.weight} /> weight {dossier?.weight ?? row.weight} allows{' '}
              {dossier?.allowed}
            </div>
          </div>
        </div>
        {fixed ? (
          <p className="mt-3">Fixed: its reach is within what its weight allows.</p>
        ) : (
          dossier && <WhatToDo dossier={dossier} row={row} />
        )}
        {!fixed && <Decision row={row} />}
      </header>
      {!dossier && <p className="px-4 pb-3 text-quiet">This file is not in the newest survey any more.</p>}
      {dossier && (
        <Routes
          reach={dossier.reach}
          routes={dossier.routes}
          file={dossier.item.name}
          nodeKey={`item:${dossier.source}:${dossier.item.id}`}
        />
      )}
      {!fixed && (
        <Section name="Why it counts" aside={`${row.points} exposure points, ${row.severity}`}>
          <table className="w-full">
            <tbody>
              {row.summary.lines.map((l) => (
                <tr key={l.why}>
                  <td className="py-0.5 pr-3">{l.why}</td>
                  <td className="text-right align-top">{l.points}</td>
                </tr>
              ))}
              <tr className="border-t border-slate font-semibold">
                <td className="py-0.5">Sum</td>
                <td className="text-right">{row.points}</td>
              </tr>
            </tbody>
          </table>
          {dossier && dossier.weighing.length > 0 && (
            <p className="mt-1 text-quiet">
              Weight {dossier.weight}, the heaviest of:{' '}
              {dossier.weighing.map((w) => `${w.why} (${w.weight})`).join('; ')}.
            </p>
          )}
        </Section>
      )}
      {dossier && (
        <Contents
          source={dossier.source}
          item={dossier.item.id}
          contents={dossier.contents}
          unread={dossier.unread}
          label={dossier.item.label}
          scan={dossier.scan}
          now
        />
      )}
      <Section name="History">
        <ol>
          {history.map((h, i) => (
            <li key={i} className="flex gap-3 py-0.5">
              <span className="w-28 shrink-0 text-quiet">
                <When at={h.at} />
              </span>
              <span>
                {eventWords(h)}
                {h.plan ? (
                  <>
                    {' '}
                    by the plan{' '}
                    <a className="underline" href={`/remedy/plans?plan=${h.plan}`}>
                      {h.planName}
                    </a>
                  </>
                ) : h.survey ? (
                  ` by survey ${h.survey}`
                ) : null}
              </span>
            </li>
          ))}
        </ol>
      </Section>
      {dossier && (
        <Section name="The file">
          <dl className="grid grid-cols-[7rem_1fr] gap-y-0.5">
            <dt className="text-quiet">Space</dt>
            <dd>
              {dossier.item.space.name} ({dossier.item.space.kind.replace('-', ' ')}),{' '}
              <a
                className="underline"
                href={withQuery('/exposure/findings', { space: dossier.item.space.name, finding: row.id })}
              >
                look at this space alone
              </a>
              ,{' '}
              <a
                className="underline"
                href={withQuery('/survey/holdings', { sel: `item:${dossier.source}:${dossier.item.id}` })}
              >
                open it in Holdings
              </a>
            </dd>
            <dt className="text-quiet">Kind and size</dt>
            <dd>
              {dossier.item.mime ?? dossier.item.kind}
              {dossier.item.bytes !== undefined && `, ${bytesWords(dossier.item.bytes)}`}
            </dd>
            <dt className="text-quiet">Label</dt>
            <dd>{dossier.item.label ?? 'none'}</dd>
            <dt className="text-quiet">Changed</dt>
            <dd>
              <When at={dossier.item.modifiedAt} />
            </dd>
            <dt className="text-quiet">Identifier</dt>
            <dd className="font-mono break-all">{dossier.item.id}</dd>
          </dl>
        </Section>
      )}
    </>
  );
}

const eventWords = (h: FindingEvent): string => {
  const by = h.who ? ` by ${h.who}` : '';
  switch (h.what) {
    case 'opened':
      return 'found';
    case 'accepted':
      return `accepted until ${h.detail.until}${by}: ${h.detail.reason}`;
    case 'given':
      return `given to ${h.detail.to ?? 'nobody'}${by}`;
    case 'note':
      return `${h.who ?? 'somebody'}: ${h.detail.note}`;
    case 'reopened':
      return h.detail.words
        ? `came back${h.detail.by ? `, by ${h.detail.by}` : ''}: ${h.detail.words}`
        : 'came back';
    case 'lapsed':
      return 'no longer accepted: the day is past';
    case 'worse':
      return 'no longer accepted: it got worse';
    default:
      return `${h.what}${by}`;
  }
};

/** What was decided of it, and deciding anew. */
function Decision({ row }: { row: FindingRow }) {
  const { steward } = useSigned();
  const [deciding, setDeciding] = useState<Deciding>();
  const [, setSaid] = useState('');
  const { decide } = useTriage(setSaid);
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1">
      {row.accepted && (
        <p className="w-full">
          <b>Accepted</b> until {row.accepted.until}: {row.accepted.reason}
        </p>
      )}
      {row.assignee && (
        <p className="w-full text-quiet">
          Given to <b className="text-base-content">{row.assignee}</b>
        </p>
      )}
      {steward && (
        <>
          {row.accepted ? (
            <button
              className="btn btn-xs"
              onClick={() => decide.mutate({ findings: [row.id], decision: { act: 'reopen' } })}
            >
              Open it again
            </button>
          ) : (
            <button className="btn btn-xs" onClick={() => setDeciding('accept')}>
              Accept …
            </button>
          )}
          <button className="btn btn-xs" onClick={() => setDeciding('give')}>
            Give to …
          </button>
          <button className="btn btn-xs" onClick={() => setDeciding('note')}>
            Note …
          </button>
        </>
      )}
      {deciding && (
        <Decide what={deciding} findings={[row.id]} close={() => setDeciding(undefined)} said={setSaid} />
      )}
      {decide.error && <Trouble error={decide.error} />}
    </div>
  );
}

/** The cheapest fix of a finding that is open, worked out for itself so that nothing else waits for it. */
export const useFix = (row: FindingRow) =>
  useQuery({
    ...ask('/api/findings/fix', { finding: row.id }),
    staleTime: Infinity,
    enabled: row.state === 'open' || row.state === 'reopened',
  });

/** The cheapest fix first: withdraw what lets outsiders in and nobody else. */
function WhatToDo({ dossier, row }: { dossier: DossierData; row: FindingRow }) {
  const [composing, setComposing] = useState(false);
  const { steward } = useSigned();
  const { pickUp, has: tray } = usePickUp();
  const { withdrawable, mixed } = dossier;
  const left = withdrawable.filter((e) => !tray(e));
  const { data: fix } = useFix(row);
  const keys = (list: readonly { kind: string; source: string; id: string }[]): string =>
    list
      .map((c) => `${c.kind} ${c.source} ${c.id}`)
      .sort()
      .join();
  // the cheapest may be just what lets outsiders in, which has its own button
  const other = fix?.changes.length && keys(fix.changes) !== keys(withdrawable) ? fix : undefined;
  return (
    <div className="mt-3 flex flex-col gap-2">
      {steward && other && (
        <button
          className={`btn h-auto w-full flex-col items-start gap-0 py-1.5 text-left ${left.length && !other.members ? 'btn-primary' : ''}`}
          aria-pressed={other.changes.every(tray)}
          disabled={pickUp.isPending || other.changes.every(tray)}
          onClick={() => pickUp.mutate(other.changes)}
        >
          <span>
            {other.changes.every(tray) ? 'In the tray: ' : 'Pick up the cheapest: '}
            {other.words}
          </span>
          <span className="text-xs font-normal">{fixCost(other, row.points)}</span>
        </button>
      )}
      {steward && left.length > 0 && (
        <button
          className={`btn btn-sm w-full ${other && !other.members ? '' : 'btn-primary'}`}
          disabled={pickUp.isPending}
          onClick={() => pickUp.mutate(left)}
        >
          Pick up: withdraw outside access ({what(left)})
        </button>
      )}
      {withdrawable.length > 0 && left.length === 0 && steward && (
        <p className="flex h-7 items-center gap-2 font-medium">
          <Check size={15} aria-hidden /> Withdrawing outside access is in the tray.
        </p>
      )}
      {withdrawable.length === 0 && mixed.length === 0 && (
        <p className="text-quiet">
          Nobody outside reaches it. What makes it too wide is below: pick up what should go.
        </p>
      )}
      {mixed.length > 0 && (
        <p className="text-quiet">
          {plural(mixed.length, 'route')} also {mixed.length === 1 ? 'lets' : 'let'} members in (
          {mixed.map((m) => m.to).join('; ')}), so {mixed.length === 1 ? 'it is' : 'they are'} left out: pick{' '}
          {mixed.length === 1 ? 'it' : 'them'} up below if those members can lose it.
        </p>
      )}
      <button className="btn btn-sm" onClick={() => setComposing(true)}>
        Find the least change …
      </button>
      <OptionsButton
        of={{ kind: 'item', source: dossier.source, id: dossier.item.id }}
        name="the file itself"
        small={false}
      />
      {composing && (
        <Compose
          rows={[{ source: dossier.source, item: dossier.item.id, summary: row.summary }]}
          close={() => setComposing(false)}
        />
      )}
      {pickUp.error && <Trouble error={pickUp.error} />}
    </div>
  );
}

const what = (entries: EntryRef[]): string => {
  const links = entries.filter((e) => e.kind === 'link').length;
  const grants = entries.length - links;
  return [links && plural(links, 'link'), grants && plural(grants, 'grant')].filter(Boolean).join(', ');
};

/** The routes to a node, outside ones first, and the way to the drawing of all of them. */
export function Routes({
  reach: { now },
  routes,
  file,
  nodeKey,
}: {
  reach: DossierData['reach'];
  routes: RouteDto[];
  file: string;
  nodeKey: string;
}) {
  const [drawn, setDrawn] = useState(false);
  const counts = [
    now.outsiders && plural(now.outsiders, 'outsider'),
    now.guests && plural(now.guests, 'guest'),
    plural(now.members, 'member'),
  ]
    .filter(Boolean)
    .join(', ');
  const outside = routes.filter((r) => r.outside);
  const inside = routes.filter((r) => !r.outside);
  return (
    <Section name="How it is reached" aside={`now by ${counts}`}>
      <button className="btn btn-xs mb-1 border-slate" onClick={() => setDrawn(true)}>
        <Workflow size={13} aria-hidden /> Draw all routes, and what each cut would cost
      </button>
      {drawn && <RouteGraphDialog nodeKey={nodeKey} close={() => setDrawn(false)} />}
      {outside.map((r, i) => (
        <Route key={i} route={r} file={file} />
      ))}
      {inside.length > 0 && (
        <details open={outside.length === 0}>
          <summary className="cursor-pointer py-1 text-quiet">
            {plural(inside.length, 'route')} from inside
          </summary>
          {inside.map((r, i) => (
            <Route key={i} route={r} file={file} />
          ))}
        </details>
      )}
    </Section>
  );
}

/** One route, drawn from the identity down to the file. */
function Route({ route, file }: { route: RouteDto; file: string }) {
  const entry = 'id' in route.through ? route.through : undefined;
  const steps: { node: ReactNode; dot: 'who' | 'group' | 'entry' | 'node' }[] = [];
  const names = route.who.map((p) =>
    p.kind === 'member' ? p.name : p.kind === 'guest' ? `${p.address} (guest)` : p.address,
  );
  steps.push({
    dot: 'who',
    node:
      route.as === 'could' ? (
        <b>
          {entry?.audience === 'organisation'
            ? 'Every member who gets the link'
            : 'Anybody at all who gets the link'}
        </b>
      ) : route.as === 'anyone' && !names.length ? (
        <b>Anybody at all</b>
      ) : route.as === 'domain' && !names.length ? (
        <b>{entry?.to}</b>
      ) : (
        <span>
          <b>{names.slice(0, 4).join(', ')}</b>
          {names.length - 4 + route.more > 0 && ` and ${names.length - 4 + route.more} more`}
        </span>
      ),
  });
  for (const g of route.groups) steps.push({ dot: 'group', node: <>member of the group “{g}”</> });
  steps.push({
    dot: 'entry',
    node: entry ? (
      <div className="flex items-start gap-2">
        <span className="min-w-0 flex-1">
          {entry.kind === 'link' ? 'sharing link' : 'grant'}
          {route.as === 'redeemed' && ', followed'}: <b>{entry.role}</b>
          {(entry.madeBy || entry.madeAt) && (
            <span className="text-quiet">
              , made{entry.madeBy && ` by ${entry.madeBy}`}
              {entry.madeAt && (
                <>
                  {' '}
                  <When at={entry.madeAt} />
                </>
              )}
              {entry.lastUsedAt && (
                <>
                  , last used <When at={entry.lastUsedAt} />
                </>
              )}
            </span>
          )}
        </span>
        <PickUpButton change={entry} what={`withdraw ${entryWords(entry)}`} />
        <OptionsButton of={entry} name={`the ${entry.kind}`} />
      </div>
    ) : route.through.kind === 'ownership' ? (
      'owns the file'
    ) : (
      'the space is visible to the whole organisation'
    ),
  });
  for (const [i, n] of route.down.entries())
    steps.push({
      dot: 'node',
      node: (
        <span className={`flex items-center gap-1.5 ${i === route.down.length - 1 ? '' : 'text-quiet'}`}>
          {n.kind === 'file' ? (
            <File size={13} aria-hidden className="shrink-0" />
          ) : (
            <Folder size={13} aria-hidden className="shrink-0" />
          )}
          <span className="truncate">
            {i === route.down.length - 1 && n.name === file ? `this ${n.kind}` : `${n.kind} “${n.name}”`}
          </span>
        </span>
      ),
    });
  const dot = {
    who: 'bg-base-content',
    group: 'border-2 border-base-content bg-base-100',
    entry: 'rotate-45 rounded-none bg-base-content',
    node: 'bg-slate',
  };
  return (
    <ol className="relative my-1.5 pl-5" aria-label="Route">
      <span aria-hidden className="absolute bottom-2.5 left-[4px] top-2.5 border-l-2 border-slate" />
      {steps.map((s, i) => (
        <Fragment key={i}>
          <li className="relative py-0.5">
            <span
              aria-hidden
              className={`absolute -left-[20px] top-[7px] size-2.5 rounded-full ${dot[s.dot]}`}
            />
            {s.node}
          </li>
        </Fragment>
      ))}
    </ol>
  );
}

/** What was recognised in a file, what was not read of it, and reading it again. */
export function Contents({
  source,
  item,
  contents,
  unread,
  label,
  scan,
  now,
}: {
  source: string;
  item: string;
  contents: FoundContent[];
  unread: string | undefined;
  label: string | undefined;
  scan?: DossierData['scan'];
  /** It is the present that is shown, so that reading again makes sense. */
  now: boolean;
}) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const again = useMutation({
    mutationFn: () => send('POST', '/api/contents/scan', { source, item }),
    onSuccess: refresh,
  });
  const aside = {
    scanned: undefined,
    'name-only': 'known by its name only',
    unreadable: 'could not be read',
  };
  return (
    <Section name="What is in it" aside={scan && aside[scan]}>
      {unread && <p>{unread}</p>}
      {contents.length === 0 && (
        <p className="text-quiet">
          Nothing sensitive was recognised{unread && ' in what was read'}.
          {label && ` It weighs by its label, ${label}.`}
        </p>
      )}
      {contents.map((c) => (
        <Content key={c.dataType} content={c} />
      ))}
      {steward && now && (
        <button
          className="btn btn-xs btn-ghost mt-1"
          disabled={again.isPending}
          onClick={() => again.mutate()}
          title="Read the file at its workspace and look through it now"
        >
          <ScanText size={13} aria-hidden />{' '}
          {again.isPending
            ? 'Scanning …'
            : again.isSuccess
              ? 'Scanned just now. Scan again'
              : 'Scan this file now'}
        </button>
      )}
      {again.error && <Trouble error={again.error} />}
    </Section>
  );
}

export function Content({ content: c }: { content: FoundContent }) {
  const [shown, setShown] = useState(0);
  const match = c.matches[shown];
  return (
    <div className="py-0.5">
      <div className="flex items-baseline justify-between">
        <span>
          <b>{c.name}</b>: {plural(c.distinct, 'distinct value')}
          {c.occurrences !== c.distinct && `, ${plural(c.occurrences, 'occurrence')}`}
        </span>
        <span className={c.certainty < c.from ? 'text-quiet' : ''}>
          certainty {c.certainty}
          {c.certainty < c.from && `, counts from ${c.from}`}
        </span>
      </div>
      {match && (
        <details>
          <summary className="cursor-pointer text-quiet">
            Why so sure: match {shown + 1} of{' '}
            {c.matches.length === c.occurrences ? c.occurrences : `the first ${c.matches.length}`},{' '}
            <span className="font-mono">{match.masked}</span>
          </summary>
          <div className="ml-4">
            <Sum match={match}>
              {' '}
              · {match.where ?? match.part}, characters {match.start}–{match.end}
            </Sum>
          </div>
          {c.matches.length > 1 && (
            <button
              className="btn btn-xs btn-ghost ml-3"
              onClick={() => setShown((shown + 1) % c.matches.length)}
            >
              Next match
            </button>
          )}
        </details>
      )}
    </div>
  );
}
