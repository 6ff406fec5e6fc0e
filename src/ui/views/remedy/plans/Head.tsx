/** A plan’s head: its name, what can be done with it, and when. */
import { addDays, isPast, set } from 'date-fns';
import { useEffect, useState } from 'react';
import { Controller } from 'react-hook-form';
import { scheduleForm } from '../../../../dto/forms.ts';
import type { PlanDetail, PlanState } from '../../../../dto/remedy.ts';
import { localMinute, momentOfMinute } from '../../../parts/dates.ts';
import { Field, FormTrouble, useSchemaForm } from '../../../parts/form.tsx';
import { send } from '../../../frame/api.ts';
import { count, plural, Trouble, When } from '../../../parts/marks.tsx';
import { Progress } from '../../../parts/Progress.tsx';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { ENDED, type Body, useAct } from './acts.ts';
import { RETRYABLE } from './Changes.tsx';

export const OPEN: readonly PlanState[] = ['draft', 'asked', 'approved', 'scheduled'];

/** What it is called, why, and what can be done with it now. */
export function Head({ plan }: { plan: PlanDetail }) {
  const { steward, live } = useSigned();
  const step = live.plan?.subject === plan.id ? live.plan.steps[0] : undefined;
  const { act, pending, error } = useAct(plan.id);
  const [asked, setAsked] = useState<'undo' | 'cancel'>();
  const [timing, setTiming] = useState(false);
  useEffect(() => setAsked(undefined), [plan.state]);
  const button = (name: Body['act'], label: string, look = '', more: object = {}) => (
    <button
      className={`btn btn-sm ${look}`}
      disabled={pending}
      onClick={() => act({ act: name, ...more } as Body)}
    >
      {label}
    </button>
  );
  const old = (plan.moved?.length ?? 0) > 0;
  const needs = plan.approval !== null && plan.approval.approved !== true;
  const running = plan.state === 'applying' || plan.state === 'undoing';
  const done = plan.list.filter((c) => c.state === 'verified').length;
  return (
    <>
      <div className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="text-base font-bold break-words">{plan.name}</h2>
          <p className="text-quiet">
            plan {plan.id}, made by {plan.madeBy}, <When at={plan.madeAt} />
            {plan.reason && <>: {plan.reason}</>}
          </p>
        </div>
        <div className="flex max-w-[60%] flex-wrap justify-end gap-2">
          {steward && OPEN.includes(plan.state) && (
            <>
              {button('discard', 'Discard')}
              {old ? (
                button('renew', 'Refresh the preview', 'btn-primary')
              ) : plan.state === 'asked' ? null : needs ? (
                button('ask', 'Request approval', 'btn-primary')
              ) : (
                <>
                  {plan.state === 'scheduled' ? (
                    button('unschedule', 'Unschedule')
                  ) : (
                    <button className="btn btn-sm" aria-expanded={timing} onClick={() => setTiming(!timing)}>
                      Schedule …
                    </button>
                  )}
                  {button('apply', `Apply ${plural(plan.changes, 'change')} now`, 'btn-primary')}
                </>
              )}
            </>
          )}
          {steward && running && plan.halt === null && button('pause', 'Pause')}
          {steward && running && plan.halt === 'paused' && button('goOn', 'Resume', 'btn-primary')}
          {steward &&
            running &&
            plan.halt !== 'cancelled' &&
            (asked === 'cancel' ? (
              button(
                'cancel',
                `Yes, stop here: ${plural(plan.list.filter((c) => c.state === 'planned' || c.state === 'undo-planned').length, 'change')} left`,
                'btn-error',
              )
            ) : (
              <button className="btn btn-sm" onClick={() => setAsked('cancel')}>
                Stop here …
              </button>
            ))}
          {steward &&
            ENDED.includes(plan.state) &&
            plan.list.some((c) => RETRYABLE.includes(c.state)) &&
            button('retry', 'Retry what is left')}
          {steward &&
            plan.state === 'applied' &&
            done > 0 &&
            plan.undo === null &&
            (asked === 'undo' ? (
              plan.undoWants.length ? (
                button('askUndo', `Request approval to put back ${plural(done, 'change')}`, 'btn-primary')
              ) : (
                button('undo', `Yes, put back ${plural(done, 'change')}`, 'btn-error')
              )
            ) : (
              <button className="btn btn-sm" onClick={() => setAsked('undo')}>
                Undo
              </button>
            ))}
          {plan.appliedAt && (
            <a
              className="btn btn-sm"
              href={`/api/evidence/${plan.id}`}
              title="What was changed and what came of it, signed: gl evidence verify checks it without us"
            >
              Signed evidence
            </a>
          )}
        </div>
      </div>
      {running && step?.total && (
        <div className="mt-2 flex items-center gap-3">
          <Progress share={step.done / step.total} of={`${step.name} ${plan.name}`} />
          <span className="shrink-0 text-quiet">
            {count(step.done)} of {plural(step.total, 'change')}
          </span>
        </div>
      )}
      {timing && OPEN.includes(plan.state) && <ScheduleForm plan={plan.id} close={() => setTiming(false)} />}
      {error && (
        <div className="mt-2">
          <Trouble error={error} />
        </div>
      )}
    </>
  );
}

/** Sets a time, the steward's own, in this browser's zone. */
function ScheduleForm({ plan, close }: { plan: number; close: () => void }) {
  const refresh = useRefresh();
  const tonight = set(new Date(), { hours: 22, minutes: 0, seconds: 0, milliseconds: 0 });
  const form = useSchemaForm(
    scheduleForm,
    { at: (isPast(tonight) ? addDays(tonight, 1) : tonight).toISOString() },
    async ({ at }) => {
      await send('POST', '/api/plans/[id]', { act: 'schedule', id: plan, at });
      refresh();
      close();
    },
  );
  return (
    <form
      className="mt-2 flex flex-wrap items-end gap-2 border-l-2 border-base-content px-3 py-1"
      onSubmit={form.submit}
      noValidate
    >
      <Field form={form} name="at" label="Apply on">
        {(input) => (
          <Controller
            control={form.control}
            name="at"
            render={({ field }) => (
              <input
                {...input}
                type="datetime-local"
                className="input input-sm w-56"
                ref={field.ref}
                value={field.value && localMinute(field.value)}
                min={localMinute(new Date())}
                onBlur={field.onBlur}
                onChange={(e) => field.onChange(e.target.value && momentOfMinute(e.target.value))}
              />
            )}
          />
        )}
      </Field>
      <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
        Schedule
      </button>
      <button type="button" className="btn btn-sm btn-ghost" onClick={close}>
        Cancel
      </button>
      <span className="self-center text-quiet">
        If the workspaces have changed by then, the plan is not applied and says why.
      </span>
      <FormTrouble form={form} />
    </form>
  );
}
