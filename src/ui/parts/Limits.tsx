/** The limits above which a plan needs a second steward. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { UserCheck } from 'lucide-react';
import { useState } from 'react';
import type { ApprovalLimits } from '../../core/remedy/plan.ts';
import { limitsForm } from '../../dto/forms.ts';
import type { LimitsState } from '../../dto/remedy.ts';
import { ask, send } from '../frame/api.ts';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Dialog } from './Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from './form.tsx';
import { count, Trouble, When } from './marks.tsx';
import { useSay } from './Toasts.tsx';

export function Limits({ shown = false }: { shown?: boolean }) {
  const [open, setOpen] = useState(shown);
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
  const { data, error } = useQuery(ask('/api/approval'));
  return (
    <Dialog title="What needs a second steward" close={close}>
      {error && <Trouble error={error} />}
      {data?.proposed && <Proposed limits={data.limits} proposed={data.proposed} />}
      {data && <LimitsForm key={JSON.stringify(data.limits)} limits={data.limits} close={close} />}
    </Dialog>
  );
}

const WORDS: Record<keyof ApprovalLimits, string> = {
  people: 'people who lose access',
  spaces: 'spaces touched',
  weight: 'weight',
  suspension: 'accounts and quarantine',
};
const valueWords = (v: number | boolean): string => (v === true ? 'yes' : v === false ? 'no' : count(v));

/** Looser limits that wait for a second steward. */
function Proposed({
  limits,
  proposed: { limits: next, by, at },
}: {
  limits: ApprovalLimits;
  proposed: NonNullable<LimitsState['proposed']>;
}) {
  const { steward, account } = useSigned();
  const refresh = useRefresh();
  const decide = useMutation({
    mutationFn: (approved: boolean) => send('POST', '/api/approval', { approved, at }),
    onSettled: refresh,
  });
  const names = (Object.keys(WORDS) as (keyof ApprovalLimits)[]).filter((k) => limits[k] !== next[k]);
  const mine = by === account.address;
  return (
    <section aria-label="Proposed limits" className="mx-4 mt-4 border border-slate px-3 py-2">
      <p>
        <b>{mine ? 'Your new limits wait for a second steward' : `${by} proposes new limits`}</b>{' '}
        <span className="text-quiet">
          <When at={at} />
        </span>
      </p>
      <ul>
        {names.map((k) => (
          <li key={k}>
            {WORDS[k]}: {valueWords(limits[k])} → <b>{valueWords(next[k])}</b>
          </li>
        ))}
      </ul>
      {steward && (
        <div className="mt-1 flex gap-2">
          <button className="btn btn-sm" disabled={decide.isPending} onClick={() => decide.mutate(false)}>
            {mine ? 'Withdraw' : 'Reject'}
          </button>
          {!mine && (
            <button
              className="btn btn-sm btn-primary"
              disabled={decide.isPending}
              onClick={() => decide.mutate(true)}
            >
              Approve these limits
            </button>
          )}
        </div>
      )}
      {decide.error && <Trouble error={decide.error} />}
    </section>
  );
}

function LimitsForm({ limits, close }: { limits: ApprovalLimits; close: () => void }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  const form = useSchemaForm(limitsForm, limits, async (values) => {
    const { proposed } = await send('PUT', '/api/approval', values);
    say(proposed ? 'A second steward has to approve these limits.' : 'Approval limits saved.');
    refresh();
    close();
  });
  const number = (name: 'people' | 'spaces' | 'weight', label: string, hint: string) => (
    <Field form={form} name={name} label={label} hint={hint}>
      {(input) => (
        <input
          {...input}
          type="number"
          className="input input-sm w-32"
          disabled={!steward}
          {...form.register(name, { valueAsNumber: true })}
        />
      )}
    </Field>
  );
  return (
    <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
      <p>
        A plan, or undoing one, needs a second steward when it gives anybody more access, and also when any of
        these holds.
      </p>
      {number('people', 'People who lose access', 'this many members and guests, or more')}
      {number('spaces', 'Spaces touched', 'this many, or more')}
      {number('weight', 'Weight of an item that members lose', 'this weight, or heavier; 5 means never')}
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          disabled={!steward}
          {...form.register('suspension')}
        />
        It changes an account, or moves something to quarantine
      </label>
      <p className="text-quiet">
        Stricter limits hold at once. Looser ones hold when a second steward has approved them, and never for
        plans made before.
      </p>
      <FormTrouble form={form} />
      {steward && (
        <button
          className="btn btn-sm btn-primary self-end"
          disabled={!form.formState.isDirty || form.formState.isSubmitting}
        >
          Save limits
        </button>
      )}
    </form>
  );
}
