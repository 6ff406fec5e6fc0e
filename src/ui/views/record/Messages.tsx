/** Record › Messages: what was sent to whom, what waits, and what did not arrive. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { z } from 'zod';
import { GATHERS, GATHER_NAMES, type Gather } from '../../../core/messages/when.ts';
import type { Account } from '../../../dto/accounts.ts';
import { mailForm, testMailForm } from '../../../dto/forms.ts';
import {
  MESSAGE_SHOWS,
  type MessageRow,
  type MessageSettings,
  type MessageState,
} from '../../../dto/messages.ts';
import { ask, send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useUrl } from '../../frame/url.ts';
import { Choose, Find } from '../../parts/Choose.tsx';
import { Dialog, DialogEnd } from '../../parts/Dialog.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../parts/form.tsx';
import { plural, State, Trouble, When } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';
import { WhoIsTold } from './WhoIsTold.tsx';

const STATES: Record<MessageState, readonly [words: string, icon: Parameters<typeof State>[0]['icon']]> = {
  waiting: ['waits', 'later'],
  gathered: ['gathered', 'later'],
  sent: ['sent', 'done'],
  failed: ['not sent', 'failed'],
  dropped: ['not needed any more', 'back'],
};
const SHOW_WORDS: Record<(typeof MESSAGE_SHOWS)[number], string> = {
  waiting: 'That wait',
  gathered: 'Gathered',
  sent: 'Sent',
  failed: 'Not sent',
  dropped: 'Not needed any more',
  all: 'All messages',
};
const COLUMNS: Column<MessageRow>[] = [
  { key: 'made', name: 'Made', width: '132px', cell: (m) => <When at={m.madeAt} /> },
  {
    key: 'to',
    name: 'To',
    width: 'minmax(160px, 1fr)',
    cell: (m) => (
      <span className="truncate" title={m.recipient}>
        {m.name || m.recipient}
        {m.way === 'chat' && <span className="text-quiet"> channel</span>}
      </span>
    ),
  },
  {
    key: 'subject',
    name: 'Subject',
    width: 'minmax(260px, 2.4fr)',
    cell: (m) => (
      <span className="truncate">
        <b>{m.subject}</b>
      </span>
    ),
  },
  {
    key: 'state',
    name: 'State',
    width: 'minmax(150px, 0.9fr)',
    cell: (m) => (
      <span className="flex min-w-0 gap-2" title={m.trouble ?? undefined}>
        <span className="shrink-0">
          <State icon={STATES[m.state][1]}>{STATES[m.state][0]}</State>
        </span>
        {m.trouble && m.state !== 'sent' && <span className="truncate text-quiet">{m.trouble}</span>}
      </span>
    ),
  },
  {
    key: 'sent',
    name: 'Sent, or due',
    width: '132px',
    cell: (m) =>
      m.state === 'failed' ? <span className="text-quiet">–</span> : <When at={m.sentAt ?? m.due} />,
  },
];

export default function Messages({ account, search }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/record/messages">
      <View search={search} />
    </Shell>
  );
}

function View({ search }: { search: string }) {
  const [params, set] = useUrl(search);
  const { steward } = useSigned();
  const refresh = useRefresh();
  const given = params.get('state');
  const asked = {
    state: MESSAGE_SHOWS.find((s) => s === given) ?? 'all',
    text: params.get('text') ?? undefined,
  } as const;
  const { query, first, rows, more } = usePages('/api/messages', asked, 200);
  const { data: settings } = useQuery(ask('/api/messages/settings'));
  const [dialog, setDialog] = useState<'mail' | 'own' | 'told' | MessageRow>();
  const retry = useMutation({
    mutationFn: (ids: number[]) => send('PUT', '/api/messages', { ids }),
    onSuccess: () => {
      setDialog(undefined);
      refresh();
    },
  });
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Messages">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">{first ? plural(first.total, 'message') : 'Messages'}</h1>
        <span className="flex-1" />
        <Choose
          label="Which messages"
          width="w-44"
          value={asked.state}
          of={(['all', ...MESSAGE_SHOWS.filter((s) => s !== 'all')] as const).map(
            (s) => [s, SHOW_WORDS[s]] as const,
          )}
          choose={(state) => set({ state })}
        />
        <Find of="messages" text={asked.text} find={(text) => set({ text })} />
        <button className="btn btn-sm" onClick={() => setDialog('own')}>
          How I am told …
        </button>
        <button className="btn btn-sm" onClick={() => setDialog('told')}>
          Who is told …
        </button>
        {steward && (
          <button className="btn btn-sm" onClick={() => setDialog('mail')}>
            Mail settings …
          </button>
        )}
        <ExportMenu table="messages" query={asked} />
      </div>
      {settings && !settings.ready && (
        <Trouble error="No mail server is set: messages to people wait until there is one. Set it under Mail settings." />
      )}
      {settings?.untold && (
        <Trouble
          error={`${plural(settings.untold.n, 'thing')} could not be told of yet, and will be tried again: ${settings.untold.trouble}`}
        />
      )}
      {[query.error, retry.error].map(
        (e, n) => e && <Trouble key={n} error={e} retry={() => void query.refetch()} />,
      )}
      {first?.total === 0 ? (
        <p className="border-t border-base-300 py-3 text-quiet">
          {asked.state === 'all' && !asked.text
            ? 'Nothing was sent yet. Standing orders tell and ask people, and so do rules under Who is told.'
            : 'No message is like that.'}
        </p>
      ) : (
        <Table
          label="Messages"
          columns={COLUMNS}
          rows={rows}
          rowKey={(m) => m.id}
          selected={undefined}
          onSelect={(m) => m && setDialog(m)}
          onEnd={more}
        />
      )}
      {dialog === 'mail' && settings && <MailDialog settings={settings} close={() => setDialog(undefined)} />}
      {dialog === 'told' && <WhoIsTold close={() => setDialog(undefined)} />}
      {dialog === 'own' && settings && <OwnDialog settings={settings} close={() => setDialog(undefined)} />}
      {typeof dialog === 'object' && (
        <Dialog title={dialog.subject} size="medium" close={() => setDialog(undefined)}>
          <div className="flex flex-col gap-3 p-4">
            <p className="text-quiet">
              To {dialog.name ? `${dialog.name} <${dialog.recipient}>` : dialog.recipient},{' '}
              {STATES[dialog.state][0]}
              {dialog.sentAt && (
                <>
                  {' '}
                  <When at={dialog.sentAt} />
                </>
              )}
              {dialog.digest !== null && ', together with others'}
              {dialog.calendar && ', with a date for the calendar'}
            </p>
            {dialog.trouble && dialog.state !== 'sent' && <Trouble error={dialog.trouble} />}
            <p className="whitespace-pre-wrap break-words">{dialog.body}</p>
            <DialogEnd close={() => setDialog(undefined)} leave="Close">
              {steward && dialog.state === 'failed' && (
                <button
                  className="btn btn-sm btn-primary"
                  disabled={retry.isPending}
                  onClick={() => retry.mutate([dialog.id])}
                >
                  Try again
                </button>
              )}
            </DialogEnd>
          </div>
        </Dialog>
      )}
    </section>
  );
}

function MailDialog({ settings, close }: { settings: MessageSettings; close: () => void }) {
  const refresh = useRefresh();
  const { mail } = settings;
  const form = useSchemaForm<z.infer<typeof mailForm>>(
    mailForm,
    {
      host: mail?.host ?? '',
      port: mail?.port ?? 465,
      security: mail?.security ?? 'tls',
      user: mail?.user ?? '',
      password: '',
      from: mail?.from ?? '',
      site: mail?.site ?? location.origin,
    },
    async (values) => {
      await send('PUT', '/api/messages/settings', values);
      refresh();
    },
  );
  const test = useSchemaForm(testMailForm, { to: '' }, async (values) => {
    await send('POST', '/api/messages/settings', values);
  });
  return (
    <Dialog title="Mail settings" size="medium" close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {settings.byServer && (
          <p className="text-quiet">
            Mail goes out as the server’s operator has set it, unless something is set here.
          </p>
        )}
        <div className="flex gap-3">
          <TextField
            form={form}
            name="host"
            label="Mail server"
            look="flex-1"
            className="input input-sm w-full"
          />
          <TextField
            form={form}
            name="port"
            label="Port"
            type="number"
            className="input input-sm w-24"
            rules={{ valueAsNumber: true }}
          />
          <Field form={form} name="security" label="Protected by">
            {(input) => (
              <select {...input} className="select select-sm w-36" {...form.register('security')}>
                <option value="tls">TLS</option>
                <option value="starttls">STARTTLS</option>
                <option value="none">nothing</option>
              </select>
            )}
          </Field>
        </div>
        <div className="flex gap-3">
          <TextField
            form={form}
            name="user"
            label="User name"
            look="flex-1"
            className="input input-sm w-full"
            autoComplete="off"
          />
          <TextField
            form={form}
            name="password"
            label="Password"
            type="password"
            look="flex-1"
            className="input input-sm w-full"
            autoComplete="new-password"
            hint={mail?.user ? 'left empty, it stays as it is' : undefined}
          />
        </div>
        <TextField
          form={form}
          name="from"
          label="Messages come from"
          type="email"
          className="input input-sm w-full"
        />
        <TextField
          form={form}
          name="site"
          label="Where people reach Gate Lantern"
          className="input input-sm w-full"
          hint="links in messages begin with it"
        />
        <FormTrouble form={form} />
        <DialogEnd close={close} leave="Close">
          <button
            className="btn btn-sm btn-primary"
            disabled={form.formState.isSubmitting || !form.formState.isDirty}
          >
            Save
          </button>
        </DialogEnd>
      </form>
      <form className="flex items-end gap-3 border-t border-base-300 p-4" onSubmit={test.submit} noValidate>
        <TextField
          form={test}
          name="to"
          label="Send a test message to"
          type="email"
          look="flex-1"
          className="input input-sm w-full"
        />
        <button className="btn btn-sm" disabled={test.formState.isSubmitting}>
          Send it
        </button>
        {test.formState.isSubmitSuccessful && !test.formState.errors.root && (
          <State icon="done">The server has taken it.</State>
        )}
      </form>
      <div className="px-4 pb-3">
        <FormTrouble form={test} />
      </div>
    </Dialog>
  );
}

function OwnDialog({ settings, close }: { settings: MessageSettings; close: () => void }) {
  const refresh = useRefresh();
  const [gather, setGather] = useState<Gather>(settings.own.gather);
  const [quiet, setQuiet] = useState(settings.own.quiet);
  const save = useMutation({
    mutationFn: () => send('PUT', '/api/messages/wish', { gather, quiet }),
    onSuccess: () => {
      refresh();
      close();
    },
  });
  const hour = (label: string, value: number, change: (h: number) => void) => (
    <select
      className="select select-sm w-24"
      aria-label={label}
      value={value}
      onChange={(e) => change(Number(e.target.value))}
    >
      {Array.from({ length: 24 }, (_, h) => (
        <option key={h} value={h}>
          {h}:00
        </option>
      ))}
    </select>
  );
  return (
    <Dialog title="How I am told" close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>What is urgent comes at once. What is not comes</p>
        <select
          className="select select-sm w-64"
          aria-label="How often"
          value={gather}
          onChange={(e) => setGather(e.target.value as Gather)}
        >
          {GATHER_NAMES.map((g) => (
            <option key={g} value={g}>
              {GATHERS[g]}
            </option>
          ))}
        </select>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={quiet !== null}
            onChange={(e) => setQuiet(e.target.checked ? { from: 20, until: 7 } : null)}
          />
          Only what is critical
          {quiet && (
            <>
              from {hour('Quiet from', quiet.from, (from) => setQuiet({ ...quiet, from }))} until{' '}
              {hour('Quiet until', quiet.until, (until) => setQuiet({ ...quiet, until }))}
            </>
          )}
        </label>
        {save.error && <Trouble error={save.error} />}
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={save.isPending} onClick={() => save.mutate()}>
            Save
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}
