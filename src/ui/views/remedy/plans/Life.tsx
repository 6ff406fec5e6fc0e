/** A plan’s life: its states in a line, and what happened to it. */
import type { ChangeState, PlanDetail, PlanEvent } from '../../../../dto/remedy.ts';
import { plural, When } from '../../../parts/marks.tsx';
import { OPEN } from './Head.tsx';

const EVENT_WORDS: Record<string, string> = {
  made: 'made',
  'preview-renewed': 'preview refreshed',
  asked: 'approval requested',
  approved: 'approved',
  draft: 'back to draft',
  scheduled: 'scheduled',
  applying: 'started applying',
  applied: 'applied and read back',
  paused: 'paused',
  resumed: 'resumed',
  cancelled: 'stopped',
  'taken-up': 'resumed after the application restarted',
  'undo-asked': 'approval to undo it requested',
  'undo-approved': 'undo approved',
  'undo-refused': 'undo not approved',
  undoing: 'started undoing',
  undone: 'undone and read back',
  discarded: 'discarded',
  'goal-broken': 'a survey found that a goal no longer holds',
};

/** Everything that was done with it, from its ledger entries. */
export function Life({ events }: { events: PlanEvent[] }) {
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-semibold">
        What the ledger says of it, {plural(events.length, 'entry', 'entries')}
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

/** From draft to proof, as far as it has come; what it went through is below the line. */
export function Timeline({ plan }: { plan: PlanDetail }) {
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
    <ol className="mt-3 flex" aria-label="The plan’s progress">
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
