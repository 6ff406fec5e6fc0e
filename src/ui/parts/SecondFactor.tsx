/** One's own second factor: what there is, setting one up, and taking one away. */
import { startRegistration } from '@simplewebauthn/browser';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { KeyRound, Smartphone } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import type { z } from 'zod';
import { codeForm, passkeyNameForm, proofForm } from '../../dto/forms.ts';
import type { passkeyMade } from '../../dto/inputs.ts';
import { ask, send } from '../frame/api.ts';
import { Dialog, DialogEnd } from './Dialog.tsx';
import { FormTrouble, TextField, useSchemaForm } from './form.tsx';
import { plural, Trouble, When } from './marks.tsx';
import { passkeyWords } from './passkey.ts';

type Code = { seed: string; path: string; size: number };
/** Which dialog is open. */
type Open =
  | { act: 'code' | 'passkey' | 'recovery' }
  | { act: 'remove'; passkey?: number; name: string }
  | { act: 'show'; codes: string[] };

export function SecondFactor({ done }: { done?: () => void }) {
  const queries = useQueryClient();
  const { data, error } = useQuery(ask('/api/accounts/second'));
  const [open, setOpen] = useState<Open>();
  const close = () => {
    setOpen(undefined);
    void queries.invalidateQueries();
  };
  const ended = (codes: string[] | null | undefined) => {
    void queries.invalidateQueries();
    if (codes) setOpen({ act: 'show', codes });
    else {
      setOpen(undefined);
      done?.();
    }
  };
  if (error) return <Trouble error={error} />;
  if (!data) return null;
  if (!data.hasPassword)
    return <p className="text-quiet">You sign in through your organisation; your second factor is there.</p>;
  const none = !data.code && !data.passkeys.length;
  return (
    <div>
      <ul>
        {data.code && (
          <Kept
            icon={<Smartphone size={15} aria-hidden />}
            name="Authenticator app"
            remove={() => setOpen({ act: 'remove', name: 'Authenticator app' })}
          />
        )}
        {data.passkeys.map((p) => (
          <Kept
            key={p.id}
            icon={<KeyRound size={15} aria-hidden />}
            name={p.name}
            about={
              p.usedAt ? (
                <>
                  passkey, last used <When at={p.usedAt} />
                </>
              ) : (
                'passkey, not used yet'
              )
            }
            remove={() => setOpen({ act: 'remove', passkey: p.id, name: p.name })}
          />
        ))}
      </ul>
      {none && (
        <p className="text-quiet">
          {data.demanded
            ? 'Your role signs in with one.'
            : 'Your password alone opens your account. Add something that you have.'}
        </p>
      )}
      <div className="mt-2 flex flex-wrap gap-2">
        {!data.code && (
          <button className="btn btn-sm" onClick={() => setOpen({ act: 'code' })}>
            <Smartphone size={14} aria-hidden /> Add an authenticator app
          </button>
        )}
        <button className="btn btn-sm" onClick={() => setOpen({ act: 'passkey' })}>
          <KeyRound size={14} aria-hidden /> Add a passkey
        </button>
      </div>
      {!none && (
        <p className="mt-2 text-xs text-quiet">
          {plural(data.recoveryLeft, 'recovery code')} left.{' '}
          <button className="link" onClick={() => setOpen({ act: 'recovery' })}>
            Make new ones
          </button>
        </p>
      )}
      {open?.act === 'code' && <AddCode close={close} ended={ended} />}
      {open?.act === 'passkey' && <AddPasskey close={close} ended={ended} />}
      {open?.act === 'recovery' && (
        <Dialog title="New recovery codes" close={close}>
          <Prove
            about="Those that you have now will not work any more."
            submit="Make them"
            close={close}
            proven={async (password) =>
              ended((await send('POST', '/api/accounts/second', { act: 'recovery', password })).recovery)
            }
          />
        </Dialog>
      )}
      {open?.act === 'remove' && (
        <Dialog title={`Remove “${open.name}”`} close={close}>
          <Prove
            about="It will not sign you in any more."
            submit="Remove"
            close={close}
            proven={async (password) => {
              await send('DELETE', '/api/accounts/second', { password, passkey: open.passkey });
              close();
            }}
          />
        </Dialog>
      )}
      {open?.act === 'show' && (
        <RecoveryCodes
          codes={open.codes}
          close={() => {
            close();
            done?.();
          }}
        />
      )}
    </div>
  );
}

function Kept({
  icon,
  name,
  about,
  remove,
}: {
  icon: ReactNode;
  name: string;
  about?: ReactNode;
  remove: () => void;
}) {
  return (
    <li className="flex items-center gap-2 border-b border-base-300 py-1.5 leading-tight">
      {icon}
      <span className="min-w-0 flex-1">
        {name}
        {about && <span className="block text-xs text-quiet">{about}</span>}
      </span>
      <button className="btn btn-xs btn-ghost" aria-label={`Remove ${name}`} onClick={remove}>
        Remove
      </button>
    </li>
  );
}

/** One's password again. */
function Prove({
  about,
  submit,
  close,
  proven,
}: {
  about: string;
  submit: string;
  close: () => void;
  proven: (password: string) => Promise<void>;
}) {
  const form = useSchemaForm(proofForm, { password: '' }, ({ password }) => proven(password));
  return (
    <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
      <p>{about}</p>
      <TextField
        form={form}
        name="password"
        label="Your password"
        type="password"

        autoComplete="current-password"
        autoFocus
      />
      <FormTrouble form={form} />
      <DialogEnd close={close}>
        <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
          {submit}
        </button>
      </DialogEnd>
    </form>
  );
}

interface Adding {
  close: () => void;
  ended: (codes: string[] | null) => void;
}

function AddCode({ close, ended }: Adding) {
  const [code, setCode] = useState<Code>();
  const form = useSchemaForm(codeForm, { code: '' }, async (values) =>
    ended((await send('PUT', '/api/accounts/second', values)).recovery),
  );
  return (
    <Dialog title="Add an authenticator app" close={close}>
      {!code && (
        <Prove
          about="First your password, so that nobody else adds theirs."
          submit="Go on"
          close={close}
          proven={async (password) =>
            setCode((await send('POST', '/api/accounts/second', { act: 'code', password })).code)
          }
        />
      )}
      {code && (
        <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
          <p>Scan this with the app, or type the key into it. Then give the code that it shows.</p>
          <div className="flex items-center gap-4">
            <svg
              viewBox={`-4 -4 ${code.size + 8} ${code.size + 8}`}
              className="w-44 shrink-0 bg-white"
              shapeRendering="crispEdges"
              role="img"
              aria-label="The key as a QR code"
            >
              <path d={code.path} fill="black" />
            </svg>
            <code className="min-w-0 flex-1 break-all text-xs" aria-label="The key">
              {code.seed.replace(/(.{4})/g, '$1 ')}
            </code>
          </div>
          <TextField
            form={form}
            name="code"
            label="Code of six digits"
            className="input w-40 tabular-nums"
            inputMode="numeric"
            autoComplete="one-time-code"
            autoFocus
          />
          <FormTrouble form={form} />
          <DialogEnd close={close}>
            <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
              Add it
            </button>
          </DialogEnd>
        </form>
      )}
    </Dialog>
  );
}

function AddPasskey({ close, ended }: Adding) {
  type Options = Parameters<typeof startRegistration>[0]['optionsJSON'];
  const [options, setOptions] = useState<Options>();
  const form = useSchemaForm(passkeyNameForm, { name: '' }, async ({ name }) => {
    const made = await startRegistration({ optionsJSON: options! }).catch((e: Error) => {
      const words = passkeyWords(e);
      throw typeof words === 'string' ? new Error(words) : words;
    });
    const passkey = made as z.input<typeof passkeyMade>;
    ended((await send('PUT', '/api/accounts/second', { name, passkey })).recovery);
  });
  return (
    <Dialog title="Add a passkey" close={close}>
      {!options && (
        <Prove
          about="First your password, so that nobody else adds theirs."
          submit="Go on"
          close={close}
          proven={async (password) =>
            setOptions((await send('POST', '/api/accounts/second', { act: 'passkey', password })).passkey)
          }
        />
      )}
      {options && (
        <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
          <TextField form={form} name="name" label="Name, such as of the device that holds it" autoFocus />
          <FormTrouble form={form} />
          <DialogEnd close={close}>
            <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
              Make the passkey
            </button>
          </DialogEnd>
        </form>
      )}
    </Dialog>
  );
}

function RecoveryCodes({ codes, close }: { codes: string[]; close: () => void }) {
  const copy = useMutation({ mutationFn: () => navigator.clipboard.writeText(codes.join('\n')) });
  return (
    <Dialog title="Your recovery codes" close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>
          Each of these signs you in once, when you have lost everything else. They are shown only now: keep
          them where your password is not.
        </p>
        <ul className="grid grid-cols-2 gap-x-6 gap-y-1 font-mono" aria-label="Recovery codes">
          {codes.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ul>
        {copy.error && <Trouble error="The browser did not let them be copied: copy them from here." />}
        <DialogEnd leave={copy.isSuccess ? 'Copied' : 'Copy'} close={() => copy.mutate()}>
          <button className="btn btn-sm btn-primary" onClick={close}>
            I have kept them
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}
