/** One run of a standing order: what happened, what was done, what comes next. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ANSWERS } from '../../../../core/orders/schema.ts';
import { sentence } from '../../../../core/orders/words.ts';
import { acceptForm } from '../../../../dto/forms.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { Back } from '../../../parts/Choose.tsx';
import { UntilDialog } from '../../../parts/UntilDialog.tsx';
import { plural, State, Trouble, Weight, When } from '../../../parts/marks.tsx';
import { LetShare } from './LetShare.tsx';
import { RUN_WORDS } from './states.ts';

export function Run({ id, set }: ViewProps & { id: number }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const { data: run, error, refetch } = useQuery(ask('/api/orders/runs/[id]', { id }));
  const [accepting, setAccepting] = useState(false);
  const act = useMutation({
    mutationFn: (what: 'cancel' | 'go-on') => send('PUT', '/api/orders/runs', { ids: [id], act: what }),
    onSuccess: refresh,
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!run) return null;
  const [words, icon] = RUN_WORDS[run.state];
  const open = !run.endedAt;
  const hurry = { waiting: 'Skip the wait', failed: 'Try again', held: 'Let it go on' }[run.state as string];
  return (
    <section className="flex h-full flex-col overflow-auto px-5 pt-2.5 pb-4" aria-label={`Run ${run.id}`}>
      <div className="flex items-center gap-3 pb-1">
        <Back to="Back" go={() => set({ run: undefined, sel: undefined }, 'push')} />
        <h1 className="min-w-0 truncate text-base font-bold">
          {run.signal !== null && run.things > 1
            ? `${run.actor}: ${plural(run.things, 'file or space', 'files and spaces')}`
            : run.thing || 'Nothing that is there any more'}
        </h1>
        <State icon={icon}>{words}</State>
        {run.due && open && (
          <span className="text-quiet">
            until <When at={run.due} />
          </span>
        )}
        <span className="flex-1" />
        {steward && open && (
          <>
            {hurry && (
              <button className="btn btn-sm" disabled={act.isPending} onClick={() => act.mutate('go-on')}>
                {hurry}
              </button>
            )}
            <button className="btn btn-sm" onClick={() => setAccepting(true)}>
              Accept until a day …
            </button>
            <button className="btn btn-sm" disabled={act.isPending} onClick={() => act.mutate('cancel')}>
              Cancel the run
            </button>
          </>
        )}
      </div>
      <p className="pb-2">
        <a className="underline decoration-slate" href={`/guard/orders?order=${run.order}`}>
          {run.orderName}
        </a>
        <span className="text-quiet">
          , version {run.version}, began <When at={run.beganAt} />
        </span>
        {run.actor && (
          <>
            {' '}
            by <b>{run.actor}</b>
            {run.target && <> with {run.target}</>}
          </>
        )}
        {run.signal !== null && (
          <>
            .{' '}
            <a className="underline decoration-slate" href={`/guard/signals?signal=${run.signal}`}>
              The signal
            </a>
          </>
        )}
      </p>
      {run.trouble && <Trouble error={run.trouble} />}
      {run.excepted && <p className="pb-2">Accepted until {run.excepted}.</p>}
      {act.error && <Trouble error={act.error} />}
      {run.suspended.map((s) => (
        <p key={s.id} className="flex items-center gap-3 pb-2">
          {s.over ? `${s.name} can share again.` : <b>Sharing by {s.name} is suspended.</b>}
          {!s.over && <LetShare id={s.id} />}
        </p>
      ))}
      <div className="grid grid-cols-2 gap-8">
        <div>
          <h2 className="pb-1 font-bold">What was done</h2>
          <ol>
            {run.did.map((d, n) => (
              <li key={n} className="flex gap-3 border-b border-base-300 py-1">
                <span className="w-28 shrink-0 text-quiet">
                  <When at={d.at} />
                </span>
                <span className="min-w-0 break-words">
                  {d.words}{' '}
                  {d.plan !== null && (
                    <a className="underline decoration-slate" href={`/remedy/plans?plan=${d.plan}`}>
                      Plan {d.plan}
                    </a>
                  )}
                </span>
              </li>
            ))}
          </ol>
          {run.did.length === 0 && <p className="text-quiet">Nothing yet.</p>}
          <h2 className="pb-1 pt-4 font-bold">Its steps</h2>
          <ol>
            {run.steps.map((s, n) => (
              <li
                key={n}
                className={`py-0.5 ${s.here ? 'border-l-2 border-beam pl-2 font-bold' : 'pl-2.5'}`}
                style={{ marginLeft: s.depth * 18 }}
                aria-current={s.here ? 'step' : undefined}
              >
                {sentence(s.words)}
              </li>
            ))}
          </ol>
        </div>
        <div>
          {run.about.length > 0 && (
            <>
              <h2 className="pb-1 font-bold">What it is about</h2>
              <ul>
                {run.about.slice(0, 50).map((t) => (
                  <li key={t.key} className="flex items-center gap-2 py-0.5">
                    <Weight weight={t.weight} />
                    <button
                      className="min-w-0 truncate text-left underline decoration-slate"
                      title={`${t.name} ${t.path} ${t.types.join(', ')}`}
                      onClick={() => set({ sel: t.key })}
                    >
                      {t.name}
                    </button>
                    <span className="truncate text-quiet">{t.path}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
          {run.questions.length > 0 && (
            <>
              <h2 className="pb-1 pt-4 font-bold">Questions</h2>
              <ul>
                {run.questions.map((q) => (
                  <li key={q.id} className="border-b border-base-300 py-1">
                    {q.subject} <span className="text-quiet">to {q.asked.join(', ')}</span>
                    <span className="block">
                      {q.answer ? (
                        <>
                          <b>{q.answer.by}</b>: {ANSWERS[q.answer.what].toLowerCase()}
                          {(q.answer.reason || q.answer.words) && (
                            <> “{[q.answer.reason, q.answer.words].filter(Boolean).join(': ')}”</>
                          )}
                          , <When at={q.answer.at} />
                        </>
                      ) : q.state === 'open' ? (
                        <>
                          no answer yet; until <When at={q.until} />
                        </>
                      ) : (
                        'no answer'
                      )}
                    </span>
                  </li>
                ))}
              </ul>
            </>
          )}
          {run.messages.length > 0 && (
            <>
              <h2 className="pb-1 pt-4 font-bold">Messages</h2>
              <ul>
                {run.messages.map((m) => (
                  <li key={m.id} className="flex gap-2 border-b border-base-300 py-1">
                    <span className="min-w-0 flex-1 truncate" title={m.subject}>
                      {m.subject} <span className="text-quiet">to {m.name || m.recipient}</span>
                    </span>
                    <span className="shrink-0 text-quiet">{m.sentAt ? <When at={m.sentAt} /> : m.state}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      </div>
      {accepting && (
        <UntilDialog
          title="Accept it until a day"
          about="The run ends, and until that day none begins about the same."
          button="Accept"
          schema={acceptForm}
          save={(given) => send('PUT', '/api/orders/runs/[id]', { id, ...given })}
          close={() => setAccepting(false)}
        />
      )}
    </section>
  );
}
