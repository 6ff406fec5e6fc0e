/** What every table's view shares: a box that filters by text and conditions, and kept views. */
import { Popover } from 'radix-ui';
import { viewForm } from '../../dto/forms.ts';
import { Field as FormField, FormTrouble, useSchemaForm } from './form.tsx';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Bookmark, Braces, Search } from 'lucide-react';
import { lazy, Suspense, useEffect, useId, useRef, useState, type KeyboardEvent as Key } from 'react';
import { joinConditions, splitConditions, type Filtered } from '../../core/filter/fields.ts';
import type { SavedView } from '../../dto/accounts.ts';
import { ask, send } from '../frame/api.ts';
import { useRefresh } from '../frame/signed.ts';
import type { SetUrl } from '../frame/url.ts';
import type { Offer } from './CodeEditor.tsx';
import { fieldOf, offersFor, wrongIn } from './ConditionText.tsx';

/** What is typed is a condition once it compares, joins, calls or negates something, or asks what a list holds. */
const CONDITION = /==|!=|[<>]|&&|\|\||\.\w+\(|^!|"\s+in\s+\w/;
const isCondition = (typed: string, table: Filtered | undefined): boolean =>
  table !== undefined &&
  // one word alone is a condition where it is a field that is true or false
  (CONDITION.test(typed) || fieldOf(table, typed)?.type === 'bool');
/**
 * Filters by the parameter `text` a moment after the last key, and by `where`, to which Enter adds what
 * is typed as a condition; `/` goes to it from anywhere. `table`: whose fields conditions are about.
 */
export function FilterBox({
  value,
  set,
  label,
  placeholder,
  width = 'w-56',
  table,
  where,
}: {
  value: string | undefined;
  set: SetUrl;
  label: string;
  placeholder: string;
  width?: string;
  table?: Filtered;
  where?: string | undefined;
}) {
  const [typed, setTyped] = useState(value ?? '');
  const [at, setAt] = useState(-1);
  const [open, setOpen] = useState(false);
  const [wrong, setWrong] = useState('');
  const box = useRef<HTMLInputElement>(null);
  const id = useId();
  const condition = isCondition(typed.trim(), table);
  useEffect(() => {
    const timer = setTimeout(() => set({ text: condition ? undefined : typed }), 250);
    return () => clearTimeout(timer);
  }, [typed, condition, set]);
  useEffect(() => {
    // dropped or chosen elsewhere; while one is typing, what is typed counts
    if (document.activeElement !== box.current) setTyped(value ?? '');
  }, [value]);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== '/' || e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement)
        return;
      e.preventDefault();
      box.current?.focus();
    };
    const edit = (e: Event) => {
      setTyped((e as CustomEvent<string>).detail);
      box.current?.focus();
    };
    addEventListener('keydown', onKey);
    addEventListener('gl-edit-condition', edit);
    return () => {
      removeEventListener('keydown', onKey);
      removeEventListener('gl-edit-condition', edit);
    };
  }, []);
  const offers = table && open ? offersFor(table, typed).slice(0, 8) : [];
  const add = () => {
    const text = typed.trim();
    if (!text || !table) return;
    const one = condition ? text : `text.contains(${JSON.stringify(text.toLowerCase())})`;
    const next = joinConditions([...splitConditions(where ?? ''), ...splitConditions(one)]);
    void wrongIn(table, next).then((found) => {
      setWrong(found?.message ?? '');
      if (found) return;
      setTyped('');
      set({ where: next, text: undefined }, 'push');
    });
  };
  const take = (o: Offer) => {
    setTyped(typed.slice(0, o.from) + o.put);
    setAt(-1);
    box.current?.focus();
  };
  const keys = (e: Key) => {
    if (offers.length && (e.key === 'ArrowDown' || e.key === 'ArrowUp')) {
      e.preventDefault();
      setAt((at + (e.key === 'ArrowDown' ? 1 : -1) + offers.length) % offers.length);
    } else if (offers.length && (e.key === 'Tab' || e.key === 'Enter') && at >= 0) {
      e.preventDefault();
      take(offers[at]!);
    } else if (e.key === 'Enter') add();
    else if (e.key === 'Escape') setOpen(false);
  };
  const popup = offers.length > 0 || (open && wrong !== '');
  return (
    <span className="relative inline-flex items-center">
      <label className={`input input-sm ${width}`}>
        <Search size={14} aria-hidden className="text-quiet" />
        <input
          ref={box}
          type="search"
          aria-label={label}
          placeholder={placeholder}
          value={typed}
          autoComplete="off"
          onChange={(e) => {
            setTyped(e.target.value);
            setWrong('');
            setOpen(true);
            setAt(-1);
          }}
          onFocus={() => setOpen(true)}
          onBlur={() => setTimeout(() => setOpen(false), 150)}
          onKeyDown={keys}
          {...(table && {
            role: 'combobox',
            'aria-expanded': offers.length > 0,
            'aria-controls': id,
            'aria-autocomplete': 'list',
            title: 'Type to search, or enter a condition such as weight >= 3.',
            ...(at >= 0 && { 'aria-activedescendant': `${id}-${at}` }),
          })}
        />
        <kbd className="kbd kbd-xs">/</kbd>
      </label>
      {table && <ConditionEditor table={table} where={where} set={set} />}
      {popup && (
        <div className="absolute right-0 top-full z-30 mt-1 w-96 rounded border border-slate bg-base-100 py-1 shadow-lg">
          {wrong && (
            <p role="alert" className="px-3 py-1 text-error">
              {wrong}
            </p>
          )}
          <ul role="listbox" id={id} aria-label="Suggestions">
            {offers.map((o, i) => (
              <li
                key={o.put}
                id={`${id}-${i}`}
                role="option"
                aria-selected={i === at}
                className={`flex cursor-pointer gap-3 px-3 py-0.5 ${i === at ? 'bg-base-300' : 'hover:bg-base-200'}`}
                onMouseDown={(e) => {
                  e.preventDefault();
                  take(o);
                }}
              >
                <span className="whitespace-nowrap font-mono text-[12.5px]">{o.label}</span>
                <span className="truncate text-quiet">{o.about}</span>
              </li>
            ))}
          </ul>
          {condition && !wrong && <p className="px-3 pt-1 text-xs text-quiet">Enter adds the condition.</p>}
        </div>
      )}
    </span>
  );
}

const Rows = lazy(() => import('./ConditionRows.tsx'));

/** All conditions in one place. */
function ConditionEditor({ table, where, set }: { table: Filtered; where: string | undefined; set: SetUrl }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const [wrong, setWrong] = useState<string>();
  const apply = () =>
    void wrongIn(table, text).then((found) => {
      setWrong(found?.message);
      if (found) return;
      set({ where: joinConditions(splitConditions(text)) || undefined }, 'push');
      setOpen(false);
    });
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setText(splitConditions(where ?? '').join(' &&\n'));
        setWrong(undefined);
        setOpen(next);
      }}
    >
      <Popover.Trigger
        className="btn btn-sm btn-square btn-ghost"
        aria-label="Edit conditions"
        title="Edit conditions"
      >
        <Braces size={14} aria-hidden />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Conditions"
          className="z-40 max-h-[80vh] w-[640px] overflow-auto rounded border border-slate bg-base-100 p-3 shadow-lg"
        >
          <Suspense>
            <Rows
              table={table}
              value={text}
              change={setText}
              label="Conditions"
              focus
              hint="weight >= 3 && now == public"
              done={apply}
            />
          </Suspense>
          {wrong && (
            <p role="alert" className="mt-1 text-error">
              {wrong}
            </p>
          )}
          <div className="mt-2 flex items-center justify-between gap-3">
            <span className="text-xs text-quiet">
              Ctrl Space offers fields and values; hover over a field to see what it means.
            </span>
            <button className="btn btn-sm btn-primary" onClick={apply}>
              Apply
            </button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The conditions a view is held to, each to be changed or dropped; nothing where there are none. */
export function Conditions({ where, set }: { where: string | undefined; set: SetUrl }) {
  const parts = splitConditions(where ?? '');
  if (!parts.length) return null;
  const without = (i: number): string => joinConditions(parts.filter((_, k) => k !== i));
  return (
    <div role="group" aria-label="Conditions" className="flex flex-wrap items-center gap-1.5 px-4 pb-2">
      {parts.map((p, i) => (
        <span
          key={`${i} ${p}`}
          className="inline-flex max-w-full items-center rounded border border-slate bg-base-200"
        >
          <button
            className="cursor-pointer truncate px-2 py-0.5 font-mono text-[12.5px]"
            title="Change this condition"
            onClick={() => {
              set({ where: without(i) });
              dispatchEvent(new CustomEvent('gl-edit-condition', { detail: p }));
            }}
          >
            {p}
          </button>
          <button
            className="cursor-pointer px-1.5 py-0.5 hover:bg-base-300"
            aria-label={`Remove ${p}`}
            onClick={() => set({ where: without(i) }, 'push')}
          >
            ×
          </button>
        </span>
      ))}
      {parts.length > 1 && (
        <button
          className="cursor-pointer px-1 text-quiet underline"
          onClick={() => set({ where: undefined }, 'push')}
        >
          clear all
        </button>
      )}
    </div>
  );
}

/** Views that were saved at this place, and saving the one that is open. */
export function KeptViews({ path, set }: { path: string; set: SetUrl }) {
  const [open, setOpen] = useState(false);
  const refresh = useRefresh();
  const { data } = useQuery(ask('/api/views'));
  const form = useSchemaForm(
    viewForm.pick({ name: true, shared: true }),
    { name: '', shared: false },
    async (values) => {
      await send('POST', '/api/views', { ...values, path, search: location.search });
      refresh();
      return { name: '', shared: false };
    },
  );
  const drop = useMutation({
    mutationFn: (id: number) => send('DELETE', '/api/views', { id }),
    onSuccess: refresh,
  });
  const here = data?.filter((v) => v.path === path) ?? [];
  const go = (v: SavedView) => {
    const wanted = new URLSearchParams(v.search);
    const gone = [...new URLSearchParams(location.search).keys()].filter((k) => !wanted.has(k));
    set({ ...Object.fromEntries(gone.map((k) => [k, undefined])), ...Object.fromEntries(wanted) }, 'push');
    setOpen(false);
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="btn btn-sm btn-ghost gap-1 px-1.5 font-normal" title="Saved views">
        <Bookmark size={14} aria-hidden /> Views{here.length > 0 && <b>{here.length}</b>}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Saved views"
          className="z-50 w-80 rounded border border-slate bg-base-100 p-2 shadow-lg"
        >
          {here.length === 0 && (
            <p className="px-1 pb-2 text-quiet">
              Save filters, groups, columns and sorting under a name, and find them here.
            </p>
          )}
          <ul className="mb-2 max-h-60 overflow-auto">
            {here.map((v) => (
              <li key={v.id} className="flex items-center gap-1">
                <button
                  className="min-w-0 flex-1 cursor-pointer truncate rounded px-1 py-1 text-left hover:bg-base-200"
                  onClick={() => go(v)}
                  title={v.search}
                >
                  {v.name}{' '}
                  {v.by ? (
                    <span className="text-quiet">by {v.by}</span>
                  ) : (
                    v.shared && <span className="text-quiet">shared</span>
                  )}
                </button>
                {!v.by && (
                  <button
                    className="btn btn-xs btn-ghost"
                    aria-label={`Delete the view ${v.name}`}
                    onClick={() => drop.mutate(v.id)}
                  >
                    ×
                  </button>
                )}
              </li>
            ))}
          </ul>
          <form className="flex flex-col gap-2 border-t border-slate pt-2" onSubmit={form.submit} noValidate>
            <FormField form={form} name="name" label="Save this view as">
              {(input) => <input {...input} className="input input-sm w-full" {...form.register('name')} />}
            </FormField>
            <span className="flex items-center justify-between">
              <label className="flex items-center gap-2">
                <input type="checkbox" className="checkbox checkbox-xs" {...form.register('shared')} /> for
                everyone here
              </label>
              <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
                Save view
              </button>
            </span>
            <FormTrouble form={form} />
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
