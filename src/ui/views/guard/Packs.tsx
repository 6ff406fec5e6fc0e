/** Packs of data types: those that ship, and our own copies. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { packForm } from '../../../dto/forms.ts';
import type { PackRow } from '../../../dto/recognition.ts';
import { withQuery, ask, send } from '../../frame/api.ts';
import { Field, FormTrouble, useSchemaForm } from '../../parts/form.tsx';
import { plural, Trouble, Weight } from '../../parts/marks.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useSay } from '../../parts/Toasts.tsx';
import { slug } from '../../parts/words.ts';

export function Packs({
  selected,
  select,
}: {
  selected: string | undefined;
  select: (id: string | undefined) => void;
}) {
  const packs = useQuery(ask('/api/packs'));
  const shown = packs.data?.find((p) => p.id === selected) ?? packs.data?.[0];
  return (
    <div className="flex h-full">
      <ul className="w-[400px] shrink-0 overflow-auto border-r border-slate" aria-label="Packs">
        {packs.error && (
          <li>
            <Trouble error={packs.error} retry={() => void packs.refetch()} />
          </li>
        )}
        {packs.data?.map((p) => (
          <li key={p.id}>
            <button
              className={`block w-full cursor-pointer border-b border-base-300 px-4 py-2 text-left ${p === shown ? 'bg-base-300' : 'hover:bg-base-200'}`}
              aria-pressed={p === shown}
              onClick={() => select(p.id)}
            >
              <span className="flex items-baseline gap-2">
                <b className="flex-1">{p.name}</b>
                <span className="text-xs text-quiet">{p.own ? 'our own' : ''}</span>
                <span className="text-quiet">{plural(p.types.length, 'type')}</span>
              </span>
              <span className="block truncate text-quiet">{p.about}</span>
            </button>
          </li>
        ))}
      </ul>
      {shown && <One key={shown.id} pack={shown} all={packs.data ?? []} select={select} />}
    </div>
  );
}

const valuesOf = ({ name, about, types }: PackRow) => ({ name, about, types });

function One({
  pack,
  all,
  select,
}: {
  pack: PackRow;
  all: PackRow[];
  select: (id: string | undefined) => void;
}) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  const catalogue = useQuery(ask('/api/data-types'));
  const [sure, setSure] = useState(false);
  const form = useSchemaForm(packForm, valuesOf(pack), async (values) => {
    await send('PUT', '/api/packs/[id]', { ...values, id: pack.id });
    say(`“${values.name}” saved.`);
    refresh();
  });
  const types = new Set(form.watch('types'));
  // what somebody else saves meanwhile is taken over where nothing is being changed here
  const { isDirty, isSubmitting, errors } = form.formState;
  useEffect(() => {
    if (!isDirty) form.reset(valuesOf(pack));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- when the pack changes, not when editing begins
  }, [pack]);
  const copied = useMutation({
    mutationFn: (id: string) =>
      send('PUT', '/api/packs/[id]', {
        ...valuesOf(pack),
        id,
        name: `${pack.name}, our copy`,
        copiedFrom: pack.id,
      }),
    onSuccess: (_, id) => {
      select(id);
      refresh();
    },
  });
  const remove = useMutation({
    mutationFn: () => send('DELETE', '/api/packs/[id]', { id: pack.id }),
    onSuccess: () => {
      select(undefined);
      refresh();
    },
  });
  const copy = () => {
    let id = `${slug(pack.name)}-copy`;
    for (let n = 2; all.some((p) => p.id === id); n++) id = `${slug(pack.name)}-copy-${n}`;
    copied.mutate(id);
  };
  const edits = pack.own && steward;
  const rows = (catalogue.data?.rows ?? []).filter((r) => edits || types.has(r.id));
  return (
    <section aria-label={pack.name} className="flex min-w-0 flex-1 flex-col">
      <div className="flex items-start gap-3 px-4 py-3">
        <div className="min-w-0 flex-1">
          {edits ? (
            <>
              <Field form={form} name="name" label="Name">
                {(input) => <input {...input} className="input input-sm w-full" {...form.register('name')} />}
              </Field>
              <Field form={form} name="about" label="What it is for">
                {(input) => (
                  <input {...input} className="input input-sm w-full" {...form.register('about')} />
                )}
              </Field>
            </>
          ) : (
            <>
              <h2 className="text-base font-bold">{pack.name}</h2>
              <p className="text-quiet">{pack.about}</p>
            </>
          )}
          <p className="mt-1 text-quiet">
            {pack.own
              ? pack.copiedFrom
                ? `Copied from ${all.find((p) => p.id === pack.copiedFrom)?.name ?? pack.copiedFrom}; what changes there does not change here.`
                : 'Made here.'
              : 'It ships with Gate Lantern. Copy it to change it.'}{' '}
            <a
              className="underline decoration-slate hover:decoration-current"
              href={withQuery('/exposure/contents', { pack: pack.id })}
            >
              See where it is found
            </a>
          </p>
        </div>
        {steward && (
          <div className="flex gap-2">
            {edits && (
              <button
                className="btn btn-sm btn-primary"
                disabled={!isDirty || isSubmitting}
                onClick={form.submit}
              >
                Save changes
              </button>
            )}
            <button className="btn btn-sm" disabled={copied.isPending} onClick={copy}>
              Copy the pack
            </button>
            {edits &&
              (sure ? (
                <button className="btn btn-sm btn-error" onClick={() => remove.mutate()}>
                  Remove
                </button>
              ) : (
                <button className="btn btn-sm btn-ghost" onClick={() => setSure(true)}>
                  Remove …
                </button>
              ))}
          </div>
        )}
      </div>
      <FormTrouble form={form} />
      {errors.types?.message && <Trouble error={`The pack ${errors.types.message}.`} />}
      {[copied, remove].map((m, i) => m.error && <Trouble key={i} error={m.error} />)}
      <ul
        className="min-h-0 flex-1 columns-2 gap-6 overflow-auto border-t border-slate px-4 py-2"
        aria-label="Its data types"
      >
        {rows.map((r) => (
          <li key={r.id} className="break-inside-avoid">
            <label className={`flex items-center gap-2 py-1 ${edits ? 'cursor-pointer' : ''}`}>
              {edits && (
                <input
                  type="checkbox"
                  className="checkbox checkbox-sm"
                  value={r.id}
                  {...form.register('types')}
                />
              )}
              <Weight weight={r.weight} />
              <span className="min-w-0 flex-1 truncate" title={r.source}>
                {r.name}
              </span>
              <span className="text-quiet">{r.use?.files ? plural(r.use.files, 'file') : ''}</span>
            </label>
          </li>
        ))}
      </ul>
    </section>
  );
}
