/** For whom and where a policy is, and when it is judged. */
import { useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import type { UseFormReturn } from 'react-hook-form';
import { SUBJECTS } from '../../../../core/guard/kinds.ts';
import {
  SCOPE_KEYS,
  USUAL_BREAKER,
  type Breaker,
  type Policy,
  type Rule,
  type Scope,
  type ScopeKey,
} from '../../../../core/guard/schema.ts';
import { ask } from '../../../frame/api.ts';
import ConditionEditor from '../../../parts/ConditionRows.tsx';
import { Field } from '../../../parts/form.tsx';
import { Picker } from '../../../parts/Picker.tsx';
import { RHYTHMS, rhythmWords, scopeWords } from '../../../parts/policy-words.ts';

const PILOT = 0.1;
/** What the breaker is held to, in words, and in what it is typed. */
const BREAKS = [
  ['changes', 'changes', 1],
  ['people', 'people lose something', 1],
  ['share', '% of what it judges change', 100],
] as const satisfies readonly [keyof Breaker, string, number][];

/** A scope without what says nothing. */
function tidy(scope: Scope): Scope | undefined {
  const side = (of: Scope['include']) => {
    const kept = Object.entries(of ?? {}).filter(([, names]) => names?.length);
    return kept.length ? (Object.fromEntries(kept) as Scope['include']) : undefined;
  };
  const [include, exclude] = [side(scope.include), side(scope.exclude)];
  const next: Scope = {
    ...(scope.of && scope.of !== 'owner' && { of: scope.of }),
    ...(include && { include }),
    ...(exclude && { exclude }),
    ...(scope.pilot && { pilot: scope.pilot }),
  };
  return Object.keys(next).length ? next : undefined;
}

export function ScopeFields({ form, table }: { form: UseFormReturn<Policy>; table: Rule['subject'] }) {
  const policy = form.watch();
  const scope = policy.scope ?? {};
  const set = (change: Partial<Scope>): void =>
    form.setValue('scope', tidy({ ...scope, ...change }), { shouldDirty: true, shouldValidate: true });
  const pilot = scope.pilot;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-base">{scopeWords(policy)}</p>
      <Side name="For" of={scope.include} change={(include) => set({ include })} empty="everything" />
      <Side name="Without" of={scope.exclude} change={(exclude) => set({ exclude })} empty="nothing" />
      <label className="flex flex-col gap-1">
        Departments, groups and people are those of
        <select
          className="select select-sm w-96"
          value={scope.of ?? 'owner'}
          onChange={(e) => set({ of: e.target.value as NonNullable<Scope['of']> })}
        >
          <option value="owner">the owner of the file, or else of its space</option>
          <option value="space">the owners of the space</option>
          <option value="actor">whoever acts (only before somebody does something)</option>
        </select>
      </label>
      <fieldset>
        <legend>Try it with a part of the people first</legend>
        <select
          className="select select-sm w-96"
          aria-label="Pilot"
          value={!pilot ? '' : 'share' in pilot ? 'share' : 'groups'}
          onChange={(e) =>
            set({
              pilot:
                e.target.value === 'share'
                  ? { share: PILOT, salt: crypto.randomUUID().slice(0, 8) }
                  : e.target.value === 'groups'
                    ? { groups: [] }
                    : undefined,
            })
          }
        >
          <option value="">no: it is for all of them</option>
          <option value="share">with a share of them; the same people stay in it as it grows</option>
          <option value="groups">with members of groups</option>
        </select>
        {pilot && 'share' in pilot && (
          <label className="mt-1 flex items-center gap-2">
            <input
              className="input input-xs w-20"
              type="number"
              min={1}
              max={100}
              value={Math.round(pilot.share * 100)}
              onChange={(e) =>
                set({ pilot: { ...pilot, share: Math.min(1, Math.max(0.01, Number(e.target.value) / 100)) } })
              }
            />
            % of the people
          </label>
        )}
        {pilot && 'groups' in pilot && (
          <Names
            of="groups"
            label="Pilot: groups"
            names={pilot.groups}
            change={(groups) => set({ pilot: { groups } })}
            drop={() => set({ pilot: undefined })}
          />
        )}
      </fieldset>
      <Field
        form={form}
        name="filter"
        label={`Only ${SUBJECTS[table].words[1]} of which this holds, for all rules`}
      >
        {() => (
          <ConditionEditor
            table={SUBJECTS[table].fields}
            value={policy.filter ?? ''}
            change={(text) => form.setValue('filter', text || undefined, { shouldDirty: true })}
            label="Condition for all rules"
            hint="nothing: all of them"
          />
        )}
      </Field>
      <div className="flex gap-6">
        <Field form={form} name="rhythm" label="It is judged">
          {(input) => (
            <select
              {...input}
              className="select select-sm w-72"
              value={policy.rhythm ?? ''}
              onChange={(e) => form.setValue('rhythm', e.target.value || undefined, { shouldDirty: true })}
            >
              {[...new Set(['', ...RHYTHMS, policy.rhythm ?? ''])].map((r) => (
                <option key={r} value={r}>
                  {rhythmWords(r || undefined)}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field form={form} name="keepDays" label="What is over is kept for, in days">
          {(input) => (
            <input
              {...input}
              type="number"
              min={1}
              max={3650}
              className="input input-sm w-28"
              placeholder="90"
              {...form.register('keepDays', {
                setValueAs: (v: string | number | undefined) =>
                  v === '' || v === undefined ? undefined : Number(v),
              })}
            />
          )}
        </Field>
      </div>
      <fieldset>
        <legend>A run is stopped before it begins, and asks a steward, where it would make</legend>
        <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
          {BREAKS.map(([key, words, factor]) => (
            <label key={key} className="flex items-center gap-2">
              more than
              <input
                className="input input-xs w-20"
                type="number"
                min={key === 'share' ? 1 : 0}
                max={key === 'share' ? 100 : undefined}
                placeholder={String(Math.round(USUAL_BREAKER[key] * factor))}
                defaultValue={
                  policy.breaker?.[key] === undefined ? '' : Math.round(policy.breaker[key] * factor)
                }
                onChange={(e) => {
                  const { [key]: _, ...others } = form.getValues('breaker') ?? {};
                  const typed = e.target.value;
                  const next: Breaker = {
                    ...others,
                    ...(typed !== '' && { [key]: Number(typed) / factor }),
                  };
                  form.setValue('breaker', Object.keys(next).length ? next : undefined, {
                    shouldDirty: true,
                    shouldValidate: true,
                  });
                }}
              />
              {words}
            </label>
          ))}
        </div>
      </fieldset>
    </div>
  );
}

type SideOf = NonNullable<Scope['include']>;

function Side({
  name,
  of = {},
  change,
  empty,
}: {
  name: string;
  of: SideOf | undefined;
  change: (side: SideOf) => void;
  empty: string;
}) {
  const keys = Object.keys(SCOPE_KEYS) as ScopeKey[];
  const [begun, setBegun] = useState<ScopeKey[]>([]);
  const shown = keys.filter((k) => of[k] ?? begun.includes(k));
  return (
    <fieldset>
      <legend className="flex items-center gap-3">
        <b>{name}</b>
        {!shown.length && <span className="text-quiet">{empty}</span>}
        <select
          className="select select-xs"
          aria-label={`${name}: add`}
          value=""
          onChange={(e) => setBegun([...begun, e.target.value as ScopeKey])}
        >
          <option value="">add …</option>
          {keys
            .filter((k) => !shown.includes(k))
            .map((k) => (
              <option key={k} value={k}>
                {SCOPE_KEYS[k]}
              </option>
            ))}
        </select>
      </legend>
      {shown.map((k) => (
        <Names
          key={k}
          of={k}
          label={`${name}: ${SCOPE_KEYS[k]}`}
          names={of[k] ?? []}
          change={(names) => change({ ...of, [k]: names.length ? names : undefined })}
          drop={() => {
            setBegun(begun.filter((b) => b !== k));
            change({ ...of, [k]: undefined });
          }}
        />
      ))}
    </fieldset>
  );
}

/** What a key of a scope names, each to be dropped, and more to choose from. */
export function Names({
  of,
  label,
  names,
  change,
  drop,
}: {
  of: ScopeKey;
  label: string;
  names: readonly string[];
  change: (names: string[]) => void;
  drop: () => void;
}) {
  const [text, setText] = useState('');
  const { data } = useQuery({
    ...ask('/api/policies/names', { key: of, text }),
    placeholderData: (before) => before,
  });
  const typed = text.trim();
  return (
    <div className="mt-1 flex items-start gap-2">
      <span className="w-52 shrink-0 pt-0.5 first-letter:uppercase">{SCOPE_KEYS[of]}</span>
      <span className="flex min-w-0 flex-1 flex-wrap items-center gap-1.5">
        {names.map((n) => (
          <span key={n} className="inline-flex items-center rounded border border-slate bg-base-200 pl-2">
            <span className="max-w-72 truncate">{n}</span>
            <button
              type="button"
              className="cursor-pointer px-1.5 hover:bg-base-300"
              aria-label={`Remove ${n}`}
              onClick={() => change(names.filter((x) => x !== n))}
            >
              ×
            </button>
          </span>
        ))}
        <Picker
          label={`${label}: choose`}
          look="btn btn-xs"
          button={
            <>
              <Plus size={12} aria-hidden /> {names.length ? 'or …' : 'choose …'}
            </>
          }
          search={{ text, change: setText }}
          choose={(value) => change([...names, value])}
          nothing="There is nothing to choose from."
          groups={[
            { choices: (data ?? []).filter((n) => !names.includes(n.value)) },
            // what is not there yet can be named, too
            {
              choices:
                typed && !data?.some((n) => n.value === typed) && !names.includes(typed)
                  ? [{ value: typed, name: `“${typed}”`, detail: 'as it is typed' }]
                  : [],
            },
          ]}
        />
      </span>
      <button
        type="button"
        className="btn btn-xs btn-square btn-ghost"
        aria-label={`Remove ${label}`}
        onClick={drop}
      >
        <X size={14} aria-hidden />
      </button>
    </div>
  );
}
