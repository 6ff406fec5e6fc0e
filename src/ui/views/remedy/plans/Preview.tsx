/** What a plan does to people, spaces and items, and the messages that it sends. */
import { useState } from 'react';
import type { PlanDetail, Preview } from '../../../../dto/remedy.ts';
import { withQuery } from '../../../frame/api.ts';
import { count, Beam, plural, Weight } from '../../../parts/marks.tsx';
import { Heading } from './parts.tsx';

/** So many changes are told before who loses what. */
export const FIRST = 8;

export function PeopleTable({ preview: p, begun }: { preview: Preview; begun: boolean }) {
  const [all, setAll] = useState(false);
  const total = p.members + p.guests + p.outsiders;
  if (!total) return null;
  const shown = all ? p.people : p.people.slice(0, 30);
  return (
    <>
      <Heading>Who {begun ? 'lost' : 'would lose'} what</Heading>
      <table className="w-full">
        <thead>
          <tr className="h-7 border-b border-slate text-left text-xs text-quiet">
            <th className="font-semibold">Identity</th>
            <th className="w-20 font-semibold">Kind</th>
            <th
              className="w-28 text-right font-semibold"
              title={`Items of these that they used in the ${p.usedDays} days before the survey`}
            >
              Used lately
            </th>
            <th className="pl-4 font-semibold">Can no longer</th>
            <th className="w-24 text-right font-semibold">Loses</th>
            <th className="w-24 text-right font-semibold">Can do less</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((x) => (
            <tr key={x.id} className="h-8 border-b border-base-300">
              <td className="pr-3">
                <span className="font-medium">{x.name}</span>{' '}
                {x.address !== x.name && <span className="text-quiet">{x.address}</span>}
              </td>
              <td>{x.kind}</td>
              <td className="text-right">
                {x.used ? <b>{plural(x.used, 'item')}</b> : <span className="text-quiet">no</span>}
              </td>
              <td className="truncate pl-4">{x.capabilities.join(', ')}</td>
              <td className="text-right">
                {x.loses ? plural(x.loses, 'item') : <span className="text-quiet">·</span>}
              </td>
              <td className="text-right">
                {x.reduced ? plural(x.reduced, 'item') : <span className="text-quiet">·</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {p.people.length > shown.length && (
        <button className="btn btn-xs btn-ghost mt-1" onClick={() => setAll(true)}>
          Show {count(p.people.length)}
        </button>
      )}
      {total > p.people.length && (
        <p className="mt-1 text-quiet">
          The first {count(p.people.length)} of {count(total)}.
        </p>
      )}
    </>
  );
}

export function Keeping({ preview: p }: { preview: Preview }) {
  if (!p.keeping) return null;
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-semibold">
        {plural(p.keeping, 'identity keeps', 'identities keep')} what they have by another way
      </summary>
      <ul className="mt-1 text-quiet">
        {p.keep.map((k) => (
          <li key={k.id} className="py-0.5">
            <span className="text-base-content">{k.name}</span>, by {k.by}
          </li>
        ))}
        {p.keeping > p.keep.length && <li>and {count(p.keeping - p.keep.length)} more</li>}
      </ul>
    </details>
  );
}

export function SpacesTable({ preview: p }: { preview: Preview }) {
  if (p.spaces.length < 2) return null;
  return (
    <>
      <Heading>By space</Heading>
      <ul className="columns-2 gap-8">
        {p.spaces.slice(0, 60).map((s) => (
          <li key={s.key} className="flex break-inside-avoid gap-2 border-b border-base-300 py-1">
            <a
              className="min-w-0 flex-1 truncate underline decoration-slate hover:decoration-current"
              href={withQuery('/survey/holdings', { sel: s.key })}
            >
              {s.name}
            </a>
            <span className="text-quiet">
              {plural(s.people, 'identity', 'identities')}, {plural(s.items, 'item')}
            </span>
          </li>
        ))}
      </ul>
      {p.spaces.length > 60 && <p className="text-quiet">and {p.spaces.length - 60} more</p>}
    </>
  );
}

export function ItemsTable({ preview: p }: { preview: Preview }) {
  const [all, setAll] = useState(false);
  if (p.items.length === 0) return null;
  const shown = all ? p.items : p.items.slice(0, 30);
  return (
    <>
      <Heading>Items whose reach changes</Heading>
      <table className="w-full table-fixed">
        <thead>
          <tr className="h-7 border-b border-slate text-left text-xs text-quiet">
            <th className="font-semibold">Item</th>
            <th className="w-8 font-semibold">
              <span className="sr-only">Weight</span>
            </th>
            <th className="w-58 font-semibold">Before</th>
            <th className="w-48 font-semibold">After</th>
            <th className="w-20 text-right font-semibold">Losing</th>
            <th className="w-24 text-right font-semibold">Points</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((x) => (
            <tr key={x.key} className="h-8 border-b border-base-300">
              <td className="truncate pr-3" title={x.name}>
                <a
                  className="font-medium underline decoration-slate hover:decoration-current"
                  href={withQuery('/survey/holdings', { sel: x.key })}
                >
                  {x.name}
                </a>{' '}
                <span className="text-quiet">{x.space}</span>
              </td>
              <td>
                <Weight weight={x.weight} />
              </td>
              <td>
                <Beam now={x.before.now} could={x.before.could} />
              </td>
              <td>
                <Beam now={x.after.now} could={x.after.could} />
              </td>
              <td className="text-right">{count(x.losing)}</td>
              <td className="text-right">
                {x.before.points} → {x.after.points}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {p.items.length > shown.length && (
        <button className="btn btn-xs btn-ghost mt-1" onClick={() => setAll(true)}>
          Show {count(p.items.length)}
        </button>
      )}
      {p.itemsChanged > p.items.length && (
        <p className="mt-1 text-quiet">
          The {p.items.length} that close the most points, of {count(p.itemsChanged)}.
        </p>
      )}
    </>
  );
}

/** What apps lose, and whom that costs something. */
export function AppsTable({ preview: p, begun }: { preview: Preview; begun: boolean }) {
  if (!p.apps?.length) return null;
  return (
    <>
      <Heading>Apps that {begun ? 'were' : 'would be'} withdrawn</Heading>
      <table className="w-full">
        <thead>
          <tr className="h-7 border-b border-slate text-left text-xs text-quiet">
            <th className="w-40 font-semibold">App</th>
            <th className="font-semibold">From</th>
            <th
              className="w-28 text-right font-semibold"
              title={`In the ${p.usedDays} days before the survey`}
            >
              Used lately
            </th>
            <th className="w-44 text-right font-semibold">Files it could read</th>
            <th className="w-36 text-right font-semibold">Heavy ones</th>
          </tr>
        </thead>
        <tbody>
          {p.apps.map((a) => (
            <tr key={a.key} className="border-b border-base-300 align-top">
              <td className="py-1.5 pr-3">
                <a
                  className="font-medium underline decoration-slate hover:decoration-current"
                  href={withQuery('/exposure/apps', { app: a.key })}
                >
                  {a.name}
                </a>
              </td>
              <td className="py-1.5 pr-3">
                {a.everyone && <b>everyone{a.people > 0 && ', and '}</b>}
                {a.who.join(', ')}
                {a.people > a.who.length && ` and ${count(a.people - a.who.length)} more`}
                {a.left > 0 && <span className="text-quiet"> ({count(a.left)} keep it)</span>}
              </td>
              <td className="py-1.5 text-right">
                {a.usedLately ? <b>{count(a.usedLately)}</b> : <span className="text-quiet">nobody</span>}
              </td>
              <td className="py-1.5 text-right">
                {count(a.files[0]!)} → {count(a.files[1]!)}
              </td>
              <td className="py-1.5 text-right">
                {count(a.heavy[0]!)} → {count(a.heavy[1]!)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {p.forGood?.map((words) => (
        <p key={words} className="mt-1 font-medium">
          {words}
        </p>
      ))}
    </>
  );
}

export function Messages({ preview: p, begun }: { preview: Preview; begun: boolean }) {
  return (
    <>
      <Heading>Messages</Heading>
      {p.messages.length === 0 ? (
        <p className="text-quiet">
          {begun ? 'None went out' : 'None goes out'}: neither Gate Lantern nor the workspaces write to
          anybody because of this.
        </p>
      ) : (
        <ul>
          {p.messages.map((m) => (
            <li key={m.words}>
              {m.words} <span className="text-quiet">{m.count > 1 && `${m.count} times`}</span>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

/** The same sentence about what was foreseen. */
export const past = (plan: PlanDetail, words: string): string =>
  plan.state === 'discarded'
    ? `Foreseen: ${words}`
    : plan.state === 'undone'
      ? `${plural(plan.list.filter((c) => c.state === 'undone').length, 'change')} put back: who lost access by ${plan.list.length === 1 ? 'it' : 'them'} has it again.`
      : `As foreseen: ${words.replace('would lose', 'lost').replace('would too', 'did too').replace('inside does', 'inside did').replace('loses', 'lost')}`;
