/** What signals are looked for: from starters or anew, on or off, changed, removed. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { z } from 'zod';
import { SEVERITIES } from '../../../../core/exposure/exposure.ts';
import { patternSchema, WINDOW_KEYS, type Pattern } from '../../../../core/guard/patterns.ts';
import type { PatternRow } from '../../../../dto/events.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import ConditionEditor from '../../../parts/ConditionRows.tsx';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { count, Trouble } from '../../../parts/marks.tsx';
import { COUNTED, windowWords } from './words.ts';

type Editing = { pattern: Pattern; of?: PatternRow };
const EMPTY: Pattern = {
  name: '',
  purpose: '',
  severity: 'medium',
  on: true,
  window: { by: 'actor', distinct: 'item', count: 5, within: 'PT1H', if: 'type == "file.shared" && outside' },
};

export function Patterns({ close }: { close: () => void }) {
  const { data, error, refetch } = useQuery(ask('/api/signals/patterns'));
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [editing, setEditing] = useState<Editing>();
  const set = useMutation({
    mutationFn: ({ id, version, name, purpose, severity, on, window }: PatternRow) =>
      send('PUT', '/api/signals/patterns', { id, version, name, purpose, severity, on: !on, window }),
    onSuccess: refresh,
  });
  const add = useMutation({
    mutationFn: (pattern: Pattern) => send('POST', '/api/signals/patterns', pattern),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: (id: number) => send('DELETE', '/api/signals/patterns', { id }),
    onSuccess: refresh,
  });
  if (editing) return <Edit {...editing} close={() => setEditing(undefined)} />;
  const known = new Set(data?.patterns.map((p) => p.name));
  const starters = data?.starters.filter((s) => !known.has(s.name)) ?? [];
  return (
    <Dialog title="What is looked for" size="medium" close={close}>
      <div className="flex flex-col gap-3 p-4">
        {[error, set.error, add.error, remove.error].map(
          (e, n) => e && <Trouble key={n} error={e} retry={() => void refetch()} />,
        )}
        <ul className="border-t border-base-300 empty:hidden">
          {data?.patterns.map((p) => (
            <li key={p.id} className="flex items-start gap-3 border-b border-base-300 py-1.5">
              <input
                type="checkbox"
                className="checkbox checkbox-sm mt-0.5"
                aria-label={`Look for: ${p.name}`}
                checked={p.on}
                disabled={!steward || set.isPending}
                onChange={() => set.mutate(p)}
              />
              <span className="min-w-0 flex-1">
                <b className={p.on ? '' : 'text-quiet'}>{p.name}</b>{' '}
                <span className="text-quiet">
                  {windowWords(p.window)}; {p.severity}; found {count(p.found)}, {count(p.waiting)} waiting
                </span>
                <span className="block">{p.purpose}</span>
                {p.trouble && <span className="block text-error">Not looked for: {p.trouble}</span>}
              </span>
              {steward && (
                <>
                  <button
                    className="btn btn-xs"
                    onClick={() => {
                      const { name, purpose, severity, on, window } = p;
                      setEditing({ pattern: { name, purpose, severity, on, window }, of: p });
                    }}
                  >
                    Edit
                  </button>
                  <button
                    className="btn btn-xs btn-ghost"
                    disabled={remove.isPending}
                    onClick={() => remove.mutate(p.id)}
                  >
                    Remove
                  </button>
                </>
              )}
            </li>
          ))}
        </ul>
        {steward && starters.length > 0 && (
          <section aria-label="To begin with">
            <h3 className="pb-1 font-bold">To begin with</h3>
            <ul>
              {starters.map((s) => (
                <li key={s.name} className="flex items-start gap-3 py-1">
                  <span className="min-w-0 flex-1">
                    <b>{s.name}</b> <span className="text-quiet">{s.purpose}</span>
                  </span>
                  <button className="btn btn-xs" onClick={() => setEditing({ pattern: s })}>
                    Change first
                  </button>
                  <button className="btn btn-xs" disabled={add.isPending} onClick={() => add.mutate(s)}>
                    Look for it
                  </button>
                </li>
              ))}
            </ul>
          </section>
        )}
        {steward && (
          <DialogEnd close={close} leave="Close">
            <button className="btn btn-sm" onClick={() => setEditing({ pattern: EMPTY })}>
              Something else …
            </button>
          </DialogEnd>
        )}
      </div>
    </Dialog>
  );
}

function Edit({ pattern, of, close }: Editing & { close: () => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm<Pattern>(
    patternSchema as z.ZodType<Pattern, Pattern>,
    pattern,
    async (values) => {
      if (of) await send('PUT', '/api/signals/patterns', { ...values, id: of.id, version: of.version });
      else await send('POST', '/api/signals/patterns', values);
      refresh();
      close();
    },
  );
  const window = form.watch('window');
  const select = (name: 'window.by' | 'window.distinct', label: string) => (
    <Field form={form} name={name} label={label}>
      {(input) => (
        <select {...input} className="select select-sm w-44" {...form.register(name)}>
          {WINDOW_KEYS.map((k) => (
            <option key={k} value={k}>
              {COUNTED[k][name === 'window.by' ? 0 : 1]}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  return (
    <Dialog title={of ? `Look for “${of.name}” otherwise` : 'Look for something'} size="medium" close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        <div className="flex gap-3">
          <TextField form={form} name="name" label="Name" look="flex-1" />
          <Field form={form} name="severity" label="Severity">
            {(input) => (
              <select {...input} className="select select-sm w-32" {...form.register('severity')}>
                {SEVERITIES.map((s) => (
                  <option key={s}>{s}</option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <TextField form={form} name="purpose" label="What it is for" />
        <Field form={form} name="window.if" label="Events of which this holds">
          {() => (
            <ConditionEditor
              table="events"
              value={window.if ?? ''}
              change={(text) =>
                form.setValue('window.if', text || undefined, { shouldDirty: true, shouldValidate: true })
              }
              label="Condition"
              hint={'type == "file.shared" && outside'}
            />
          )}
        </Field>
        <div className="flex flex-wrap items-start gap-3">
          <TextField
            form={form}
            name="window.count"
            label="At least"
            type="number"
            min={1}
            className="input input-sm w-24"
            rules={{ valueAsNumber: true }}
          />
          {select('window.distinct', 'different')}
          {select('window.by', 'by one')}
          <TextField
            form={form}
            name="window.within"
            label="within"
            className="input input-sm w-28"
            hint="PT1H is an hour, P7D a week"
          />
        </div>
        <p className="text-quiet">It looks for {windowWords(window)}.</p>
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            {of ? 'Change it' : 'Look for it'}
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}
