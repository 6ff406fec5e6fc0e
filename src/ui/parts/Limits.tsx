/** From where on a plan wants a second steward: seen by everybody, set by stewards. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { UserCheck, X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { ApprovalLimits } from '../../core/remedy/plan.ts';
import { ask, send } from '../frame/api.ts';
import { Trouble } from './marks.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';

export function Limits() {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button
        className="btn btn-xs btn-ghost"
        title="What needs a second steward"
        onClick={() => setOpen(true)}
      >
        <UserCheck size={14} aria-hidden /> Approval
      </button>
      {open && <LimitsDialog close={() => setOpen(false)} />}
    </>
  );
}

function LimitsDialog({ close }: { close: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  const { steward } = useSigned();
  const refresh = useRefresh();
  const { data } = useQuery(ask('/api/approval'));
  const [mine, setMine] = useState<ApprovalLimits>();
  const limits = mine ?? data;
  const save = useMutation({
    mutationFn: () => send('PUT', '/api/approval', limits!),
    onSuccess: () => {
      refresh();
      dialog.current?.close();
    },
  });
  const number = (field: 'people' | 'spaces' | 'weight', before: string, after: string, most: number) => (
    <label className="flex items-center gap-2">
      <span className="w-40">{before}</span>
      <input
        type="number"
        className="input input-sm w-24"
        min={1}
        max={most}
        required
        disabled={!steward}
        value={limits![field]}
        onChange={(e) => setMine({ ...limits!, [field]: Number(e.target.value) })}
      />
      <span className="text-quiet">{after}</span>
    </label>
  );
  return (
    <dialog
      ref={dialog}
      onClose={close}
      aria-label="What needs a second steward"
      className="m-auto w-[min(520px,92vw)] rounded border border-slate bg-base-100 p-0 text-base-content"
    >
      <form
        className="flex flex-col gap-2 p-4"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <div className="flex items-center">
          <h2 className="flex-1 text-base font-bold">What needs a second steward</h2>
          <button type="button" className="btn btn-sm btn-square btn-ghost" aria-label="Close" onClick={() => dialog.current?.close()}>
            <X size={16} aria-hidden />
          </button>
        </div>
        {limits && (
          <>
            {number('people', 'People who lose', 'members and guests, or more', 1_000_000)}
            {number('spaces', 'Spaces touched', 'or more', 1_000_000)}
            {number('weight', 'Items of weight', 'or heavier; 5 is heavier than any', 5)}
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                disabled={!steward}
                checked={limits.suspension}
                onChange={(e) => setMine({ ...limits, suspension: e.target.checked })}
              />
              any account changed, anything moved to quarantine
            </label>
            <p className="text-quiet">It holds for plans that are made, and previews that are made anew, from then on.</p>
          </>
        )}
        {save.error && <Trouble error={save.error} />}
        {steward && (
          <button className="btn btn-sm btn-primary self-end" disabled={!mine || save.isPending}>
            Set the limits
          </button>
        )}
      </form>
    </dialog>
  );
} // prettier-ignore
