/** The least change for some findings: a goal, its cuts side by side, whom each hurts, and why not something else. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Pin, Plus } from 'lucide-react';
import { useState } from 'react';
import type { CutChange, CutOption, CutProgress, KeepOut, PlanGoal } from '../../dto/remedy.ts';
import { ask, send } from '../frame/api.ts';
import { Dialog } from './Dialog.tsx';
import { count, plural, Trouble } from './marks.tsx';
import { Progress } from './Progress.tsx';
import { Picture } from '../drawings/AllRoutes.tsx';
import { useSigned } from '../frame/signed.ts';
import { usePickUp } from '../frame/Tray.tsx';

const GOALS = {
  outside: 'No outside identity reaches them',
  partners: 'Nobody outside but partners reaches them',
  anybody: 'No link or grant for anyone opens them',
  beyond: 'Nobody beyond this group reaches them',
  group: 'This group opens none of them',
  identity: 'This identity reaches none of them',
} as const;
type GoalKind = keyof typeof GOALS;
const CHARACTER = {
  'fewest-hurt': 'Fewest hurt',
  'fewest-changes': 'Fewest changes',
  'at-the-cause': 'At the cause',
} as const;

/** What the flow proves of a cut. */
const PROVEN: Record<CutOption['character'], (value: number) => string> = {
  'fewest-hurt': (value) =>
    value
      ? `Proven: nothing that meets the goal costs less than ${count(value)}`
      : 'Proven: it takes nothing beyond the goal',
  'fewest-changes': (value) => `Proven: the goal cannot be met with fewer than ${plural(value, 'change')}`,
  'at-the-cause': () => 'Proven: nothing that meets the goal is nearer the cause',
};

/** What might meet a goal and is never part of a cut. */
const UNTRIED = {
  gate: 'Not tried: taking people out of a group that a space lets in alone. That may meet the goal.',
  sharing:
    'Not tried: turning external sharing off, because the goal is not about outsiders alone. That may meet it, or a part of it.',
} as const;

const STEPS: Record<CutProgress['step'], string> = {
  ways: 'Looking for every way in',
  'fewest-hurt': 'Finding the cut that hurts fewest',
  'fewest-changes': 'Finding the cut with the fewest changes',
  'at-the-cause': 'Finding the cut at the cause',
  hurt: 'Working out whom the cuts hurt',
};

/** How far it is, once it has taken a second, and a way to stop it. */
function Working({ asked, stop }: { asked: string; stop: () => void }) {
  const { data } = useQuery({ ...ask('/api/cuts', { asked }), enabled: asked !== '', refetchInterval: 700 });
  if (!data) return <p className="p-4 text-quiet">Working out the least change …</p>;
  return (
    <div className="flex items-center gap-3 px-4 py-3">
      <div className="flex-1">
        <p className="mb-1">{STEPS[data.step]} …</p>
        <Progress share={data.done / data.of} of="The least change" />
      </div>
      <button className="btn btn-sm" onClick={stop}>
        Stop
      </button>
    </div>
  );
}

type Pinned = Pick<CutChange, 'change' | 'words'>;

/** Changes as a cut named them, given back. */
type PinnedChanges = Parameters<typeof send<'POST', '/api/cuts'>>[2]['pinned'];

/** For some findings, or some other things that have a name. */
export function Compose({
  rows,
  of = 'findings',
  identity,
  close,
}: {
  rows: { source: string; item: string; summary: { name: string } }[];
  of?: string;
  identity?: { id: string; name: string };
  close: () => void;
}) {
  const [goal, setGoal] = useState<GoalKind>(identity ? 'identity' : 'outside');
  const [group, setGroup] = useState('');
  const [pinned, setPinned] = useState<Pinned[]>([]);
  const [plannable, setPlannable] = useState(true);
  const [character, setCharacter] = useState<CutOption['character']>('fewest-hurt');
  const named = goal === 'beyond' || goal === 'group';
  const { data: groups } = useQuery({
    ...ask('/api/people', { show: 'groups', limit: 500 }),
    enabled: named,
  });
  const keepOut = (
    goal === 'outside'
      ? { outside: true }
      : goal === 'partners'
        ? { outside: true, partnersMay: true }
        : goal === 'anybody'
          ? { anybody: true }
          : goal === 'identity'
            ? { identity: identity!.id }
            : { [goal]: group }
  ) as KeepOut;
  const items = rows.map(({ source, item }) => ({ source, item }));
  const [asked, setAsked] = useState('');
  const queryKey = ['cuts', items, keepOut, pinned.map((p) => p.change), plannable];
  const {
    data: latest,
    error,
    isFetching,
    isPlaceholderData,
    refetch,
  } = useQuery({
    queryKey,
    queryFn: ({ signal }) => {
      const asked = crypto.randomUUID();
      setAsked(asked);
      // who closes the dialog, or asks for something else, waits for it no longer
      signal.addEventListener('abort', () => void send('DELETE', '/api/cuts', { asked }));
      return send('POST', '/api/cuts', {
        items,
        keepOut,
        pinned: pinned.map((p) => p.change) as PinnedChanges,
        plannable,
        asked,
      });
    },
    enabled: !named || group !== '',
    placeholderData: (before) => before,
  });
  // what was asked before stands until there is an answer, and not where the question was stopped
  const data = isPlaceholderData && !isFetching ? undefined : latest;
  const client = useQueryClient();
  const what = rows.length === 1 ? `“${rows[0]!.summary.name}”` : `${count(rows.length)} ${of}`;
  const groupName = groups?.rows.find((g) => g.key === `group:${group}`)?.name;
  const words = `${GOALS[goal]
    .replace('This identity', identity?.name ?? '')
    .replace('this group', `the group “${groupName ?? group}”`)
    .replace('This group', `The group “${groupName ?? group}”`)}: ${what}`.slice(0, 500);
  const cut = data?.met ? (data.cuts.find((c) => c.character === character) ?? data.cuts[0]) : undefined;
  return (
    <Dialog title={<>The least change for {what}</>} size="full" close={close}>
      <div className="flex h-full">
        <section
          aria-label="Goal and what stays"
          className="flex w-[252px] shrink-0 flex-col gap-3 overflow-auto border-r border-slate px-4 py-3"
        >
          <label className="flex flex-col gap-1">
            <span className="font-semibold">Goal</span>
            <select
              className="select select-sm w-full"
              aria-label="The goal"
              value={goal}
              onChange={(e) => setGoal(e.target.value as GoalKind)}
            >
              {(Object.entries(GOALS) as [GoalKind, string][])
                .filter(([k]) => identity || k !== 'identity')
                .map(([k, w]) => (
                  <option key={k} value={k}>
                    {k === 'identity' ? w.replace('This identity', identity!.name) : w}
                  </option>
                ))}
            </select>
          </label>
          {named && (
            <select
              className="select select-sm w-full"
              aria-label="The group"
              value={group}
              onChange={(e) => setGroup(e.target.value)}
            >
              <option value="">choose a group</option>
              {groups?.rows.map((g) => (
                <option key={g.key} value={g.key.slice('group:'.length)}>
                  {g.name}
                </option>
              ))}
            </select>
          )}
          <label className="flex items-start gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs mt-0.5"
              checked={plannable}
              onChange={(e) => setPlannable(e.target.checked)}
            />
            <span>by what the workspaces can be asked to do</span>
          </label>
          {pinned.length > 0 && (
            <div>
              <h3 className="font-semibold">What stays as it is</h3>
              <ul aria-label="What stays as it is" className="flex flex-col gap-1">
                {pinned.map((p) => (
                  <li
                    key={JSON.stringify(p.change)}
                    className="flex items-start rounded border border-slate bg-base-200"
                  >
                    <span className="min-w-0 flex-1 px-2 py-0.5 break-words">
                      <Pin size={12} aria-hidden className="mr-1 inline" />
                      {p.words}
                    </span>
                    <button
                      className="cursor-pointer px-1.5 hover:bg-base-300"
                      aria-label={`Do not pin: ${p.words}`}
                      onClick={() => setPinned(pinned.filter((x) => x !== p))}
                    >
                      ×
                    </button>
                  </li>
                ))}
              </ul>
            </div>
          )}
          <p className="text-quiet">
            One access that a member used in the last 90 days counts as 25 that nobody uses. Owners, and
            groups that follow a rule, are never cut.
          </p>
          {data?.met && data.estimated && (
            <p className="text-quiet">
              More than 300 changes come into question, so their costs are estimates: whoever a change names
              counts, also where they keep access another way. Whom a cut hurts is exact.
            </p>
          )}
        </section>
        <div className="min-w-0 flex-1 overflow-auto" tabIndex={0} aria-label="The cuts">
          {error && (
            <div className="p-4">
              <Trouble error={error} retry={() => void refetch()} />
            </div>
          )}
          {named && !group && <p className="p-4 text-quiet">Choose the group that the goal is about.</p>}
          {isFetching && (
            <Working key={asked} asked={asked} stop={() => void client.cancelQueries({ queryKey })} />
          )}
          {!isFetching && !data && !error && (!named || group) && (
            <p className="flex items-center gap-3 p-4">
              You stopped it.
              <button className="btn btn-sm" onClick={() => void refetch()}>
                Work it out
              </button>
            </p>
          )}
          {data && !data.met && (
            <div className="p-4">
              <p className="font-semibold">
                {data.open
                  ? `No cut can be offered: with the one that was found, ${plural(data.open, 'item')} would stay open.`
                  : 'This goal cannot be met: there is a way in that nothing here may cut.'}
              </p>
              <p className="mt-1">{data.prevents.join(' → ')}</p>
              <p className="mt-2 text-quiet">
                Somebody owns it, a group follows from a rule, you pinned what would have to go, or its
                workspace cannot be asked to change it.
              </p>
              {data.untried.map((u) => (
                <p key={u} className="mt-2">
                  {UNTRIED[u]}
                </p>
              ))}
            </div>
          )}
          {data?.met && cut && (
            <>
              <div
                role="radiogroup"
                aria-label="Alternatives"
                className="grid grid-cols-3 gap-2 border-b border-slate px-4 py-3"
              >
                {data.cuts.map((c) => (
                  <button
                    key={c.character}
                    role="radio"
                    aria-checked={c === cut}
                    onClick={() => setCharacter(c.character)}
                    className={`cursor-pointer rounded border px-3 py-2 text-left ${c === cut ? 'border-base-content bg-base-200' : 'border-slate hover:bg-base-200'}`}
                  >
                    <span className="block font-bold">
                      {data.cuts.length === 1 ? 'The only cut worth showing' : CHARACTER[c.character]}
                    </span>
                    <span className="block">
                      {c.changes.length ? plural(c.changes.length, 'change') : 'nothing has to change'}, felt
                      by {felt(c)}
                    </span>
                    <span className="block text-quiet">
                      takes {c.cost ? plural(c.cost, 'access', 'accesses') : 'nothing'} beyond the goal;
                      closes {plural(c.closes, 'point')}, {plural(c.findings, 'finding')}
                    </span>
                  </button>
                ))}
              </div>
              <Ways key={cut.character} cut={cut} />
              <Changes cut={cut} pin={(p) => setPinned([...pinned, p])} />
            </>
          )}
        </div>
        {cut && <Hurt cut={cut} goal={{ keepOut, items, words }} />}
      </div>
    </Dialog>
  );
}

const felt = (c: CutOption): string =>
  [c.members && plural(c.members, 'member'), c.external && plural(c.external, 'outsider')]
    .filter(Boolean)
    .join(' and ') || 'nobody';

/** The ways in, with what is cut struck. */
function Ways({ cut }: { cut: CutOption }) {
  const [chosen, choose] = useState<string>();
  const { drawing } = cut;
  if (!drawing.nodes.length)
    return <p className="px-4 py-3 text-quiet">The goal is already met: nobody it is about has a way in.</p>;
  const node = drawing.nodes.find((n) => n.id === chosen);
  return (
    <div className="border-b border-slate px-4 py-3">
      <div className="h-72">
        <Picture graph={drawing} chosen={chosen} choose={choose} />
      </div>
      <p className="mt-1 text-quiet">
        {node ? (
          <>
            <b className="text-base-content">{node.label}</b>
            {node.detail && `, ${node.detail}`}
            {node.people &&
              node.people.length > 1 &&
              `: ${node.people.map((p) => p.address).join(', ')}${(node.count ?? 0) > node.people.length ? ' …' : ''}`}
          </>
        ) : (
          'The ways in: who, by which groups, by which grants and links, to what. What is cut is marked. The list below says the same.'
        )}
        {drawing.left.bundles > 0 && ` ${plural(drawing.left.bundles, 'more way')} not drawn.`}
      </p>
    </div>
  );
}

function Changes({ cut, pin }: { cut: CutOption; pin: (c: Pinned) => void }) {
  return (
    <div className="px-4 py-3">
      <ol className="flex flex-col">
        {cut.changes.map((c) => (
          <li key={JSON.stringify(c.change)} className="border-b border-base-300 py-2">
            <span className="flex items-start gap-2">
              <span className="min-w-0 flex-1 font-medium break-words">{c.words}</span>
              <button
                className="btn btn-xs btn-ghost"
                title="This must stay: find another way"
                aria-label={`Pin: ${c.words} must not happen`}
                onClick={() => pin(c)}
              >
                <Pin size={13} aria-hidden /> stays
              </button>
            </span>
            <span className="block text-quiet">
              {c.cost
                ? `takes ${plural(c.cost, 'access', 'accesses')} beyond what the goal asks for`
                : 'takes nothing beyond what the goal asks for'}
            </span>
            {c.cannot && <span className="block text-error">{c.cannot}</span>}
            {c.instead.length > 0 && (
              <details className="text-quiet">
                <summary className="cursor-pointer">Why not something else?</summary>
                <ul>
                  {c.instead.map((x) => (
                    <li key={x.words} className="py-0.5">
                      {x.words}: would take {count(x.cost)}
                      {x.cost >= c.cost && x.cost > 0 ? ', no less' : ''}
                    </li>
                  ))}
                </ul>
              </details>
            )}
          </li>
        ))}
      </ol>
      <p className="pt-2 text-xs text-quiet">
        {cut.least
          ? `${PROVEN[cut.character](cut.value)} (by maximum flow).`
          : 'It meets the goal and needs each of its changes; that nothing less would do is not proven.'}
      </p>
    </div>
  );
}

/** Who would feel it, and picking it up. */
function Hurt({ cut, goal }: { cut: CutOption; goal: PlanGoal }) {
  const { steward } = useSigned();
  const { pickUp, has } = usePickUp(goal);
  const makeable = cut.changes.flatMap((c) => (c.planned && !c.cannot ? c.planned : []));
  const left = makeable.filter((p) => !has(p));
  const byHand = cut.changes.length - makeable.length;
  const members = cut.people.filter((p) => p.kind === 'member');
  const others = cut.people.filter((p) => p.kind !== 'member');
  return (
    <section
      aria-label="Who would feel it"
      className="flex w-[232px] shrink-0 flex-col gap-2 overflow-auto border-l border-slate px-4 py-3"
    >
      <h3 className="font-bold">
        {cut.members
          ? `${plural(cut.members, 'member')} would lose something`
          : 'No member would lose anything'}
      </h3>
      {steward && left.length > 0 && (
        <button
          className="btn btn-sm btn-primary"
          disabled={pickUp.isPending}
          onClick={() => pickUp.mutate(left)}
        >
          <Plus size={14} aria-hidden /> Pick up {plural(left.length, 'change')}
        </button>
      )}
      {makeable.length > 0 && left.length === 0 && (
        <p className="font-medium">It is in the tray, with its goal.</p>
      )}
      {byHand > 0 && (
        <p className="text-quiet">{plural(byHand, 'change')} of it cannot be asked of the workspace.</p>
      )}
      {pickUp.error && <Trouble error={pickUp.error} />}
      <ul>
        {members.map((p) => (
          <li key={p.id} className="border-b border-base-300 py-0.5">
            {p.name}
          </li>
        ))}
      </ul>
      {cut.members > members.length && (
        <p className="text-quiet">and {count(cut.members - members.length)} more</p>
      )}
      {cut.external > 0 && (
        <>
          <h3 className="mt-2 font-semibold">
            {plural(cut.external, 'outsider')}, which is what the goal is for
          </h3>
          <ul className="text-quiet">
            {others.map((p) => (
              <li key={p.id} className="truncate py-0.5" title={`${p.address} (${p.kind})`}>
                {p.address}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
