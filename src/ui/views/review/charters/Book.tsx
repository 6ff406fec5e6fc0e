/** Purposes and sensitivities: what they mean, what they bring, how many spaces have each; changed, added and taken away. */
import { useMutation } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { Path } from 'react-hook-form';
import { z } from 'zod';
import {
  RHYTHM_NAMES,
  SETTING_NAMES,
  type CharterSettings,
  type Purpose,
  type Sensitivity,
} from '../../../../core/ask/charter.ts';
import { DORMANT_DAYS } from '../../../../core/ask/activity.ts';
import { REVIEW_KINDS, REVIEWS } from '../../../../core/ask/kinds.ts';
import { fieldWords } from '../../../../core/filter/fields.ts';
import { AUDIENCES, EXTERNAL_SHARING, SHARING_WORDS } from '../../../../core/model.ts';
import type { CharterBookDto } from '../../../../dto/charters.ts';
import { send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { SetUrl } from '../../../frame/url.ts';
import { Back } from '../../../parts/Choose.tsx';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { count, Trouble } from '../../../parts/marks.tsx';

type Editing = { of: 'purpose'; doc: Partial<Purpose> } | { of: 'sensitivity'; doc: Partial<Sensitivity> };

export default function Book({ book, set }: { book: CharterBookDto; set: SetUrl }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [editing, setEditing] = useState<Editing>();
  const drop = useMutation({
    mutationFn: (of: { of: 'purpose' | 'sensitivity'; id: string }) => send('DELETE', '/api/charters', of),
    onSuccess: refresh,
  });
  const card = (
    of: 'purpose' | 'sensitivity',
    doc: (Purpose | Sensitivity) & { spaces: number },
    lines: ReactNode,
  ) => (
    <li key={doc.id} className="rounded border border-slate p-3">
      <div className="flex items-baseline gap-2">
        <b>{doc.name}</b>
        <a
          className="text-quiet underline decoration-slate"
          href={`/review/charters?where=${encodeURIComponent(`${of} == "${doc.id}"`)}`}
        >
          {count(doc.spaces)} {doc.spaces === 1 ? 'space' : 'spaces'}
        </a>
        <span className="flex-1" />
        {steward && (
          <>
            <button
              className="btn btn-xs"
              aria-label={`Change ${doc.name}`}
              onClick={() => setEditing({ of, doc })}
            >
              Change …
            </button>
            <button
              className="btn btn-xs"
              aria-label={`Remove ${doc.name}`}
              disabled={doc.spaces > 0 || drop.isPending}
              title={doc.spaces > 0 ? 'Some spaces have it. Give them another first.' : undefined}
              onClick={() => drop.mutate({ of, id: doc.id })}
            >
              Remove
            </button>
          </>
        )}
      </div>
      <p className="text-quiet">{doc.description}</p>
      {lines}
    </li>
  );
  return (
    <section className="h-full overflow-auto px-5 py-2.5" aria-label="Purposes and sensitivities">
      <div className="flex items-center gap-2 pb-3">
        <Back to="All spaces" go={() => set({ page: undefined }, 'push')} />
        <h1 className="text-base font-bold">Purposes and sensitivities</h1>
        <span className="text-quiet">
          A charter is one of each. Owners read these words when they are asked what a space is for.
        </span>
      </div>
      {drop.error && <Trouble error={drop.error} />}
      <div className="grid grid-cols-2 gap-6">
        <section aria-label="Purposes">
          <Head
            name="Purposes: why there is a space, and how long it may lie idle"
            add={steward ? () => setEditing({ of: 'purpose', doc: {} }) : undefined}
            what="purpose"
          />
          <ul className="flex flex-col gap-2">
            {book.purposes.map((p) =>
              card('purpose', p, <p>Dormant after {count(p.dormantDays)} days without activity</p>),
            )}
          </ul>
        </section>
        <section aria-label="Sensitivities">
          <Head
            name="Sensitivities: who may see what is in it, and how it is set"
            add={steward ? () => setEditing({ of: 'sensitivity', doc: {} }) : undefined}
            what="sensitivity"
          />
          <ul className="flex flex-col gap-2">
            {book.sensitivities.map((s) =>
              card(
                'sensitivity',
                s,
                <>
                  <p>{settingsWords(s.settings) || 'No settings: they stay as they are.'}</p>
                  <p>
                    At least {s.owners === 1 ? 'one owner' : `${s.owners} owners`}
                    {s.review && (
                      <>
                        ; {REVIEWS[s.review.kind].name.toLowerCase()} are reviewed {s.review.every}
                      </>
                    )}
                  </p>
                </>,
              ),
            )}
          </ul>
        </section>
      </div>
      {editing?.of === 'purpose' && <EditPurpose doc={editing.doc} close={() => setEditing(undefined)} />}
      {editing?.of === 'sensitivity' && (
        <EditSensitivity doc={editing.doc} close={() => setEditing(undefined)} />
      )}
    </section>
  );
}

const Head = ({ name, add, what }: { name: string; add: (() => void) | undefined; what: string }) => (
  <div className="flex items-center gap-2 pb-2">
    <h2 className="flex-1 font-semibold">{name}</h2>
    {add && (
      <button className="btn btn-xs btn-primary" onClick={add}>
        New {what} …
      </button>
    )}
  </div>
);

const VALUES: Record<keyof CharterSettings, readonly (readonly [string, string])[]> = {
  visibility: [
    ['members', 'its members only'],
    ['organisation', 'the whole organisation'],
  ],
  externalSharing: EXTERNAL_SHARING.map((v) => [v, SHARING_WORDS[v]]),
  defaultAudience: AUDIENCES.map((v) => [
    v,
    { named: 'those they name', organisation: 'the organisation', anyone: 'anyone' }[v],
  ]),
  editorsShare: [
    ['true', 'editors may share'],
    ['false', 'only managers share'],
  ],
  dim: [
    ['true', 'search passes it over'],
    ['false', 'search finds it'],
  ],
  gate: [],
};
const LABELS: Record<keyof CharterSettings, string> = {
  visibility: 'Seen by',
  externalSharing: 'Shared outside',
  defaultAudience: 'New links are for',
  editorsShare: 'Sharing',
  dim: 'Search',
  gate: 'Gate: only members of these groups come in',
};

const settingsWords = (settings: CharterSettings): string =>
  SETTING_NAMES.flatMap((name) => {
    const value = settings[name];
    if (value === undefined) return [];
    if (Array.isArray(value)) return value.length ? `${fieldWords(name)}: ${value.join(', ')}` : 'no gate';
    return `${LABELS[name].toLowerCase()}: ${VALUES[name].find(([v]) => v === String(value))?.[1] ?? String(value)}`;
  })
    .join('; ')
    .replace(/^./, (c) => c.toUpperCase());

/** An id from a name, as the schema takes it. */
const idFrom = (name: string): string =>
  name
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 40) || 'charter';

/** What both are edited in: a name, what it means, and what else there is of it. */
function EditFrame<T extends { name: string; description: string }>({
  form,
  title,
  close,
  children,
}: {
  form: ReturnType<typeof useSchemaForm<T>>;
  title: string;
  close: () => void;
  children: ReactNode;
}) {
  return (
    <Dialog title={title} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        <TextField form={form} name={'name' as Path<T>} label="Name" className="input input-sm w-full" />
        <TextField
          form={form}
          name={'description' as Path<T>}
          label="What it means, for owners"
          className="input input-sm w-full"
        />
        {children}
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Save
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

const named = {
  name: z.string().trim().min(1, 'needs a name').max(80),
  description: z.string().trim().max(500),
};
const purposeForm = z.object({
  ...named,
  dormantDays: z.number().int().min(7, 'takes at least 7 days').max(3650),
});

function EditPurpose({ doc, close }: { doc: Partial<Purpose>; close: () => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm(
    purposeForm,
    {
      name: doc.name ?? '',
      description: doc.description ?? '',
      dormantDays: doc.dormantDays ?? DORMANT_DAYS,
    },
    async (given) => {
      await send('PUT', '/api/charters', {
        of: 'purpose',
        doc: { ...given, id: doc.id ?? idFrom(given.name) },
      });
      refresh();
      close();
    },
  );
  return (
    <EditFrame form={form} title={doc.id ? `Change “${doc.name}”` : 'New purpose'} close={close}>
      <TextField
        form={form}
        name="dormantDays"
        label="Dormant after so many days without activity"
        type="number"
        className="input input-sm w-28"
        rules={{ valueAsNumber: true }}
      />
    </EditFrame>
  );
}

const sensitivityForm = z.object({
  ...named,
  visibility: z.string(),
  externalSharing: z.string(),
  defaultAudience: z.string(),
  editorsShare: z.string(),
  dim: z.string(),
  gate: z.string(),
  owners: z.number().int().min(1).max(10),
  kind: z.string(),
  every: z.string(),
});
type FilledSensitivity = z.infer<typeof sensitivityForm>;

/** What is filled in as the settings that it brings. */
function settingsOf(f: FilledSensitivity): CharterSettings {
  const settings: Record<string, unknown> = {};
  for (const name of ['visibility', 'externalSharing', 'defaultAudience'] as const)
    if (f[name]) settings[name] = f[name];
  for (const name of ['editorsShare', 'dim'] as const) if (f[name]) settings[name] = f[name] === 'true';
  const groups = f.gate.split(',').flatMap((g) => g.trim() || []);
  if (groups.length) settings.gate = groups;
  return settings;
}

function EditSensitivity({ doc, close }: { doc: Partial<Sensitivity>; close: () => void }) {
  const refresh = useRefresh();
  const { settings = {} } = doc;
  const form = useSchemaForm(
    sensitivityForm,
    {
      name: doc.name ?? '',
      description: doc.description ?? '',
      visibility: settings.visibility ?? '',
      externalSharing: settings.externalSharing ?? '',
      defaultAudience: settings.defaultAudience ?? '',
      editorsShare: settings.editorsShare === undefined ? '' : String(settings.editorsShare),
      dim: settings.dim === undefined ? '' : String(settings.dim),
      gate: settings.gate?.join(', ') ?? '',
      owners: doc.owners ?? 1,
      kind: doc.review?.kind ?? '',
      every: doc.review?.every ?? 'yearly',
    },
    async (given) => {
      const { name, description, owners, kind, every } = given;
      await send('PUT', '/api/charters', {
        of: 'sensitivity',
        doc: {
          id: doc.id ?? idFrom(name),
          name,
          description,
          owners,
          settings: settingsOf(given),
          review: kind ? ({ kind, every } as Sensitivity['review']) : null,
        },
      });
      refresh();
      close();
    },
  );
  const select = (
    name: keyof FilledSensitivity,
    label: string,
    of: readonly (readonly [string, string])[],
    none?: string,
  ) => (
    <Field form={form} name={name} label={label}>
      {(input) => (
        <select {...input} className="select select-sm w-full" {...form.register(name)}>
          {none !== undefined && <option value="">{none}</option>}
          {of.map(([v, words]) => (
            <option key={v} value={v}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  return (
    <EditFrame form={form} title={doc.id ? `Change “${doc.name}”` : 'New sensitivity'} close={close}>
      <div className="grid grid-cols-2 gap-3">
        {SETTING_NAMES.filter((n) => n !== 'gate').map((n) => (
          <div key={n}>{select(n, LABELS[n], VALUES[n], 'stays as it is')}</div>
        ))}
        <TextField
          form={form}
          name="owners"
          label="Active owners at least"
          type="number"
          className="input input-sm w-full"
          rules={{ valueAsNumber: true }}
        />
      </div>
      <TextField
        form={form}
        name="gate"
        label={`${LABELS.gate}, with commas between; empty: as it is`}
        className="input input-sm w-full"
      />
      <div className="grid grid-cols-2 gap-3">
        {select(
          'kind',
          'Its owners are asked about',
          REVIEW_KINDS.map((k) => [k, REVIEWS[k].name] as const),
          'nothing in a rhythm',
        )}
        {select(
          'every',
          'how often',
          RHYTHM_NAMES.map((r) => [r, r] as const),
        )}
      </div>
    </EditFrame>
  );
}
