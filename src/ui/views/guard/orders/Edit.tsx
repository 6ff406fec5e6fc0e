/** A standing order being written: when, if, and steps; beside it how it would go on something that has happened. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { SEVERITIES } from '../../../../core/exposure/exposure.ts';
import { EVENT_TYPES, type EventType } from '../../../../core/guard/events.ts';
import { SUBJECTS, SUBJECT_NAMES } from '../../../../core/guard/kinds.ts';
import {
  ANSWERS,
  ANSWER_NAMES,
  orderSchema,
  whenKind,
  type Order,
  type When,
  type WhenKind,
} from '../../../../core/orders/schema.ts';
import { FIELDS } from '../../../../core/filter/fields.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh } from '../../../frame/signed.ts';
import ConditionEditor from '../../../parts/ConditionRows.tsx';
import { exactly, whenWords } from '../../../parts/dates.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { plural, Trouble } from '../../../parts/marks.tsx';
import { Picker } from '../../../parts/Picker.tsx';
import { RHYTHMS, rhythmWords } from '../../../parts/policy-words.ts';
import { Steps } from './Steps.tsx';

export const EMPTY: Order = {
  format: 'gate-lantern-order',
  version: 1,
  name: '',
  severity: 'medium',
  on: true,
  when: { event: ['file.shared'] },
  if: 'outside',
  steps: [{ do: 'wait', for: 'P4W' }],
};
const KINDS: Record<WhenKind, string> = {
  event: 'Something happens',
  signal: 'A signal is found',
  policy: 'A rule that enforces hits something',
  subject: 'Again and again, or before a date',
};
const FIRST: Record<WhenKind, When> = {
  event: { event: ['file.shared'] },
  signal: { signal: '' },
  policy: { policy: '', rule: '' },
  subject: { subject: 'identity', rhythm: 'FREQ=DAILY;BYHOUR=6;BYMINUTE=0' },
};

export function Edit({
  order,
  of,
  close,
  done,
}: {
  order: Order;
  of?: { id: number; version: number };
  close: () => void;
  done: (id: number) => void;
}) {
  const refresh = useRefresh();
  const { data: known } = useQuery(ask('/api/orders'));
  const form = useSchemaForm<Order>(orderSchema, order, async (values) => {
    const made = of
      ? await send('PUT', '/api/orders/[id]', { id: of.id, order: values, from: of.version })
      : await send('POST', '/api/orders', { order: values });
    refresh();
    close();
    done(made.id);
  });
  const doc: Order = form.watch();
  const set = <K extends keyof Order>(key: K, value: Order[K]): void =>
    form.setValue(key as never, value as never, {
      shouldDirty: true,
      shouldValidate: form.formState.isSubmitted,
    });
  const { when } = doc;
  const table =
    'event' in when || 'signal' in when
      ? 'events'
      : SUBJECTS['subject' in when ? when.subject : 'item'].fields;
  const leave = (): void => {
    if (!form.formState.isDirty || confirm('Leave without keeping the order?')) close();
  };
  return (
    <Dialog title={of ? `Edit “${order.name}”` : 'A new standing order'} size="full" close={leave}>
      <form className="grid h-full grid-cols-[minmax(0,3fr)_minmax(0,2fr)]" onSubmit={form.submit} noValidate>
        <div className="flex min-h-0 flex-col gap-3 overflow-auto p-4">
          <div className="flex gap-3">
            <TextField form={form} name="name" label="Name" look="flex-1" className="input input-sm w-full" />
            <Field form={form} name="severity" label="Severity">
              {(input) => (
                <select {...input} className="select select-sm w-28" {...form.register('severity')}>
                  {SEVERITIES.map((s) => (
                    <option key={s}>{s}</option>
                  ))}
                </select>
              )}
            </Field>
            <label className="flex items-center gap-2 pt-5">
              <input type="checkbox" className="checkbox checkbox-sm" {...form.register('on')} />
              On
            </label>
          </div>
          <TextField
            form={form}
            name="purpose"
            label="What it is for"
            className="input input-sm w-full"
            rules={{ setValueAs: (v: string) => v || undefined }}
          />
          <fieldset className="flex flex-col gap-2 border-t border-base-300 pt-2">
            <legend className="font-bold">When</legend>
            <select
              className="select select-sm w-72"
              aria-label="It begins when"
              value={whenKind(when)}
              onChange={(e) => {
                set('when', FIRST[e.target.value as WhenKind]);
                set('if', undefined);
              }}
            >
              {Object.entries(KINDS).map(([k, words]) => (
                <option key={k} value={k}>
                  {words}
                </option>
              ))}
            </select>
            <WhenFields when={when} change={(w) => set('when', w)} signals={known?.signals ?? []} />
          </fieldset>
          {!('policy' in when) && (
            <Field form={form} name="if" label={<b>If</b>}>
              {() => (
                <ConditionEditor
                  key={table}
                  table={table}
                  value={doc.if ?? ''}
                  change={(text) => set('if', text || undefined)}
                  label="Condition"
                  hint={table === 'events' ? 'outside && weight >= 2' : 'kind == "guest" && idleDays >= 60'}
                />
              )}
            </Field>
          )}
          <section aria-label="Steps" className="border-t border-base-300 pt-2">
            <h3 className="pb-1 font-bold">Then</h3>
            <Steps
              order={doc}
              steps={doc.steps}
              before={[]}
              channels={known?.channels ?? []}
              change={(steps) => set('steps', steps)}
            />
          </section>
          <FormTrouble form={form} />
          <DialogEnd close={leave}>
            <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
              {of ? 'Keep as a new version' : 'Make the order'}
            </button>
          </DialogEnd>
        </div>
        <Foresee order={doc} />
      </form>
    </Dialog>
  );
}

function WhenFields({
  when,
  change,
  signals,
}: {
  when: When;
  change: (when: When) => void;
  signals: readonly string[];
}) {
  if ('event' in when)
    return (
      <div className="flex flex-wrap items-center gap-2">
        {when.event.map((t) => (
          <span key={t} className="badge badge-sm gap-1">
            somebody {EVENT_TYPES[t]}
            <button
              type="button"
              aria-label={`Not when somebody ${EVENT_TYPES[t]}`}
              disabled={when.event.length === 1}
              onClick={() => change({ event: when.event.filter((x) => x !== t) })}
            >
              ×
            </button>
          </span>
        ))}
        <Picker
          label="Add what happens"
          look="btn btn-xs"
          button="or …"
          groups={[
            {
              choices: (Object.keys(EVENT_TYPES) as EventType[])
                .filter((t) => !when.event.includes(t))
                .map((t) => ({ value: t, name: EVENT_TYPES[t], detail: t })),
            },
          ]}
          choose={(t) => change({ event: [...when.event, t as EventType] })}
        />
      </div>
    );
  if ('signal' in when)
    return (
      <select
        className="select select-sm w-72"
        aria-label="Which signal"
        value={when.signal}
        onChange={(e) => change({ signal: e.target.value })}
      >
        {[...new Set([when.signal, ...signals])].map((s) => (
          <option key={s} value={s}>
            {s || 'choose a signal'}
          </option>
        ))}
      </select>
    );
  if ('policy' in when) return <PolicyFields when={when} change={change} />;
  const dates = Object.entries(
    FIELDS[SUBJECTS[when.subject].fields] as Record<string, { type: string; about: string }>,
  ).filter(([, f]) => f.type === 'timestamp');
  return (
    <div className="flex flex-wrap items-end gap-3">
      <label className="flex flex-col gap-1">
        For each
        <select
          className="select select-sm w-44"
          value={when.subject}
          onChange={(e) => change({ subject: e.target.value as typeof when.subject, rhythm: when.rhythm })}
        >
          {SUBJECT_NAMES.map((s) => (
            <option key={s} value={s}>
              {SUBJECTS[s].words[0]}
            </option>
          ))}
        </select>
      </label>
      <label className="flex flex-col gap-1">
        looked at
        <select
          className="select select-sm w-52"
          value={when.rhythm}
          onChange={(e) => change({ ...when, rhythm: e.target.value })}
        >
          {[...new Set([when.rhythm, ...RHYTHMS])].map((r) => (
            <option key={r} value={r}>
              {rhythmWords(r)}
            </option>
          ))}
        </select>
      </label>
      {dates.length > 0 && (
        <label className="flex flex-col gap-1">
          before the date
          <select
            className="select select-sm w-44"
            value={when.date?.field ?? ''}
            onChange={(e) => {
              const { date: _, ...rest } = when;
              change(
                e.target.value
                  ? { ...rest, date: { field: e.target.value, before: when.date?.before ?? 'P14D' } }
                  : rest,
              );
            }}
          >
            <option value="">no date</option>
            {dates.map(([name, f]) => (
              <option key={name} value={name}>
                {f.about}
              </option>
            ))}
          </select>
        </label>
      )}
      {when.date && (
        <label className="flex flex-col gap-1">
          by
          <input
            className="input input-sm w-24"
            value={when.date.before}
            onChange={(e) => change({ ...when, date: { ...when.date!, before: e.target.value } })}
          />
        </label>
      )}
    </div>
  );
}

function PolicyFields({
  when,
  change,
}: {
  when: Extract<When, { policy: string }>;
  change: (when: When) => void;
}) {
  const { data: policies } = useQuery(ask('/api/policies'));
  const of = policies?.find((p) => p.name === when.policy);
  const { data: page } = useQuery({
    ...ask('/api/policies/[id]', { id: of?.id ?? 0 }),
    enabled: of !== undefined,
  });
  return (
    <div className="flex gap-3">
      <select
        className="select select-sm w-64"
        aria-label="Which policy"
        value={when.policy}
        onChange={(e) => change({ policy: e.target.value, rule: '' })}
      >
        {[...new Set([when.policy, ...(policies ?? []).map((p) => p.name)])].map((p) => (
          <option key={p} value={p}>
            {p || 'choose a policy'}
          </option>
        ))}
      </select>
      <select
        className="select select-sm w-64"
        aria-label="Which rule"
        value={when.rule}
        onChange={(e) => change({ ...when, rule: e.target.value })}
      >
        <option value="">choose a rule</option>
        {(page?.policy.rules ?? []).map((r) => (
          <option key={r.id} value={r.id}>
            {r.name}
          </option>
        ))}
      </select>
    </div>
  );
}

/** The order on the last thing that happened and fits: each step with its day, each message as it would read. */
function Foresee({ order }: { order: Order }) {
  const [answered, setAnswered] = useState<(typeof ANSWER_NAMES)[number] | 'none'>('none');
  const [still, setStill] = useState(true);
  const name = order.name.trim() || 'A new order';
  const text = useDeferredValue(JSON.stringify({ ...order, name }));
  const { data, error, isFetching } = useQuery({
    queryKey: ['foresee', text, answered, still],
    queryFn: () => send('POST', '/api/orders/foresee', { order: JSON.parse(text) as Order, answered, still }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const foreseen = data?.foreseen;
  return (
    <aside
      aria-label="How it would go"
      className="flex min-h-0 flex-col gap-2 overflow-auto border-l border-slate bg-base-200 p-4"
    >
      <h3 className="font-bold">
        How it would go {isFetching && <span className="font-normal text-quiet">…</span>}
      </h3>
      <div className="flex flex-wrap gap-3">
        <select
          className="select select-sm w-56"
          aria-label="What whoever is asked answers"
          value={answered}
          onChange={(e) => setAnswered(e.target.value as typeof answered)}
        >
          <option value="none">if nobody answers</option>
          {ANSWER_NAMES.map((a) => (
            <option key={a} value={a}>
              if the answer is “{ANSWERS[a].toLowerCase()}”
            </option>
          ))}
        </select>
        <select
          className="select select-sm w-48"
          aria-label="Whether it still is so"
          value={still ? 'still' : 'not'}
          onChange={(e) => setStill(e.target.value === 'still')}
        >
          <option value="still">if it still is so</option>
          <option value="not">if it is not any more</option>
        </select>
      </div>
      {error && <p className="text-quiet">{error.message}</p>}
      {data?.wrong.map((w) => (
        <Trouble key={w.at + w.why} error={`${w.at}: ${w.why}`} />
      ))}
      {foreseen && !error && data.wrong.length === 0 && (
        <>
          <p>
            On <b>{foreseen.about}</b>. In the last 30 days it would have begun{' '}
            {plural(foreseen.times, 'time')}
            {foreseen.people > 0 && <>, for {plural(foreseen.people, 'person', 'people')}</>}
            {!foreseen.whole && ', counted over the newest events alone'}.
          </p>
          {foreseen.missing.length > 0 && (
            <Trouble
              error={`Nobody is told by way of ${foreseen.missing.join(', ')}: there is none of that name.`}
            />
          )}
          <ol className="flex flex-col gap-2">
            {foreseen.lines.map((l, n) => (
              <li key={n} style={{ marginLeft: l.depth * 14 }}>
                <span className="text-quiet" title={exactly(l.at)}>
                  {whenWords(l.at)}
                </span>
                <span className="block">
                  {l.words}. {l.assumed && <b>{l.assumed}</b>}
                </span>
                {l.messages.map((m, k) => (
                  <details
                    key={k}
                    className="mt-1 rounded border border-slate bg-base-100 p-2"
                    open={k === 0}
                  >
                    <summary className="cursor-pointer">
                      <b>{m.subject}</b> <span className="text-quiet">to {m.to}</span>
                    </summary>
                    <p className="whitespace-pre-wrap break-words pt-1">{m.body}</p>
                  </details>
                ))}
              </li>
            ))}
          </ol>
        </>
      )}
    </aside>
  );
}
