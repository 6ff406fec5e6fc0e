/** Everything about one person, group or outside domain: what it reaches, and by which names. */
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { TIERS, type Tier } from '../../core/model.ts';
import type { PlannedChange } from '../../core/remedy/plan.ts';
import type { EntryRef, IdentityDossier as Data } from '../../dto/access.ts';
import { withQuery, ask, get } from '../frame/api.ts';
import { Applies } from './Applies.tsx';
import { AppsOfPerson } from './AppsHere.tsx';
import { DossierFrame, Section, type Pinning } from './Frame.tsx';
import { FarSideLink } from '../parts/FarSide.tsx';
import { Compose } from '../parts/Compose.tsx';
import { count, Beam, plural, Trouble, Weight, When } from '../parts/marks.tsx';
import { canWords, tierHead } from '../parts/words.ts';
import { useSigned } from '../frame/signed.ts';
import { OptionsButton } from '../parts/Options.tsx';
import { PickUpButton } from '../frame/Tray.tsx';

export function IdentityDossier({
  identity,
  asOf,
  select,
  ...pinning
}: { identity: string; asOf: number | undefined; select: (key: string) => void } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/people/one', { key: identity, asOf }));
  return (
    <DossierFrame
      name={data ? (data.row.kind === 'domain' ? 'outside domain' : data.row.kind) : ' '}
      error={error}
      retry={() => void refetch()}
      {...pinning}
    >
      {data && <Body data={data} asOf={asOf} select={select} />}
    </DossierFrame>
  );
}

const holdingsLink = (key: string, asOf: number | undefined) =>
  withQuery('/survey/holdings', { sel: key, asof: asOf });

function Body({
  data,
  asOf,
  select,
}: {
  data: Data;
  asOf: number | undefined;
  select: (key: string) => void;
}) {
  const { row, what } = data;
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.name}</h2>
        <p className="text-quiet break-words">
          {[...data.addresses, data.title, data.department].filter(Boolean).join(' · ') || row.detail}
        </p>
        {row.kind !== 'group' && row.key.startsWith('user:') && (
          <p>
            <FarSideLink person={row.key}>Be them on the far side</FarSideLink>
          </p>
        )}
        {row.flags.length > 0 && row.kind !== 'inactive' && (
          <p className="mt-1 font-medium">{row.flags.join(' · ')}</p>
        )}
        {row.kind === 'inactive' ? (
          <p className="mt-2">
            {row.detail[0]!.toUpperCase() + row.detail.slice(1)}: it can reach nothing, and{' '}
            {plural(row.grants, 'grant')} still {row.grants === 1 ? 'names' : 'name'} it.
          </p>
        ) : (
          <p className="mt-2">
            {row.kind === 'group' ? 'Lets its members reach' : 'Can reach'}{' '}
            <b>{plural(what.items, 'file')}</b> in {plural(what.spaces.length, 'space')}
            {row.heavy ? (
              <>
                , <b>{count(row.heavy)}</b> of them heavy
              </>
            ) : null}
            .
          </p>
        )}
        {data.account && (
          <p className="mt-2">
            <OptionsButton of={data.account} name="the guest’s account" small={false} />
          </p>
        )}
        {what.items > 0 && row.key.match(/^(user|outsider):/) && asOf === undefined && (
          <KeepOut data={data} />
        )}
      </header>
      {data.nesting.nodes.length > 1 && (
        <Section name="How it is nested" aside="what holds it, left; what it holds, right">
          <Nesting data={data} select={select} />
        </Section>
      )}
      {data.rule && (
        <Section name="Its rule">
          <p className="font-mono break-words">{data.rule}</p>
        </Section>
      )}
      {row.kind !== 'group' && what.items > 0 && <What data={data} asOf={asOf} />}
      {asOf === undefined && /^(user|outsider|group):/.test(row.key) && <Applies of={row.key} />}
      {row.key.startsWith('user:') && <AppsOfPerson person={row.key} asOf={asOf} />}
      <Granted data={data} />
      {row.kind === 'group' && what.items > 0 && <What data={data} asOf={asOf} />}
      {data.within.length > 0 && (
        <Section
          name={row.kind === 'group' ? 'Groups that hold it' : 'Groups it is in'}
          aside={String(data.within.length)}
        >
          <ul>
            {data.within.map((g) => (
              <li key={g.key} className="py-0.5">
                <button
                  className="cursor-pointer text-left underline decoration-slate hover:decoration-current"
                  onClick={() => select(g.key)}
                >
                  {g.name}
                </button>
                {!g.direct && <span className="text-quiet"> through another group</span>}
                {g.leave && <Leave change={g.leave} of={g.name} />}
              </li>
            ))}
          </ul>
        </Section>
      )}
      {data.holds.length > 0 && (
        <Section name="Its own members" aside={String(data.holds.length + data.holdsMore)}>
          <ul>
            {data.holds.map((m) => (
              <li key={m.key} className="py-0.5">
                <button
                  className="cursor-pointer text-left underline decoration-slate hover:decoration-current"
                  onClick={() => select(m.key)}
                >
                  {m.name}
                </button>
                {m.kind !== 'member' && (
                  <span className={m.kind === 'group' ? 'text-quiet' : 'font-medium'}>
                    {' '}
                    {m.kind === 'inactive' ? 'not active' : m.kind}
                  </span>
                )}
                {m.leave && <Leave change={m.leave} of={m.name} />}
              </li>
            ))}
          </ul>
          {data.holdsMore > 0 && <p className="text-quiet">and {data.holdsMore} more</p>}
        </Section>
      )}
    </>
  );
}

/** No more than this many files at once, the heaviest. */
const KEPT = 2000;

/** The least change by which somebody reaches none of the files that they reach now. */
function KeepOut({ data }: { data: Data }) {
  const { steward } = useSigned();
  const [rows, setRows] = useState<{ source: string; item: string; summary: { name: string } }[]>();
  const { key, name } = data.row;
  const gather = useMutation({
    mutationFn: async () => {
      const found: { key: string; name: string }[] = [];
      for (let more = true; more && found.length < KEPT;) {
        const page = await get('/api/people/what', { key, limit: 500, offset: found.length });
        found.push(...page.rows);
        more = page.rows.length > 0 && found.length < page.total;
      }
      return found.flatMap((r) => {
        const [kind, source, ...id] = r.key.split(':');
        return kind === 'item' ? [{ source: source!, item: id.join(':'), summary: { name: r.name } }] : [];
      });
    },
    onSuccess: setRows,
  });
  if (!steward) return null;
  return (
    <p className="mt-2">
      <button className="btn btn-sm" disabled={gather.isPending} onClick={() => gather.mutate()}>
        Keep {name} out of {data.what.items > KEPT ? `the ${count(KEPT)} heaviest` : 'all of it'} …
      </button>
      {gather.error && <Trouble error={gather.error} />}
      {rows && (
        <Compose
          rows={rows}
          of="files"
          identity={{ id: key.slice(key.indexOf(':') + 1), name }}
          close={() => setRows(undefined)}
        />
      )}
    </p>
  );
}

/** Picks up that somebody leaves a group. */
const Leave = ({ change, of }: { change: PlannedChange; of: string }) => (
  <PickUpButton change={change} what={`take out, ${of}`} name="Take out" look="btn-ghost float-right" />
);

/** What it reaches: by weight and reach, by space, and down to files. */
function What({ data, asOf }: { data: Data; asOf: number | undefined }) {
  const [cell, setCell] = useState<{ weight: number; tier: Tier }>();
  const [space, setSpace] = useState<string>();
  const [shown, setShown] = useState(15);
  const { what } = data;
  const tiers = TIERS.filter((_, t) => what.matrix.some((r) => r[t]! > 0));
  const query = useQuery({
    ...ask('/api/people/what', {
      key: data.row.key,
      asOf,
      weight: cell?.weight,
      tier: cell?.tier,
      space,
      limit: shown,
    }),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Section name="By weight and reach" aside="files; press a number">
        <table className="w-full">
          <thead>
            <tr className="text-right text-xs text-quiet">
              <th className="text-left font-normal">weight</th>
              {tiers.map((t) => (
                <th key={t} className="font-normal">
                  {tierHead(t)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {[4, 3, 2, 1, 0].map((w) => (
              <tr key={w} className="border-t border-base-300 text-right">
                <td className="py-0.5 text-left">
                  <Weight weight={w} />
                </td>
                {tiers.map((t) => {
                  const n = what.matrix[w]![TIERS.indexOf(t)]!;
                  const on = cell?.weight === w && cell.tier === t;
                  return (
                    <td key={t}>
                      {n > 0 ? (
                        <button
                          className={`cursor-pointer rounded px-1 hover:bg-base-300 ${on ? 'bg-base-300 font-bold' : ''} ${w >= 2 ? 'font-semibold' : ''}`}
                          aria-pressed={on}
                          aria-label={`${n} files of weight ${w}, reach ${t}`}
                          onClick={() => setCell(on ? undefined : { weight: w, tier: t })}
                        >
                          {count(n)}
                        </button>
                      ) : (
                        <span className="px-1 text-quiet">·</span>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </Section>
      <Section name="Files" aside={query.data && `${count(query.data.total)}, the heaviest first`}>
        {(cell ?? space) && (
          <p className="mb-1 text-quiet">
            Only{' '}
            {[
              cell && `weight ${cell.weight}, ${cell.tier}`,
              space && `in ${what.spaces.find((s) => s.node.key === space)?.node.name}`,
            ]
              .filter(Boolean)
              .join(', ')}
            .{' '}
            <button
              className="cursor-pointer underline"
              onClick={() => {
                setCell(undefined);
                setSpace(undefined);
              }}
            >
              clear
            </button>
          </p>
        )}
        <ul>
          {query.data?.rows.map((r) => (
            <li key={r.key} className="flex items-center gap-2 border-b border-base-300 py-1">
              <Weight weight={r.weight} />
              <Beam now={r.now} could={r.could} words={false} />
              <a
                className="min-w-0 flex-1 truncate underline decoration-slate hover:decoration-current"
                title={r.path}
                href={holdingsLink(r.key, asOf)}
              >
                {r.name}
              </a>
              <span className="text-quiet">{canWords(r.capabilities)}</span>
            </li>
          ))}
        </ul>
        {query.data && query.data.total > query.data.rows.length && (
          <button className="btn btn-xs btn-ghost" onClick={() => setShown(Math.min(500, shown + 100))}>
            Show more
          </button>
        )}
      </Section>
      <Section name="Spaces" aside={plural(what.spaces.length, 'space')}>
        <ul>
          {what.spaces.slice(0, 30).map((s) => (
            <li key={s.node.key} className="flex items-center gap-2 border-b border-base-300 py-1">
              <Weight weight={s.heaviest} />
              <button
                className="min-w-0 flex-1 cursor-pointer truncate text-left hover:underline"
                title={s.workspace}
                aria-pressed={space === s.node.key}
                onClick={() => setSpace(space === s.node.key ? undefined : s.node.key)}
              >
                {s.node.name} <span className="text-quiet">{s.workspace}</span>
              </button>
              <span className="text-quiet">{canWords(s.capabilities)}</span>
              <span className="w-16 text-right">{plural(s.items, 'file')}</span>
            </li>
          ))}
        </ul>
      </Section>
    </>
  );
}

/** Groups as boxes in columns, each joined to what it holds. */
function Nesting({ data, select }: { data: Data; select: (key: string) => void }) {
  const { nodes, edges } = data.nesting;
  const levels = [...new Set(nodes.map((n) => n.level))].sort((a, b) => a - b);
  const [W, H, GAP, ROW] = [112, 34, 28, 42];
  const at = new Map<string, { x: number; y: number }>();
  const tallest = Math.max(...levels.map((l) => nodes.filter((n) => n.level === l).length));
  levels.forEach((l, c) => {
    const column = nodes.filter((n) => n.level === l);
    const top = ((tallest - column.length) * ROW) / 2;
    column.forEach((n, i) => at.set(n.key, { x: c * (W + GAP), y: top + i * ROW }));
  });
  const width = levels.length * (W + GAP) - GAP;
  return (
    <div className="overflow-x-auto">
      <svg
        width={width + 4}
        height={tallest * ROW + 14}
        viewBox={`-2 -2 ${width + 4} ${tallest * ROW + 14}`}
        role="group"
        aria-label="Groups around this one"
      >
        {edges.map(([a, b], i) => {
          const [p, q] = [at.get(a)!, at.get(b)!];
          const back = q.x <= p.x;
          const [x1, y1, x2, y2] = back
            ? [p.x + W / 2, p.y + H, q.x + W / 2, q.y + H]
            : [p.x + W, p.y + H / 2, q.x, q.y + H / 2];
          return (
            <path
              key={i}
              d={
                back
                  ? `M${x1} ${y1}C${x1} ${y1 + 16} ${x2} ${y2 + 16} ${x2} ${y2}`
                  : `M${x1} ${y1}C${x1 + 15} ${y1} ${x2 - 15} ${y2} ${x2} ${y2}`
              }
              fill="none"
              className="stroke-quiet"
              strokeWidth="1.25"
              strokeDasharray={back ? '3 3' : undefined}
            />
          );
        })}
        {nodes.map((n) => {
          const p = at.get(n.key)!;
          const self = n.level === 0;
          return (
            <g
              key={n.key}
              role="button"
              tabIndex={0}
              aria-label={`${n.name}, ${n.members} people`}
              className="cursor-pointer"
              onClick={() => select(n.key)}
              onKeyDown={(e) => e.key === 'Enter' && select(n.key)}
            >
              <rect
                x={p.x}
                y={p.y}
                width={W}
                height={H}
                rx="17"
                className={`${self ? 'fill-base-300 stroke-base-content' : 'fill-base-200 stroke-slate'}`}
              />
              <text x={p.x + 12} y={p.y + 15} className="fill-base-content text-[12px] font-medium">
                {n.name.length > 15 ? `${n.name.slice(0, 14)}…` : n.name}
              </text>
              <text x={p.x + 12} y={p.y + 28} className="fill-quiet text-[11px]">
                {plural(n.members, 'person', 'people')}
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}

function Granted({ data }: { data: Data }) {
  if (!data.granted.length) return null;
  return (
    <Section
      name={data.row.kind === 'group' ? 'Where it is granted' : 'Where it is named'}
      aside={String(data.granted.length + data.grantedMore)}
    >
      <ul>
        {data.granted.map((e: EntryRef) => (
          <li
            key={`${e.kind}${e.source}${e.id}`}
            className="flex items-start gap-2 border-b border-base-300 py-1"
          >
            <span className="min-w-0 flex-1">
              {e.kind === 'link' ? `link (${e.audience})` : 'grant'}: <b>{e.role}</b> on {e.on.kind} “
              {e.on.name}”
              {e.madeAt && (
                <span className="text-quiet">
                  , made{e.madeBy && ` by ${e.madeBy}`} <When at={e.madeAt} />
                </span>
              )}
            </span>
            <PickUpButton change={e} what={`withdraw it from ${e.on.name}`} />
            <OptionsButton of={e} name={`the ${e.kind} on ${e.on.name}`} />
          </li>
        ))}
      </ul>
      {data.grantedMore > 0 && <p className="text-quiet">and {data.grantedMore} more</p>}
    </Section>
  );
}
