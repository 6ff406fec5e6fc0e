import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import type { z } from 'zod';
import { KINDS, ROW_KINDS } from '../../../core/row-kinds.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { JobStep } from '../../../dto/jobs.ts';
import type { SourceRow, SurveyRow } from '../../../dto/surveys.ts';
import { withQuery, ask, send } from '../../frame/api.ts';
import { count, Empty, plural, State, Trouble, When } from '../../parts/marks.tsx';
import { Progress } from '../../parts/Progress.tsx';
import { duration } from '../../parts/dates.ts';
import { Dialog, DialogEnd } from '../../parts/Dialog.tsx';
import { ActionsMenu, MenuItem } from '../../parts/Menu.tsx';
import { useSay } from '../../parts/Toasts.tsx';
import { editSourceForm, retentionForm, sourceForm } from '../../../dto/forms.ts';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../parts/form.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useUrl } from '../../frame/url.ts';
import { bytesWords } from '../../parts/words.ts';

export default function Sources({ account, search }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/survey/sources">
      <View search={search} />
    </Shell>
  );
}

/** For how long surveys are kept. */
function RetentionButton() {
  const [open, setOpen] = useState(false);
  const close = () => setOpen(false);
  const { data, error } = useQuery({ ...ask('/api/retention'), enabled: open });
  return (
    <>
      <button className="btn btn-sm btn-ghost" onClick={() => setOpen(true)}>
        Retention
      </button>
      {open && (
        <Dialog title="How long things are kept" close={close}>
          {error && <Trouble error={error} />}
          {data && <RetentionForm kept={data} close={close} />}
        </Dialog>
      )}
    </>
  );
}

function RetentionForm({ kept, close }: { kept: z.input<typeof retentionForm>; close: () => void }) {
  const refresh = useRefresh();
  const say = useSay();
  const form = useSchemaForm(retentionForm, kept, async (values) => {
    const { dropped } = await send('PUT', '/api/retention', values);
    refresh();
    say(dropped ? `${plural(dropped, 'survey')} dropped.` : 'Saved.');
    close();
  });
  const days = (name: 'surveyDays' | 'runDays', label: string) => (
    <TextField
      form={form}
      name={name}
      label={label}
      className="input w-32"
      type="number"
      autoFocus={name === 'surveyDays'}
      rules={{ setValueAs: (v: string | null) => (v ? Number(v) : null) }}
    />
  );
  return (
    <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
      {days('surveyDays', 'Surveys, in days; leave empty to keep all')}
      <p className="text-quiet">
        What a dropped survey alone saw is gone: it cannot be asked about or compared with any more. The
        newest two are always kept, and so are points over time, findings, plans and the ledger.
      </p>
      {days('runDays', 'Runs of orders that are over, and messages, in days; leave empty to keep all')}
      <FormTrouble form={form} />
      <DialogEnd close={close}>
        <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
          Save
        </button>
      </DialogEnd>
    </form>
  );
}

const KIND_WORDS = {
  directory: 'directory, SCIM 2.0',
  drives: 'shared and personal drives',
  sites: 'sites and teams',
  channels: 'channels',
  extract: 'bulk extract, read once',
};

function View({ search }: { search: string }) {
  const { steward, live } = useSigned();
  const [params, set] = useUrl(search);
  const refresh = useRefresh();
  const sources = useQuery(ask('/api/sources'));
  const surveys = useQuery(ask('/api/surveys'));
  const start = useMutation({
    mutationFn: (kind: 'full' | 'incremental') => send('POST', '/api/surveys', { kind }),
    onSuccess: ({ id }) => {
      set({ survey: String(id) });
      refresh();
    },
  });
  const cancel = useMutation({
    mutationFn: (id: number) => send('DELETE', '/api/surveys', { id }),
    onSuccess: refresh,
  });
  const full = surveys.data?.filter((s) => s.kind !== 'read-back') ?? [];
  const canChange = full.some((s) => s.state === 'done');
  const running = full.find((s) => s.state === 'running');
  const chosen = full.find((s) => String(s.id) === params.get('survey')) ?? running ?? full[0];
  const steps = chosen && live.survey?.subject === chosen.id ? live.survey.steps : chosen?.steps;
  const [adding, setAdding] = useState(false);
  const [bringing, setBringing] = useState(false);
  const [editing, setEditing] = useState<SourceRow>();
  return (
    <div className="flex h-full flex-col overflow-auto">
      <div className="flex items-center gap-3 px-4 py-2">
        <h1 className="text-base">
          <b>Sources</b> <span className="text-quiet">what a survey reads</span>
        </h1>
        <span className="flex-1" />
        {canChange && (
          <a className="btn btn-sm" href="/api/extracts">
            Export an extract
          </a>
        )}
        {steward && <RetentionButton />}
        {steward && (
          <button className="btn btn-sm" onClick={() => setBringing(!bringing)} aria-expanded={bringing}>
            Import an extract
          </button>
        )}
        {steward && (
          <button className="btn btn-sm" onClick={() => setAdding(!adding)} aria-expanded={adding}>
            Add a source
          </button>
        )}
        {steward && !running && canChange && (
          <button
            className="btn btn-sm"
            disabled={start.isPending}
            title="Reads only what the workspaces say has changed since their last survey"
            onClick={() => start.mutate('incremental')}
          >
            Survey what changed
          </button>
        )}
        {steward &&
          (running ? (
            <button
              className="btn btn-sm"
              disabled={cancel.isPending}
              onClick={() => cancel.mutate(running.id)}
            >
              Cancel survey {running.id}
            </button>
          ) : (
            <button
              className="btn btn-sm btn-primary"
              disabled={start.isPending || !sources.data?.some((s) => s.kind !== 'directory')}
              onClick={() => start.mutate('full')}
            >
              Survey all sources
            </button>
          ))}
      </div>
      {[sources.error, surveys.error, start.error, cancel.error].map(
        (e, i) => e && <Trouble key={i} error={e} />,
      )}
      {adding && (
        <AddSource
          done={() => {
            setAdding(false);
            refresh();
          }}
        />
      )}
      {editing && <EditSource source={editing} close={() => setEditing(undefined)} />}
      {bringing && (
        <ReadExtract
          done={(survey) => {
            setBringing(false);
            set({ survey: String(survey) });
            refresh();
          }}
        />
      )}
      {sources.data?.length === 0 ? (
        !adding && (
          <Empty>
            Here you will see the directory of your people and every workspace that is surveyed. Add the first
            one to begin.
          </Empty>
        )
      ) : (
        <table className="w-full border-y border-slate">
          <thead>
            <tr className="h-8 text-left text-xs text-quiet">
              <th className="px-4 font-semibold">Source</th>
              <th className="px-3 font-semibold">Kind</th>
              <th className="px-3 font-semibold">Seen there</th>
              <th className="px-3 font-semibold">Address</th>
              <th className="px-3 font-semibold">State</th>
              <th aria-label="Actions" />
            </tr>
          </thead>
          <tbody>
            {sources.data?.map((s) => (
              <tr key={s.id} className="h-8 border-t border-base-300">
                <td className="px-4 font-medium whitespace-nowrap">{s.name}</td>
                <td className="px-3 whitespace-nowrap">{KIND_WORDS[s.kind]}</td>
                <td className="px-3">
                  {KINDS.flatMap((k) => {
                    const [one, many] = ROW_KINDS[k].words;
                    return s.counts[k] ? plural(s.counts[k], one, many) : [];
                  }).join(', ') || 'nothing yet'}
                </td>
                <td className="px-3 font-mono text-[12.5px] text-quiet">{s.url}</td>
                <td className="w-44 px-3">
                  {s.paused ? (
                    <State icon="waiting">paused</State>
                  ) : s.trouble ? (
                    <span title={s.trouble}>
                      <State icon="trouble">not read last time</State>
                    </span>
                  ) : null}
                </td>
                <td className="w-12 pr-4 text-right">
                  {steward && <SourceMenu source={s} edit={() => setEditing(s)} />}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="flex min-h-0 flex-1">
        <section className="w-[340px] shrink-0 overflow-auto border-r border-slate" aria-label="Past surveys">
          <h2 className="px-4 pb-1 pt-3 font-semibold">Surveys</h2>
          {full.length === 0 && <p className="px-4 text-quiet">No survey has run yet.</p>}
          <ul>
            {full.map((s) => (
              <li key={s.id}>
                <button
                  aria-current={s === chosen}
                  onClick={() => set({ survey: String(s.id) }, 'push')}
                  className={`flex h-9 w-full cursor-pointer items-center gap-3 border-b border-base-300 px-4 text-left ${s === chosen ? 'bg-base-300' : 'hover:bg-base-200'}`}
                >
                  <span className="w-6 font-semibold">{s.id}</span>
                  <span className="flex-1">
                    <When at={s.startedAt} />
                    {s.kind === 'incremental' && <span className="text-quiet"> what changed</span>}
                  </span>
                  <SurveyState survey={s} />
                </button>
              </li>
            ))}
          </ul>
        </section>
        <section
          className="min-w-0 flex-1 overflow-auto px-4 pb-4 pt-3"
          aria-label="Survey steps"
          aria-live="polite"
        >
          {chosen && steps && <Steps survey={chosen} steps={steps} />}
        </section>
      </div>
    </div>
  );
}

function SurveyState({ survey }: { survey: SurveyRow }) {
  const icon = {
    running: 'running',
    done: 'done',
    failed: 'failed',
    cancelled: 'back',
    interrupted: 'trouble',
    dropped: 'back',
  } as const;
  return (
    <State icon={icon[survey.state]}>
      {survey.state}
      {survey.state === 'done' && survey.failures > 0 && `, ${survey.failures} left out`}
    </State>
  );
}

function Steps({ survey, steps }: { survey: SurveyRow; steps: JobStep[] }) {
  const [, tick] = useState(0);
  useEffect(() => {
    if (survey.state !== 'running') return;
    const timer = setInterval(() => tick((n) => n + 1), 500);
    return () => clearInterval(timer);
  }, [survey.state]);
  const failures = useQuery({
    ...ask('/api/survey-failures', { id: survey.id }),
    enabled: survey.failures > 0,
  });
  return (
    <>
      <h2 className="font-semibold">
        Survey {survey.id}
        <span className="font-normal text-quiet">
          {' '}
          begun by {survey.startedBy}, <When at={survey.startedAt} />,{' '}
          {survey.finishedAt
            ? `took ${duration(survey.startedAt, survey.finishedAt)}`
            : `running for ${duration(survey.startedAt, null)}`}
        </span>
      </h2>
      {survey.state === 'done' && (
        <p className="mt-0.5">
          It made {plural(survey.added, 'row')}, altered {count(survey.altered)} and ended{' '}
          {count(survey.removed)}.{' '}
          <a className="underline" href="/survey/changes">
            What that changed
          </a>
        </p>
      )}
      {survey.reason && (
        <p className="mt-1 border-l-2 border-error px-3">
          {survey.reason} The last good survey stays in force.
        </p>
      )}
      <table className="mt-2 w-full">
        <thead>
          <tr className="h-7 border-b border-slate text-left text-xs text-quiet">
            <th className="w-40 font-semibold">Step</th>
            <th className="font-semibold">Progress</th>
            <th className="w-32 text-right font-semibold">Count</th>
            <th className="w-24 text-right font-semibold">Per second</th>
            <th className="w-20 text-right font-semibold">Took</th>
            <th className="w-24 text-right font-semibold">Left out</th>
          </tr>
        </thead>
        <tbody>
          {steps
            .filter((s) => s.name !== 'extracts' || s.state !== 'waiting')
            .map((s) => {
              const seconds = s.startedAt
                ? (Date.parse(s.finishedAt ?? new Date().toISOString()) - Date.parse(s.startedAt)) / 1000
                : 0;
              const share = s.state === 'done' ? 1 : s.total ? Math.min(1, s.done / s.total) : 0;
              const left =
                s.state === 'running' && s.total && s.done > 0 ? ((s.total - s.done) * seconds) / s.done : 0;
              return (
                <tr key={s.name} className="h-8 border-b border-base-300">
                  <td>
                    <State icon={s.state}>{s.name}</State>
                  </td>
                  <td className="pr-6">
                    <Progress share={share} of={s.name} />
                    {left > 1 && <span className="text-xs text-quiet">about {Math.ceil(left)} s left</span>}
                  </td>
                  <td className="text-right">
                    {s.state === 'waiting' ? '' : count(s.done)}
                    {s.state === 'running' && s.total ? ` of ${count(s.total)}` : ''}
                  </td>
                  <td className="text-right">
                    {seconds > 0.05 && s.done ? count(Math.round(s.done / seconds)) : ''}
                  </td>
                  <td className="text-right">{duration(s.startedAt, s.finishedAt)}</td>
                  <td className={`text-right ${s.failed ? 'font-semibold text-error' : ''}`}>
                    {s.state === 'waiting' ? '' : s.failed}
                  </td>
                </tr>
              );
            })}
        </tbody>
      </table>
      {!!failures.data?.length && (
        <>
          <h3 className="mt-4 font-semibold">Left out of this survey</h3>
          <p className="text-quiet">What the survey before knew of these is kept.</p>
          <table className="mt-1 w-full">
            <tbody>
              {failures.data.map((f, i) => (
                <tr key={i} className="border-b border-base-300">
                  <td className="w-24 py-1">{f.step}</td>
                  <td className="w-40 font-mono">{f.object}</td>
                  <td>{f.reason}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}

function AddSource({ done }: { done: () => void }) {
  const form = useSchemaForm(
    sourceForm,
    { id: '', kind: 'drives' as const, name: '', url: '', token: '' },
    async (values) => {
      await send('POST', '/api/sources', values);
      done();
    },
  );
  const field = (name: 'id' | 'name' | 'url' | 'token', label: string, more: object = {}) => (
    <TextField form={form} name={name} label={label} look="text-xs" className="input input-sm" {...more} />
  );
  return (
    <form
      className="flex flex-wrap items-start gap-3 border-t border-slate bg-base-200 px-4 py-3"
      onSubmit={form.submit}
      noValidate
    >
      <Field form={form} name="kind" label="Kind" look="text-xs">
        {(input) => (
          <select {...input} className="select select-sm" {...form.register('kind')}>
            <option value="drives">drives</option>
            <option value="sites">sites and teams</option>
            <option value="channels">channels</option>
            <option value="directory">directory (SCIM 2.0)</option>
          </select>
        )}
      </Field>
      {field('id', 'Short identifier', { placeholder: 'drives-2' })}
      {field('name', 'Name')}
      {field('url', 'Address', { type: 'url', placeholder: 'https://' })}
      {field('token', 'Access token', { type: 'password', autoComplete: 'off' })}
      <button className="btn btn-sm btn-primary mt-5" disabled={form.formState.isSubmitting}>
        Add source
      </button>
      <FormTrouble form={form} />
    </form>
  );
}

/** What can be done with a source. */
function SourceMenu({ source, edit }: { source: SourceRow; edit: () => void }) {
  const refresh = useRefresh();
  const say = useSay();
  const [removing, setRemoving] = useState(false);
  const pause = useMutation({
    mutationFn: () => send('PUT', '/api/sources', { id: source.id, paused: !source.paused }),
    onSuccess: () => say(source.paused ? `${source.name} is read again.` : `${source.name} is paused.`),
    onError: (e) => say(e.message),
    onSettled: refresh,
  });
  return (
    <>
      <ActionsMenu of={source.name}>
        <MenuItem run={edit}>Edit …</MenuItem>
        <MenuItem run={() => pause.mutate()}>{source.paused ? 'Resume' : 'Pause'}</MenuItem>
        <MenuItem run={() => setRemoving(true)}>Remove …</MenuItem>
      </ActionsMenu>
      {removing && <RemoveSource source={source} close={() => setRemoving(false)} />}
    </>
  );
}

function RemoveSource({ source, close }: { source: SourceRow; close: () => void }) {
  const refresh = useRefresh();
  const remove = useMutation({
    mutationFn: () => send('DELETE', '/api/sources', { id: source.id }),
    onSuccess: () => {
      refresh();
      close();
    },
  });
  return (
    <Dialog title={`Remove ${source.name}?`} close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>
          Its access token is deleted at once. What it holds is no longer in force after the next survey, and
          its findings close; past surveys keep what they saw.
        </p>
        {remove.error && <Trouble error={remove.error} />}
        <DialogEnd close={close}>
          <button
            className="btn btn-sm btn-error"
            disabled={remove.isPending}
            onClick={() => remove.mutate()}
          >
            Remove source
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}

function EditSource({ source, close }: { source: SourceRow; close: () => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm(
    editSourceForm,
    { id: source.id, name: source.name, url: source.url, token: '' },
    async (values) => {
      await send('PUT', '/api/sources', values);
      refresh();
      close();
    },
  );
  const field = (name: 'name' | 'url' | 'token', label: string, more: object = {}, hint?: string) => (
    <TextField form={form} name={name} label={label} hint={hint} {...more} />
  );
  return (
    <Dialog title={`Edit ${source.name}`} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {field('name', 'Name')}
        {source.kind !== 'extract' && (
          <>
            {field('url', 'Address', { type: 'url' })}
            {field(
              'token',
              'Access token',
              { type: 'password', autoComplete: 'off' },
              'Leave it empty to keep the one there is; a new address needs its own.',
            )}
          </>
        )}
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Save source
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

/** Sends an extract file by file: a zip, or the files of a folder. */
function ReadExtract({ done }: { done: (survey: number) => void }) {
  const [files, setFiles] = useState<{ name: string; file: File }[]>([]);
  const [sent, setSent] = useState<{ bytes: number; of: number; now: string }>();
  const stop = useRef<AbortController>(undefined);
  const folder = useRef<HTMLInputElement>(null);
  useEffect(() => folder.current?.setAttribute('webkitdirectory', ''), []);
  const take = (list: FileList | null) =>
    setFiles(
      [...(list ?? [])].map((file) => {
        const path = file.webkitRelativePath.split('/').slice(1).join('/');
        return { name: path || file.name, file };
      }),
    );
  const total = files.reduce((n, f) => n + f.file.size, 0);
  const sending = useMutation({
    async mutationFn() {
      stop.current = new AbortController();
      const { id } = await send('POST', '/api/extracts');
      let bytes = 0;
      for (const { name, file } of files) {
        setSent({ bytes, of: total, now: name });
        const answer = await fetch(withQuery(`/api/extracts/${id}`, { name }), {
          method: 'PUT',
          body: file,
          signal: stop.current.signal,
        });
        if (!answer.ok)
          throw new Error(
            ((await answer.json()) as { detail?: string }).detail ?? `${name} was not accepted.`,
          );
        bytes += file.size;
      }
      setSent({ bytes, of: total, now: 'starting the survey' });
      return send('POST', '/api/extracts/[id]', { id: id });
    },
    onSuccess: ({ survey }) => done(survey),
    onSettled: () => setSent(undefined),
  });
  return (
    <section aria-label="Import an extract" className="border-t border-slate bg-base-200 px-4 py-3">
      <p>
        A bulk extract becomes a source of its own and is surveyed with the others: a .zip, or a folder with
        manifest.json and its .jsonl files. People may also come as a SCIM list (users.json) or as users.csv
        with columns.json.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-4">
        <label className="flex flex-col gap-1 text-xs text-quiet">
          A .zip
          <input
            className="file-input file-input-sm"
            type="file"
            accept=".zip"
            onChange={(e) => take(e.target.files)}
          />
        </label>
        <label className="flex flex-col gap-1 text-xs text-quiet">
          or a folder
          <input
            ref={folder}
            className="file-input file-input-sm"
            type="file"
            multiple
            onChange={(e) => take(e.target.files)}
          />
        </label>
        <button
          className="btn btn-sm btn-primary"
          disabled={!files.length || sending.isPending}
          onClick={() => sending.mutate()}
        >
          {files.length ? `Read ${plural(files.length, 'file')}, ${bytesWords(total)}` : 'Read it'}
        </button>
        {sent && (
          <>
            <span role="status">
              {bytesWords(sent.bytes)} of {bytesWords(sent.of)}: {sent.now}
            </span>
            <button className="btn btn-sm" onClick={() => stop.current?.abort()}>
              Cancel the upload
            </button>
          </>
        )}
      </div>
      {sending.error && sending.error.name !== 'AbortError' && <Trouble error={sending.error} />}
    </section>
  );
}
