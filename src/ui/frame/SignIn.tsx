import { useEffect, useState, type FormEvent, type ReactNode } from 'react';
import { z } from 'zod';
import { firstStewardForm, signInForm } from '../../dto/forms.ts';
import { Field, FormTrouble, useSchemaForm } from '../parts/form.tsx';
import { send } from './api.ts';

/** Signing in; or, on the first visit of all, making the first steward. */
export default function SignIn({ to, first }: { to: string; first: boolean }) {
  // until the page's script runs, the form would be sent by the browser itself
  const [live, setLive] = useState(false);
  useEffect(() => setLive(true), []);
  const form = useSchemaForm(
    first ? firstStewardForm : signInForm.extend({ code: z.string(), name: z.string() }),
    { code: '', name: '', address: '', password: '' },
    async ({ code, name, address, password }) => {
      if (first) await send('POST', '/api/first-steward', { code, name, address, password });
      await send('POST', '/api/session', { address, password });
      location.assign(to);
    },
  );
  const field = (name: 'code' | 'name' | 'address' | 'password', label: string, more: object) => (
    <Field form={form} name={name} label={label}>
      {(input) => <input {...input} className="input w-full" {...more} {...form.register(name)} />}
    </Field>
  );
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
      {first &&
        field('code', 'Code that the server printed when it started', {
          autoComplete: 'off',
          autoFocus: true,
        })}
      {first && field('name', 'Your name', { autoComplete: 'name' })}
      {field('address', 'E-mail address', { type: 'email', autoComplete: 'username', autoFocus: !first })}
      {field('password', first ? 'Password, at least 12 characters' : 'Password', {
        type: 'password',
        autoComplete: first ? 'new-password' : 'current-password',
      })}
      <FormTrouble form={form} />
      <button className="btn btn-primary" disabled={!live || form.formState.isSubmitting}>
        {first ? 'Create the account and sign in' : 'Sign in'}
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
  submit: (e: FormEvent) => void;
  children: ReactNode;
}) {
  return (
    <main className="grid h-dvh grid-cols-[1.1fr_1fr]">
      <Lamp />
      <form
        className="flex max-w-sm flex-col justify-center gap-4 px-10"
        method="post"
        onSubmit={submit}
        noValidate
      >
        <div>
          <h1 className="text-2xl font-bold">{title}</h1>
          <p className="text-base text-quiet">{about}</p>
        </div>
        {children}
      </form>
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
