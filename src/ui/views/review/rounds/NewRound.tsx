/** Begins a round, with who would be asked what beside it. */
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { z } from 'zod';
import {
  NEXT,
  NEXT_NAMES,
  REVIEW_KINDS,
  reviewOf,
  REVIEWS,
  roundSchema,
  SILENCE,
  SILENCE_NAMES,
  type ReviewKind,
} from '../../../../core/ask/kinds.ts';
import type { RoundPreview } from '../../../../dto/review.ts';
import { send } from '../../../frame/api.ts';
import { useRefresh } from '../../../frame/signed.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import ConditionEditor from '../../../parts/ConditionRows.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { count, plural, Trouble } from '../../../parts/marks.tsx';

/** As it is filled in: numbers and lists as texts are read where it is sent. */
const form = z.object({
  name: z.string().trim().min(1, 'needs a name').max(200),
  kind: z.enum(REVIEW_KINDS),
  where: z.string().trim().min(1, 'needs a condition').max(2000),
  note: z.string().max(1000),
  days: z.number().int().min(1).max(180),
  remind: z.string().regex(/^\s*(\d{1,3}\s*(,\s*\d{1,3}\s*)*)?$/, 'takes days such as 7, 2'),
  next: z.enum(NEXT_NAMES),
  nextDays: z.number().int().min(1).max(180),
  silence: z.enum(SILENCE_NAMES),
  most: z.number().int().min(1).max(1000),
  weeks: z.number().int().min(1).max(52),
});
type Filled = z.infer<typeof form>;
/** What is filled in as a round, which a schema has not read yet. */
const roundOf = (f: Filled) => ({
  ...f,
  remind: f.remind
    .split(',')
    .filter((d) => d.trim())
    .map(Number),
});

export function NewRound({
  kind = 'guests',
  spaces,
  close,
  done,
}: {
  kind?: ReviewKind;
  /** It is about these alone, by key. */
  spaces?: readonly string[];
  close: () => void;
  done: (id: number) => void;
}) {
  const refresh = useRefresh();
  const filling = useSchemaForm(
    form,
    {
      name: `${REVIEWS[kind].name} ${new Date().getFullYear()}`,
      kind,
      where: spaces ? 'true' : REVIEWS[kind].where,
      note: '',
      days: 14,
      remind: '7, 2',
      next: 'manager',
      nextDays: 7,
      silence: 'stewards',
      most: 40,
      weeks: 1,
    } satisfies Filled as Filled,
    async (filled) => {
      const { id } = await send('POST', '/api/rounds', {
        round: roundSchema.parse({ ...roundOf(filled), spaces }),
      });
      refresh();
      done(id);
    },
  );
  // as text, which is the same where nothing was changed
  const filled = JSON.parse(useDeferredValue(JSON.stringify(filling.watch()))) as Filled;
  const read = roundSchema.safeParse({ ...roundOf(filled), spaces });
  const round = read.data;
  const preview = useQuery({
    queryKey: ['round-preview', round && { ...round, name: '', note: '' }],
    queryFn: () => send('POST', '/api/rounds/preview', { round: round! }),
    enabled: round !== undefined,
    placeholderData: (before) => before,
  });
  const [named, setNamed] = useState(false);
  const number = { valueAsNumber: true };
  return (
    <Dialog title="New round" size="wide" close={close}>
      <form className="grid grid-cols-[minmax(0,1fr)_320px] gap-5 p-4" onSubmit={filling.submit} noValidate>
        <div className="flex flex-col gap-3">
          <Field form={filling} name="kind" label={<b>Ask owners about</b>}>
            {(input) => (
              <select
                {...input}
                className="select select-sm w-full"
                value={filled.kind}
                onChange={(e) => {
                  const next = e.target.value as ReviewKind;
                  filling.setValue('kind', next, { shouldDirty: true });
                  if (!spaces) filling.setValue('where', REVIEWS[next].where);
                  if (!reviewOf(next).silent && filled.silence === 'remove')
                    filling.setValue('silence', 'stewards');
                  if (!named) filling.setValue('name', `${REVIEWS[next].name} ${new Date().getFullYear()}`);
                }}
              >
                {REVIEW_KINDS.map((k) => (
                  <option key={k} value={k}>
                    {REVIEWS[k].name}: {REVIEWS[k].asks}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <TextField
            form={filling}
            name="name"
            label={<b>Name</b>}
            className="input input-sm w-full"
            rules={{ onChange: () => setNamed(true) }}
          />
          {spaces ? (
            <p>
              In the <b>{plural(spaces.length, 'space')}</b> that you have chosen.
            </p>
          ) : (
            <Field form={filling} name="where" label={<b>In spaces where</b>}>
              {() => (
                <ConditionEditor
                  key={filled.kind}
                  table="spaces"
                  value={filled.where}
                  change={(where) =>
                    filling.setValue('where', where, { shouldDirty: true, shouldValidate: true })
                  }
                  label="Which spaces"
                  hint='kind == "team" && external > 0'
                />
              )}
            </Field>
          )}
          <div className="grid grid-cols-4 gap-3">
            <TextField
              form={filling}
              name="days"
              label="Days to answer"
              type="number"
              className="input input-sm w-full"
              rules={number}
            />
            <TextField
              form={filling}
              name="remind"
              label="Remind, days before"
              className="input input-sm w-full"
            />
            <TextField
              form={filling}
              name="weeks"
              label="Spread over weeks"
              type="number"
              className="input input-sm w-full"
              rules={number}
            />
            <TextField
              form={filling}
              name="most"
              label="Most at once each"
              type="number"
              className="input input-sm w-full"
              rules={number}
            />
          </div>
          <div className="grid grid-cols-[1fr_120px] gap-3">
            <Field form={filling} name="next" label="If nobody answers in time, ask">
              {(input) => (
                <select {...input} className="select select-sm w-full" {...filling.register('next')}>
                  {Object.entries(NEXT).map(([k, words]) => (
                    <option key={k} value={k}>
                      {words}
                    </option>
                  ))}
                </select>
              )}
            </Field>
            <TextField
              form={filling}
              name="nextDays"
              label="for days"
              type="number"
              className="input input-sm w-full"
              rules={number}
            />
          </div>
          <Field form={filling} name="silence" label="What is still not answered then">
            {(input) => (
              <select {...input} className="select select-sm w-full" {...filling.register('silence')}>
                {Object.entries(SILENCE)
                  .filter(([k]) => k !== 'remove' || reviewOf(filled.kind).silent)
                  .map(([k, words]) => (
                    <option key={k} value={k}>
                      {words}
                    </option>
                  ))}
              </select>
            )}
          </Field>
          <Field form={filling} name="note" label="Something to tell the owners (optional)">
            {(input) => (
              <textarea
                {...input}
                rows={2}
                className="textarea textarea-sm w-full"
                {...filling.register('note')}
              />
            )}
          </Field>
          <FormTrouble form={filling} />
        </div>
        <Preview
          kind={filled.kind}
          answer={preview.data}
          error={round ? preview.error : read.error?.issues[0]?.message}
        />
        <div className="col-span-2">
          <DialogEnd close={close}>
            <button
              className="btn btn-sm btn-primary"
              disabled={filling.formState.isSubmitting || !round || !preview.data?.spaces}
            >
              {preview.data?.spaces ? `Ask ${plural(preview.data.people, 'person', 'people')}` : 'Begin'}
            </button>
          </DialogEnd>
        </div>
      </form>
    </Dialog>
  );
}

function Preview({
  kind,
  answer,
  error,
}: {
  kind: ReviewKind;
  answer: RoundPreview | undefined;
  error: unknown;
}) {
  const [one, many] = REVIEWS[kind].words;
  return (
    <section aria-label="Who would be asked what" aria-live="polite" className="flex flex-col gap-2">
      <b>Who would be asked what</b>
      {error !== undefined && error !== null && <Trouble error={error} />}
      {answer && (
        <>
          <p>
            <b className="text-lg">{count(answer.things)}</b> {answer.things === 1 ? one : many} in{' '}
            {plural(answer.spaces, 'space')}, put to {plural(answer.people, 'person', 'people')}. All together
            about {plural(answer.minutes, 'minute')} of their time.
          </p>
          {answer.withoutOwner > 0 && (
            <p>
              {plural(answer.withoutOwner, 'space')} {answer.withoutOwner === 1 ? 'has' : 'have'} no owner or
              manager who could be asked: the stewards are.
            </p>
          )}
          <p>
            Nobody is asked about more than {plural(answer.most, one, many)} in a week
            {answer.weeks.length > 1 && `, over ${plural(answer.weeks.length, 'week')}`}.
          </p>
          {answer.weeks.length > 1 && (
            <table className="table table-xs">
              <thead>
                <tr>
                  <th>Week</th>
                  <th className="text-right">Spaces</th>
                  <th className="text-right capitalize">{many}</th>
                  <th className="text-right">People</th>
                </tr>
              </thead>
              <tbody>
                {answer.weeks.slice(0, 8).map((w) => (
                  <tr key={w.week}>
                    <td>{w.week + 1}</td>
                    <td className="text-right">{count(w.spaces)}</td>
                    <td className="text-right">{count(w.things)}</td>
                    <td className="text-right">{count(w.people)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {answer.busiest.length > 0 && (
            <>
              <b className="pt-1">Asked most</b>
              <ul>
                {answer.busiest.slice(0, 5).map((p) => (
                  <li key={p.address} className="flex gap-2">
                    <span className="min-w-0 flex-1 truncate" title={p.address}>
                      {p.name || p.address}
                    </span>
                    <span className="text-quiet">
                      {plural(p.things, one, many)} in {plural(p.spaces, 'space')}, {p.minutes} min
                    </span>
                  </li>
                ))}
              </ul>
            </>
          )}
          <b className="pt-1">First, as the most exposed</b>
          <ul>
            {answer.first.slice(0, 6).map((s) => (
              <li key={s.key} className="flex gap-2">
                <span className="min-w-0 flex-1 truncate" title={s.name}>
                  {s.name}
                </span>
                <span className="max-w-36 truncate text-quiet" title={s.owners.join(', ')}>
                  {s.things}: {s.owners.join(', ') || 'stewards'}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
