/** Steps being written: each a sentence that opens to be changed. */
import { useQuery } from '@tanstack/react-query';
import { ArrowDown, ArrowUp, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { REVIEWS, REVIEW_KINDS, type ReviewKind } from '../../../../core/ask/kinds.ts';
import { SUBJECTS } from '../../../../core/guard/kinds.ts';
import {
  possibleAt,
  RESPONSES,
  TELLING,
  RESPONSE_NAMES,
  type ResponseName,
  type RuleResponse,
} from '../../../../core/guard/responses.ts';
import { fieldsFor, MESSAGE_FIELDS } from '../../../../core/orders/fields.ts';
import {
  ABOUTS,
  ANSWERS,
  ANSWER_NAMES,
  ofEvents,
  subjectsAbout,
  thingSubject,
  type Order,
  type Step,
  type StepName,
} from '../../../../core/orders/schema.ts';
import { ABOUT_WORDS, spanWords, stepWords } from '../../../../core/orders/words.ts';
import { ask } from '../../../frame/api.ts';
import ConditionEditor from '../../../parts/ConditionRows.tsx';
import { Editor } from '../../../parts/Editor.tsx';
import { Picker } from '../../../parts/Picker.tsx';
import { Recipients } from '../../../parts/Recipients.tsx';
import { Several } from '../../../parts/Several.tsx';
import { Params } from '../policies/RuleFields.tsx';

const NEW: Record<StepName, { words: string; about: string; step: Step }> = {
  wait: { words: 'Wait', about: 'some time, or until an hour', step: { do: 'wait', for: 'P1W' } },
  look: { words: 'Look again', about: 'go on only if it still is so', step: { do: 'look', still: true } },
  change: {
    words: 'Change something',
    about: 'withdraw, narrow, label … through a plan that can be undone',
    step: { do: 'change', about: 'share', response: { do: 'withdraw' } },
  },
  tell: {
    words: 'Tell somebody',
    about: 'by mail, or in a channel',
    step: {
      do: 'tell',
      to: [{ actor: true }],
      subject: 'About “{{ thing.name }}”',
      text: 'Hello {{ reader.name }},\n\n',
    },
  },
  ask: {
    words: 'Ask somebody',
    about: 'and wait for the answer',
    step: {
      do: 'ask',
      to: [{ actor: true }],
      subject: 'A question about “{{ thing.name }}”',
      text: 'Hello {{ reader.name }},\n\n\n\n{{ answer.link }}',
      answers: ['reason', 'undo', 'not-me'],
      within: 'P3D',
    },
  },
  review: {
    words: 'Ask the owners',
    about: 'in a round, as Review › Rounds has it; the order goes on at once',
    step: { do: 'review', kind: 'shares', days: 14 },
  },
  branch: {
    words: 'If …',
    about: 'go on differently, by an answer or by what is so',
    step: { do: 'branch', on: { answer: ['none'] }, then: [], else: [] },
  },
  accept: {
    words: 'Accept it for a time',
    about: 'the run ends, and until then none begins about the same',
    step: { do: 'accept', for: 'P90D' },
  },
  'suspend-sharing': {
    words: 'Suspend sharing',
    about: 'until a steward lets them share again',
    step: { do: 'suspend-sharing', about: 'actor' },
  },
  stop: { words: 'Stop', about: 'nothing more is done', step: { do: 'stop' } },
};

interface Props {
  order: Order;
  steps: readonly Step[];
  /** What a run has come past before these. */
  before: readonly Step[];
  channels: readonly { id: string; name: string }[];
  change: (steps: Step[]) => void;
}

export function Steps(props: Props) {
  const { steps, before, change } = props;
  const [open, setOpen] = useState<number>();
  const put = (n: number, step: Step): void => change(steps.map((s, k) => (k === n ? step : s)));
  const move = (n: number, to: number): void => {
    const next = [...steps];
    const [one] = next.splice(n, 1);
    next.splice(to, 0, one!);
    change(next);
    setOpen((o) => (o === n ? to : o));
  };
  return (
    <div>
      <ol className="flex flex-col gap-1">
        {steps.map((step, n) => (
          <li key={n} className="rounded border border-base-300">
            <div className="flex items-center gap-1 px-2 py-1">
              <button
                type="button"
                className="min-w-0 flex-1 text-left"
                aria-expanded={open === n}
                onClick={() => setOpen(open === n ? undefined : n)}
              >
                <span className="text-quiet">{n + 1}.</span> {stepWords(step)}
              </button>
              <button
                type="button"
                className="btn btn-xs btn-ghost btn-square"
                aria-label="Earlier"
                disabled={n === 0}
                onClick={() => move(n, n - 1)}
              >
                <ArrowUp size={13} aria-hidden />
              </button>
              <button
                type="button"
                className="btn btn-xs btn-ghost btn-square"
                aria-label="Later"
                disabled={n === steps.length - 1}
                onClick={() => move(n, n + 1)}
              >
                <ArrowDown size={13} aria-hidden />
              </button>
              <button
                type="button"
                className="btn btn-xs btn-ghost btn-square"
                aria-label="Remove the step"
                onClick={() => {
                  change(steps.filter((_, k) => k !== n));
                  setOpen(undefined);
                }}
              >
                <Trash2 size={13} aria-hidden />
              </button>
            </div>
            {(open === n || step.do === 'branch') && (
              <div className="flex flex-col gap-2 border-t border-base-300 p-2">
                {open === n && (
                  <StepFields
                    {...props}
                    step={step}
                    before={[...before, ...steps.slice(0, n)]}
                    put={(s) => put(n, s)}
                  />
                )}
                {step.do === 'branch' && (
                  <>
                    <Steps
                      {...props}
                      steps={step.then}
                      before={[...before, ...steps.slice(0, n)]}
                      change={(then) => put(n, { ...step, then })}
                    />
                    <span>Otherwise:</span>
                    <Steps
                      {...props}
                      steps={step.else}
                      before={[...before, ...steps.slice(0, n)]}
                      change={(rest) => put(n, { ...step, else: rest })}
                    />
                  </>
                )}
              </div>
            )}
          </li>
        ))}
      </ol>
      <div className="pt-1">
        <Picker
          label="Add a step"
          look="btn btn-xs"
          button={steps.length ? 'Then …' : 'Add a step …'}
          groups={[
            {
              choices: (Object.keys(NEW) as StepName[]).map((k) => ({
                value: k,
                name: NEW[k].words,
                detail: NEW[k].about,
              })),
            },
          ]}
          choose={(k) => {
            change([...steps, structuredClone(NEW[k as StepName].step)]);
            setOpen(steps.length);
          }}
        />
      </div>
    </div>
  );
}

const DURATIONS = ['PT1H', 'PT8H', 'P1D', 'P3D', 'P1W', 'P2W', 'P4W', 'P90D', 'P365D'];
const Duration = ({
  label,
  value,
  change,
  none,
}: {
  label: string;
  value: string | undefined;
  change: (value: string) => void;
  none?: string;
}) => (
  <select
    className="select select-sm w-36"
    aria-label={label}
    value={value ?? ''}
    onChange={(e) => change(e.target.value)}
  >
    {none !== undefined && <option value="">{none}</option>}
    {[...new Set([...(value ? [value] : []), ...DURATIONS])].map((d) => (
      <option key={d} value={d}>
        {spanWords(d)}
      </option>
    ))}
  </select>
);
const DAYS = ['any day', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

function StepFields({
  order,
  step,
  before,
  channels,
  put,
}: Props & { step: Step; put: (step: Step) => void }) {
  const table = SUBJECTS[thingSubject(order.when)].fields;
  switch (step.do) {
    case 'wait':
      return (
        <div className="flex items-center gap-2">
          <select
            className="select select-sm w-28"
            aria-label="How long"
            value={step.until ? 'until' : 'for'}
            onChange={(e) =>
              put(e.target.value === 'for' ? { do: 'wait', for: 'P1W' } : { do: 'wait', until: { hour: 9 } })
            }
          >
            <option value="for">for</option>
            <option value="until">until</option>
          </select>
          {step.until ? (
            <>
              <select
                className="select select-sm w-36"
                aria-label="Day of the week"
                value={step.until.weekday ?? 0}
                onChange={(e) => {
                  const weekday = Number(e.target.value);
                  put({ do: 'wait', until: { ...(weekday && { weekday }), hour: step.until!.hour } });
                }}
              >
                {DAYS.map((d, n) => (
                  <option key={d} value={n}>
                    {d}
                  </option>
                ))}
              </select>
              <select
                className="select select-sm w-24"
                aria-label="Hour"
                value={step.until.hour}
                onChange={(e) => put({ do: 'wait', until: { ...step.until!, hour: Number(e.target.value) } })}
              >
                {Array.from({ length: 24 }, (_, h) => (
                  <option key={h} value={h}>
                    {h}:00
                  </option>
                ))}
              </select>
            </>
          ) : (
            <Duration label="Time" value={step.for} change={(d) => put({ do: 'wait', for: d })} />
          )}
        </div>
      );
    case 'look':
      return (
        <>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={step.still ?? false}
              onChange={(e) =>
                put({ do: 'look', ...(e.target.checked && { still: true }), ...(step.if && { if: step.if }) })
              }
            />
            It has to be still so: what was shared still is
          </label>
          <ConditionEditor
            table={table}
            value={step.if ?? ''}
            change={(text) =>
              put({ do: 'look', ...(step.still && { still: true }), ...(text && { if: text }) })
            }
            label="What has to hold"
            hint="could >= outside"
          />
        </>
      );
    case 'change':
      return <ChangeFields order={order} step={step} put={put} />;
    case 'suspend-sharing':
      return (
        <select
          className="select select-sm w-64"
          aria-label="Whose sharing"
          value={step.about}
          onChange={(e) => put({ do: 'suspend-sharing', about: e.target.value as 'actor' | 'target' })}
        >
          {(['actor', 'target'] as const).map((a) => (
            <option key={a} value={a}>
              of {ABOUT_WORDS[a]}
            </option>
          ))}
        </select>
      );
    case 'tell':
    case 'ask':
      return <MessageFields order={order} step={step} before={before} channels={channels} put={put} />;
    case 'review':
      return (
        <div className="flex flex-wrap items-center gap-2">
          <select
            className="select select-sm w-64"
            aria-label="What they are asked"
            value={step.kind}
            onChange={(e) => put({ ...step, kind: e.target.value as ReviewKind })}
          >
            {REVIEW_KINDS.map((kind) => (
              <option key={kind} value={kind}>
                {REVIEWS[kind].name}
              </option>
            ))}
          </select>
          <label className="flex items-center gap-2">
            <input
              type="number"
              min={1}
              max={180}
              required
              className="input input-sm w-20"
              value={step.days || ''}
              onChange={(e) => put({ ...step, days: e.target.valueAsNumber || 0 })}
            />
            days to answer
          </label>
        </div>
      );
    case 'branch':
      return <BranchFields order={order} step={step} put={put} />;
    case 'accept':
      return <Duration label="For how long" value={step.for} change={(d) => put({ do: 'accept', for: d })} />;
    case 'stop':
      return <p className="text-quiet">The run ends here.</p>;
  }
}

function ChangeFields({
  order,
  step,
  put,
}: {
  order: Order;
  step: Extract<Step, { do: 'change' }>;
  put: (step: Step) => void;
}) {
  const subjects = subjectsAbout(order.when, step.about);
  const possible = RESPONSE_NAMES.filter(
    (r) => !TELLING.includes(r) && subjects.some((s) => possibleAt(r, s, 'atRest')),
  );
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-2">
        <select
          className="select select-sm w-60"
          aria-label="About"
          value={step.about}
          onChange={(e) => put({ ...step, about: e.target.value as typeof step.about })}
        >
          {(ofEvents(order.when) ? ABOUTS : (['thing'] as const)).map((a) => (
            <option key={a} value={a}>
              {ABOUT_WORDS[a]}
            </option>
          ))}
        </select>
        <select
          className="select select-sm w-60"
          aria-label="What is done"
          value={step.response.do}
          onChange={(e) => put({ ...step, response: firstOf(e.target.value as ResponseName) })}
        >
          {[...new Set([step.response.do, ...possible])].map((r) => (
            <option key={r} value={r}>
              {RESPONSES[r].words}
            </option>
          ))}
        </select>
      </div>
      <Params response={step.response} change={(response) => put({ ...step, response })} />
      <p className="text-quiet">{RESPONSES[step.response.do].about}</p>
    </div>
  );
}

const FIRST_PARAMS: Partial<Record<ResponseName, object>> = {
  narrow: { role: 'reader' },
  'let-end': { days: 30 },
  label: { label: 'Restricted' },
  gate: { groups: ['Security'] },
  'set-back': { to: { externalSharing: 'off' } },
};
const firstOf = (name: ResponseName): RuleResponse => ({ do: name, ...FIRST_PARAMS[name] });

function BranchFields({
  order,
  step,
  put,
}: {
  order: Order;
  step: Extract<Step, { do: 'branch' }>;
  put: (step: Step) => void;
}) {
  const { on } = step;
  const { data: reasons } = useQuery(ask('/api/orders/reasons'));
  const kind = Object.keys(on)[0] as 'answer' | 'reason' | 'still' | 'if' | 'event';
  const table = SUBJECTS[thingSubject(order.when)].fields;
  return (
    <>
      <select
        className="select select-sm w-72"
        aria-label="What it depends on"
        value={kind}
        onChange={(e) => {
          const next = {
            answer: { answer: ['none' as const] },
            reason: { reason: reasons?.slice(0, 1) ?? [] },
            still: { still: true as const },
            if: { if: 'true' },
            event: { event: 'outside' },
          }[e.target.value as typeof kind];
          put({ ...step, on: next });
        }}
      >
        <option value="answer">on what was answered</option>
        {reasons && reasons.length > 0 && <option value="reason">on the reason that was given</option>}
        <option value="still">on whether it is still so</option>
        <option value="if">on what it is about, as it is then</option>
        {ofEvents(order.when) && <option value="event">on what happened</option>}
      </select>
      {'answer' in on && (
        <Several
          of={[['none', 'Nobody has answered'], ...ANSWER_NAMES.map((a) => [a, ANSWERS[a]] as const)]}
          chosen={on.answer}
          change={(answer) => put({ ...step, on: { answer } })}
        />
      )}
      {'reason' in on && (
        <Several
          of={[...new Set([...(reasons ?? []), ...on.reason])].map((r) => [r, r] as const)}
          chosen={on.reason}
          change={(reason) => put({ ...step, on: { reason } })}
        />
      )}
      {'if' in on && (
        <ConditionEditor
          table={table}
          value={on.if}
          change={(text) => put({ ...step, on: { if: text || 'true' } })}
          label="What has to hold"
          hint="external > 0"
        />
      )}
      {'event' in on && (
        <ConditionEditor
          table="events"
          value={on.event}
          change={(text) => put({ ...step, on: { event: text || 'true' } })}
          label="What has to hold of what happened"
          hint="partner"
        />
      )}
    </>
  );
}

function MessageFields({
  order,
  step,
  before,
  channels,
  put,
}: {
  order: Order;
  step: Extract<Step, { do: 'tell' | 'ask' }>;
  before: readonly Step[];
  channels: Props['channels'];
  put: (step: Step) => void;
}) {
  const fields = fieldsFor(order, step, before);
  const offers = (typed: string) => {
    const open = /\{\{\s*([\w.]*)$/.exec(typed);
    if (!open) return [];
    return fields
      .filter((f) => f.startsWith(open[1]!))
      .map((f) => ({
        put: `${f} }}`,
        label: f,
        from: typed.length - open[1]!.length,
        about: MESSAGE_FIELDS[f],
      }));
  };
  return (
    <>
      <div className="flex flex-wrap items-center gap-2">
        <span>{step.do === 'ask' ? 'Ask' : 'Tell'}</span>
        <Recipients
          to={step.to}
          channels={step.do === 'tell' ? channels : []}
          change={(to) => put({ ...step, to })}
        />
      </div>
      <Editor
        label="Subject"
        oneLine
        value={step.subject}
        change={(subject) => put({ ...step, subject })}
        offers={offers}
      />
      <Editor label="Text" value={step.text} change={(text) => put({ ...step, text })} offers={offers} />
      <p className="text-xs text-quiet">Type {'{{'} to put in a field, such as the name of the file.</p>
      {step.do === 'tell' ? (
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={step.gathered ?? false}
            onChange={(e) => {
              const { gathered: _, ...rest } = step;
              put({ ...rest, ...(e.target.checked && { gathered: true }) });
            }}
          />
          Gather it with other messages, as whoever reads it wants
        </label>
      ) : (
        <>
          <Several
            of={ANSWER_NAMES.map((a) => [a, ANSWERS[a]] as const)}
            chosen={step.answers}
            change={(answers) => put({ ...step, answers })}
          />
          <div className="flex flex-wrap items-center gap-2">
            Wait at most
            <Duration
              label="Time to answer"
              value={step.within}
              change={(within) => put({ ...step, within })}
            />
            and remind
            <Duration
              label="Reminders"
              none="never"
              value={step.remind}
              change={(remind) => {
                const { remind: _, ...rest } = step;
                put({ ...rest, ...(remind && { remind }) });
              }}
            />
          </div>
        </>
      )}
    </>
  );
}
