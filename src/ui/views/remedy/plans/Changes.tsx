/** A plan’s changes, how far each has come, and the versions of one that was left. */
import { useState } from 'react';
import type { ChangeState, PlanChange, PlanDetail } from '../../../../dto/remedy.ts';
import { count, State, Trouble, When } from '../../../parts/marks.tsx';
import { useSigned } from '../../../frame/signed.ts';
import { CHANGE_WORDS } from '../../../parts/words.ts';
import { useAct } from './acts.ts';
import { Heading } from './parts.tsx';
import { FIRST } from './Preview.tsx';

export const RETRYABLE: readonly ChangeState[] = [
  'failed',
  'left',
  'undo-failed',
  'sending',
  'sent',
  'undo-sending',
  'undo-sent',
];

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

export function ChangesTable({ plan }: { plan: PlanDetail }) {
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
                {steward &&
                  plan.state === 'applied' &&
                  !plan.undo &&
                  c.state === 'verified' &&
                  plan.list.length > 1 && (
                    <button
                      className="btn btn-xs btn-ghost"
                      disabled={pending}
                      aria-label={`Undo: ${c.words}`}
                      onClick={() =>
                        act({ act: plan.undoWants.length ? 'askUndo' : 'undo', changes: [c.id] })
                      }
                    >
                      {plan.undoWants.length ? 'Ask to undo this' : 'Undo this'}
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
          Show all {count(plan.list.length)}
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
