import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { Account, ChangeState, Course, PlanDetail, PlanRow, Preview } from '../../services/dto.ts';
import { api } from '../api.ts';
import { Beam, Empty, plural, State, Trouble, When } from '../marks.tsx';
import { Shell } from '../Shell.tsx';
import { useRefresh, useSigned } from '../signed.ts';
import { losersWords } from '../Tray.tsx';
import { useUrl } from '../url.ts';
import { CHANGE_WORDS, entryWords, PLAN_WORDS } from '../words.ts';

export default function Plans({ account, search }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/remedy/plans">
      <View search={search} />
    </Shell>
  );
}

const PLAN_ICON = {
  draft: 'waiting',
  applying: 'running',
  applied: 'done',
  undoing: 'running',
  undone: 'back',
  discarded: 'back',
} as const;

function View({ search }: { search: string }) {
  const [params, set] = useUrl(search);
  const { data: plans, error } = useQuery({
    queryKey: ['plans'],
    queryFn: () => api<PlanRow[]>('GET', '/api/plans'),
  });
  const chosen = params.get('plan') ? Number(params.get('plan')) : plans?.[0]?.id;
  if (error) return <Trouble error={error} />;
  if (plans?.length === 0)
    return (
      <Empty
        action={
          <a className="btn btn-primary btn-sm" href="/exposure/findings">
            Go to Exposure › Findings
          </a>
        }
      >
        Here you will see every plan: what it changes, who would lose what, what came of it, and the way back.
        Pick up changes from a finding to make the first.
      </Empty>
    );
  return (
    <div className="flex h-full">
      <section aria-label="Plans" className="w-[320px] shrink-0 overflow-auto border-r border-slate">
        <h1 className="px-4 pb-1 pt-2.5 text-base font-bold">Plans</h1>
        <ul>
          {plans?.map((p) => (
            <li key={p.id}>
              <button
                aria-current={p.id === chosen}
                onClick={() => set({ plan: String(p.id) }, 'push')}
                className={`block w-full cursor-pointer border-b border-base-300 px-4 py-2 text-left ${p.id === chosen ? 'bg-base-300' : 'hover:bg-base-200'}`}
              >
                <span className="block truncate font-medium">{p.name}</span>
                <span className="flex justify-between text-quiet">
                  <State
                    icon={
                      p.troubled && (p.state === 'applied' || p.state === 'undone')
                        ? 'trouble'
                        : PLAN_ICON[p.state]
                    }
                  >
                    {PLAN_WORDS[p.state]}
                    {p.troubled > 0 &&
                      (p.state === 'applied' || p.state === 'undone') &&
                      `, ${p.troubled} to look at`}
                  </State>
                  <When at={p.finishedAt ?? p.madeAt} />
                </span>
              </button>
            </li>
          ))}
        </ul>
      </section>
      <div className="min-w-0 flex-1 overflow-auto">
        {chosen !== undefined && <Plan key={chosen} id={chosen} />}
      </div>
    </div>
  );
}

function Plan({ id }: { id: number }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const { data: plan, error } = useQuery({
    queryKey: ['plan', id],
    queryFn: () => api<PlanDetail>('GET', `/api/plans/${id}`),
  });
  const { data: course } = useQuery({
    queryKey: ['course'],
    queryFn: () => api<Course>('GET', '/api/course'),
  });
  const act = useMutation({
    mutationFn: (name: string) => api('POST', `/api/plans/${id}`, { act: name }),
    onSettled: refresh,
  });
  const [asked, setAsked] = useState(false);
  if (error) return <Trouble error={error} />;
  if (!plan) return null;
  const { preview: p } = plan;
  const old = plan.state === 'draft' && !!course?.survey.id && course.survey.id !== p.survey;
  const finished = plan.state === 'applied' || plan.state === 'undone';
  const retryable =
    finished &&
    plan.list.some((c) =>
      ['failed', 'undo-failed', 'sending', 'sent', 'undo-sending', 'undo-sent'].includes(c.state),
    );
  const gone = plan.list.filter((c) => c.state === 'verified').length;
  const button = (name: string, label: string, look = '') => (
    <button className={`btn btn-sm ${look}`} disabled={act.isPending} onClick={() => act.mutate(name)}>
      {label}
    </button>
  );
  return (
    <article className="px-5 pb-6 pt-2.5">
      <div className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="text-base font-bold">{plan.name}</h2>
          <p className="text-quiet">
            plan {plan.id}, made by {plan.madeBy}, <When at={plan.madeAt} />
            {plan.reason && <>: {plan.reason}</>}
          </p>
        </div>
        {steward && plan.state === 'draft' && (
          <div className="flex gap-2">
            {button('discard', 'Discard')}
            {old
              ? button('renew', 'Make the preview anew', 'btn-primary')
              : button('apply', `Withdraw ${kinds(plan)}`, 'btn-primary')}
          </div>
        )}
        {steward && finished && (
          <div className="flex gap-2">
            {retryable && button('retry', 'Try again what is left')}
            {plan.state === 'applied' &&
              gone > 0 &&
              (asked ? (
                button('undo', `Yes, put back ${plural(gone, 'change')}`, 'btn-error')
              ) : (
                <button className="btn btn-sm" onClick={() => setAsked(true)}>
                  Undo
                </button>
              ))}
          </div>
        )}
      </div>
      <Timeline plan={plan} />
      {act.error && <Trouble error={act.error} />}
      {old && (
        <p className="mt-2 border-l-2 border-base-content px-3">
          Survey {course.survey.id} is newer than this preview (survey {p.survey}). Make the preview anew
          before applying.
        </p>
      )}

      <p className="mt-3 text-base">
        <b>{plan.state === 'draft' ? losersWords(p) : past(plan, losersWords(p))}</b>{' '}
        <span className="text-quiet">
          {plan.state === 'undone'
            ? 'What was foreseen when it was applied stands below.'
            : `${plural(p.itemsChanged, 'item')} of ${p.itemsTouched.toLocaleString('en')} touched ${p.itemsChanged === 1 ? 'changes' : 'change'} in reach; exposure ${p.pointsBefore.toLocaleString('en')} → ${p.pointsAfter.toLocaleString('en')} points.`}
        </span>
      </p>

      <Heading>Changes</Heading>
      <table className="w-full">
        <tbody>
          {plan.list.map((c) => (
            <tr key={c.id} className="border-b border-base-300 align-top">
              <td className="py-1.5 pr-3">
                Withdraw {entryWords(c.entry)}
                {c.note && <div className="text-quiet">{c.note}</div>}
              </td>
              <td className="w-56 py-1.5">
                <State icon={changeIcon(c.state)}>{CHANGE_WORDS[c.state]}</State>
              </td>
              <td className="w-28 py-1.5 text-right text-quiet">
                {c.changedAt && <When at={c.changedAt} />}
              </td>
            </tr>
          ))}
          {p.missing.map((m) => (
            <tr key={m.id} className="border-b border-base-300 text-quiet">
              <td className="py-1.5" colSpan={3}>
                The {m.kind} <span className="font-mono">{m.id}</span> is not in the newest survey any more.
              </td>
            </tr>
          ))}
        </tbody>
      </table>

      <Heading>Who loses what</Heading>
      {p.people.length === 0 && (
        <p className="text-quiet">
          No known identity holds any of this now
          {p.anybody ? '; anybody who would have followed the link no longer could' : ''}.
        </p>
      )}
      {p.people.length > 0 && (
        <table className="w-full">
          <thead>
            <tr className="h-7 border-b border-slate text-left text-xs text-quiet">
              <th className="font-semibold">Identity</th>
              <th className="w-24 font-semibold">Kind</th>
              <th className="w-64 font-semibold">Can no longer</th>
              <th className="w-28 text-right font-semibold">Items lost</th>
              <th className="w-28 text-right font-semibold">Items reduced</th>
            </tr>
          </thead>
          <tbody>
            {p.people.map((x) => (
              <tr key={x.id} className="h-8 border-b border-base-300">
                <td className="pr-3">
                  <span className="font-medium">{x.name}</span>{' '}
                  {x.address !== x.name && <span className="text-quiet">{x.address}</span>}
                </td>
                <td>{x.kind}</td>
                <td className="truncate">{x.capabilities.join(', ')}</td>
                <td className="text-right">{x.loses.toLocaleString('en')}</td>
                <td className="text-right">{x.reduced.toLocaleString('en')}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ItemsTable preview={p} />
    </article>
  );
}

const Heading = ({ children }: { children: ReactNode }) => (
  <h3 className="mb-1 mt-5 font-semibold">{children}</h3>
);

const kinds = (plan: PlanDetail): string => {
  const links = plan.list.filter((c) => c.entry.kind === 'link').length;
  const grants = plan.list.length - links;
  return [links && plural(links, 'link'), grants && plural(grants, 'grant')].filter(Boolean).join(' and ');
};

const changeIcon = (s: ChangeState) =>
  s === 'planned'
    ? 'waiting'
    : s === 'verified' || s === 'already-gone'
      ? 'done'
      : s === 'undone'
        ? 'back'
        : s.endsWith('unexpected')
          ? 'trouble'
          : s.endsWith('failed')
            ? 'failed'
            : 'running';

/** The same sentence about what was foreseen. */
const past = (plan: PlanDetail, words: string): string =>
  plan.state === 'discarded'
    ? `Foreseen: ${words}`
    : plan.state === 'undone'
      ? `${plural(plan.list.filter((c) => c.state === 'undone').length, 'change')} put back: who lost access by ${plan.list.length === 1 ? 'it' : 'them'} has it again.`
      : `As foreseen: ${words.replace('would lose', 'lost').replace('would too', 'did too').replace('inside does', 'inside did').replace('loses', 'lost')}`;

function Timeline({ plan }: { plan: PlanDetail }) {
  const done = plan.list.filter((c) => c.state !== 'planned').length;
  const verified = plan.list.filter((c) => c.state === 'verified' || c.state === 'already-gone').length;
  const undone = plan.list.filter((c) => c.state === 'undone').length;
  const backwards = plan.state === 'undoing' || plan.state === 'undone';
  const marks: [string, string | null, boolean][] = [
    ['made', plan.madeAt, true],
    [
      plan.state === 'applying' ? `applying ${done} of ${plan.changes}` : 'applied',
      plan.appliedAt,
      plan.appliedAt !== null,
    ],
    [
      backwards ? 'was verified' : `verified ${verified} of ${plan.changes}`,
      plan.state === 'applied' ? plan.finishedAt : null,
      plan.state === 'applied' || backwards,
    ],
    [
      backwards ? `put back ${undone} of ${plan.changes}` : 'undone',
      plan.state === 'undone' ? plan.finishedAt : null,
      plan.state === 'undone',
    ],
  ];
  return (
    <ol className="mt-3 flex" aria-label="The plan’s life">
      {marks.map(([name, at, on], i) => (
        <li key={i} className="relative flex-1 pt-4">
          {i < marks.length - 1 && (
            <span
              aria-hidden
              className={`absolute left-1.5 top-[5px] w-full border-t-2 ${marks[i + 1]![2] ? 'border-base-content' : 'border-slate'}`}
            />
          )}
          <span
            aria-hidden
            className={`absolute left-0 top-0 size-3 rounded-full border-2 ${on ? 'border-base-content bg-base-content' : 'border-slate bg-base-100'}`}
          />
          <span className={on ? 'font-medium' : 'text-quiet'}>{name}</span>
          <span className="block text-xs text-quiet">{at ? <When at={at} /> : ' '}</span>
        </li>
      ))}
    </ol>
  );
}

function ItemsTable({ preview: p }: { preview: Preview }) {
  if (p.items.length === 0) return null;
  return (
    <>
      <Heading>Items whose reach changes</Heading>
      <table className="w-full table-fixed">
        <thead>
          <tr className="h-7 border-b border-slate text-left text-xs text-quiet">
            <th className="font-semibold">Item</th>
            <th className="w-66 font-semibold">Before</th>
            <th className="w-66 font-semibold">After</th>
            <th className="w-24 text-right font-semibold">Points</th>
          </tr>
        </thead>
        <tbody>
          {p.items.slice(0, 100).map((x) => (
            <tr key={`${x.source}${x.item}`} className="h-8 border-b border-base-300">
              <td className="truncate pr-3" title={x.name}>
                <span className="font-medium">{x.name}</span> <span className="text-quiet">{x.space}</span>
              </td>
              <td>
                <Beam now={x.before.now} could={x.before.could} />
              </td>
              <td>
                <Beam now={x.after.now} could={x.after.could} />
              </td>
              <td className="text-right">
                {x.before.points} → {x.after.points}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {p.itemsChanged > 100 && (
        <p className="mt-1 text-quiet">
          The {Math.min(100, p.items.length)} that close the most points, of{' '}
          {p.itemsChanged.toLocaleString('en')}.
        </p>
      )}
    </>
  );
}
