/** The limits above which a plan needs a second steward. */
import { useQuery } from '@tanstack/react-query';
import { UserCheck } from 'lucide-react';
import { useState } from 'react';
import type { ApprovalLimits } from '../../core/remedy/plan.ts';
import { limitsForm } from '../../dto/forms.ts';
import { ask, send } from '../frame/api.ts';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Dialog } from './Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from './form.tsx';
import { Trouble } from './marks.tsx';
import { useSay } from './Toasts.tsx';

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
  const { data, error } = useQuery(ask('/api/approval'));
  return (
    <Dialog title="What needs a second steward" close={close}>
      {error && <Trouble error={error} />}
      {data && <LimitsForm limits={data} close={close} />}
    </Dialog>
  );
}

function LimitsForm({ limits, close }: { limits: ApprovalLimits; close: () => void }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  const form = useSchemaForm(limitsForm, limits, async (values) => {
    await send('PUT', '/api/approval', values);
    say('Approval limits saved.');
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
      <p>A plan needs the approval of a second steward when any of these holds.</p>
      {number('people', 'People who lose access', 'this many members and guests, or more')}
      {number('spaces', 'Spaces touched', 'this many, or more')}
      {number('weight', 'Weight of an item whose reach changes', 'this weight, or heavier; 5 means never')}
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          disabled={!steward}
          {...form.register('suspension')}
        />
        It changes an account, or moves something to quarantine
      </label>
      <p className="text-quiet">New limits apply to plans made, and previews refreshed, from then on.</p>
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
