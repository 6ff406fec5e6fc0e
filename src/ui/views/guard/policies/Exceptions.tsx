/** What a policy leaves out until a day, and leaving more out. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { exceptionForm, type HitRow, type PolicyPage } from '../../../../dto/guard.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { dayWords } from '../../../parts/dates.ts';
import { FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { plural, Trouble, When } from '../../../parts/marks.tsx';

export function Exceptions({ page }: { page: PolicyPage }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const end = useMutation({
    mutationFn: (id: number) => send('DELETE', '/api/policies/exceptions', { id }),
    onSuccess: refresh,
  });
  return (
    <details className="border-b border-base-300 py-1.5">
      <summary className="cursor-pointer">{plural(page.exceptions.length, 'exception')}</summary>
      {end.error && <Trouble error={end.error} />}
      <ul>
        {page.exceptions.map((x) => (
          <li key={x.id} className="flex items-baseline gap-3 py-0.5">
            <b className="min-w-0 truncate">{x.name}</b>
            <span className="min-w-0 flex-1 truncate text-quiet">
              until {dayWords(x.until)}: {x.reason} ({x.madeBy}, <When at={x.madeAt} />)
              {x.rule && `; of “${page.policy.rules.find((r) => r.id === x.rule)?.name ?? x.rule}” alone`}
            </span>
            {steward && (
              <button className="btn btn-xs" disabled={end.isPending} onClick={() => end.mutate(x.id)}>
                End it
              </button>
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}

const QUARTER = 90 * 86_400_000;
const AS = {
  item: 'Everything that is in',
  space: 'Everything in the space',
  owner: 'Everything owned by',
  app: 'All who let in',
  person: 'Everything let in by',
} as const;

/** Leaves hits out until a day: these, or one with all that it is in. */
export function Except({ hits, close }: { hits: HitRow[]; close: () => void }) {
  const refresh = useRefresh();
  const [only] = hits.length === 1 ? hits : [];
  const { data } = useQuery({
    ...ask('/api/policies/around', { key: only?.key ?? '' }),
    enabled: Boolean(only),
  });
  const [key, setKey] = useState<string>();
  const [first] = hits;
  const form = useSchemaForm(
    exceptionForm,
    {
      policy: first!.policy,
      ...(hits.every((h) => h.rule === first!.rule) && { rule: first!.rule }),
      keys: hits.map((h) => h.key),
      until: new Date(Date.now() + QUARTER).toISOString().slice(0, 10),
      reason: '',
    },
    async (values) => {
      await send('POST', '/api/policies/exceptions', { ...values, keys: key ? [key] : values.keys });
      refresh();
      close();
    },
  );
  return (
    <Dialog
      title={only ? `Leave “${only.name}” out` : `Leave ${plural(hits.length, 'hit')} out`}
      close={close}
    >
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {data && data.wider.length > 0 && (
          <label className="flex flex-col gap-1">
            What is left out
            <select
              className="select w-full"
              value={key ?? ''}
              onChange={(e) => setKey(e.target.value || undefined)}
            >
              <option value="">{data.name} alone</option>
              {data.wider.map((w) => (
                <option key={w.key} value={w.key}>
                  {AS[w.as]} “{w.name}”
                </option>
              ))}
            </select>
          </label>
        )}
        <TextField form={form} name="until" type="date" label="Until, with that day" className="input w-44" />
        <TextField form={form} name="reason" label="Why" />
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Leave out
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}
