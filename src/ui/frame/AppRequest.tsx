/** A request for an app, to whoever it was passed on to: from the link in a mail. It says nothing but what it is about. */
import { useEffect, useState } from 'react';
import { sponsorForm, type SponsoredRequest } from '../../dto/approvals.ts';
import { FormTrouble, TextField, useSchemaForm } from '../parts/form.tsx';
import { count, plural, Trouble, When } from '../parts/marks.tsx';
import { send } from './api.ts';

export default function AppRequest() {
  const [link, setLink] = useState('');
  const [request, setRequest] = useState<SponsoredRequest>();
  const [error, setError] = useState<unknown>();
  useEffect(() => {
    const given = location.hash.slice(1);
    setLink(given);
    send('POST', '/api/apps/request-link', { link: given }).then(setRequest, setError);
  }, []);
  return (
    <main className="mx-auto flex min-h-dvh max-w-2xl flex-col gap-4 p-5 text-base">
      <p className="text-quiet">Gate Lantern</p>
      {error !== undefined && <Trouble error={error} />}
      {request && <Request request={request} link={link} told={setRequest} />}
    </main>
  );
}

function Request({
  request: r,
  link,
  told,
}: {
  request: SponsoredRequest;
  link: string;
  told: (r: SponsoredRequest) => void;
}) {
  return (
    <>
      <h1 className="text-xl font-bold">
        May {r.personName} use the app {r.name}?
      </h1>
      <p>
        Asked <When at={r.at} />: “{r.reason}”
      </p>
      <dl className="grid grid-cols-[9rem_1fr] gap-x-4 gap-y-2 border-y border-base-300 py-3">
        <dt className="text-quiet">Published by</dt>
        <dd>
          {r.publisher || 'nobody who is named'}, {r.verified ? 'verified' : 'not verified'}
        </dd>
        <dt className="text-quiet">It could</dt>
        <dd>
          <ul>
            {r.scopes.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </dd>
        {!r.answered && <dt className="text-quiet">So far</dt>}
        <dd hidden={r.answered !== null}>
          {r.now ? (
            <>
              {r.now.everyone
                ? 'It was let in for everyone'
                : `${plural(r.now.people, 'person', 'people')} let it in`}
              . It could read {plural(r.now.files, 'file')}, {count(r.now.heavy)} of them sensitive. Its risk
              is {r.now.severity} ({plural(r.now.points, 'point')}).
            </>
          ) : (
            'Nobody has let it in.'
          )}
        </dd>
        {r.similar.length > 0 && (
          <>
            <dt className="text-quiet">Approved already</dt>
            <dd>{r.similar.join(', ')}</dd>
          </>
        )}
      </dl>
      {r.answered ? (
        <p aria-live="polite">
          <b>{r.answered.approved ? 'It is approved.' : 'It is refused.'}</b> “{r.answered.answer}”{' '}
          <span className="text-quiet">{r.personName} is told. Nothing more is to be done here.</span>
        </p>
      ) : (
        <Answer request={r} link={link} told={told} />
      )}
    </>
  );
}

function Answer({
  request,
  link,
  told,
}: {
  request: SponsoredRequest;
  link: string;
  told: (r: SponsoredRequest) => void;
}) {
  const form = useSchemaForm(
    sponsorForm,
    { link, approved: false, until: null, answer: '' },
    async (values) => told(await send('PUT', '/api/apps/request-link', values)),
  );
  const approved = form.watch('approved');
  return (
    <form className="flex flex-col gap-3" onSubmit={form.submit} noValidate>
      <fieldset className="flex flex-col gap-2">
        <legend className="pb-1 font-bold">Your answer</legend>
        {[false, true].map((yes) => (
          <label
            key={String(yes)}
            className="flex items-center gap-3 rounded border border-slate px-3 py-2.5"
          >
            <input
              type="radio"
              name="approved"
              className="radio radio-sm"
              checked={approved === yes}
              onChange={() => form.setValue('approved', yes)}
            />
            {yes ? 'Yes, for everybody, until a day' : 'No'}
          </label>
        ))}
      </fieldset>
      {approved && (
        <TextField
          form={form}
          name="until"
          type="date"
          label="Until, with that day"
          className="input w-44"
          rules={{ setValueAs: (v: string | null) => v || null }}
        />
      )}
      <TextField form={form} name="answer" label={`What ${request.personName} is told`} />
      <FormTrouble form={form} />
      <button className="btn btn-primary" disabled={form.formState.isSubmitting}>
        Send the answer
      </button>
    </form>
  );
}
