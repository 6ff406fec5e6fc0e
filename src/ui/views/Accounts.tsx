/** Accounts: one's own, and for stewards everybody's. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { UserPlus } from 'lucide-react';
import { useState } from 'react';
import type { Account, AccountRole, AccountRow } from '../../dto/accounts.ts';
import { inviteForm, passwordForm } from '../../dto/forms.ts';
import { ask, send } from '../frame/api.ts';
import { Shell } from '../frame/Shell.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Dialog, DialogEnd } from '../parts/Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from '../parts/form.tsx';
import { plural, State, Trouble, When } from '../parts/marks.tsx';
import { ActionsMenu, MenuItem } from '../parts/Menu.tsx';
import { useSay } from '../parts/Toasts.tsx';

export default function Accounts({ account }: { account: Account }) {
  return (
    <Shell account={account} path="/accounts">
      <div className="flex h-full min-h-0">
        {account.role === 'steward' && <Everybody />}
        <Own />
      </div>
    </Shell>
  );
}

const ROLES: Record<AccountRole, string> = {
  steward: 'sees everything, makes and applies plans',
  auditor: 'sees everything, changes nothing',
  owner: 'answers for spaces of their own',
};

/** A link to be handed over, shown once. */
interface Handed {
  to: string;
  token: string;
  asked: boolean;
}

function Everybody() {
  const { data, error } = useQuery(ask('/api/accounts'));
  const [inviting, setInviting] = useState(false);
  const [handed, setHanded] = useState<Handed>();
  return (
    <section aria-label="Everybody’s accounts" className="min-w-0 flex-1 overflow-auto">
      <div className="flex items-center gap-3 px-4 py-2">
        <h1 className="flex-1 text-base">
          <b>Accounts</b> <span className="text-quiet">who may sign in here, and as what</span>
        </h1>
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
              <th className="px-3 font-semibold">Role</th>
              <th className="px-3 font-semibold">State</th>
              <th className="px-3 font-semibold">Last sign-in</th>
              <th className="px-3 text-right font-semibold">Sessions</th>
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
  type Body = Parameters<typeof send<'PUT', '/api/accounts'>>[2];
  const act = useMutation({
    mutationFn: (body: Body) => send('PUT', '/api/accounts', body),
    onSuccess: ({ token, asked }) => {
      if (token) hand({ to: row.name, token, asked: false });
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
      <td className="px-3">
        <State icon={row.state === 'active' ? 'done' : invited ? 'waiting' : 'failed'}>{row.state}</State>
      </td>
      <td className="px-3 text-quiet">{row.lastSignIn ? <When at={row.lastSignIn} /> : 'never'}</td>
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
            {invited && <MenuItem run={() => act.mutate({ act: 'invite', id })}>New invitation</MenuItem>}
            {row.sessions > 0 && (
              <MenuItem run={() => act.mutate({ act: 'endSessions', id })}>End all sessions</MenuItem>
            )}
            <MenuItem run={() => act.mutate({ act: row.state === 'disabled' ? 'enable' : 'disable', id })}>
              {row.state === 'disabled' ? 'Enable' : 'Disable'}
            </MenuItem>
          </ActionsMenu>
        )}
      </td>
    </tr>
  );
}

function Invite({ close, hand }: { close: () => void; hand: (h: Handed) => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm(
    inviteForm,
    { name: '', address: '', role: 'auditor' as const },
    async (values) => {
      const { token, asked } = await send('POST', '/api/accounts', values);
      refresh();
      close();
      hand({ to: values.name, token, asked });
    },
  );
  const field = (name: 'name' | 'address', label: string, more: object) => (
    <Field form={form} name={name} label={label}>
      {(input) => <input {...input} className="input w-full" {...more} {...form.register(name)} />}
    </Field>
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

function HandOver({ handed: { to, token, asked }, close }: { handed: Handed; close: () => void }) {
  const say = useSay();
  const link = `${location.origin}/welcome#${token}`;
  return (
    <Dialog title={`Invitation for ${to}`} close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>
          Send this link to {to}. It is shown only now, works once, and ends in seven days.
          {asked && ' They begin as auditor, until another steward confirms that they become a steward.'}
        </p>
        <input className="input w-full font-mono text-xs" readOnly aria-label="Link" value={link} />
        <DialogEnd leave="Close" close={close}>
          <button
            className="btn btn-sm btn-primary"
            onClick={() => {
              navigator.clipboard.writeText(link).then(
                () => say('Link copied.'),
                () => say('The browser did not let it be copied: copy it from the field.'),
              );
            }}
          >
            Copy the link
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}

/** One's own password and sessions. */
function Own() {
  const { account } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
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
    <Field form={form} name={name} label={label}>
      {(input) => (
        <input
          {...input}
          type="password"
          className="input input-sm w-full"
          autoComplete={autoComplete}
          {...form.register(name)}
        />
      )}
    </Field>
  );
  return (
    <section
      aria-label="Your account"
      className="w-[360px] shrink-0 overflow-auto border-l border-slate px-4 py-2.5"
    >
      <h2 className="text-base font-bold">Your account</h2>
      <p className="text-quiet">
        {account.address}, {account.role}
      </p>
      <form className="mt-3 flex flex-col gap-2" onSubmit={form.submit} noValidate>
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
