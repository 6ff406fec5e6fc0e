/** A question to somebody: from the link in a message, or for whoever is signed in. It says nothing but what it is about. */
import { useEffect, useState } from 'react';
import { ANSWERS, type AnswerName } from '../../core/orders/schema.ts';
import type { QuestionPage, QuestionRow } from '../../dto/orders.ts';
import { whenWords } from '../parts/dates.ts';
import { Trouble, Weight } from '../parts/marks.tsx';
import { get, send } from './api.ts';

export default function Answer({ signedIn }: { signedIn: boolean }) {
  const [link, setLink] = useState<string>();
  const [id, setId] = useState<number>();
  const [page, setPage] = useState<QuestionPage>();
  const [list, setList] = useState<QuestionRow[]>();
  const [error, setError] = useState<unknown>();
  useEffect(() => {
    const given = location.hash.slice(1);
    setLink(given);
    const q = Number(new URLSearchParams(location.search).get('q'));
    if (given) send('POST', '/api/answers/link', { link: given }).then(setPage, setError);
    else if (signedIn && q) {
      setId(q);
      get('/api/answers/[id]', { id: q }).then(setPage, setError);
    } else if (signedIn) get('/api/answers').then(setList, setError);
    else location.assign('/sign-in?to=%2Fanswer');
  }, [signedIn]);
  return (
    <main className="mx-auto flex min-h-dvh max-w-2xl flex-col gap-4 p-5 text-base">
      <p className="text-quiet">Gate Lantern</p>
      {error !== undefined && <Trouble error={error} />}
      {list && <List list={list} />}
      {page && (
        <Question
          page={page}
          give={async (given) => {
            setPage(
              link
                ? await send('PUT', '/api/answers/link', { link, ...given })
                : await send('PUT', '/api/answers/[id]', { id: id!, ...given }),
            );
          }}
          again={async () => {
            setPage(
              link
                ? await send('POST', '/api/answers/link', { link })
                : await get('/api/answers/[id]', { id: id! }),
            );
          }}
        />
      )}
    </main>
  );
}

function List({ list }: { list: readonly QuestionRow[] }) {
  const open = list.filter((q) => q.state === 'open');
  return (
    <>
      <h1 className="text-xl font-bold">
        {open.length === 0
          ? 'Nothing waits for an answer'
          : open.length === 1
            ? 'One question waits for you'
            : `${open.length} questions wait for you`}
      </h1>
      <ul>
        {list.map((q) => (
          <li key={q.id} className="border-b border-base-300 py-2">
            <a className="underline decoration-slate" href={`/answer?q=${q.id}`}>
              {q.subject}
            </a>
            <span className="block text-sm text-quiet">
              {q.state === 'open'
                ? `until ${whenWords(q.until)}`
                : q.state === 'answered'
                  ? 'answered'
                  : 'over'}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

interface Given {
  what: AnswerName;
  reason?: string;
  words?: string;
  until?: string;
}

function Question({
  page,
  give,
  again,
}: {
  page: QuestionPage;
  give: (given: Given) => Promise<void>;
  again: () => Promise<void>;
}) {
  const [what, setWhat] = useState<AnswerName>();
  const [reason, setReason] = useState('');
  const [words, setWords] = useState('');
  const [until, setUntil] = useState('');
  const [error, setError] = useState<unknown>();
  const [sending, setSending] = useState(false);
  const changes = page.answer && ['undo', 'remove', 'until'].includes(page.answer.what);
  useEffect(() => {
    if (!changes || page.effect) return;
    const timer = setInterval(() => void again().catch(() => undefined), 2000);
    return () => clearInterval(timer);
  });
  return (
    <>
      <h1 className="text-xl font-bold">{page.subject}</h1>
      <p className="whitespace-pre-wrap break-words">{page.body}</p>
      {page.things.length > 0 && (
        <ul aria-label="What it is about" className="border-y border-base-300 py-1">
          {page.things.map((t, n) => (
            <li key={n} className="flex items-start gap-3 py-1">
              <Weight weight={t.weight} />
              <span className="min-w-0 break-words">
                <b>{t.name}</b> <span className="text-quiet">{t.path}</span>
                {t.types.length > 0 && <span className="block text-sm">Holds {t.types.join(', ')}</span>}
              </span>
            </li>
          ))}
        </ul>
      )}
      {page.state === 'open' ? (
        <form
          className="flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            if (!what) return;
            setSending(true);
            setError(undefined);
            give({ what, reason, words, ...(what === 'until' && { until }) })
              .catch(setError)
              .finally(() => setSending(false));
          }}
        >
          <fieldset className="flex flex-col gap-2">
            <legend className="pb-1 font-bold">Your answer</legend>
            {page.answers.map((a) => (
              <label key={a} className="flex items-center gap-3 rounded border border-slate px-3 py-2.5">
                <input
                  type="radio"
                  name="what"
                  className="radio radio-sm"
                  checked={what === a}
                  onChange={() => setWhat(a)}
                />
                {ANSWERS[a]}
              </label>
            ))}
          </fieldset>
          {what === 'reason' && page.reasons.length > 0 && (
            <label className="flex flex-col gap-1">
              Reason
              <select className="select w-full" value={reason} onChange={(e) => setReason(e.target.value)}>
                <option value="">another one, in my words</option>
                {page.reasons.map((r) => (
                  <option key={r}>{r}</option>
                ))}
              </select>
            </label>
          )}
          {what === 'until' && (
            <label className="flex flex-col gap-1">
              Until and including
              <input
                type="date"
                className="input w-56"
                value={until}
                onChange={(e) => setUntil(e.target.value)}
              />
            </label>
          )}
          {what && (
            <label className="flex flex-col gap-1">
              {what === 'reason' && !reason ? 'Your reason' : 'Something to add'}
              <textarea
                className="textarea w-full"
                rows={3}
                maxLength={2000}
                value={words}
                onChange={(e) => setWords(e.target.value)}
              />
            </label>
          )}
          {error !== undefined && <Trouble error={error} />}
          <button className="btn btn-primary" disabled={!what || sending}>
            Send the answer
          </button>
          <p className="text-sm text-quiet">You can answer until {whenWords(page.until)}.</p>
        </form>
      ) : page.answer ? (
        <section aria-live="polite" className="flex flex-col gap-2">
          <p>
            <b>
              {page.answer.by === 'you' ? 'You have answered' : `${page.answer.by} has answered`}:{' '}
              {ANSWERS[page.answer.what].toLowerCase()}.
            </b>{' '}
            {[page.answer.reason, page.answer.words].filter(Boolean).join(': ')}
          </p>
          {changes && <p>{page.effect ?? 'It is being done. This page says when it is.'}</p>}
          <p className="text-quiet">Thank you. Nothing more is to be done here.</p>
        </section>
      ) : (
        <p>
          <b>The time to answer is over.</b> If something is wrong now, ask the stewards of your workspaces.
        </p>
      )}
    </>
  );
}
