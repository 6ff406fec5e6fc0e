/** Why a second steward is wanted, and what they say. */
import { useState } from 'react';
import type { PlanDetail } from '../../../../dto/remedy.ts';
import { plural, Trouble, When } from '../../../parts/marks.tsx';
import { useSigned } from '../../../frame/signed.ts';
import { useAct } from './acts.ts';

/** Why a second steward is wanted, and what they said. */
export function ApprovalBox({ plan }: { plan: PlanDetail }) {
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
          <Comment value={said} set={setSaid} />
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

function Comment({ value, set }: { value: string; set: (said: string) => void }) {
  return (
    <input
      className="input input-sm min-w-56 flex-1"
      aria-label="Your comment"
      placeholder="comment, kept in the ledger"
      maxLength={2000}
      value={value}
      onChange={(e) => set(e.target.value)}
    />
  );
}

/** Undoing it waits for a second steward. */
export function UndoBox({ plan }: { plan: PlanDetail }) {
  const { steward, account } = useSigned();
  const { act, pending, error } = useAct(plan.id);
  const [said, setSaid] = useState('');
  const { wants, askedBy, askedAt, changes } = plan.undo!;
  const mine = askedBy === account.address;
  const decide = (approved: boolean) => act({ act: 'decideUndo', approved, said });
  return (
    <section aria-label="Approval of the undo" className="mt-3 border border-slate px-3 py-2">
      <p>
        <b>
          {askedBy} asks to undo {changes ? plural(changes.length, 'change') : 'this plan'}
        </b>{' '}
        <span className="text-quiet">
          <When at={askedAt} />
        </span>
        : {wants.join('; ')}.
      </p>
      {steward && (
        <div className="mt-1 flex flex-wrap items-center gap-2">
          {!mine && <Comment value={said} set={setSaid} />}
          <button className="btn btn-sm" disabled={pending} onClick={() => decide(false)}>
            {mine ? 'Withdraw the request' : 'Do not approve'}
          </button>
          {!mine && (
            <button className="btn btn-sm btn-primary" disabled={pending} onClick={() => decide(true)}>
              Approve and undo
            </button>
          )}
        </div>
      )}
      {error && <Trouble error={error} />}
    </section>
  );
}
