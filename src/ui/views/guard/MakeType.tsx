/** Making a data type of our own: what it asks, with its matches in a text and its cases as one writes. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { Check, Plus, Trash2, X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { z } from 'zod';
import type { Condition, CustomType } from '../../../core/recognise/custom.ts';
import { STARTERS } from '../../../core/recognise/starters.ts';
import { customTypeForm } from '../../../formats/custom-type-schema.ts';
import type { BenchResult, TypeDetail } from '../../../dto/recognition.ts';
import { ask, upload, jsonBlob } from '../../frame/api.ts';
import type { Wrong } from '../../parts/CodeEditor.tsx';
import { Editor } from '../../parts/Editor.tsx';
import { Field, FormTrouble, useSchemaForm } from '../../parts/form.tsx';
import { MatchedText, placesOf, Sum, type Place } from '../../parts/MatchedText.tsx';
import { count, plural, Trouble } from '../../parts/marks.tsx';
import { useRefresh } from '../../frame/signed.ts';
import { slug } from '../../parts/words.ts';

type Tried = BenchResult & { cases: boolean[] };
const typeForm = customTypeForm.extend({ active: z.boolean() });
const formOf = ({ id: _, ...rest }: CustomType) => rest;
const EMPTY: Omit<CustomType, 'id'> = {
  name: '',
  weight: 2,
  certainty: 60,
  match: { pattern: '' },
  context: [],
  cases: [],
};

export function MakeType({
  id,
  done,
  leave,
}: {
  id: string | undefined;
  done: (id: string) => void;
  leave: () => void;
}) {
  const known = useQuery({ ...ask('/api/data-types/[id]', { id: id! }), enabled: id !== undefined });
  if (id !== undefined && !known.data)
    return known.error ? (
      <Trouble error={known.error} retry={() => void known.refetch()} />
    ) : (
      <p className="p-4 text-quiet">…</p>
    );
  return <Form key={id ?? ''} before={known.data} done={done} leave={leave} />;
}

function Form({
  before,
  done,
  leave,
}: {
  before: TypeDetail | undefined;
  done: (id: string) => void;
  leave: () => void;
}) {
  const refresh = useRefresh();
  /** Boxes that keep what is typed begin anew with each starter. */
  const [starts, setBegun] = useState(0);
  const [text, setText] = useState('');
  const [shown, setShown] = useState<Place>();
  const [tried, setTried] = useState<Tried>();
  const [wrong, setWrong] = useState<string>();
  const form = useSchemaForm(
    typeForm,
    { ...EMPTY, ...(before?.definition && formOf(before.definition)), active: before?.active ?? true },
    async ({ active, ...type }) => {
      const id = before?.id ?? slug(type.name);
      await upload('PUT', '/api/data-types/[id]', { id, active }, jsonBlob({ ...type, id }));
      refresh();
      done(id);
    },
  );
  const { active: _, ...draft } = form.watch();
  const change = <K extends 'match' | 'context' | 'cases'>(field: K, value: CustomType[K]) =>
    form.setValue<typeof field>(field, value as never, {
      shouldDirty: true,
      shouldValidate: form.formState.isSubmitted,
    });
  const begun = !isBlank(draft.match);
  // as text: what is watched is a new object each time
  const definition = JSON.stringify({
    ...draft,
    id: before?.id ?? (slug(draft.name) || 'new'),
    name: draft.name || 'New',
  });
  useEffect(() => {
    if (!begun) return;
    let over = false;
    const timer = setTimeout(() => {
      upload(
        'PUT',
        '/api/data-types/bench',
        {},
        jsonBlob({ text, type: JSON.parse(definition) as unknown }),
      ).then(
        (result) => {
          if (over) return;
          setTried(result);
          setShown(undefined);
          setWrong(undefined);
        },
        (e: unknown) => over || setWrong(e instanceof Error ? e.message : String(e)),
      );
    }, 350);
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }, [text, definition, begun]);
  const places = tried ? placesOf(tried) : [];
  const failing = tried?.cases.filter((c) => !c).length ?? 0;
  const addCase = (matches: boolean) => text && change('cases', [...draft.cases, { text, matches }]);
  return (
    <div className="flex h-full">
      <form
        className="flex w-[480px] shrink-0 flex-col border-r border-slate"
        onSubmit={form.submit}
        noValidate
      >
        <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
          <div className="flex items-center gap-3">
            <h1 className="flex-1 text-base font-bold">
              {before ? `Change “${before.name}”` : 'Create a data type'}
            </h1>
            {!before && (
              <select
                className="select select-sm w-52"
                aria-label="Start from an example"
                value=""
                onChange={(e) => {
                  const starter = STARTERS.find((x) => x.id === e.target.value);
                  if (!starter) return;
                  form.reset(
                    { ...formOf(structuredClone(starter)), active: form.getValues('active') },
                    { keepDefaultValues: true },
                  );
                  setBegun((n) => n + 1);
                  setText(starter.cases[0]?.text ?? '');
                }}
              >
                <option value="">start from an example …</option>
                {STARTERS.map((x) => (
                  <option key={x.id} value={x.id}>
                    {x.name}
                  </option>
                ))}
              </select>
            )}
          </div>
          <div className="flex gap-3">
            <Field form={form} name="name" label="Name" look="flex-1">
              {(input) => (
                <input
                  {...input}
                  className="input input-sm w-full"
                  placeholder="Berth contract number"
                  {...form.register('name')}
                />
              )}
            </Field>
            <Field form={form} name="weight" label="Weight of one value">
              {(input) => (
                <select
                  {...input}
                  className="select select-sm w-36"
                  {...form.register('weight', { valueAsNumber: true })}
                >
                  <option value={1}>1, internal</option>
                  <option value={2}>2, sensitive</option>
                  <option value={3}>3, confidential</option>
                  <option value={4}>4, opens a door</option>
                </select>
              )}
            </Field>
          </div>
          <div>
            <span className="mb-0.5 block text-xs font-semibold text-quiet">What it looks for</span>
            <ConditionEditor
              key={starts}
              value={draft.match}
              change={(match) => change('match', match)}
              depth={0}
              own={before?.id}
            />
          </div>
          <div className="flex gap-3">
            <Field
              form={form}
              name="context"
              label="Words nearby that make a match more certain (+15), separated by commas"
              look="flex-1"
            >
              {(input) => (
                <Words
                  key={starts}
                  input={input}
                  value={draft.context}
                  change={(context) => change('context', context)}
                />
              )}
            </Field>
            <Field form={form} name="certainty" label="Certainty by itself">
              {(input) => (
                <input
                  {...input}
                  className="input input-sm w-36"
                  type="number"
                  {...form.register('certainty', { valueAsNumber: true })}
                />
              )}
            </Field>
          </div>
          <label className="flex items-center gap-2">
            <input type="checkbox" className="checkbox checkbox-sm" {...form.register('active')} />
            Look for it in every survey from the next one on
          </label>
        </div>
        <div className="space-y-2 border-t border-slate p-3">
          {wrong && <Trouble error={wrong} />}
          <FormTrouble form={form} />
          <div className="flex items-center gap-2">
            <button
              className="btn btn-sm btn-primary"
              disabled={!begun || form.formState.isSubmitting || !!wrong || failing > 0}
            >
              {before ? 'Save changes' : 'Create'}
            </button>
            <button type="button" className="btn btn-sm btn-ghost" onClick={leave}>
              Cancel
            </button>
            {failing > 0 && <span className="text-error">{plural(failing, 'case fails', 'cases fail')}</span>}
          </div>
        </div>
      </form>
      <section aria-label="Try it" className="flex min-w-0 flex-1 flex-col">
        <div className="flex h-[34%] flex-col gap-2 border-b border-slate p-3">
          <textarea
            className="textarea min-h-0 w-full flex-1 resize-none font-mono text-[12.5px]"
            aria-label="Text to try it on"
            placeholder="Write or paste a made-up text to try it on."
            spellCheck={false}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <div className="flex items-center gap-2">
            <span className="flex-1 text-quiet">Keep this text as a case that</span>
            <button type="button" className="btn btn-xs" disabled={!text} onClick={() => addCase(true)}>
              <Check size={12} aria-hidden /> must match
            </button>
            <button type="button" className="btn btn-xs" disabled={!text} onClick={() => addCase(false)}>
              <X size={12} aria-hidden /> must not match
            </button>
          </div>
        </div>
        <div className="flex min-h-0 flex-1">
          <div
            className="min-w-0 flex-1 overflow-auto p-3"
            tabIndex={0}
            aria-label="The text with its matches"
          >
            <h2 className="mb-1 text-xs font-semibold text-quiet">
              {tried && text && begun
                ? plural(places.length, 'match', 'matches')
                : 'Matches appear here as you write'}
            </h2>
            {tried && text && begun && <MatchedText result={tried} shown={shown} show={setShown} />}
          </div>
          {(shown ?? places[0]) && text && (
            <div className="w-72 shrink-0 overflow-auto border-l border-base-300 p-3">
              <Sum match={(shown ?? places[0]!).match} />
            </div>
          )}
        </div>
        <div className="h-[34%] overflow-auto border-t border-slate p-3" tabIndex={0} aria-label="Its cases">
          <h2 className="mb-1 text-xs font-semibold text-quiet">
            Cases, checked at every change{draft.cases.length > 0 && `: ${draft.cases.length}`}
          </h2>
          {draft.cases.length === 0 && (
            <p className="text-quiet">
              Keep a few texts that must match, and some that look alike and must not.
            </p>
          )}
          <ul>
            {draft.cases.map((c, i) => {
              const held = tried?.cases[i];
              return (
                <li key={i} className="flex items-center gap-2 border-b border-base-300 py-0.5">
                  <span className={`w-36 shrink-0 ${held === false ? 'text-error' : ''}`}>
                    {held === undefined ? '…' : held ? '✓' : '✗'} must {c.matches ? 'match' : 'not match'}
                  </span>
                  <button
                    type="button"
                    className="min-w-0 flex-1 cursor-pointer truncate text-left font-mono text-xs"
                    title="Put it into the text above"
                    onClick={() => setText(c.text)}
                  >
                    {c.text}
                  </button>
                  <button
                    type="button"
                    className="btn btn-xs btn-square btn-ghost"
                    aria-label={`Remove the case ${c.text.slice(0, 40)}`}
                    onClick={() =>
                      change(
                        'cases',
                        draft.cases.filter((_, k) => k !== i),
                      )
                    }
                  >
                    <Trash2 size={12} aria-hidden />
                  </button>
                </li>
              );
            })}
          </ul>
        </div>
      </section>
    </div>
  );
}

/** Nothing has been asked yet. */
const isBlank = (c: Condition): boolean =>
  'pattern' in c ? !c.pattern : 'words' in c ? !c.words.some((w) => w.trim()) : 'type' in c ? !c.type : false;

const KINDS = {
  pattern: 'a pattern',
  words: 'words from a list',
  type: 'another data type',
  everything: 'any document, even a blank one',
  all: 'all of these',
  any: 'any of these',
  of: 'at least so many of these',
  find: 'one near another',
} as const;
type Kind = keyof typeof KINDS;
const kindOf = (c: Condition): Kind => (Object.keys(KINDS) as Kind[]).find((k) => k in c)!;

const fresh = (kind: Kind, from: Condition): Condition => {
  const inner = isBlank(from) ? [{ pattern: '' } as Condition] : [from];
  switch (kind) {
    case 'words':
      return { words: [] };
    case 'type':
      return { type: '' };
    case 'everything':
      return { everything: true };
    case 'all':
      return { all: [...inner, { words: [] }] };
    case 'any':
      return { any: [...inner, { words: [] }] };
    case 'of':
      return { atLeast: 1, of: [...inner, { words: [] }] };
    case 'find':
      return { find: inner[0]!, near: { words: [] }, within: 100 };
    default:
      return { pattern: '' };
  }
};

/** What is wrong with a pattern, as the API says it. */
async function wrongInPattern(pattern: string): Promise<Wrong | undefined> {
  if (!pattern) return undefined;
  const type = { ...EMPTY, id: 'new', name: 'New', match: { pattern } };
  try {
    await upload('PUT', '/api/data-types/bench', {}, jsonBlob({ text: '', type }));
    return undefined;
  } catch (e) {
    return { message: e instanceof Error ? e.message : String(e) };
  }
}

function ConditionEditor({
  value: c,
  change,
  depth,
  own,
  drop,
}: {
  value: Condition;
  change: (c: Condition) => void;
  depth: number;
  own: string | undefined;
  drop?: () => void;
}) {
  const kind = kindOf(c);
  const catalogue = useQuery(ask('/api/data-types'));
  const list = (name: 'all' | 'any' | 'of', inner: Condition[]) => {
    const put = (next: Condition[]) => change({ ...c, [name]: next });
    return (
      <div className="space-y-2">
        {inner.map((x, i) => (
          <ConditionEditor
            key={i}
            value={x}
            depth={depth + 1}
            own={own}
            change={(n) => put(inner.map((y, k) => (k === i ? n : y)))}
            {...(inner.length > 1 && { drop: () => put(inner.filter((_, k) => k !== i)) })}
          />
        ))}
        <button type="button" className="btn btn-xs" onClick={() => put([...inner, { pattern: '' }])}>
          <Plus size={12} aria-hidden /> Add a condition
        </button>
      </div>
    );
  };
  return (
    <div className={`space-y-2 rounded border border-slate p-2 ${depth % 2 ? 'bg-base-200' : ''}`}>
      <div className="flex items-center gap-2">
        <select
          className="select select-xs flex-1"
          aria-label="Kind of condition"
          value={kind}
          onChange={(e) => change(fresh(e.target.value as Kind, c))}
        >
          {(Object.entries(KINDS) as [Kind, string][]).map(([k, words]) => (
            <option key={k} value={k}>
              {words}
            </option>
          ))}
        </select>
        {!('everything' in c) && (
          <label className="flex items-center gap-1 whitespace-nowrap text-xs text-quiet">
            at least
            <input
              className="input input-xs w-14"
              type="number"
              min={1}
              aria-label="Distinct values at least"
              value={c.distinct ?? 1}
              onChange={(e) => change({ ...c, distinct: Math.max(1, Number(e.target.value)) })}
            />
            distinct
          </label>
        )}
        {drop && (
          <button
            type="button"
            className="btn btn-xs btn-square btn-ghost"
            aria-label="Remove this condition"
            onClick={drop}
          >
            <Trash2 size={12} aria-hidden />
          </button>
        )}
      </div>
      {'pattern' in c && (
        <>
          <Editor
            oneLine
            label="Pattern"
            hint="\bTT-\d{4}-[A-Z]{2}\b"
            value={c.pattern}
            change={(pattern) => change({ ...c, pattern })}
            check={wrongInPattern}
          />
          <div className="flex items-center gap-3 text-xs">
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={c.ignoreCase ?? false}
                onChange={(e) => change({ ...c, ignoreCase: e.target.checked })}
              />{' '}
              in any case
            </label>
            <label className="flex items-center gap-1">
              check digits
              <select
                className="select select-xs w-40"
                aria-label="Check digits"
                value={c.check ?? ''}
                onChange={(e) => change(without({ ...c, check: e.target.value || undefined } as Condition))}
              >
                <option value="">none</option>
                <option value="luhn">Luhn (ISO/IEC 7812)</option>
                <option value="mod-97-10">mod 97-10 (ISO 7064)</option>
                <option value="verhoeff">Verhoeff</option>
              </select>
            </label>
          </div>
        </>
      )}
      {'words' in c && <WordList value={c} change={change} />}
      {('pattern' in c || 'words' in c) && (
        <label className="block text-xs text-quiet">
          only in columns with these headings, separated by commas (empty: anywhere)
          <Words
            value={c.under ?? []}
            change={(under) => change(without({ ...c, under: under.length ? under : undefined }))}
          />
        </label>
      )}
      {'type' in c && (
        <div className="flex gap-2">
          <select
            className="select select-sm flex-1"
            aria-label="Which data type"
            value={c.type}
            onChange={(e) => change({ ...c, type: e.target.value })}
          >
            <option value="">choose …</option>
            {catalogue.data?.rows
              .filter((r) => !r.custom && r.id !== own)
              .map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
          </select>
          <label className="flex items-center gap-1 text-xs text-quiet">
            from certainty
            <input
              className="input input-sm w-16"
              type="number"
              min={0}
              max={100}
              value={c.certainty ?? 0}
              onChange={(e) => change({ ...c, certainty: Number(e.target.value) })}
            />
          </label>
        </div>
      )}
      {'all' in c && list('all', c.all)}
      {'any' in c && list('any', c.any)}
      {'of' in c && (
        <>
          <label className="flex items-center gap-1 text-xs text-quiet">
            how many of these must hold
            <input
              className="input input-xs w-14"
              type="number"
              min={1}
              max={c.of.length}
              value={c.atLeast}
              onChange={(e) => change({ ...c, atLeast: Math.max(1, Number(e.target.value)) })}
            />
          </label>
          {list('of', c.of)}
        </>
      )}
      {'find' in c && (
        <>
          <ConditionEditor
            value={c.find}
            depth={depth + 1}
            own={own}
            change={(find) => change({ ...c, find })}
          />
          <label className="flex items-center gap-1 text-xs text-quiet">
            within
            <input
              className="input input-xs w-20"
              type="number"
              min={0}
              max={10000}
              value={c.within}
              onChange={(e) => change({ ...c, within: Number(e.target.value) })}
            />
            characters of
          </label>
          <ConditionEditor
            value={c.near}
            depth={depth + 1}
            own={own}
            change={(near) => change({ ...c, near })}
          />
        </>
      )}
    </div>
  );
}

/** Without the fields that have no value. */
const without = (c: Condition): Condition =>
  Object.fromEntries(Object.entries(c).filter(([, v]) => v !== undefined)) as unknown as Condition;

/** Words in one line, with commas between. What is typed stays as it is typed. */
function Words({
  value,
  change,
  input,
}: {
  value: string[];
  change: (words: string[]) => void;
  input?: object;
}) {
  const [typed, setTyped] = useState(value.join(', '));
  return (
    <input
      {...input}
      className="input input-sm w-full"
      value={typed}
      onChange={(e) => {
        setTyped(e.target.value);
        change(
          e.target.value
            .split(',')
            .map((w) => w.trim())
            .filter(Boolean),
        );
      }}
    />
  );
}

/** Longer lists are not put into the box: it would stand still. */
const SHOWN_WORDS = 2000;

function WordList({
  value: c,
  change,
}: {
  value: Extract<Condition, { words: string[] }>;
  change: (c: Condition) => void;
}) {
  const picker = useRef<HTMLInputElement>(null);
  const [brought, setBrought] = useState<{ file: File; columns: string[] }>();
  const bring = useMutation({
    mutationFn: ({ file, column }: { file: File; column?: string }) =>
      upload('POST', '/api/data-types/words', { column }, file),
    onSuccess: ({ words, columns }, { file }) => {
      setBrought({ file, columns });
      change({ ...c, words });
    },
  });
  const long = c.words.length > SHOWN_WORDS;
  return (
    <>
      {long ? (
        <p className="rounded bg-base-200 p-2">
          {count(c.words.length)} words: {c.words.slice(0, 5).join(', ')} …{' '}
          <button type="button" className="btn btn-xs" onClick={() => change({ ...c, words: [] })}>
            Clear the list
          </button>
        </p>
      ) : (
        <textarea
          className="textarea h-24 w-full resize-y text-[13px]"
          aria-label="Words, one a line"
          placeholder="One word or phrase a line"
          spellCheck={false}
          value={c.words.join('\n')}
          onChange={(e) => change({ ...c, words: e.target.value.split('\n') })}
        />
      )}
      <div className="flex flex-wrap items-center gap-3 text-xs">
        <button type="button" className="btn btn-xs" onClick={() => picker.current?.click()}>
          Import a list (CSV or text)
        </button>
        <input
          ref={picker}
          type="file"
          hidden
          accept=".csv,.txt,.tsv,text/*"
          aria-label="A list of words"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) bring.mutate({ file });
            e.target.value = '';
          }}
        />
        {brought && brought.columns.length > 1 && (
          <label className="flex items-center gap-1">
            of the column
            <select
              className="select select-xs w-36"
              aria-label="Of which column"
              onChange={(e) => bring.mutate({ file: brought.file, column: e.target.value })}
            >
              {brought.columns.map((k) => (
                <option key={k}>{k}</option>
              ))}
            </select>
          </label>
        )}
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={c.matchCase ?? false}
            onChange={(e) => change({ ...c, matchCase: e.target.checked })}
          />{' '}
          match case
        </label>
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={c.partsOfWords ?? false}
            onChange={(e) => change({ ...c, partsOfWords: e.target.checked })}
          />{' '}
          match parts of words
        </label>
      </div>
      {bring.error && <Trouble error={bring.error} />}
    </>
  );
}
