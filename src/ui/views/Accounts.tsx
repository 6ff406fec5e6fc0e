/** Accounts: one's own, and for stewards everybody's. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { KeyRound, Settings2, UserPlus } from 'lucide-react';
import { addMonths } from 'date-fns';
import { useState } from 'react';
import type { z } from 'zod';
import {
  DATE_LANGUAGES,
  mayDo,
  type Account,
  type AccountRole,
  type AccountRow,
  type SecondWay,
} from '../../dto/accounts.ts';
import { datesForm, inviteForm, passwordForm, tokenForm } from '../../dto/forms.ts';
import { ask, send } from '../frame/api.ts';
import { Shell } from '../frame/Shell.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Dialog, DialogEnd } from '../parts/Dialog.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from '../parts/form.tsx';
import { Copied } from '../parts/Copied.tsx';
import { plural, State, Trouble, When } from '../parts/marks.tsx';
import { ActionsMenu, MenuItem } from '../parts/Menu.tsx';
import { SignInDialog } from '../parts/SignInDialog.tsx';
import { HeldDialog } from '../parts/Held.tsx';
import { heldWords } from '../parts/held-words.ts';
import { ROLE_WORDS as ROLES } from '../parts/roles.ts';
import { SecondFactor } from '../parts/SecondFactor.tsx';
import { useMounted } from '../parts/mounted.ts';
import { useSay } from '../parts/Toasts.tsx';

export default function Accounts({ account }: { account: Account }) {
  return (
    <Shell account={account} path="/accounts">
      <div className="flex h-full min-h-0">
        {account.role === 'steward' && !account.held && <Everybody />}
        <Own alone={account.role !== 'steward' || account.held !== undefined} />
      </div>
    </Shell>
  );
}

const WAYS: Record<SecondWay, string> = { code: 'app', passkey: 'passkey' };

/** A link to be handed over, shown once. */
interface Handed {
  to: string;
  token: string;
  asked: boolean;
  /** Why it was not sent by mail. */
  trouble?: string | undefined;
}

function Everybody() {
  const { data, error } = useQuery(ask('/api/accounts'));
  const [inviting, setInviting] = useState(false);
  const [setting, setSetting] = useState(false);
  const [handed, setHanded] = useState<Handed>();
  return (
    <section aria-label="Everybody’s accounts" className="min-w-0 flex-1 overflow-auto">
      <div className="flex items-center gap-3 px-4 py-2">
        <h1 className="flex-1 text-base">
          <b>Accounts</b> <span className="text-quiet">who may sign in here, and as what</span>
        </h1>
        <button className="btn btn-sm" onClick={() => setSetting(true)}>
          <Settings2 size={14} aria-hidden /> Sign-in
        </button>
        <button className="btn btn-sm btn-primary" onClick={() => setInviting(true)}>
          <UserPlus size={14} aria-hidden /> Invite somebody
        </button>
      </div>
      {error && <Trouble error={error} />}
      {data && (
        <table className="w-full border-y border-slate">
          <thead>
            <tr className="h-8 text-left text-xs text-quiet">
              <th className="px-4 font-semibold">Name</th>
              <th className="whitespace-nowrap px-3 font-semibold">Role</th>
              <th className="whitespace-nowrap px-3 font-semibold">Limited to</th>
              <th className="whitespace-nowrap px-3 font-semibold">State</th>
              <th className="whitespace-nowrap px-3 font-semibold">Second factor</th>
              <th className="whitespace-nowrap px-3 font-semibold">Last sign-in</th>
              <th className="whitespace-nowrap px-3 text-right font-semibold">Sessions</th>
              <th aria-label="Actions" />
            </tr>
          </thead>
          <tbody>
            {data.rows.map((r) => (
              <Row key={r.id} row={r} hand={setHanded} />
            ))}
          </tbody>
        </table>
      )}
      {setting && <SignInDialog close={() => setSetting(false)} />}
      {inviting && <Invite close={() => setInviting(false)} hand={setHanded} />}
      {handed && <HandOver handed={handed} close={() => setHanded(undefined)} />}
    </section>
  );
}

function Row({ row, hand }: { row: AccountRow; hand: (h: Handed) => void }) {
  const { account } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  const own = row.id === account.id;
  const [holding, setHolding] = useState(false);
  type Body = Parameters<typeof send<'PUT', '/api/accounts'>>[2];
  const act = useMutation({
    mutationFn: (body: Body) => send('PUT', '/api/accounts', body),
    onSuccess: ({ token, asked, trouble }) => {
      if (token) hand({ to: row.name, token, asked: false, trouble });
      else say(asked ? 'Another steward has to confirm this role.' : `${row.name}: done.`);
    },
    onError: (e) => say(e.message),
    onSettled: refresh,
  });
  const { id } = row;
  const invited = row.state === 'invited' || row.state === 'invitation ended';
  return (
    <tr className="h-10 border-t border-base-300">
      <td className="px-4 leading-tight">
        <span className="font-medium">{row.name}</span>
        {own && <span className="text-quiet"> (you)</span>}
        <span className="block text-xs text-quiet">{row.address}</span>
      </td>
      <td className="px-3 leading-tight">
        {row.role}
        {row.asked && (
          <span className="block text-xs">
            {row.asked.by} asks for {row.asked.role}
            {row.asked.by !== account.address && !own && (
              <button
                className="btn btn-xs btn-primary ml-2"
                disabled={act.isPending}
                onClick={() => act.mutate({ act: 'confirm', id, approved: true })}
              >
                Confirm
              </button>
            )}
            {!own && (
              <button
                className="btn btn-xs btn-ghost ml-1"
                disabled={act.isPending}
                onClick={() => act.mutate({ act: 'confirm', id, approved: false })}
              >
                {row.asked.by === account.address ? 'Withdraw' : 'Reject'}
              </button>
            )}
          </span>
        )}
      </td>
      <td className="max-w-44 truncate px-3" title={row.held ? heldWords(row.held) : undefined}>
        {row.held ? heldWords(row.held) : <span className="text-quiet">·</span>}
      </td>
      <td className="px-3">
        <State icon={row.state === 'active' ? 'done' : invited ? 'waiting' : 'failed'}>{row.state}</State>
      </td>
      <td className="px-3 text-quiet">{row.secondFactor.map((way) => WAYS[way]).join(', ') || 'none'}</td>
      <td className="whitespace-nowrap px-3 text-quiet">
        {row.lastSignIn ? <When at={row.lastSignIn} /> : 'never'}
      </td>
      <td className="px-3 text-right tabular-nums">{row.sessions || '·'}</td>
      <td className="w-12 pr-4 text-right">
        {!own && (
          <ActionsMenu of={row.name}>
            {(Object.keys(ROLES) as AccountRole[])
              .filter((role) => role !== row.role)
              .map((role) => (
                <MenuItem key={role} run={() => act.mutate({ act: 'role', id, role })}>
                  Make {role}
                </MenuItem>
              ))}
            <MenuItem run={() => setHolding(true)}>Limit to a part…</MenuItem>
            {row.secondFactor.length > 0 && (
              <MenuItem run={() => act.mutate({ act: 'resetSecond', id })}>Remove second factor</MenuItem>
            )}
            {invited && <MenuItem run={() => act.mutate({ act: 'invite', id })}>New invitation</MenuItem>}
            {row.sessions > 0 && (
              <MenuItem run={() => act.mutate({ act: 'endSessions', id })}>End all sessions</MenuItem>
            )}
            <MenuItem run={() => act.mutate({ act: row.state === 'disabled' ? 'enable' : 'disable', id })}>
              {row.state === 'disabled' ? 'Enable' : 'Disable'}
            </MenuItem>
          </ActionsMenu>
        )}
        {holding && (
          <HeldDialog
            name={row.name}
            held={row.held}
            close={() => setHolding(false)}
            save={async (held) => {
              await act.mutateAsync({ act: 'hold', id, held });
              setHolding(false);
            }}
          />
        )}
      </td>
    </tr>
  );
}

function Invite({ close, hand }: { close: () => void; hand: (h: Handed) => void }) {
  const say = useSay();
  const refresh = useRefresh();
  const form = useSchemaForm(
    inviteForm,
    { name: '', address: '', role: 'auditor' as const },
    async (values) => {
      const { token, asked, trouble } = await send('POST', '/api/accounts', values);
      refresh();
      close();
      if (token) hand({ to: values.name, token, asked, trouble });
      else say(`Invitation sent to ${values.address}.${asked ? ` ${AS_AUDITOR}` : ''}`);
    },
  );
  const field = (name: 'name' | 'address', label: string, more: object) => (
    <TextField form={form} name={name} label={label} {...more} />
  );
  return (
    <Dialog title="Invite somebody" close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {field('name', 'Name', { autoFocus: true })}
        {field('address', 'E-mail address', { type: 'email' })}
        <Field form={form} name="role" label="Role">
          {(input) => (
            <select {...input} className="select w-full" {...form.register('role')}>
              {(Object.keys(ROLES) as AccountRole[]).map((role) => (
                <option key={role} value={role}>
                  {role}: {ROLES[role]}
                </option>
              ))}
            </select>
          )}
        </Field>
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Make the invitation
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

const AS_AUDITOR = 'They begin as auditor, until another steward confirms that they become a steward.';

function HandOver({ handed: { to, token, asked, trouble }, close }: { handed: Handed; close: () => void }) {
  const link = `${location.origin}/welcome#${token}`;
  return (
    <Dialog title={`Invitation for ${to}`} close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>
          {trouble && <b>{trouble} </b>}
          Send this link to {to}. It is shown only now, works once, and ends in seven days.
          {asked && ` ${AS_AUDITOR}`}
        </p>
        <Copied label="Link" text={link} close={close} />
      </div>
    </Dialog>
  );
}

/** One's own tokens for machines; of stewards of the whole, everybody's. */
function Tokens() {
  const { account } = useSigned();
  const refresh = useRefresh();
  const { data, error } = useQuery(ask('/api/accounts/tokens'));
  const [making, setMaking] = useState(false);
  const end = useMutation({
    mutationFn: (id: number) => send('DELETE', '/api/accounts/tokens', { id }),
    onSettled: refresh,
  });
  return (
    <>
      {(error ?? end.error) && <Trouble error={(error ?? end.error)!} />}
      {data?.length === 0 && (
        <p className="text-quiet">For scripts and other programs, with no more than you may do yourself.</p>
      )}
      <ul>
        {data?.map((t) => (
          <li key={t.id} className="flex items-center gap-2 border-b border-base-300 py-1.5 leading-tight">
            <span className="min-w-0 flex-1">
              {t.name}, {t.role}
              <span className="block text-xs text-quiet">
                {t.by !== account.address && <>of {t.by}, </>}
                {t.over ? 'ended' : 'until'} {t.lastDay}, {t.held && <>limited to {heldWords(t.held)}, </>}
                {t.usedAt ? (
                  <>
                    last used <When at={t.usedAt} />
                  </>
                ) : (
                  'not used yet'
                )}
              </span>
            </span>
            <button
              className="btn btn-xs btn-ghost"
              disabled={end.isPending}
              aria-label={`End the token ${t.name}`}
              onClick={() => end.mutate(t.id)}
            >
              End
            </button>
          </li>
        ))}
      </ul>
      <button className="btn btn-sm mt-2" onClick={() => setMaking(true)}>
        <KeyRound size={14} aria-hidden /> New token
      </button>
      {making && <NewToken close={() => setMaking(false)} />}
    </>
  );
}

const MONTHS = 3;

function NewToken({ close }: { close: () => void }) {
  const { account } = useSigned();
  const refresh = useRefresh();
  const [token, setToken] = useState<string>();
  const roles = (Object.keys(ROLES) as AccountRole[]).filter((r) => mayDo(account.role, r));
  const form = useSchemaForm(
    tokenForm,
    {
      name: '',
      role: roles.includes('auditor') ? 'auditor' : 'owner',
      lastDay: addMonths(new Date(), MONTHS).toISOString().slice(0, 10),
      held: null,
    },
    async (values) => {
      setToken((await send('POST', '/api/accounts/tokens', values)).token);
      refresh();
    },
  );
  if (token)
    return (
      <Dialog title="Your new token" close={close}>
        <div className="flex flex-col gap-3 p-4">
          <p>It is shown only now. Programs send it as “Authorization: Bearer …”.</p>
          <Copied label="Token" text={token} close={close} />
        </div>
      </Dialog>
    );
  return (
    <Dialog title="New API token" close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        <TextField form={form} name="name" label="Name, such as of the program that uses it" autoFocus />
        <Field form={form} name="role" label="Role">
          {(input) => (
            <select {...input} className="select w-full" {...form.register('role')}>
              {roles.map((role) => (
                <option key={role} value={role}>
                  {role}: {ROLES[role]}
                </option>
              ))}
            </select>
          )}
        </Field>
        <TextField
          form={form}
          name="lastDay"
          label="Last day on which it works"
          className="input w-44"
          type="date"
        />
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Create the token
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

/** In which language and zone one reads dates. */
function Dates() {
  const { account } = useSigned();
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const form = useSchemaForm(
    datesForm,
    account.dates ? (account.dates as z.infer<typeof datesForm>) : { language: 'en-GB' as const, zone },
    async (dates) => {
      await send('PUT', '/api/accounts/dates', { dates });
      // every page is drawn with it
      location.reload();
    },
  );
  return (
    <form className="flex flex-col gap-2" onSubmit={form.submit} noValidate>
      <Field form={form} name="language" label="Language">
        {(input) => (
          <select {...input} className="select select-sm w-full" {...form.register('language')}>
            {Object.entries(DATE_LANGUAGES).map(([tag, name]) => (
              <option key={tag} value={tag}>
                {name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field form={form} name="zone" label="Time zone">
        {(input) => (
          <select {...input} className="select select-sm w-full" {...form.register('zone')}>
            {[...new Set([form.getValues('zone'), ...Intl.supportedValuesOf('timeZone')])].map((z) => (
              <option key={z}>{z}</option>
            ))}
          </select>
        )}
      </Field>
      <FormTrouble form={form} />
      <button
        className="btn btn-sm self-start"
        disabled={!form.formState.isDirty || form.formState.isSubmitting}
      >
        Save
      </button>
    </form>
  );
}

/** One's own password and sessions. */
function Own({ alone }: { alone: boolean }) {
  const { account } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  // which zones there are the browser knows, and not the server
  const mounted = useMounted();
  const { data, error } = useQuery(ask('/api/accounts/own'));
  const end = useMutation({
    mutationFn: (id: number) => send('DELETE', '/api/accounts/own', { id }),
    onSettled: refresh,
  });
  const form = useSchemaForm(passwordForm, { old: '', password: '' }, async (values) => {
    await send('PUT', '/api/accounts/own', values);
    form.reset();
    say('Password changed. Your other sessions have ended.');
    refresh();
  });
  const field = (name: 'old' | 'password', label: string, autoComplete: string) => (
    <TextField
      form={form}
      name={name}
      label={label}
      type="password"
      className="input input-sm w-full"
      autoComplete={autoComplete}
    />
  );
  return (
    <section
      aria-label="Your account"
      className={`overflow-auto px-4 py-2.5 ${alone ? 'mx-auto w-[440px]' : 'w-[330px] shrink-0 border-l border-slate'}`}
    >
      <h2 className="text-base font-bold">Your account</h2>
      <p className="text-quiet">
        {account.address}, {account.role}
      </p>
      {account.held && (
        <p className="text-quiet">limited to {account.held.map(heldWords).join(', and within that to ')}</p>
      )}
      <h3 className="mt-4 font-semibold">Second factor</h3>
      <SecondFactor />
      <form className="mt-5 flex flex-col gap-2" onSubmit={form.submit} noValidate>
        <h3 className="font-semibold">Change your password</h3>
        {field('old', 'Password that you have now', 'current-password')}
        {field('password', 'New password, at least 12 characters', 'new-password')}
        <FormTrouble form={form} />
        <button
          className="btn btn-sm self-start"
          disabled={!form.formState.isDirty || form.formState.isSubmitting}
        >
          Change password
        </button>
      </form>
      <h3 className="mt-5 font-semibold">{data ? plural(data.length, 'open session') : 'Open sessions'}</h3>
      {(error ?? end.error) && <Trouble error={(error ?? end.error)!} />}
      <ul>
        {data?.map((s) => (
          <li key={s.id} className="flex items-center gap-2 border-b border-base-300 py-1.5 leading-tight">
            <span className="min-w-0 flex-1">
              {browserWords(s.agent)}
              {s.own && <b> (this one)</b>}
              <span className="block text-xs text-quiet">
                {s.source && s.source !== 'unknown' && <>from {s.source}, </>}
                since <When at={s.since} />
              </span>
            </span>
            {!s.own && (
              <button
                className="btn btn-xs btn-ghost"
                disabled={end.isPending}
                aria-label={`End the session since ${s.since}`}
                onClick={() => end.mutate(s.id)}
              >
                End
              </button>
            )}
          </li>
        ))}
      </ul>
      <h3 className="mt-5 font-semibold">Dates and times</h3>
      {mounted && <Dates />}
      <h3 className="mt-5 font-semibold">API tokens</h3>
      <Tokens />
    </section>
  );
}

/** A browser and its system, from what it says of itself; what it says is not proven. */
function browserWords(agent: string): string {
  const first = (of: [RegExp, string][]): string | undefined => of.find(([test]) => test.test(agent))?.[1];
  const browser = first([
    [/Edg\//, 'Edge'],
    [/Firefox\//, 'Firefox'],
    [/Chrom(?:e|ium)\//, 'Chrome'],
    [/Safari\//, 'Safari'],
  ]);
  const system = first([
    [/Windows/, 'Windows'],
    [/Android/, 'Android'],
    [/iPhone|iPad/, 'iOS'],
    [/Mac OS/, 'macOS'],
    [/Linux/, 'Linux'],
  ]);
  return [browser ?? 'A browser', system && `on ${system}`].filter(Boolean).join(' ');
}
