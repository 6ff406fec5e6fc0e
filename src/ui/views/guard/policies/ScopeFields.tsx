/** For whom and where a policy is, and when it is judged. */
import { X } from 'lucide-react';
import type { UseFormReturn } from 'react-hook-form';
import { SUBJECTS } from '../../../../core/guard/kinds.ts';
import {
  SCOPE_KEYS,
  type Policy,
  type Rule,
  type Scope,
  type ScopeKey,
} from '../../../../core/guard/schema.ts';
import { SPACE_KINDS } from '../../../../core/model.ts';
import { ConditionText } from '../../../parts/filter.tsx';
import { Field } from '../../../parts/form.tsx';
import { rhythmWords, scopeWords } from './words.ts';

const RHYTHMS = ['', 'FREQ=DAILY;BYHOUR=5', 'FREQ=WEEKLY;BYDAY=MO;BYHOUR=5', 'FREQ=MONTHLY;BYHOUR=5'];
const PILOT = 0.1;

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
        <label className="flex cursor-pointer items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={pilot !== undefined}
            onChange={(e) =>
              set({
                pilot: e.target.checked ? { share: PILOT, salt: crypto.randomUUID().slice(0, 8) } : undefined,
              })
            }
          />
          A share of them; the same people stay in it as it grows
        </label>
        {pilot && 'share' in pilot && (
          <label className="ml-7 mt-1 flex items-center gap-2">
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
      </fieldset>
      <Field
        form={form}
        name="filter"
        label={`Only ${SUBJECTS[table].words[1]} of which this holds, for all rules`}
      >
        {() => (
          <ConditionText
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
              {[...new Set([...RHYTHMS, policy.rhythm ?? ''])].map((r) => (
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
  const keys = (Object.keys(SCOPE_KEYS) as ScopeKey[]).filter((k) => k !== 'charters');
  const shown = keys.filter((k) => of[k]);
  return (
    <fieldset>
      <legend className="flex items-center gap-3">
        <b>{name}</b>
        {!shown.length && <span className="text-quiet">{empty}</span>}
        <select
          className="select select-xs"
          aria-label={`${name}: add`}
          value=""
          onChange={(e) => change({ ...of, [e.target.value]: [''] })}
        >
          <option value="">add …</option>
          {keys
            .filter((k) => !of[k])
            .map((k) => (
              <option key={k} value={k}>
                {SCOPE_KEYS[k]}
              </option>
            ))}
        </select>
      </legend>
      {shown.map((k) => (
        <div key={k} className="mt-1 flex items-center gap-2">
          <label className="flex flex-1 items-center gap-2">
            <span className="w-52 shrink-0 first-letter:uppercase">{SCOPE_KEYS[k]}</span>
            <input
              className="input input-sm w-full"
              placeholder={k === 'spaceKinds' ? SPACE_KINDS.join(', ') : 'names or ids, with commas between'}
              defaultValue={of[k]!.filter(Boolean).join(', ')}
              onChange={(e) =>
                change({
                  ...of,
                  [k]: e.target.value
                    .split(',')
                    .map((x) => x.trim())
                    .filter(Boolean),
                })
              }
            />
          </label>
          <button
            type="button"
            className="btn btn-xs btn-square btn-ghost"
            aria-label={`Remove ${SCOPE_KEYS[k]}`}
            onClick={() => change({ ...of, [k]: undefined })}
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      ))}
    </fieldset>
  );
}
