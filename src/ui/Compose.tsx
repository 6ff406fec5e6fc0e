/** The least change for some findings: a goal, its cuts side by side, whom each hurts, and why not something else. */
import { useQuery } from '@tanstack/react-query';
import { Pin, Plus, X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { CutChange, CutOption, CutPage, FindingRow, IdentityPage } from '../services/dto.ts';
import { api, withQuery } from './api.ts';
import { plural, Trouble } from './marks.tsx';
import { useSigned } from './signed.ts';
import { usePickUp, useTrayHas } from './Tray.tsx';

const GOALS = {
  outside: 'No outside identity reaches them',
  partners: 'Nobody outside but partners reaches them',
  anybody: 'No link or grant for anyone opens them',
  beyond: 'Nobody beyond this group reaches them',
  group: 'This group opens none of them',
} as const;
type GoalKind = keyof typeof GOALS;
const CHARACTER = {
  'fewest-hurt': 'Fewest hurt',
  'fewest-changes': 'Fewest changes',
  'at-the-cause': 'At the cause',
} as const;

export function Compose({ rows, close }: { rows: Pick<FindingRow, 'source' | 'item' | 'summary'>[]; close: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const [goal, setGoal] = useState<GoalKind>('outside');
  const [group, setGroup] = useState('');
  const [pinned, setPinned] = useState<CutChange[]>([]);
  const [plannable, setPlannable] = useState(false);
  useEffect(() => dialog.current?.showModal(), []);
  const named = goal === 'beyond' || goal === 'group';
  const { data: groups } = useQuery({
    queryKey: ['people', 'of-goal'],
    queryFn: () => api<IdentityPage>('GET', withQuery('/api/people', { show: 'groups', limit: 500 })),
    enabled: named,
  });
  const keepOut =
    goal === 'outside' ? { outside: true } : goal === 'partners' ? { outside: true, partnersMay: true } : goal === 'anybody' ? { anybody: true } : { [goal]: group };
  const items = rows.map(({ source, item }) => ({ source, item }));
  const { data, error, isFetching, refetch } = useQuery({
    queryKey: ['cuts', items, keepOut, pinned.map((p) => p.change), plannable],
    queryFn: () => api<CutPage>('POST', '/api/cuts', { items, keepOut, pinned: pinned.map((p) => p.change), plannable }),
    enabled: !named || group !== '',
    placeholderData: (before) => before,
  });
  return (
    <dialog ref={dialog} onClose={close} aria-label="The least change" className="m-auto h-[84dvh] w-[min(1180px,94vw)] rounded border border-slate bg-base-100 p-0 text-base-content">
      <div className="flex h-full flex-col">
        <header className="flex flex-wrap items-center gap-3 border-b border-slate px-4 py-3">
          <h2 className="text-base font-bold">The least change for {rows.length === 1 ? `“${rows[0]!.summary.name}”` : plural(rows.length, 'finding')}</h2>
          <select className="select select-sm w-72" aria-label="The goal" value={goal} onChange={(e) => setGoal(e.target.value as GoalKind)}>
            {(Object.entries(GOALS) as [GoalKind, string][]).map(([k, words]) => (
              <option key={k} value={k}>{words}</option>
            ))}
          </select>
          {named && (
            <select className="select select-sm w-56" aria-label="The group" value={group} onChange={(e) => setGroup(e.target.value)}>
              <option value="">choose a group</option>
              {groups?.rows.map((g) => (
                <option key={g.key} value={g.key.slice('group:'.length)}>{g.name}</option>
              ))}
            </select>
          )}
          <label className="flex items-center gap-2">
            <input type="checkbox" className="checkbox checkbox-xs" checked={plannable} onChange={(e) => setPlannable(e.target.checked)} /> by grants and links alone
          </label>
          <span className="flex-1" />
          <button className="btn btn-sm btn-square btn-ghost" aria-label="Close" onClick={close}><X size={16} aria-hidden /></button>
        </header>
        {pinned.length > 0 && (
          <ul aria-label="What stays as it is" className="flex flex-wrap gap-1.5 border-b border-slate px-4 py-2">
            {pinned.map((p) => (
              <li key={JSON.stringify(p.change)} className="inline-flex items-center rounded border border-slate bg-base-200">
                <span className="px-2 py-0.5"><Pin size={12} aria-hidden className="mr-1 inline" />stays: {p.words}</span>
                <button className="cursor-pointer px-1.5 hover:bg-base-300" aria-label={`Do not pin: ${p.words}`} onClick={() => setPinned(pinned.filter((x) => x !== p))}>×</button>
              </li>
            ))}
          </ul>
        )}
        <div className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="The cuts">
          {error && <div className="p-4"><Trouble error={error} retry={() => void refetch()} /></div>}
          {named && !group && <p className="p-4 text-quiet">Choose the group that the goal is about.</p>}
          {isFetching && !data && <p className="p-4 text-quiet">Working out the least change …</p>}
          {data && !data.met && (
            <div className="p-4">
              <p className="font-semibold">This goal cannot be met: there is a way in that nothing here may cut.</p>
              <p className="mt-1">{data.prevents.join(' → ')}</p>
              <p className="mt-2 text-quiet">Somebody owns it, a group follows from a rule, you pinned what would have to go, or grants and links alone do not do.</p>
            </div>
          )}
          {data?.met && (
            <div className={`grid h-full divide-x divide-slate ${data.cuts.length === 3 ? 'grid-cols-3' : data.cuts.length === 2 ? 'grid-cols-2' : 'grid-cols-1'}`}>
              {data.cuts.map((c) => <One key={c.character} cut={c} pin={(p) => setPinned([...pinned, p])} alone={data.cuts.length === 1} />)}
            </div>
          )}
        </div>
      </div>
    </dialog>
  );
} // prettier-ignore

function One({ cut, pin, alone }: { cut: CutOption; pin: (c: CutChange) => void; alone: boolean }) {
  const { steward } = useSigned();
  const tray = useTrayHas();
  const { pickUp } = usePickUp();
  const entries = cut.changes.flatMap((c) => c.entry ?? []);
  const left = entries.filter((e) => !tray(e));
  const others = cut.changes.filter((c) => !c.entry);
  const heading = alone ? 'The only cut worth telling' : CHARACTER[cut.character];
  return (
    <section aria-label={CHARACTER[cut.character]} className="flex min-w-0 flex-col gap-3 px-4 py-3">
      <header>
        <h3 className="font-bold">{heading}</h3>
        <p>
          {cut.changes.length === 0 ? 'It holds already: nothing has to change.' : (
            <>
              <b>{plural(cut.changes.length, 'change')}</b>, felt by <b>{[cut.members && plural(cut.members, 'member'), cut.external && plural(cut.external, 'outsider')].filter(Boolean).join(' and ') || 'nobody'}</b>
            </>
          )}
        </p>
        <p className="text-quiet">Closes {plural(cut.closes, 'point')} and {plural(cut.findings, 'finding')}, everywhere together.</p>
      </header>
      {steward && left.length > 0 && (
        <button className="btn btn-sm btn-primary" disabled={pickUp.isPending} onClick={() => pickUp.mutate(left)}>
          <Plus size={14} aria-hidden /> Pick up {plural(left.length, 'grant or link', 'grants and links')}
        </button>
      )}
      {entries.length > 0 && left.length === 0 && <p className="font-medium">Its grants and links are in the tray.</p>}
      {others.length > 0 && <p className="text-quiet">{plural(others.length, 'change')} of it {others.length === 1 ? 'is' : 'are'} made in the workspace by hand: plans here withdraw grants and links.</p>}
      {pickUp.error && <Trouble error={pickUp.error} />}
      <ol className="flex flex-col gap-2">
        {cut.changes.map((c) => (
          <li key={JSON.stringify(c.change)} className="border-t border-base-300 pt-2">
            <span className="flex items-start gap-2">
              <span className="min-w-0 flex-1 break-words font-medium">{c.words}</span>
              <button className="btn btn-xs btn-ghost" title="This must stay: find another way" aria-label={`Pin: ${c.words} must not happen`} onClick={() => pin(c)}>
                <Pin size={13} aria-hidden /> stays
              </button>
            </span>
            <span className="block text-quiet">{c.cost ? `takes ${plural(c.cost, 'access', 'accesses')} beyond what the goal asks for; one used lately counts 25` : 'takes nothing beyond what the goal asks for'}</span>
            {c.instead.length > 0 && (
              <details className="text-quiet">
                <summary className="cursor-pointer">Why not something else?</summary>
                <ul>
                  {c.instead.map((x) => (
                    <li key={x.words} className="py-0.5">{x.words}: would take {x.cost.toLocaleString('en')}{x.cost >= c.cost && x.cost > 0 ? ', no less' : ''}</li>
                  ))}
                </ul>
              </details>
            )}
          </li>
        ))}
      </ol>
      {cut.people.length > 0 && (
        <details className="text-quiet">
          <summary className="cursor-pointer">Who would feel it</summary>
          <ul>{cut.people.map((p) => <li key={p.id}>{p.name}{p.kind !== 'member' && ` (${p.kind})`}</li>)}</ul>
        </details>
      )}
      <p className="mt-auto pt-2 text-xs text-quiet">Proven least: a flow of {cut.flow.toLocaleString('en')} through the ways in is what this cut costs.</p>
    </section>
  );
} // prettier-ignore
