/** How one signs in here: sessions and second factors, the identity provider, the directory that keeps accounts. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { useFieldArray } from 'react-hook-form';
import type { AccountRole, SignInSettings, SsoSettings } from '../../core/roles.ts';
import type { SsoState } from '../../dto/accounts.ts';
import { signInSettingsForm, ssoForm } from '../../dto/forms.ts';
import { ask, send } from '../frame/api.ts';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Copied } from './Copied.tsx';
import { Dialog, DialogEnd } from './Dialog.tsx';
import { Field, FormTrouble, TextField, useSchemaForm } from './form.tsx';
import { Trouble, When } from './marks.tsx';
import { ROLE_WORDS } from './roles.ts';
import { TabBar, TabPanel, Tabs } from './Tabs.tsx';
import { useSay } from './Toasts.tsx';

const ROLES = Object.keys(ROLE_WORDS) as AccountRole[];
const TABS = [
  ['sessions', 'Sessions'],
  ['provider', 'Single sign-on'],
  ['directory', 'Directory (SCIM)'],
] as const;

export function SignInDialog({ close }: { close: () => void }) {
  const [tab, setTab] = useState('sessions');
  return (
    <Dialog title="Signing in" size="medium" close={close}>
      <Tabs value={tab} choose={setTab}>
        <div className="border-b border-base-300 px-4 py-2">
          <TabBar label="Signing in" tabs={TABS} small />
        </div>
        <TabPanel>
          {tab === 'sessions' && <Sessions close={close} />}
          {tab === 'provider' && <Provider close={close} />}
          {tab === 'directory' && <Directory close={close} />}
        </TabPanel>
      </Tabs>
    </Dialog>
  );
}

function Sessions({ close }: { close: () => void }) {
  const { data, error } = useQuery(ask('/api/accounts/sign-in'));
  return (
    <>
      {error && <Trouble error={error} />}
      {data && <SignInForm settings={data} close={close} />}
    </>
  );
}

function SignInForm({ settings, close }: { settings: SignInSettings; close: () => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm(signInSettingsForm, settings, async (values) => {
    await send('PUT', '/api/accounts/sign-in', values);
    refresh();
    close();
  });
  const many = (name: 'idleMinutes' | 'longestHours', label: string) => (
    <TextField
      form={form}
      name={name}
      label={label}
      className="input w-28"
      type="number"
      rules={{ valueAsNumber: true }}
    />
  );
  return (
    <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
      {many('idleMinutes', 'A session ends after so many minutes without use')}
      {many('longestHours', 'A session ends after so many hours, used or not')}
      <fieldset className="flex flex-col gap-1.5">
        <legend className="mb-1">Roles that must have a second factor</legend>
        {(Object.keys(ROLES) as AccountRole[]).map((role) => (
          <label key={role} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              value={role}
              {...form.register('secondFactor')}
            />
            {role}
          </label>
        ))}
      </fieldset>
      <p className="text-xs text-quiet">
        Whoever has none yet is asked to set one up, and can do nothing else before. Making it easier to sign
        in is shown on Watch.
      </p>
      <FormTrouble form={form} />
      <DialogEnd close={close}>
        <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
          Save
        </button>
      </DialogEnd>
    </form>
  );
}

function Provider({ close }: { close: () => void }) {
  const { data, error } = useQuery(ask('/api/accounts/sso'));
  return (
    <>
      {error && <Trouble error={error} />}
      {data?.proposed && <Proposed proposed={data.proposed} />}
      {data && <ProviderForm key={JSON.stringify(data.settings)} settings={data.settings} close={close} />}
    </>
  );
}

/** A provider that waits for another steward. */
function Proposed({ proposed: { settings, by, at } }: { proposed: NonNullable<SsoState['proposed']> }) {
  const { account } = useSigned();
  const refresh = useRefresh();
  const decide = useMutation({
    mutationFn: (approved: boolean) => send('POST', '/api/accounts/sso', { approved, at }),
    onSettled: refresh,
  });
  const mine = by === account.address;
  return (
    <section aria-label="Proposed provider" className="mx-4 mt-4 border border-slate px-3 py-2">
      <p>
        <b>{mine ? 'Your change waits for a second steward' : `${by} proposes a change`}</b>{' '}
        <span className="text-quiet">
          <When at={at} />
        </span>
      </p>
      <p>
        {settings.issuer}, client {settings.clientId}: {roleWords(settings)}
      </p>
      {decide.error && <Trouble error={decide.error} />}
      <div className="mt-1 flex justify-end gap-2">
        <button
          className="btn btn-xs btn-ghost"
          disabled={decide.isPending}
          onClick={() => decide.mutate(false)}
        >
          {mine ? 'Withdraw' : 'Reject'}
        </button>
        {!mine && (
          <button
            className="btn btn-xs btn-primary"
            disabled={decide.isPending}
            onClick={() => decide.mutate(true)}
          >
            Approve
          </button>
        )}
      </div>
    </section>
  );
}

const roleWords = ({ claim, roles, otherwise }: SsoSettings): string =>
  [
    ...roles.map((r) => `${r.role} where ${claim} holds “${r.value}”`),
    otherwise ? `everybody else ${otherwise}` : 'nobody else comes in',
  ].join('; ');

const NEW: SsoSettings = {
  name: '',
  issuer: '',
  clientId: '',
  claim: 'groups',
  roles: [],
  otherwise: null,
  makes: true,
  passwords: true,
  emergency: null,
};

function ProviderForm({ settings, close }: { settings: SsoSettings | null; close: () => void }) {
  const { account } = useSigned();
  const refresh = useRefresh();
  const say = useSay();
  const form = useSchemaForm(ssoForm, { ...(settings ?? NEW), secret: '' }, async (values) => {
    const emergency = values.passwords ? null : (values.emergency ?? account.address);
    const { asked } = await send('PUT', '/api/accounts/sso', { ...values, emergency });
    refresh();
    say(asked ? 'Another steward has to approve this.' : 'Saved.');
    close();
  });
  const end = useMutation({
    mutationFn: () => send('DELETE', '/api/accounts/sso'),
    onSuccess: () => {
      refresh();
      close();
    },
  });
  const list = useFieldArray({ control: form.control, name: 'roles' });
  const passwords = form.watch('passwords');
  const field = (
    name: 'name' | 'issuer' | 'clientId' | 'claim' | 'secret',
    label: string,
    more: object = {},
  ) => <TextField form={form} name={name} label={label} className="input input-sm w-full" {...more} />;
  const role = (name: `roles.${number}.role`) => (
    <select className="select select-sm w-32" aria-label="Role" {...form.register(name)}>
      {ROLES.map((r) => (
        <option key={r}>{r}</option>
      ))}
    </select>
  );
  return (
    <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
      <p className="text-quiet">
        People sign in at your organisation’s identity provider (OpenID Connect). There, this address is to be
        allowed: <code className="text-xs">{location.origin}/api/session/sso-back</code>
      </p>
      <div className="grid grid-cols-2 gap-3">
        {field('name', 'Its name on the sign-in page')}
        {field('issuer', 'Issuer', { type: 'url', placeholder: 'https://' })}
        {field('clientId', 'Client ID')}
        {field('secret', settings ? 'Client secret, if it is a new one' : 'Client secret', {
          type: 'password',
          autoComplete: 'off',
        })}
        {field('claim', 'Claim that says the role')}
        <Field form={form} name="otherwise" label="Role of everybody else">
          {(input) => (
            <select
              {...input}
              className="select select-sm w-full"
              {...form.register('otherwise', { setValueAs: (v: AccountRole | '' | null) => v || null })}
            >
              <option value="">none: they do not come in</option>
              {ROLES.map((r) => (
                <option key={r}>{r}</option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <fieldset className="flex flex-col gap-1.5">
        <legend className="mb-1">Which value of the claim makes which role</legend>
        {list.fields.map((f, n) => (
          <div key={f.id} className="flex gap-2">
            <input
              className="input input-sm flex-1"
              aria-label="Value of the claim"
              {...form.register(`roles.${n}.value`)}
            />
            {role(`roles.${n}.role`)}
            <button
              type="button"
              className="btn btn-sm btn-square btn-ghost"
              aria-label="Remove"
              onClick={() => list.remove(n)}
            >
              <X size={14} aria-hidden />
            </button>
          </div>
        ))}
        <button
          type="button"
          className="btn btn-xs self-start"
          onClick={() => list.append({ value: '', role: 'auditor' })}
        >
          <Plus size={13} aria-hidden /> Add a value
        </button>
      </fieldset>
      <label className="flex items-center gap-2">
        <input type="checkbox" className="checkbox checkbox-sm" {...form.register('makes')} />
        Create an account for whoever has a role and none yet
      </label>
      <label className="flex items-center gap-2">
        <input type="checkbox" className="checkbox checkbox-sm" {...form.register('passwords')} />
        Passwords of this application open accounts too
      </label>
      {!passwords && (
        <TextField
          form={form}
          name="emergency"
          label="Account that still opens with its password, for emergencies"
          className="input input-sm w-full"
          placeholder={account.address}
          rules={{ setValueAs: (v: string | null) => v || null }}
        />
      )}
      <FormTrouble form={form} />
      {end.error && <Trouble error={end.error} />}
      <DialogEnd close={close}>
        {settings && (
          <button type="button" className="btn btn-sm" disabled={end.isPending} onClick={() => end.mutate()}>
            End single sign-on
          </button>
        )}
        <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
          Save
        </button>
      </DialogEnd>
    </form>
  );
}

function Directory({ close }: { close: () => void }) {
  const refresh = useRefresh();
  const { data, error } = useQuery(ask('/api/accounts/scim'));
  const change = useMutation({
    mutationFn: (end: boolean) => send('POST', '/api/accounts/scim', { end }),
    onSuccess: refresh,
  });
  const token = change.data?.token;
  return (
    <div className="flex flex-col gap-3 p-4">
      <p>
        A directory can create, change and end accounts here (SCIM 2.0). It is given this address, and a
        token: <code className="text-xs">{location.origin}/scim/v2</code>
      </p>
      <p className="text-quiet">
        A steward’s role it can only ask for: another steward confirms it here. The emergency account is not
        its.
      </p>
      {(error ?? change.error) && <Trouble error={(error ?? change.error)!} />}
      {token ? (
        <>
          <p>The token is shown only now.</p>
          <Copied label="Token" text={token} close={close} />
        </>
      ) : (
        <>
          {data && (
            <p>
              There is a token, made by {data.by}, <When at={data.at} />.
            </p>
          )}
          <DialogEnd leave="Close" close={close}>
            {data && (
              <button className="btn btn-sm" disabled={change.isPending} onClick={() => change.mutate(true)}>
                End it
              </button>
            )}
            <button
              className="btn btn-sm btn-primary"
              disabled={change.isPending}
              onClick={() => change.mutate(false)}
            >
              {data ? 'New token in its place' : 'Create a token'}
            </button>
          </DialogEnd>
        </>
      )}
    </div>
  );
}
