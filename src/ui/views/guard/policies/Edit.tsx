/** Writing a policy: its rules, for whom it is, and beside it what the rule one is at would hit now. */
import { ArrowDown, ArrowUp, Copy, Plus, Trash2, type LucideIcon } from 'lucide-react';
import { useState } from 'react';
import { useFieldArray } from 'react-hook-form';
import { policySchema, type Policy, type Rule } from '../../../../core/guard/schema.ts';
import { send } from '../../../frame/api.ts';
import { useRefresh } from '../../../frame/signed.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { useSay } from '../../../parts/Toasts.tsx';
import { RuleFields } from './RuleFields.tsx';
import { ScopeFields } from './ScopeFields.tsx';
import { Tried } from './Tried.tsx';

const EMPTY: Policy = {
  format: 'gate-lantern-policy',
  version: 1,
  name: '',
  rules: [newRule([])],
};

function newRule(rules: readonly Rule[]): Rule {
  let n = rules.length + 1;
  while (rules.some((r) => r.id === `r${n}`)) n++;
  return {
    id: `r${n}`,
    name: '',
    subject: 'item',
    atRest: true,
    if: '',
    mode: 'observe',
    severity: 'medium',
    responses: [],
  };
}

/** What can be done with the rule that one is at. */
const IconButton = ({
  name,
  icon: Icon,
  disabled = false,
  run,
}: {
  name: string;
  icon: LucideIcon;
  disabled?: boolean;
  run: () => void;
}) => (
  <button
    type="button"
    className="btn btn-sm btn-square btn-ghost"
    aria-label={name}
    disabled={disabled}
    onClick={run}
  >
    <Icon size={14} aria-hidden />
  </button>
);

export default function EditPolicy({
  given = EMPTY,
  of,
  again = false,
  close,
  saved,
}: {
  given?: Policy | undefined;
  /** The policy that is changed; absent for a new one. */
  of?: { id: number; version: number };
  /** What is given is not as it is kept: it can be saved as it stands. */
  again?: boolean;
  close: () => void;
  saved: (id: number) => void;
}) {
  const say = useSay();
  const refresh = useRefresh();
  const [at, setAt] = useState(0);
  const [note, setNote] = useState('');
  const [part, setPart] = useState<'rules' | 'scope'>('rules');
  const form = useSchemaForm(policySchema, given, async (policy) => {
    const id = of
      ? (await send('PUT', '/api/policies/[id]', { ...of, policy, note }), of.id)
      : (await send('POST', '/api/policies', { policy, note })).id;
    say(of ? `“${policy.name}” changed. It is being judged.` : `“${policy.name}” made. It is being judged.`);
    refresh();
    saved(id);
  });
  const rules = useFieldArray({ control: form.control, name: 'rules', keyName: 'key' });
  const policy = form.watch();
  const rule = policy.rules[at];
  const errors = form.formState.errors.rules;
  const put = (n: number, change: () => void): void => {
    change();
    setAt(n);
  };
  return (
    <Dialog title={of ? `Edit “${given.name}”` : 'New policy'} size="full" close={close}>
      <div className="flex h-full min-h-0">
        <form className="flex min-w-0 flex-1 flex-col" onSubmit={form.submit} noValidate>
          <div className="grid grid-cols-[1fr_1.4fr] gap-3 px-4 pb-2 pt-3">
            <TextField form={form} name="name" label="Name" className="input input-sm w-full" />
            <TextField
              form={form}
              name="purpose"
              label="Why it is there"
              className="input input-sm w-full"
              rules={{ setValueAs: (v: string | undefined) => v || undefined }}
            />
          </div>
          <div
            className="flex gap-1 border-b border-slate px-4"
            role="group"
            aria-label="Parts of the policy"
          >
            {(
              [
                ['rules', `Rules (${rules.fields.length})`],
                ['scope', 'For whom, and when'],
              ] as const
            ).map(([key, words]) => (
              <button
                key={key}
                type="button"
                aria-pressed={part === key}
                className={`cursor-pointer px-3 py-1.5 ${part === key ? 'border-b-2 border-base-content font-bold' : 'text-quiet'}`}
                onClick={() => setPart(key)}
              >
                {words}
              </button>
            ))}
          </div>
          {part === 'scope' ? (
            <div className="min-h-0 flex-1 overflow-auto px-4 py-3">
              <ScopeFields form={form} table={rule?.subject ?? 'item'} />
            </div>
          ) : (
            <div className="flex min-h-0 flex-1">
              <div className="flex w-60 shrink-0 flex-col border-r border-slate">
                <ol className="min-h-0 flex-1 overflow-auto" aria-label="Rules">
                  {rules.fields.map((f, n) => (
                    <li key={f.key}>
                      <button
                        type="button"
                        aria-current={n === at}
                        className={`block w-full cursor-pointer border-b border-base-300 px-4 py-1.5 text-left ${n === at ? 'bg-base-300' : 'hover:bg-base-200'}`}
                        onClick={() => setAt(n)}
                      >
                        <span className="block truncate">
                          {policy.rules[n]?.name || <span className="text-quiet">without a name</span>}
                        </span>
                        {errors?.[n] && (
                          <span className="block text-xs text-error">There is something to mend here</span>
                        )}
                      </button>
                    </li>
                  ))}
                </ol>
                <div className="flex items-center gap-1 border-t border-slate px-2 py-1.5">
                  <button
                    type="button"
                    className="btn btn-sm flex-1 whitespace-nowrap px-2"
                    onClick={() => put(rules.fields.length, () => rules.append(newRule(policy.rules)))}
                  >
                    <Plus size={14} aria-hidden /> Add rule
                  </button>
                  <IconButton
                    name="Move the rule up"
                    icon={ArrowUp}
                    disabled={at === 0}
                    run={() => put(at - 1, () => rules.swap(at, at - 1))}
                  />
                  <IconButton
                    name="Move the rule down"
                    icon={ArrowDown}
                    disabled={at >= rules.fields.length - 1}
                    run={() => put(at + 1, () => rules.swap(at, at + 1))}
                  />
                  <IconButton
                    name="Copy the rule"
                    icon={Copy}
                    run={() =>
                      put(at + 1, () =>
                        rules.insert(at + 1, {
                          ...rule!,
                          id: newRule(policy.rules).id,
                          name: `${rule!.name}, a copy`,
                        }),
                      )
                    }
                  />
                  <IconButton
                    name="Remove the rule"
                    icon={Trash2}
                    disabled={rules.fields.length === 1}
                    run={() => put(Math.max(0, at - 1), () => rules.remove(at))}
                  />
                </div>
              </div>
              <div className="min-w-0 flex-1 overflow-auto px-4 py-3">
                {rule && <RuleFields key={rules.fields[at]?.key} form={form} n={at} rule={rule} />}
              </div>
            </div>
          )}
          <FormTrouble form={form} />
          <div className="border-t border-slate px-4 py-2.5">
            <DialogEnd close={close}>
              {of && (
                <input
                  className="input input-sm w-64"
                  aria-label="What was changed, for whoever looks later"
                  placeholder="what was changed, for later"
                  maxLength={500}
                  value={note}
                  onChange={(e) => setNote(e.target.value)}
                />
              )}
              <button
                className="btn btn-sm btn-primary"
                disabled={form.formState.isSubmitting || (of && !again && !form.formState.isDirty)}
              >
                {of ? 'Save as a new version' : 'Make the policy'}
              </button>
            </DialogEnd>
          </div>
        </form>
        <aside
          className="w-[380px] shrink-0 overflow-auto border-l border-slate px-4 py-3"
          aria-label="What it would hit"
        >
          {rule && <Tried policy={policy} rule={rule} />}
        </aside>
      </div>
    </Dialog>
  );
}
