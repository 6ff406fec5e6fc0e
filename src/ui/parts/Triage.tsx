/** Deciding of findings, one or many at once: accept until a day, give to somebody, note, pick up. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { addDays } from 'date-fns';
import { decisionForm } from '../../dto/forms.ts';
import { dayOf } from './dates.ts';
import { Dialog, DialogEnd } from './Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from './form.tsx';
import { send, ask } from '../frame/api.ts';
import { plural, Trouble } from './marks.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { useSay } from './Toasts.tsx';

type Decision = Parameters<typeof send<'POST', '/api/findings/triage'>>[2]['decision'];
export type Deciding = 'accept' | 'give' | 'note';
/** Accepted for so many days unless another day is chosen. */
const ACCEPTED_DAYS = 90;

/** What can be done with findings; a message tells what was done. */
export function useTriage() {
  const say = useSay();
  const refresh = useRefresh();
  const decide = useMutation({
    mutationFn: ({ findings, decision }: { findings: number[]; decision: Decision }) =>
      send('POST', '/api/findings/triage', { findings, decision }),
    onSuccess: ({ changed }, { findings, decision }) => {
      const left = findings.length - changed;
      const what = { accept: 'accepted', reopen: 'reopened', give: 'assigned', note: 'commented on' }[
        decision.act
      ];
      say(`${plural(changed, 'finding')} ${what}${left ? `; ${left} not changed` : ''}.`);
      refresh();
    },
  });
  const pickUp = useMutation({
    mutationFn: (findings: number[]) => send('POST', '/api/findings/pick-up', { findings }),
    onSuccess: ({ picked, findings, left }) => {
      say(
        `${plural(picked, 'change')} picked up, of ${plural(findings, 'finding')}${left ? `; nothing lets outsiders alone into ${left} of them` : ''}.`,
      );
      refresh();
    },
  });
  return { decide, pickUp };
}

/** The bar over the table while findings are marked. */
export function TriageBar({
  marked,
  clear,
  begin,
  compose,
}: {
  marked: number[];
  clear: () => void;
  begin: (what: Deciding) => void;
  compose: () => void;
}) {
  const { decide, pickUp } = useTriage();
  return (
    <div
      role="toolbar"
      aria-label="What to do with the marked findings"
      className="flex flex-wrap items-center gap-2 bg-base-200 px-4 py-1.5"
    >
      <b>{plural(marked.length, 'finding')} marked</b>
      <button
        className="btn btn-sm btn-primary"
        disabled={pickUp.isPending}
        onClick={() => pickUp.mutate(marked)}
      >
        Pick up what lets outsiders in
      </button>
      <button className="btn btn-sm" onClick={compose}>
        Least change …
      </button>
      <button className="btn btn-sm" onClick={() => begin('accept')}>
        Accept …
      </button>
      <button className="btn btn-sm" onClick={() => begin('give')}>
        Assign …
      </button>
      <button className="btn btn-sm" onClick={() => begin('note')}>
        Comment …
      </button>
      <button
        className="btn btn-sm btn-ghost font-normal"
        disabled={decide.isPending}
        onClick={() => decide.mutate({ findings: marked, decision: { act: 'reopen' } })}
      >
        Reopen accepted
      </button>
      <button className="btn btn-sm btn-ghost font-normal" onClick={clear}>
        Clear selection
      </button>
      {(decide.error ?? pickUp.error) && <Trouble error={decide.error ?? pickUp.error} />}
    </div>
  );
}

const TITLE: Record<Deciding, (n: number) => string> = {
  accept: (n) => `Accept ${plural(n, 'finding')}`,
  give: (n) => `Assign ${plural(n, 'finding')}`,
  note: (n) => `Comment on ${plural(n, 'finding')}`,
};

/** Asks what a decision needs, in a dialog. */
export function Decide({ what, findings, close }: { what: Deciding; findings: number[]; close: () => void }) {
  const { account } = useSigned();
  const { data: stewards } = useQuery({ ...ask('/api/stewards'), enabled: what === 'give' });
  const { decide } = useTriage();
  const form = useSchemaForm<Decision>(
    decisionForm,
    what === 'accept'
      ? { act: 'accept', until: dayOf(addDays(new Date(), ACCEPTED_DAYS)), reason: '' }
      : what === 'give'
        ? { act: 'give', to: account.address }
        : { act: 'note', note: '' },
    async (decision) => {
      await decide.mutateAsync({ findings, decision });
      close();
    },
  );
  const words = what === 'accept' ? 'reason' : 'note';
  return (
    <Dialog title={TITLE[what](findings.length)} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {what === 'accept' && (
          <>
            <p className="text-quiet">
              It leaves the open findings until that day, or until it gets worse. Nothing changes in the
              workspace.
            </p>
            <Field form={form} name="until" label="Until (inclusive)">
              {(input) => (
                <input
                  {...input}
                  type="date"
                  className="input input-sm w-44"
                  min={dayOf(new Date())}
                  {...form.register('until')}
                />
              )}
            </Field>
          </>
        )}
        {what === 'give' ? (
          <Field form={form} name="to" label="Assign to">
            {(input) => (
              <select
                {...input}
                className="select select-sm w-full"
                {...form.register('to', { setValueAs: (v: string | null) => v || null })}
              >
                <option value="">nobody</option>
                {stewards?.map((s) => (
                  <option key={s.address} value={s.address}>
                    {s.name} ({s.address})
                  </option>
                ))}
              </select>
            )}
          </Field>
        ) : (
          <Field form={form} name={words} label={what === 'accept' ? 'Why' : 'Comment'}>
            {(input) => (
              <textarea {...input} className="textarea h-24 w-full" autoFocus {...form.register(words)} />
            )}
          </Field>
        )}
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            {what === 'accept' ? 'Accept' : what === 'give' ? 'Assign' : 'Comment'}
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}
