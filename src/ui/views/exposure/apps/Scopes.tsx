/** What scopes allow, as one table: ours, what was said of those of other vocabularies, and those of which nothing is known. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { SCOPE_NAMES, SCOPES } from '../../../../core/apps/scopes.ts';
import type { ScopeMeaningDto } from '../../../../dto/apps.ts';
import { scopeForm, type ScopeForm } from '../../../../dto/forms.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { Dialog } from '../../../parts/Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from '../../../parts/form.tsx';
import { Trouble } from '../../../parts/marks.tsx';

const WHOSE = {
  own: 'what each person can do themselves',
  picked: 'what they pick for it',
  all: 'all of the organisation, in a grant for everyone',
} as const;
const KINDS = {
  '': 'all workspaces',
  drives: 'drives',
  sites: 'sites',
  channels: 'channels',
  extract: 'extracts',
} as const;

export function ScopesDialog({ close }: { close: () => void }) {
  const { steward } = useSigned();
  const { data, error, refetch } = useQuery(ask('/api/apps/scopes'));
  const [editing, setEditing] = useState<ScopeForm>();
  const refresh = useRefresh();
  const drop = useMutation({
    mutationFn: ({ kind, scope }: ScopeMeaningDto) =>
      send('DELETE', '/api/apps/scopes', { kind: kind as ScopeForm['kind'], scope }),
    onSuccess: refresh,
  });
  return (
    <Dialog title="What scopes allow" size="full" close={close}>
      <div className="overflow-auto p-4">
        {error && <Trouble error={error} retry={() => void refetch()} />}
        {editing && <Say given={editing} close={() => setEditing(undefined)} />}
        {data && (
          <table className="w-full">
            <thead>
              <tr className="border-b border-slate text-left text-xs text-quiet">
                {['Scope', 'It can', 'Whose', 'On files', 'Apps', ''].map((h) => (
                  <th key={h} className="py-1 pr-3 font-normal">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {data.unknown.map((u) => (
                <tr key={`${u.kind} ${u.scope}`} className="border-b border-base-300 align-top">
                  <Name scope={u.scope} />
                  <td className="py-1 pr-3 font-medium">Not known: it counts as anything.</td>
                  <td className="py-1 pr-3">{KINDS[u.kind as keyof typeof KINDS] ?? u.kind}</td>
                  <td className="py-1 pr-3">everything</td>
                  <td className="py-1 pr-3 text-right">{u.apps}</td>
                  <td className="py-1 text-right">
                    {steward && (
                      <button
                        className="btn btn-xs"
                        onClick={() =>
                          setEditing({
                            kind: u.kind as ScopeForm['kind'],
                            scope: u.scope,
                            words: '',
                            means: [],
                          })
                        }
                      >
                        Say what it means …
                      </button>
                    )}
                  </td>
                </tr>
              ))}
              {data.others.map((m) => (
                <tr key={`${m.kind} ${m.scope}`} className="border-b border-base-300 align-top">
                  <Name scope={m.scope} />
                  <td className="py-1 pr-3">{m.words}</td>
                  <td className="py-1 pr-3 text-quiet">
                    as said by {m.by}, of {KINDS[m.kind as keyof typeof KINDS] ?? m.kind}
                  </td>
                  <td className="py-1 pr-3">{m.means.join(', ') || 'nothing'}</td>
                  <td className="py-1 pr-3 text-right">{m.apps}</td>
                  <td className="py-1 text-right whitespace-nowrap">
                    {steward && (
                      <>
                        <button className="btn btn-xs" onClick={() => setEditing(m as ScopeForm)}>
                          Edit …
                        </button>{' '}
                        <button
                          className="btn btn-xs btn-ghost"
                          disabled={drop.isPending}
                          onClick={() => drop.mutate(m)}
                        >
                          Remove
                        </button>
                      </>
                    )}
                  </td>
                </tr>
              ))}
              {data.ours.map((o) => (
                <tr key={o.scope} className="border-b border-base-300 align-top">
                  <Name scope={o.scope} />
                  <td className="py-1 pr-3">{o.words}</td>
                  <td className="py-1 pr-3">
                    {o.of === 'files' || o.of === 'everything' ? WHOSE[o.whose] : o.of}
                  </td>
                  <td className="py-1 pr-3">{o.capabilities.join(', ') || 'nothing'}</td>
                  <td className="py-1 pr-3 text-right">{o.apps}</td>
                  <td />
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {drop.error && <Trouble error={drop.error} />}
        {steward && !editing && (
          <button
            className="btn btn-sm mt-3"
            onClick={() => setEditing({ kind: '', scope: '', words: '', means: [] })}
          >
            Add a scope …
          </button>
        )}
      </div>
    </Dialog>
  );
}

const Name = ({ scope }: { scope: string }) => (
  <td className="py-1 pr-3 font-mono text-[13px] break-all">{scope}</td>
);

function Say({ given, close }: { given: ScopeForm; close: () => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm(
    scopeForm,
    { kind: given.kind, scope: given.scope, words: given.words, means: given.means },
    async (values) => {
      await send('PUT', '/api/apps/scopes', values);
      close();
      refresh();
    },
  );
  const means = form.watch('means');
  return (
    <form className="mb-4 space-y-2 rounded border border-slate p-3" noValidate onSubmit={form.submit}>
      <div className="flex flex-wrap gap-3">
        <Field form={form} name="scope" label="Scope" look="w-72">
          {(input) => (
            <input {...input} className="input input-sm w-full font-mono" {...form.register('scope')} />
          )}
        </Field>
        <Field form={form} name="kind" label="In">
          {(input) => (
            <select {...input} className="select select-sm" {...form.register('kind')}>
              {Object.entries(KINDS).map(([k, name]) => (
                <option key={k} value={k}>
                  {name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field form={form} name="words" label="It can …" look="min-w-60 flex-1">
          {(input) => <input {...input} className="input input-sm w-full" {...form.register('words')} />}
        </Field>
      </div>
      <fieldset>
        <legend className="text-xs text-quiet">It allows what these allow; none: nothing</legend>
        <div className="grid grid-cols-2 gap-x-6">
          {SCOPE_NAMES.map((s) => (
            <label key={s} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                className="checkbox checkbox-sm"
                value={s}
                {...form.register('means')}
                checked={means.includes(s)}
              />
              {SCOPES[s].words}
            </label>
          ))}
        </div>
      </fieldset>
      <FormTrouble form={form} />
      <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
        Save
      </button>
      <button type="button" className="btn btn-sm btn-ghost ml-2" onClick={close}>
        Cancel
      </button>
    </form>
  );
}
