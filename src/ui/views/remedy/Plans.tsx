/** Remedy › Plans: each plan from draft to proof: what it changes, who loses what, what came of it, and the way back. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import type {
  ChangeState,
  PlanChange,
  PlanDetail,
  PlanEvent,
  PlanRow,
  PlanState,
  Preview,
} from '../../../dto/remedy.ts';
import { withQuery, ask, send } from '../../frame/api.ts';
import { Conditions, FilterBox } from '../../parts/filter.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { Limits } from '../../parts/Limits.tsx';
import { Beam, Empty, plural, State, Trouble, Weight, When } from '../../parts/marks.tsx';
import { Progress } from '../../parts/Progress.tsx';
import { whenWords } from '../../parts/dates.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { losersWords } from '../../frame/Tray.tsx';
import { useUrl } from '../../frame/url.ts';
import { CHANGE_WORDS, PLAN_WORDS } from '../../parts/words.ts';

export default function Plans({ account, search }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/remedy/plans">
      <View search={search} />
    </Shell>
  );
}

const PLAN_ICON: Record<PlanState, 'waiting' | 'running' | 'done' | 'back' | 'later'> = {
  draft: 'waiting',
  asked: 'later',
  approved: 'waiting',
  scheduled: 'later',
  applying: 'running',
  applied: 'done',
  undoing: 'running',
  undone: 'back',
  discarded: 'back',
};
const ENDED: readonly PlanState[] = ['applied', 'undone'];

/** How a plan stands, in a few words. */
function stands(p: PlanRow): string {
  if (p.halt === 'paused') return 'paused in the middle';
  if (p.state === 'scheduled' && p.scheduledFor) return `will be applied ${whenWords(p.scheduledFor)}`;
  const look = ENDED.includes(p.state) ? p.troubled + p.drifted + p.unmet : 0;
  const done = p.state === 'applying' || p.state === 'undoing' ? ` ${p.verified} of ${p.changes}` : '';
  return `${PLAN_WORDS[p.state]}${done}${look ? `, ${look} to look at` : ''}`;
}

function View({ search }: { search: string }) {
  const [params, set] = useUrl(search);
  const where = params.get('where') ?? undefined;
  const text = params.get('text') ?? undefined;
  const { data, error } = useQuery({
    ...ask('/api/plans', { text, where }),
    placeholderData: (before) => before,
  });
  const plans = data?.rows;
  const chosen = params.get('plan') ? Number(params.get('plan')) : plans?.[0]?.id;
  if (error) return <Trouble error={error} />;
  if (plans?.length === 0 && !where && !text)
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
      <section aria-label="Plans" className="flex w-[300px] shrink-0 flex-col border-r border-slate">
        <div className="flex items-center gap-2 px-4 pb-1.5 pt-2.5">
          <h1 className="flex-1 text-base font-bold">Plans</h1>
          <ExportMenu table="plans" query={{ text, where }} />
          <Limits />
        </div>
        <div className="px-4 pb-2">
          <FilterBox
            value={text}
            set={set}
            label="Find in plans"
            placeholder="find …"
            table="plans"
            where={where}
          />
        </div>
        <Conditions where={where} set={set} />
        <ul className="min-h-0 flex-1 overflow-auto border-t border-base-300">
          {plans?.length === 0 && <li className="px-4 py-2 text-quiet">No plan fits.</li>}
          {plans?.map((p) => (
            <li key={p.id}>
              <button
                aria-current={p.id === chosen}
                onClick={() => set({ plan: String(p.id) }, 'push')}
                className={`block w-full cursor-pointer border-b border-base-300 px-4 py-2 text-left ${p.id === chosen ? 'bg-base-300' : 'hover:bg-base-200'}`}
              >
                <span className="block truncate font-medium">{p.name}</span>
                <span className="flex justify-between gap-2 text-quiet">
                  <State
                    icon={
                      p.halt === 'paused'
                        ? 'waiting'
                        : ENDED.includes(p.state) && p.troubled + p.drifted + p.unmet
                          ? 'trouble'
                          : PLAN_ICON[p.state]
                    }
                  >
                    {stands(p)}
                  </State>
                  <span className="shrink-0">
                    <When at={p.finishedAt ?? p.madeAt} />
                  </span>
                </span>
              </button>
            </li>
          ))}
        </ul>
      </section>
      <div className="min-w-0 flex-1 overflow-auto" tabIndex={0} aria-label="The plan">
        {chosen !== undefined && <Plan key={chosen} id={chosen} />}
      </div>
    </div>
  );
}

function Plan({ id }: { id: number }) {
  const { data: plan, error } = useQuery(ask('/api/plans/[id]', { id: id }));
  if (error) return <Trouble error={error} />;
  if (!plan) return null;
  const { preview: p } = plan;
  const begun = !OPEN.includes(plan.state);
  return (
    <article className="px-5 pb-6 pt-2.5">
      <Head plan={plan} />
      <Timeline plan={plan} />
      {plan.note && <Said>{plan.note}</Said>}
      {plan.moved && plan.moved.length > 0 && (
        <Said>
          The workspaces have moved on since this preview: {plan.moved.join('; ')}. Make the preview anew,
          look at it, then apply.
        </Said>
      )}
      {plan.moved?.length === 0 && (
        <p className="mt-2 text-quiet">A newer survey sees the same, so this preview holds for it too.</p>
      )}
      {plan.approval && <ApprovalBox plan={plan} />}
      <p className="mt-3 text-base">
        <b>{begun ? past(plan, losersWords(p)) : losersWords(p)}</b>{' '}
        <span className="text-quiet">
          {`${plural(p.itemsChanged, 'item')} of ${p.itemsTouched.toLocaleString('en')} touched ${p.itemsChanged === 1 ? 'changes' : 'change'} in reach; exposure ${p.pointsBefore.toLocaleString('en')} → ${p.pointsAfter.toLocaleString('en')} points.`}
        </span>
      </p>
      <Proof plan={plan} />
      <ChangesTable plan={plan} />
      <PeopleTable preview={p} begun={begun} />
      <Keeping preview={p} />
      <SpacesTable preview={p} />
      <ItemsTable preview={p} />
      <Messages preview={p} begun={begun} />
      <Life events={plan.events} />
    </article>
  );
}

const OPEN: readonly PlanState[] = ['draft', 'asked', 'approved', 'scheduled'];
const RETRYABLE: readonly ChangeState[] = [
  'failed',
  'left',
  'undo-failed',
  'sending',
  'sent',
  'undo-sending',
  'undo-sent',
];

type Acts = Parameters<typeof send<'POST', '/api/plans/[id]'>>[2];
/** What can be done with a plan, without its number. */
type Body = Acts extends infer A ? (A extends unknown ? Omit<A, 'id'> : never) : never;
type Act = (body: Body) => void;
function useAct(id: number): { act: Act; pending: boolean; error: Error | null } {
  const refresh = useRefresh();
  const m = useMutation({
    mutationFn: (body: Body) => send('POST', '/api/plans/[id]', { ...body, id }),
    onSettled: refresh,
  });
  return { act: m.mutate, pending: m.isPending, error: m.error };
}

/** What it is called, why, and what can be done with it now. */
function Head({ plan }: { plan: PlanDetail }) {
  const { steward, live } = useSigned();
  const step = live.plan?.subject === plan.id ? live.plan.steps[0] : undefined;
  const { act, pending, error } = useAct(plan.id);
  const [asked, setAsked] = useState<'undo' | 'cancel'>();
  const [timing, setTiming] = useState(false);
  useEffect(() => setAsked(undefined), [plan.state]);
  const button = (name: Body['act'], label: string, look = '', more: object = {}) => (
    <button
      className={`btn btn-sm ${look}`}
      disabled={pending}
      onClick={() => act({ act: name, ...more } as Body)}
    >
      {label}
    </button>
  );
  const old = (plan.moved?.length ?? 0) > 0;
  const needs = plan.approval !== null && plan.approval.approved !== true;
  const running = plan.state === 'applying' || plan.state === 'undoing';
  const done = plan.list.filter((c) => c.state === 'verified').length;
  return (
    <>
      <div className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="text-base font-bold break-words">{plan.name}</h2>
          <p className="text-quiet">
            plan {plan.id}, made by {plan.madeBy}, <When at={plan.madeAt} />
            {plan.reason && <>: {plan.reason}</>}
          </p>
        </div>
        <div className="flex max-w-[60%] flex-wrap justify-end gap-2">
          {steward && OPEN.includes(plan.state) && (
            <>
              {button('discard', 'Discard')}
              {old ? (
                button('renew', 'Make the preview anew', 'btn-primary')
              ) : plan.state === 'asked' ? null : needs ? (
                button('ask', 'Ask a second steward', 'btn-primary')
              ) : (
                <>
                  {plan.state === 'scheduled' ? (
                    button('unschedule', 'Take the time away')
                  ) : (
                    <button className="btn btn-sm" aria-expanded={timing} onClick={() => setTiming(!timing)}>
                      At a time …
                    </button>
                  )}
                  {button('apply', `Apply ${plural(plan.changes, 'change')} now`, 'btn-primary')}
                </>
              )}
            </>
          )}
          {steward && running && plan.halt === null && button('pause', 'Pause')}
          {steward && running && plan.halt === 'paused' && button('goOn', 'Go on', 'btn-primary')}
          {steward &&
            running &&
            plan.halt !== 'cancelled' &&
            (asked === 'cancel' ? (
              button(
                'cancel',
                `Yes, end it: ${plural(plan.list.filter((c) => c.state === 'planned' || c.state === 'undo-planned').length, 'change')} left`,
                'btn-error',
              )
            ) : (
              <button className="btn btn-sm" onClick={() => setAsked('cancel')}>
                End it here …
              </button>
            ))}
          {steward &&
            ENDED.includes(plan.state) &&
            plan.list.some((c) => RETRYABLE.includes(c.state)) &&
            button('retry', 'Try again what is left')}
          {steward &&
            plan.state === 'applied' &&
            done > 0 &&
            (asked === 'undo' ? (
              button('undo', `Yes, put back ${plural(done, 'change')}`, 'btn-error')
            ) : (
              <button className="btn btn-sm" onClick={() => setAsked('undo')}>
                Undo
              </button>
            ))}
          {plan.appliedAt && (
            <a
              className="btn btn-sm"
              href={`/api/evidence/${plan.id}`}
              title="What was changed and what came of it, signed: gl evidence verify checks it without us"
            >
              Signed evidence
            </a>
          )}
        </div>
      </div>
      {running && step?.total && (
        <div className="mt-2 flex items-center gap-3">
          <Progress share={step.done / step.total} of={`${step.name} ${plan.name}`} />
          <span className="shrink-0 text-quiet">
            {step.done.toLocaleString('en')} of {plural(step.total, 'change')}
          </span>
        </div>
      )}
      {timing && OPEN.includes(plan.state) && (
        <AtATime
          pending={pending}
          close={() => setTiming(false)}
          choose={(at) => {
            act({ act: 'schedule', at });
            setTiming(false);
          }}
        />
      )}
      {error && (
        <div className="mt-2">
          <Trouble error={error} />
        </div>
      )}
    </>
  );
}

/** Sets a time, the steward's own, in this browser's zone. */
function AtATime({
  choose,
  pending,
  close,
}: {
  choose: (at: string) => void;
  pending: boolean;
  close: () => void;
}) {
  const tonight = new Date();
  tonight.setHours(22, 0, 0, 0);
  if (tonight < new Date()) tonight.setDate(tonight.getDate() + 1);
  const local = (d: Date): string =>
    new Date(d.getTime() - d.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
  const [at, setAt] = useState(local(tonight));
  return (
    <form
      className="mt-2 flex flex-wrap items-center gap-2 border-l-2 border-base-content px-3 py-1"
      onSubmit={(e) => {
        e.preventDefault();
        choose(new Date(at).toISOString());
      }}
    >
      <label className="flex items-center gap-2">
        Apply on
        <input
          type="datetime-local"
          className="input input-sm w-56"
          value={at}
          min={local(new Date())}
          required
          onChange={(e) => setAt(e.target.value)}
        />
      </label>
      <button className="btn btn-sm btn-primary" disabled={pending || !at}>
        Set the time
      </button>
      <button type="button" className="btn btn-sm btn-ghost" onClick={close}>
        Not now
      </button>
      <span className="text-quiet">
        If the workspaces have moved on by then, it does not begin and says so.
      </span>
    </form>
  );
}

const Said = ({ children }: { children: ReactNode }) => (
  <p className="mt-2 border-l-2 border-base-content px-3">{children}</p>
);

/** Why a second steward is wanted, and what they said. */
function ApprovalBox({ plan }: { plan: PlanDetail }) {
  const { steward, account } = useSigned();
  const { act, pending, error } = useAct(plan.id);
  const [said, setSaid] = useState('');
  const a = plan.approval!;
  const mine = plan.madeBy === account.address || a.askedBy === account.address;
  const decide = (approved: boolean) => act({ act: 'decide', approved, said, survey: plan.survey });
  return (
    <section aria-label="Approval" className="mt-3 border border-slate px-3 py-2">
      <p>
        <b>
          {a.approved
            ? `Approved by ${a.by}`
            : plan.state === 'asked'
              ? 'Waits for a second steward'
              : a.approved === false
                ? `${a.by} did not approve it`
                : 'Needs a second steward'}
        </b>
        {a.approved !== undefined && a.at && (
          <span className="text-quiet">
            {' '}
            <When at={a.at} />
          </span>
        )}
        : {a.wants.join('; ')}.
      </p>
      {a.said && <p className="text-quiet">“{a.said}”</p>}
      {plan.state === 'asked' && steward && mine && (
        <p className="text-quiet">You made it or asked for it, so another steward decides.</p>
      )}
      {plan.state === 'asked' && steward && !mine && (
        <div className="mt-1 flex flex-wrap items-center gap-2">
          <input
            className="input input-sm min-w-56 flex-1"
            aria-label="What you say to it"
            placeholder="what you say to it, for the ledger"
            maxLength={2000}
            value={said}
            onChange={(e) => setSaid(e.target.value)}
          />
          <button className="btn btn-sm" disabled={pending} onClick={() => decide(false)}>
            Do not approve
          </button>
          <button className="btn btn-sm btn-primary" disabled={pending} onClick={() => decide(true)}>
            Approve this preview
          </button>
        </div>
      )}
      {error && <Trouble error={error} />}
    </section>
  );
}

/** Which goals hold, and what exposure is left, by computation on what was read back. */
function Proof({ plan }: { plan: PlanDetail }) {
  const { proof, goals } = plan;
  if (!proof && !goals.length) return null;
  return (
    <section aria-label="Proof">
      <Heading>{proof ? 'What holds now, worked out on what was read back' : 'What it is to reach'}</Heading>
      <ul>
        {proof ? (
          <>
            {proof.goals.map((g) => (
              <li key={g.words} className="py-0.5">
                <span className="flex flex-wrap items-center gap-x-2">
                  <State icon={g.holds ? 'done' : 'trouble'}>
                    {g.holds ? 'holds' : `does not hold on ${g.open} of ${g.items}`}
                  </State>
                  <b>{g.words}</b>
                </span>
                {g.ways.length > 0 && (
                  <ul className="pl-6 text-quiet">
                    {g.ways.map((w) => (
                      <li key={w}>{w}</li>
                    ))}
                  </ul>
                )}
              </li>
            ))}
            <li className="py-0.5">
              Exposure of the items that it touches:{' '}
              <b>
                {proof.pointsBefore.toLocaleString('en')} → {proof.pointsAfter.toLocaleString('en')} points
              </b>{' '}
              <span className="text-quiet">as of survey {proof.survey}</span>
            </li>
          </>
        ) : (
          goals.map((g) => (
            <li key={g.words} className="py-0.5 font-medium">
              {g.words}
            </li>
          ))
        )}
      </ul>
    </section>
  );
}

const Heading = ({ children }: { children: ReactNode }) => (
  <h3 className="mb-1 mt-5 font-semibold">{children}</h3>
);

const changeIcon = (s: ChangeState) =>
  s === 'planned' || s === 'undo-planned' || s === 'left'
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

/** So many changes are told before who loses what. */
const FIRST = 8;

function ChangesTable({ plan }: { plan: PlanDetail }) {
  const { steward } = useSigned();
  const { act, pending, error } = useAct(plan.id);
  const [all, setAll] = useState(false);
  // what is as it should be can wait; what wants looking at does not
  const shown = all ? plan.list : plan.list.filter((c, i) => i < FIRST || c.drift || c.note !== null);
  return (
    <>
      <Heading>Changes</Heading>
      {error && <Trouble error={error} />}
      <table className="w-full">
        <tbody>
          {shown.map((c) => (
            <tr key={c.id} className="border-b border-base-300 align-top">
              <td className="py-1.5 pr-3 break-words">
                {c.words}
                {c.note && <div className="text-quiet">{c.note}</div>}
                {c.drift && (
                  <div className="text-error">
                    Came back{c.drift.by && `, by ${c.drift.by}`}: {c.drift.words} (survey {c.drift.survey}).
                  </div>
                )}
                <Versions change={c} />
              </td>
              <td className="w-52 py-1.5">
                <State icon={c.drift ? 'trouble' : changeIcon(c.state)}>
                  {c.drift ? 'came back' : CHANGE_WORDS[c.state]}
                </State>
              </td>
              <td className="w-24 py-1.5 text-right text-quiet">
                {c.changedAt && <When at={c.changedAt} />}
              </td>
              <td className="w-24 py-1 text-right">
                {steward && plan.state === 'applied' && c.state === 'verified' && plan.list.length > 1 && (
                  <button
                    className="btn btn-xs btn-ghost"
                    disabled={pending}
                    aria-label={`Undo: ${c.words}`}
                    onClick={() => act({ act: 'undo', changes: [c.id] })}
                  >
                    Undo this
                  </button>
                )}
              </td>
            </tr>
          ))}
          {plan.preview.missing.map((m) => (
            <tr key={m.id} className="border-b border-base-300 text-quiet">
              <td className="py-1.5" colSpan={4}>
                The {m.kind} <span className="font-mono">{m.id}</span> is not in the newest survey any more.
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {plan.list.length > shown.length && (
        <button className="btn btn-xs btn-ghost mt-1" onClick={() => setAll(true)}>
          Show all {plan.list.length.toLocaleString('en')}
        </button>
      )}
    </>
  );
}

/** Both versions of an object that was not as expected. */
function Versions({ change }: { change: PlanChange }) {
  if (!change.differences.length) return null;
  return (
    <table className="mt-1 text-quiet" aria-label="Both versions">
      <thead>
        <tr className="text-left text-xs">
          <th className="pr-4 font-semibold">field</th>
          <th className="pr-4 font-semibold">expected</th>
          <th className="font-semibold">found</th>
        </tr>
      </thead>
      <tbody>
        {change.differences.map((d) => (
          <tr key={d.field} className="align-top">
            <td className="pr-4">{d.field}</td>
            <td className="pr-4 font-mono break-all">{d.expected}</td>
            <td className="font-mono break-all text-base-content">{d.found}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function PeopleTable({ preview: p, begun }: { preview: Preview; begun: boolean }) {
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
          Show {p.people.length.toLocaleString('en')}
        </button>
      )}
      {total > p.people.length && (
        <p className="mt-1 text-quiet">
          The first {p.people.length.toLocaleString('en')} of {total.toLocaleString('en')}.
        </p>
      )}
    </>
  );
}

function Keeping({ preview: p }: { preview: Preview }) {
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
        {p.keeping > p.keep.length && <li>and {(p.keeping - p.keep.length).toLocaleString('en')} more</li>}
      </ul>
    </details>
  );
}

function SpacesTable({ preview: p }: { preview: Preview }) {
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

function ItemsTable({ preview: p }: { preview: Preview }) {
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
              <td className="text-right">{x.losing.toLocaleString('en')}</td>
              <td className="text-right">
                {x.before.points} → {x.after.points}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {p.items.length > shown.length && (
        <button className="btn btn-xs btn-ghost mt-1" onClick={() => setAll(true)}>
          Show {p.items.length.toLocaleString('en')}
        </button>
      )}
      {p.itemsChanged > p.items.length && (
        <p className="mt-1 text-quiet">
          The {p.items.length} that close the most points, of {p.itemsChanged.toLocaleString('en')}.
        </p>
      )}
    </>
  );
}

function Messages({ preview: p, begun }: { preview: Preview; begun: boolean }) {
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

const EVENT_WORDS: Record<string, string> = {
  made: 'made',
  'preview-renewed': 'preview made anew',
  asked: 'a second steward asked',
  approved: 'approved',
  draft: 'back to draft',
  scheduled: 'given a time',
  applying: 'applying began',
  applied: 'applied and read back',
  paused: 'paused',
  resumed: 'went on',
  cancelled: 'ended early',
  'taken-up': 'taken up again after the application had ended',
  undoing: 'undoing began',
  undone: 'undone and read back',
  discarded: 'discarded',
  'goal-broken': 'a survey found that a goal does not hold any more',
};

/** Everything that was done with it, from its ledger entries. */
function Life({ events }: { events: PlanEvent[] }) {
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-semibold">
        Its life on the ledger, {plural(events.length, 'entry', 'entries')}
      </summary>
      <ol className="mt-1">
        {events.map((e, i) => (
          <li key={i} className="flex gap-3 py-0.5">
            <span className="w-36 text-quiet">
              <When at={e.at} />
            </span>
            <span className="min-w-0 flex-1">
              {EVENT_WORDS[e.what] ?? e.what}{' '}
              <span className="text-quiet">
                by {e.who}
                {e.note && `: ${e.note}`}
              </span>
            </span>
          </li>
        ))}
      </ol>
    </details>
  );
}

/** The same sentence about what was foreseen. */
const past = (plan: PlanDetail, words: string): string =>
  plan.state === 'discarded'
    ? `Foreseen: ${words}`
    : plan.state === 'undone'
      ? `${plural(plan.list.filter((c) => c.state === 'undone').length, 'change')} put back: who lost access by ${plan.list.length === 1 ? 'it' : 'them'} has it again.`
      : `As foreseen: ${words.replace('would lose', 'lost').replace('would too', 'did too').replace('inside does', 'inside did').replace('loses', 'lost')}`;

/** From draft to proof, as far as it has come; what it went through is below the line. */
function Timeline({ plan }: { plan: PlanDetail }) {
  const count = (test: (s: ChangeState) => boolean): number => plan.list.filter((c) => test(c.state)).length;
  const verified = count((s) => s === 'verified' || s === 'already-gone');
  const undone = count((s) => s === 'undone');
  const at = (what: string): string | null => plan.events.findLast((e) => e.what === what)?.at ?? null;
  const backwards = plan.state === 'undoing' || plan.state === 'undone' || undone > 0;
  const reached = !OPEN.includes(plan.state) && plan.state !== 'discarded';
  const touched = plan.changes - count((s) => s === 'planned' || s === 'left');
  const marks: { name: string; at: string | null; on: boolean }[] = [
    { name: 'made', at: plan.madeAt, on: true },
    ...(plan.approval
      ? [
          {
            name: plan.approval.approved
              ? 'approved'
              : plan.state === 'asked'
                ? 'waits for approval'
                : 'approval',
            at: plan.approval.approved ? (plan.approval.at ?? null) : null,
            on: plan.approval.approved === true,
          },
        ]
      : []),
    ...(plan.state === 'scheduled' ? [{ name: 'will begin', at: plan.scheduledFor, on: false }] : []),
    {
      name: plan.state === 'applying' ? `applying ${touched} of ${plan.changes}` : 'applied',
      at: plan.appliedAt,
      on: plan.appliedAt !== null,
    },
    {
      name: backwards ? 'was verified' : `verified ${verified} of ${plan.changes}`,
      at: at('applied'),
      on: reached && plan.state !== 'applying',
    },
    {
      name: backwards ? `put back ${undone} of ${plan.changes}` : 'undone',
      at: at('undone'),
      on: undone > 0,
    },
  ];
  return (
    <ol className="mt-3 flex" aria-label="The plan’s life">
      {marks.map((m, i) => (
        <li key={i} className="relative flex-1 pt-4">
          {i < marks.length - 1 && (
            <span
              aria-hidden
              className={`absolute left-1.5 top-[5px] w-full border-t-2 ${marks[i + 1]!.on ? 'border-base-content' : 'border-slate'}`}
            />
          )}
          <span
            aria-hidden
            className={`absolute left-0 top-0 size-3 rounded-full border-2 ${m.on ? 'border-base-content bg-base-content' : 'border-slate bg-base-100'}`}
          />
          <span className={m.on ? 'font-medium' : 'text-quiet'}>{m.name}</span>
          <span className="block text-xs text-quiet">{m.at ? <When at={m.at} /> : ' '}</span>
        </li>
      ))}
    </ol>
  );
}
