/** Remedy › Plans: each plan from draft to proof: what it changes, who loses what, what came of it, and the way back. */
import { ENDED } from './plans/acts.ts';
import { useQuery } from '@tanstack/react-query';
import type { Account } from '../../../dto/accounts.ts';
import type { PlanRow, PlanState } from '../../../dto/remedy.ts';
import { ask } from '../../frame/api.ts';
import { Conditions, FilterBox } from '../../parts/filter.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { Limits } from '../../parts/Limits.tsx';
import { count, Empty, plural, State, Trouble, When } from '../../parts/marks.tsx';
import { whenWords } from '../../parts/dates.ts';
import { Shell } from '../../frame/Shell.tsx';
import { losersWords } from '../../frame/Tray.tsx';
import { useUrl } from '../../frame/url.ts';
import { PLAN_WORDS } from '../../parts/words.ts';
import { Head, OPEN } from './plans/Head.tsx';
import { Said } from './plans/parts.tsx';
import { ApprovalBox, UndoBox } from './plans/Approval.tsx';
import { Proof } from './plans/Proof.tsx';
import { ChangesTable } from './plans/Changes.tsx';
import {
  AppsTable,
  ItemsTable,
  Keeping,
  Messages,
  PeopleTable,
  SpacesTable,
  past,
} from './plans/Preview.tsx';
import { Life, Timeline } from './plans/Life.tsx';

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

/** How a plan stands, in a few words. */
function stands(p: PlanRow): string {
  if (p.halt === 'paused') return 'paused';
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
        Here you will see every plan: what it changes, who would lose what, how it went, and how to undo it.
        Pick up changes from a finding to make the first.
      </Empty>
    );
  return (
    <div className="flex h-full">
      <section aria-label="Plans" className="flex w-[300px] shrink-0 flex-col border-r border-slate">
        <div className="flex items-center gap-2 px-4 pb-1.5 pt-2.5">
          <h1 className="flex-1 text-base font-bold">Plans</h1>
          <ExportMenu table="plans" query={{ text, where }} />
          <Limits shown={params.get('limits') === 'open'} />
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
          {plans?.length === 0 && <li className="px-4 py-2 text-quiet">No plan matches.</li>}
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
          The workspaces have changed since this preview: {plan.moved.join('; ')}. Refresh the preview, look
          at it, then apply.
        </Said>
      )}
      {plan.moved?.length === 0 && (
        <p className="mt-2 text-quiet">A newer survey shows the same, so this preview still holds.</p>
      )}
      {plan.approval && <ApprovalBox plan={plan} />}
      {plan.undo && <UndoBox plan={plan} />}
      <p className="mt-3 text-base">
        <b>{begun ? past(plan, losersWords(p)) : losersWords(p)}</b>{' '}
        <span className="text-quiet">
          {(p.itemsTouched > 0 || !p.apps?.length) &&
            `${plural(p.itemsChanged, 'item')} of ${count(p.itemsTouched)} touched ${p.itemsChanged === 1 ? 'changes' : 'change'} in reach; exposure ${count(p.pointsBefore)} → ${count(p.pointsAfter)} points.`}
        </span>
      </p>
      <Proof plan={plan} />
      <ChangesTable plan={plan} />
      <AppsTable preview={p} begun={begun} />
      <PeopleTable preview={p} begun={begun} />
      <Keeping preview={p} />
      <SpacesTable preview={p} />
      <ItemsTable preview={p} />
      <Messages preview={p} begun={begun} />
      <Life events={plan.events} />
    </article>
  );
}
