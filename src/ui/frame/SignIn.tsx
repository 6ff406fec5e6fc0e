import { startAuthentication } from '@simplewebauthn/browser';
import { QueryClientProvider, useMutation } from '@tanstack/react-query';
import { KeyRound } from 'lucide-react';
import { useEffect, useState, type FormEvent, type ReactNode } from 'react';
import { z } from 'zod';
import { SSO_TROUBLE, type SsoTrouble } from '../../dto/sso.ts';
import type { SecondWay } from '../../dto/accounts.ts';
import { codeForm, firstStewardForm, signInForm } from '../../dto/forms.ts';
import type { passkeyProof } from '../../dto/inputs.ts';
import { FormTrouble, TextField, useSchemaForm } from '../parts/form.tsx';
import { Trouble } from '../parts/marks.tsx';
import { passkeyWords } from '../parts/passkey.ts';
import { client, send, withQuery } from './api.ts';

/** Signing in; or, on the first visit of all, making the first steward. */
interface Entry {
  to: string;
  first: boolean;
  /** Where else one can sign in, and whether passwords open accounts. */
  sso?: { name: string; passwords: boolean } | null;
  trouble?: SsoTrouble | null;
}

export default function SignIn(props: Entry) {
  return (
    <QueryClientProvider client={client}>
      <First {...props} />
    </QueryClientProvider>
  );
}

function First({ to, first, sso = null, trouble = null }: Entry) {
  const [password, setPassword] = useState(sso === null || sso.passwords);
  // until the page's script runs, the form would be sent by the browser itself
  const [live, setLive] = useState(false);
  useEffect(() => setLive(true), []);
  const [wants, setWants] = useState<SecondWay[]>();
  const form = useSchemaForm(
    first ? firstStewardForm : signInForm.extend({ code: z.string(), name: z.string() }),
    { code: '', name: '', address: '', password: '' },
    async ({ code, name, address, password }) => {
      if (first) await send('POST', '/api/first-steward', { code, name, address, password });
      const { wants } = await send('POST', '/api/session', { address, password });
      if (wants.length) setWants(wants);
      else location.assign(to);
    },
  );
  const field = (name: 'code' | 'name' | 'address' | 'password', label: string, more: object) => (
    <TextField form={form} name={name} label={label} {...more} />
  );
  if (wants) return <Second wants={wants} to={to} />;
  return (
    <Door
      title="Gate Lantern"
      about={
        first
          ? 'Create the account of the first steward.'
          : 'What is exposed, how it came to be, and the smallest change that closes it.'
      }
      submit={form.submit}
    >
      {trouble && <Trouble error={SSO_TROUBLE[trouble]} />}
      {sso && (
        <a className="btn btn-primary" href={withQuery('/api/session/sso', { to })}>
          Sign in with {sso.name}
        </a>
      )}
      {sso && !password && (
        <button type="button" className="btn btn-sm btn-ghost self-start" onClick={() => setPassword(true)}>
          It does not work: use the emergency account
        </button>
      )}
      {sso && password && <p className="text-quiet">or with a password of your own here</p>}
      {password && (
        <>
          {first &&
            field('code', 'Code that the server printed when it started', {
              autoComplete: 'off',
              autoFocus: true,
            })}
          {first && field('name', 'Your name', { autoComplete: 'name' })}
          {field('address', 'E-mail address', {
            type: 'email',
            autoComplete: 'username',
            autoFocus: !first && !sso,
          })}
          {field('password', first ? 'Password, at least 12 characters' : 'Password', {
            type: 'password',
            autoComplete: first ? 'new-password' : 'current-password',
          })}
          <FormTrouble form={form} />
          <button
            className={`btn ${sso ? '' : 'btn-primary'}`}
            disabled={!live || form.formState.isSubmitting}
          >
            {first ? 'Create the account and sign in' : 'Sign in'}
          </button>
        </>
      )}
    </Door>
  );
}

/** The second step of signing in. */
function Second({ wants, to }: { wants: SecondWay[]; to: string }) {
  const form = useSchemaForm(codeForm, { code: '' }, async (values) => {
    await send('POST', '/api/session/second', values);
    location.assign(to);
  });
  const passkey = useMutation({
    mutationFn: async () => {
      const optionsJSON = await send('PUT', '/api/session/second');
      const proof = await startAuthentication({ optionsJSON });
      await send('POST', '/api/session/second', { passkey: proof as z.input<typeof passkeyProof> });
      location.assign(to);
    },
  });
  const both = wants.length === 2;
  return (
    <Door
      title="One more step"
      about={
        both
          ? 'Use your passkey, or give a code.'
          : wants[0] === 'code'
            ? 'Give the code that your authenticator app shows.'
            : 'Use your passkey.'
      }
      submit={form.submit}
    >
      {wants.includes('passkey') && (
        <button
          type="button"
          className="btn btn-primary"
          autoFocus
          disabled={passkey.isPending}
          onClick={() => passkey.mutate()}
        >
          <KeyRound size={16} aria-hidden /> Use your passkey
        </button>
      )}
      {passkey.error && <Trouble error={passkeyWords(passkey.error)} />}
      <TextField
        form={form}
        name="code"
        label={wants.includes('code') ? 'Code, or a recovery code' : 'Recovery code'}
        className="input w-full tabular-nums"
        autoComplete="one-time-code"
        autoFocus={!wants.includes('passkey')}
      />
      <FormTrouble form={form} />
      <button
        className={`btn ${wants.includes('passkey') ? '' : 'btn-primary'}`}
        disabled={form.formState.isSubmitting}
      >
        Sign in
      </button>
    </Door>
  );
}

/** What one sees before one is in: the lamp, and a form. */
export function Door({
  title,
  about,
  submit,
  children,
}: {
  title: string;
  about: string;
  /** Absent where what is inside sends by itself. */
  submit?: (e: FormEvent) => void;
  children: ReactNode;
}) {
  const Inner = submit ? 'form' : 'div';
  return (
    <main className="grid h-dvh grid-cols-[1.1fr_1fr]">
      <Lamp />
      <Inner
        className="flex max-w-sm flex-col justify-center gap-4 px-10"
        {...(submit && { method: 'post', onSubmit: submit, noValidate: true })}
      >
        <div>
          <h1 className="text-2xl font-bold">{title}</h1>
          <p className="text-base text-quiet">{about}</p>
        </div>
        {children}
      </Inner>
    </main>
  );
}

/** The beam, large: from a narrow light to the open. */
function Lamp() {
  const tiers = ['sole', 'team', 'wide', 'organisation', 'partner', 'outside', 'public'];
  const x = (k: number) => 60 + k * 74;
  const half = (k: number) => 8 + k * 27;
  return (
    <div className="flex items-center justify-center overflow-hidden border-r border-slate bg-base-200">
      <svg
        viewBox="0 0 620 460"
        className="w-full max-w-2xl"
        role="img"
        aria-label="A beam that opens over the seven tiers of reach, from sole to public"
      >
        <path
          d={`M${x(0)} ${230 - half(0)}L${x(3)} ${230 - half(3)}V${230 + half(3)}L${x(0)} ${230 + half(0)}Z`}
          className="fill-beam"
        />
        <path
          d={`M${x(3)} ${230 - half(3)}L${x(7)} ${230 - half(7)}V${230 + half(7)}L${x(3)} ${230 + half(3)}Z`}
          fill="none"
          className="stroke-beam-edge"
          strokeWidth="1.5"
        />
        {tiers.map((t, k) => (
          <g key={t}>
            <line
              x1={x(k + 1)}
              x2={x(k + 1)}
              y1={230 - half(k + 1)}
              y2={230 + half(k + 1)}
              className={k < 2 ? 'stroke-base-200' : 'stroke-slate'}
              strokeWidth="1"
            />
            <text x={x(k) + 37} y={450} textAnchor="middle" className="fill-quiet text-[13px]">
              {t}
            </text>
          </g>
        ))}
        <line
          x1={x(0) - 8}
          x2={x(0) - 8}
          y1="180"
          y2="280"
          className="stroke-base-content"
          strokeWidth="7"
          strokeLinecap="round"
        />
      </svg>
    </div>
  );
}
