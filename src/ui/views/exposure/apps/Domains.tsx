/** Domains to which apps answer: those that anybody can register, and where that is looked up. */
import { useQuery } from '@tanstack/react-query';
import type { AppDomainRow, AppDomainsPage } from '../../../../dto/apps.ts';
import { registryForm } from '../../../../dto/forms.ts';
import { ask, send, withQuery } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { dayWords } from '../../../parts/dates.ts';
import { Dialog } from '../../../parts/Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from '../../../parts/form.tsx';
import { count, plural, Trouble, When } from '../../../parts/marks.tsx';

export function DomainsDialog({ close }: { close: () => void }) {
  const { steward } = useSigned();
  const { data, error, refetch } = useQuery(ask('/api/apps/domains'));
  return (
    <Dialog title="Domains to which apps answer" size="wide" close={close}>
      <div className="space-y-3 overflow-auto p-4">
        <p>
          After sign-in, people are sent back to a host of the app. Where its domain is not registered any
          more, whoever registers it gets what was meant for the app.
        </p>
        {error && <Trouble error={error} retry={() => void refetch()} />}
        {data && (
          <>
            <Known page={data} />
            {steward && <Registry key={data.url} url={data.url ?? ''} />}
          </>
        )}
      </div>
    </Dialog>
  );
}

function Known({ page: { url, domains, known, lookedAt, trouble, ending } }: { page: AppDomainsPage }) {
  if (url === null)
    return (
      <p className="font-medium">
        {plural(domains, 'domain is', 'domains are')} not looked up, because no server is set.
      </p>
    );
  return (
    <>
      <p>
        <b>{count(known)}</b> of {plural(domains, 'domain')} looked up
        {lookedAt && (
          <>
            , last <When at={lookedAt} />
          </>
        )}
        ; once a day each.
      </p>
      {trouble && <p className="text-error">The last time it ended early. {trouble}</p>}
      {ending.length ? (
        <table className="w-full" aria-label="Domains that have ended, or end soon">
          <thead>
            <tr className="border-b border-slate text-left text-xs text-quiet">
              {['Domain', 'Registration', 'Apps'].map((h) => (
                <th key={h} className="py-1 pr-3 font-normal">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {ending.map((r) => (
              <tr key={r.domain} className="border-b border-base-300 align-top">
                <td className="py-1 pr-3 font-mono text-[13px] break-all">{r.domain}</td>
                <td className={`py-1 pr-3 ${r.over ? 'font-bold' : ''}`}>{words(r)}</td>
                <td className="py-1">
                  {r.apps.map((a) => (
                    <a
                      key={a.key}
                      className="block underline decoration-slate"
                      href={withQuery('/exposure/apps', { app: a.key })}
                    >
                      {a.name}
                    </a>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        known > 0 && <p>All of these are registered, for another 30 days and more.</p>
      )}
    </>
  );
}

const words = ({ registered, ends, over }: AppDomainRow): string =>
  !registered ? 'not registered' : `${over ? 'ended' : 'ends'} ${ends ? dayWords(ends) : ''}`;

function Registry({ url }: { url: string }) {
  const refresh = useRefresh();
  const form = useSchemaForm(registryForm, { url }, async (values) => {
    await send('PUT', '/api/apps/domains', values);
    refresh();
  });
  return (
    <form className="flex items-end gap-2 border-t border-slate pt-3" noValidate onSubmit={form.submit}>
      <Field form={form} name="url" label="Server that is asked (RDAP); empty: none" look="flex-1">
        {(input) => (
          <input
            {...input}
            className="input input-sm w-full font-mono"
            placeholder="https://"
            {...form.register('url')}
          />
        )}
      </Field>
      <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
        Save
      </button>
      <FormTrouble form={form} />
    </form>
  );
}
