/** The fields of one rule. */
import type { UseFormReturn } from 'react-hook-form';
import { z } from 'zod';
import { SUBJECTS, SUBJECT_NAMES } from '../../../../core/guard/kinds.ts';
import {
  possibleAt,
  RESPONSES,
  RESPONSE_NAMES,
  type ResponseName,
  type RuleResponse,
} from '../../../../core/guard/responses.ts';
import { MOMENTS, type Policy, type Rule } from '../../../../core/guard/schema.ts';
import { SEVERITIES } from '../../../../core/exposure/exposure.ts';
import { Field, TextField } from '../../../parts/form.tsx';
import ConditionEditor from '../../../parts/ConditionRows.tsx';

const HINT: Record<Rule['subject'], string> = {
  item: 'could >= outside && holds("pack:payment-data")',
  space: 'visibility == "organisation" && weight >= 3',
  grant: 'external && !ends',
  link: 'audience == "anyone" && weight >= 2',
  identity: 'kind == "guest" && !ends',
  group: 'external > 0 && weight >= 2',
  app: '!verified && heavy > 0',
  appGrant: 'idleDays >= 90',
};

const MOMENT_WORDS: Record<(typeof MOMENTS)[number], string> = {
  share: 'shares',
  open: 'opens',
  download: 'downloads',
  print: 'prints',
  copy: 'copies',
  move: 'moves',
  upload: 'uploads',
  consent: 'lets an app in',
};

export function RuleFields({ form, n, rule }: { form: UseFormReturn<Policy>; n: number; rule: Rule }) {
  const { words, fields } = SUBJECTS[rule.subject];
  const set = <K extends keyof Rule>(key: K, value: Rule[K]): void =>
    form.setValue(`rules.${n}.${key}` as never, value as never, { shouldDirty: true, shouldValidate: true });
  const acts = !['identity', 'group', 'app'].includes(rule.subject);
  const moments = MOMENTS.filter((m) => (m === 'consent') === (rule.subject === 'appGrant'));
  const possible = RESPONSE_NAMES.filter(
    (name) =>
      (rule.atRest && possibleAt(name, rule.subject, 'atRest')) ||
      (rule.moments?.length && possibleAt(name, rule.subject, 'atMoment')),
  );
  const chosen = (name: ResponseName): RuleResponse | undefined => rule.responses.find((r) => r.do === name);
  return (
    <div className="flex flex-col gap-3">
      <div className="grid grid-cols-[1fr_150px_120px] gap-3">
        <TextField
          form={form}
          name={`rules.${n}.name`}
          label="Name of the rule"
          className="input input-sm w-full"
        />
        <Field form={form} name={`rules.${n}.subject`} label="About">
          {(input) => (
            <select
              {...input}
              className="select select-sm w-full"
              value={rule.subject}
              onChange={(e) => {
                const subject = e.target.value as Rule['subject'];
                set('subject', subject);
                // what cannot be done about the other kind is left out
                set(
                  'responses',
                  rule.responses.filter((r) => possibleAt(r.do, subject, 'atRest')),
                );
                if (
                  ['identity', 'group', 'app', 'appGrant'].includes(subject) ||
                  rule.subject === 'appGrant'
                ) {
                  set('moments', undefined);
                  set('atRest', true);
                }
              }}
            >
              {SUBJECT_NAMES.map((s) => (
                <option key={s} value={s}>
                  {SUBJECTS[s].words[1]}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field form={form} name={`rules.${n}.severity`} label="Severity">
          {(input) => (
            <select {...input} className="select select-sm w-full" {...form.register(`rules.${n}.severity`)}>
              {SEVERITIES.map((s) => (
                <option key={s}>{s}</option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <Field form={form} name={`rules.${n}.if`} label={`It hits ${words[1]} of which this holds`}>
        {() => (
          <ConditionEditor
            table={fields}
            value={rule.if}
            change={(text) => set('if', text)}
            label="Condition"
            hint={HINT[rule.subject]}
          />
        )}
      </Field>
      <fieldset>
        <legend>When it is judged</legend>
        <label className="flex min-h-6 w-fit cursor-pointer items-center gap-2 py-0.5">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={rule.atRest ?? false}
            onChange={(e) => set('atRest', e.target.checked || undefined)}
          />
          At rest: on everything, as it is
        </label>
        {acts && (
          <div
            className="flex flex-wrap items-center gap-x-3 gap-y-1"
            role="group"
            aria-label="Before somebody"
          >
            <span>Before somebody</span>
            {moments.map((m) => (
              <label key={m} className="flex min-h-6 cursor-pointer items-center gap-1.5">
                <input
                  type="checkbox"
                  className="checkbox checkbox-sm"
                  checked={rule.moments?.includes(m) ?? false}
                  onChange={(e) => {
                    const next = MOMENTS.filter((x) =>
                      x === m ? e.target.checked : rule.moments?.includes(x),
                    );
                    set('moments', next.length ? next : undefined);
                  }}
                />
                {MOMENT_WORDS[m]}
              </label>
            ))}
          </div>
        )}
      </fieldset>
      <fieldset>
        <legend>What is to be done about it</legend>
        <p className="text-xs text-quiet">
          While a rule observes nothing is done: what it would do is recorded. Of responses to one thing that
          exclude each other, the strictest is done.
        </p>
        <ul className="mt-1">
          {possible.map((name) => {
            const response = chosen(name);
            return (
              <li key={name} className="py-1">
                <label className="flex min-h-6 cursor-pointer items-baseline gap-2">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-sm self-center"
                    checked={response !== undefined}
                    onChange={(e) =>
                      set(
                        'responses',
                        e.target.checked
                          ? [...rule.responses, { do: name, ...firstParams(name) }]
                          : rule.responses.filter((r) => r.do !== name),
                      )
                    }
                  />
                  <span className="w-44 shrink-0">{RESPONSES[name].words}</span>
                  <span className="text-quiet">{RESPONSES[name].about}</span>
                </label>
                {response && (
                  <Params
                    response={response}
                    change={(next) =>
                      set(
                        'responses',
                        rule.responses.map((r) => (r === response ? next : r)),
                      )
                    }
                  />
                )}
              </li>
            );
          })}
          {!possible.length && <li className="text-quiet">Say first when it is judged.</li>}
        </ul>
      </fieldset>
    </div>
  );
}

interface Shape {
  type?: string;
  enum?: string[];
  items?: Shape;
  properties?: Record<string, Shape>;
  maximum?: number;
}
const PARAMS = Object.fromEntries(
  RESPONSE_NAMES.map((name) => [
    name,
    (z.toJSONSchema(z.object(RESPONSES[name].params)) as Shape).properties ?? {},
  ]),
) as Record<ResponseName, Record<string, Shape>>;

const PARAM_WORDS: Record<string, string> = {
  days: 'days',
  dueDays: 'days to answer',
  restorableDays: 'days it can be restored',
  text: 'what it says',
  reason: 'ask for a reason',
  label: 'label',
  role: 'no more than the role',
  audience: 'no wider than for',
  groups: 'groups, with commas between',
  to: 'to',
  externalSharing: 'external sharing',
  visibility: 'visible to',
  defaultAudience: 'new links are for',
  editorsShare: 'editors may share',
  dim: 'passed over by search',
};

/** What has to be said of a response when it is chosen. */
function firstParams(name: ResponseName): Record<string, unknown> {
  return name === 'let-end' ? { days: 90 } : name === 'set-back' ? { to: { visibility: 'members' } } : {};
}

/** What can be said of a response, each by its kind. */
export function Params({
  response,
  change,
}: {
  response: RuleResponse;
  change: (next: RuleResponse) => void;
}) {
  const shapes = PARAMS[response.do];
  if (!Object.keys(shapes).length) return null;
  const put = (key: string, value: unknown): void => {
    const next: RuleResponse = { ...response, [key]: value };
    if (value === undefined) delete next[key];
    change(next);
  };
  return (
    <div className="mb-1 ml-7 flex flex-wrap items-center gap-x-4 gap-y-1">
      {Object.entries(shapes).map(([key, shape]) =>
        shape.properties ? (
          Object.entries(shape.properties).map(([k, s]) => (
            <Param
              key={k}
              name={k}
              shape={s}
              value={(response[key] as Record<string, unknown> | undefined)?.[k]}
              change={(v) => {
                const of = { ...(response[key] as Record<string, unknown> | undefined), [k]: v };
                if (v === undefined) delete of[k];
                put(key, of);
              }}
            />
          ))
        ) : (
          <Param key={key} name={key} shape={shape} value={response[key]} change={(v) => put(key, v)} />
        ),
      )}
    </div>
  );
}

function Param({
  name,
  shape,
  value,
  change,
}: {
  name: string;
  shape: Shape;
  value: unknown;
  change: (value: unknown) => void;
}) {
  const words = PARAM_WORDS[name] ?? name;
  if (shape.type === 'boolean')
    return (
      <label className="flex items-center gap-2">
        {words}
        <select
          className="select select-xs"
          value={typeof value === 'boolean' ? String(value) : ''}
          onChange={(e) => change(e.target.value === '' ? undefined : e.target.value === 'true')}
        >
          <option value="">as it is</option>
          <option value="true">yes</option>
          <option value="false">no</option>
        </select>
      </label>
    );
  if (shape.enum)
    return (
      <label className="flex items-center gap-2">
        {words}
        <select
          className="select select-xs"
          value={typeof value === 'string' ? value : ''}
          onChange={(e) => change(e.target.value || undefined)}
        >
          <option value="">as it is</option>
          {shape.enum.map((v) => (
            <option key={v}>{v}</option>
          ))}
        </select>
      </label>
    );
  const isNumber = shape.type === 'integer';
  const list = shape.type === 'array';
  return (
    <label className="flex items-center gap-2">
      {words}
      <input
        className={`input input-xs ${isNumber ? 'w-20' : 'w-64'}`}
        type={isNumber ? 'number' : 'text'}
        min={1}
        max={shape.maximum}
        defaultValue={
          list
            ? ((value as string[] | undefined) ?? []).join(', ')
            : ((value as string | number | undefined) ?? '')
        }
        onChange={(e) => {
          const text = e.target.value.trim();
          if (list) change(text ? text.split(/\s*,\s*/).filter(Boolean) : undefined);
          else change(text === '' ? undefined : isNumber ? Number(text) : text);
        }}
      />
    </label>
  );
}
