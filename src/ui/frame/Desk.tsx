/** The owner desk: what somebody is asked in rounds, from the link in a message or for whoever is signed in. */
import { Check, Undo2 } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { REVIEW_ANSWERS, reviewOf, type ReviewAnswer } from '../../core/ask/kinds.ts';
import type { Charter } from '../../core/ask/charter.ts';
import type { CharterChoices } from '../../dto/charters.ts';
import type { DeskList, DeskPage, DeskQuestion, DeskThing } from '../../dto/review.ts';
import { ago, dayOf, dayWords, exactly, whenWords } from '../parts/dates.ts';
import { OneOf } from '../parts/OneOf.tsx';
import { plural, Trouble, Weight } from '../parts/marks.tsx';
import { get, send } from './api.ts';

/** So often it is looked whether somebody else has answered, and what has come of answers, in milliseconds. */
const LOOK_AGAIN = 5000;
/** So long after the last choice it is kept. */
const KEEP_AFTER = 700;

interface Chosen {
  what: ReviewAnswer;
  until: string;
  charter?: Partial<Charter>;
  /** Who should be asked instead, or should own it after them, by address. */
  person?: string;
}
type Choices = ReadonlyMap<number, Chosen>;

/** How the desk is asked: with the link, or as whoever is signed in. */
interface Way {
  list(): Promise<DeskList>;
  page(id: number): Promise<DeskPage>;
  put(id: number, choices: Choices, now: boolean): Promise<DeskPage>;
}
const given = (choices: Choices) =>
  [...choices].map(([n, { what, until, charter, person }]) => ({
    n,
    what,
    ...(what === 'until' && { until }),
    ...(what === 'charter' && { charter: charter as Charter }),
    ...(person && { person }),
  }));
const byLink = (link: string): Way => ({
  list: () => send('POST', '/api/desk/link', { link }),
  page: (id) => send('POST', '/api/desk/link/question', { link, id }),
  put: (id, choices, now) => send('PUT', '/api/desk/link', { link, id, given: given(choices), send: now }),
});
const signed: Way = {
  list: () => get('/api/desk'),
  page: (id) => get('/api/desk/[id]', { id }),
  put: (id, choices, now) => send('PUT', '/api/desk/[id]', { id, given: given(choices), send: now }),
};

export default function Desk({ signedIn }: { signedIn: boolean }) {
  const [way, setWay] = useState<Way>();
  const [list, setList] = useState<DeskList>();
  const [at, setAt] = useState<number>();
  const [error, setError] = useState<unknown>();
  useEffect(() => {
    const link = location.hash.slice(1);
    if (!link && !signedIn) return location.assign('/sign-in?to=%2Fdesk');
    const chosen = link ? byLink(link) : signed;
    setWay(chosen);
    chosen.list().then(setList, setError);
  }, [signedIn]);
  const show = (id: number | undefined): void => {
    setAt(id);
    scrollTo(0, 0);
    if (id === undefined) way!.list().then(setList, setError);
  };
  const next = list?.questions.find(
    (q) => q.state === 'open' && !q.declined && q.id !== at && q.answered < q.things,
  );
  return (
    <main className="mx-auto flex min-h-dvh max-w-3xl flex-col gap-4 p-4 text-base sm:p-6">
      <p className="text-quiet">Gate Lantern</p>
      {error !== undefined && <Trouble error={error} />}
      {list && way && at === undefined && <List list={list} open={show} />}
      {way && at !== undefined && (
        <Question key={at} id={at} way={way} next={next} show={show} place={placeOf(list, at)} />
      )}
    </main>
  );
}

const placeOf = (list: DeskList | undefined, id: number): string => {
  const all = list?.questions.filter((q) => q.state === 'open') ?? [];
  const n = all.findIndex((q) => q.id === id);
  return n >= 0 && all.length > 1 ? `Space ${n + 1} of ${all.length}` : '';
};

const words = (q: Pick<DeskQuestion, 'kind'>, n: number): string =>
  plural(n, reviewOf(q.kind).words[0], reviewOf(q.kind).words[1]);

function List({ list, open }: { list: DeskList; open: (id: number) => void }) {
  const waiting = list.questions.filter((q) => q.state === 'open' && !q.declined);
  const over = list.questions.filter((q) => q.state !== 'open' || q.declined);
  const minutes = waiting.reduce((n, q) => n + q.minutes, 0);
  return (
    <>
      <h1 className="text-xl font-bold">
        {waiting.length
          ? `${list.reader ? `${list.reader}, ` : ''}${plural(waiting.length, 'space')} ${waiting.length === 1 ? 'waits' : 'wait'} for you`
          : 'Nothing waits for you'}
      </h1>
      {waiting.length > 0 && (
        <>
          <p>It takes about {plural(minutes, 'minute')}. You can stop at any time: what you chose is kept.</p>
          <button className="btn btn-primary self-start" onClick={() => open(waiting[0]!.id)}>
            Begin with {waiting[0]!.space}
          </button>
        </>
      )}
      <ul aria-label="Spaces">
        {waiting.map((q) => (
          <li key={q.id} className="border-b border-base-300">
            <button className="flex w-full flex-wrap gap-x-3 py-3 text-left" onClick={() => open(q.id)}>
              <b className="min-w-0 break-words">{q.space}</b>
              <span className="text-quiet">{q.workspace}</span>
              <span className="basis-full text-sm">
                {words(q, q.things)}
                {q.answered > 0 && `, ${q.answered} answered`} · until {whenWords(q.until)}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {list.single > 0 && (
        <a className="underline decoration-slate" href="/answer">
          {plural(list.single, 'question')} about one thing {list.single === 1 ? 'waits' : 'wait'} for you too
        </a>
      )}
      {over.length > 0 && (
        <details>
          <summary className="cursor-pointer text-quiet">
            {plural(over.length, 'space')} that {over.length === 1 ? 'is' : 'are'} done or over
          </summary>
          <ul>
            {over.map((q) => (
              <li key={q.id}>
                <button className="py-1.5 text-left underline decoration-slate" onClick={() => open(q.id)}>
                  {q.space}: {q.declined ? 'you said no' : q.state === 'answered' ? 'answered' : 'over'}
                </button>
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function Question({
  id,
  way,
  next,
  show,
  place,
}: {
  id: number;
  way: Way;
  next: DeskQuestion | undefined;
  show: (id: number | undefined) => void;
  place: string;
}) {
  const [page, setPage] = useState<DeskPage>();
  const [choices, setChoices] = useState<Choices>(new Map());
  const [past, setPast] = useState<Choices[]>([]);
  const [error, setError] = useState<unknown>();
  const [sending, setSending] = useState(false);
  const [sent, setSent] = useState(0);
  const dirty = useRef(false);
  useEffect(() => {
    way.page(id).then((p) => {
      setPage(p);
      setChoices(
        new Map(
          p.list.flatMap((t, n) =>
            t.draft
              ? [
                  [
                    n,
                    {
                      what: t.draft.what,
                      until: t.draft.until ?? '',
                      ...(t.draft.charter && { charter: t.draft.charter }),
                      ...(t.draft.person && { person: t.draft.person }),
                    },
                  ],
                ]
              : [],
          ),
        ),
      );
    }, setError);
  }, [id, way]);
  useEffect(() => {
    const timer = setInterval(() => void way.page(id).then(setPage, () => undefined), LOOK_AGAIN);
    return () => clearInterval(timer);
  }, [id, way]);
  useEffect(() => {
    if (!dirty.current) return;
    const timer = setTimeout(() => {
      dirty.current = false;
      way.put(id, whole(choices), false).catch(setError);
    }, KEEP_AFTER);
    return () => clearTimeout(timer);
  }, [choices, id, way]);
  if (!page) return error === undefined ? null : <Trouble error={error} />;
  const review = reviewOf(page.kind);
  const itself = review.of === 'space';
  const open = page.declined ? [] : page.list.flatMap((t, n) => (t.answer ? [] : n));
  const ready = [...whole(choices)].filter(([n]) => !page.list[n]?.answer);
  const choose = (numbers: readonly number[], pick: (n: number) => Chosen | undefined): void => {
    dirty.current = true;
    setPast([...past, choices]);
    const later = new Map(choices);
    for (const n of numbers) {
      const one = pick(n);
      if (one) later.set(n, one);
      else later.delete(n);
    }
    setChoices(later);
  };
  const give = (): void => {
    setSending(true);
    setError(undefined);
    way
      .put(id, new Map(ready), true)
      .then((p) => {
        setPage(p);
        setChoices(new Map());
        setPast([]);
        setSent(sent + ready.length);
        scrollTo(0, 0);
      }, setError)
      .finally(() => setSending(false));
  };
  return (
    <>
      <nav className="flex items-center gap-3 text-sm">
        <button className="underline decoration-slate" onClick={() => show(undefined)}>
          All spaces
        </button>
        <span className="text-quiet">{place}</span>
      </nav>
      <h1 className="text-xl font-bold">{page.space}</h1>
      <p>
        <b>{review.asks}</b>{' '}
        {page.others.length > 0 && (
          <span className="text-quiet">
            {page.others.join(', ')} {page.others.length === 1 ? 'is' : 'are'} asked too: whoever answers
            first decides.
          </span>
        )}
      </p>
      {page.note && <p className="border-l-2 border-slate pl-3">{page.note}</p>}
      {error !== undefined && <Trouble error={error} />}
      {sent > 0 && (
        <section aria-live="polite" className="flex flex-col gap-2 rounded border border-slate p-3">
          <b>
            <Check size={16} aria-hidden className="mr-1.5 inline" />
            {page.declined ? 'Thank you: somebody else is asked.' : `${plural(sent, 'answer')} sent.`}
          </b>
          <p>
            {page.effect ??
              (page.list.some((t) => t.answer && t.answer.what !== 'keep')
                ? 'It is being done. This page says when it is.'
                : !page.declined && 'Everything stays as it is.')}
          </p>
          {open.length === 0 &&
            (next ? (
              <button className="btn btn-primary self-start" onClick={() => show(next.id)}>
                Go on with {next.space}
              </button>
            ) : (
              <p>Thank you. Nothing more waits for you here.</p>
            ))}
        </section>
      )}
      {!itself && open.length > 0 && page.state === 'open' && (
        <div role="group" aria-label="All at once" className="flex flex-wrap items-center gap-2">
          <span className="text-sm text-quiet">All {open.length}:</span>
          {review.answers
            .filter((a) => a !== 'until')
            .map((a) => (
              <button
                key={a}
                className="btn btn-sm"
                onClick={() => choose(open, () => ({ what: a, until: '' }))}
              >
                {REVIEW_ANSWERS[a]}
              </button>
            ))}
          <button
            className="btn btn-sm"
            disabled={!open.some((n) => (page.list[n]!.recommended?.what ?? 'until') !== 'until')}
            onClick={() =>
              choose(open, (n) => {
                const r = page.list[n]!.recommended;
                return r && r.what !== 'until' ? { what: r.what, until: '' } : choices.get(n);
              })
            }
          >
            As recommended
          </button>
          <button
            className="btn btn-sm btn-ghost"
            disabled={!past.length}
            onClick={() => {
              dirty.current = true;
              setChoices(past.at(-1)!);
              setPast(past.slice(0, -1));
            }}
          >
            <Undo2 size={15} aria-hidden />
            Undo
          </button>
        </div>
      )}
      <ul className="flex flex-col gap-3" aria-label={review.words[1]}>
        {page.list.map((t, n) => (
          <li key={t.key} className="rounded border border-base-300 p-3">
            <Thing t={t} of={review.of} />
            {t.answer ? (
              <p className="mt-2 text-sm">
                <b>
                  {t.answer.by === 'you' ? 'You' : t.answer.by || 'Nobody in time'}: {answerWords(t.answer)}
                </b>{' '}
                <span className="text-quiet" title={exactly(t.answer.at)}>
                  {ago(t.answer.at)}
                </span>
              </p>
            ) : page.state === 'open' && !page.declined ? (
              <Choice
                charters={page.charters}
                name={`thing-${n}`}
                of={t.name}
                answers={review.answers}
                itself={itself}
                chosen={choices.get(n)}
                choose={(one) => choose([n], () => one)}
              />
            ) : (
              <p className="mt-2 text-sm text-quiet">Not answered.</p>
            )}
          </li>
        ))}
      </ul>
      {page.state === 'open' && open.length > 0 && (
        <div className="sticky bottom-0 -mx-4 flex flex-wrap items-center gap-3 border-t border-slate bg-base-100 px-4 py-3">
          <button className="btn btn-primary" disabled={!ready.length || sending} onClick={give}>
            {ready.length
              ? itself
                ? 'Send the answer'
                : `Send ${plural(ready.length, 'answer')}`
              : 'Choose an answer to send'}
          </button>
          <span className="text-sm text-quiet">
            {!itself && `${open.length - ready.length} of ${open.length} left · `}until{' '}
            {whenWords(page.until)}
          </span>
        </div>
      )}
      {page.state === 'over' && (
        <p>
          <b>The time to answer is over.</b> If something is wrong, ask the stewards of your workspaces.
        </p>
      )}
    </>
  );
}

/** Choices that can be sent: those until a day have one, and charters are whole. */
const whole = (choices: Choices): Choices =>
  new Map(
    [...choices].filter(([, c]) =>
      c.what === 'until' ? c.until : c.what !== 'charter' || (c.charter?.purpose && c.charter.sensitivity),
    ),
  );

const answerWords = ({ what, until }: { what: ReviewAnswer; until: string | null }): string =>
  what === 'until' && until ? `keep until ${dayWords(until)}` : REVIEW_ANSWERS[what].toLowerCase();

function Thing({ t, of }: { t: DeskThing; of: 'people' | 'shares' | 'space' }) {
  const people = of === 'people';
  const last = t.last ? ago(t.last) : '';
  const facts = [
    t.of,
    t.since &&
      `${people ? 'let in' : 'made'} ${dayWords(t.since)}${t.by && of !== 'space' ? ` by ${t.by}` : ''}`,
    of === 'space'
      ? t.last
        ? `last activity ${last}${t.by ? `: ${t.by}` : ''}`
        : 'no activity is known'
      : t.last
        ? `${people ? 'last seen here' : 'last used'} ${last}`
        : people
          ? 'never seen here'
          : 'no use of it is known',
    t.ends && `ends ${dayWords(t.ends)}`,
  ].filter(Boolean);
  return (
    <>
      <div className="flex items-start gap-3">
        {!people && <Weight weight={t.weight} />}
        <span className="min-w-0 break-words">
          {of !== 'space' && <b>{t.name}</b>} <span className="text-quiet">{t.detail}</span>
        </span>
      </div>
      <p className="text-sm">{facts.join(' · ')}</p>
      {of !== 'shares' && t.heavy > 0 && (
        <p className="text-sm">
          {people ? 'Can open' : 'Holds'} {plural(t.heavy, 'sensitive file')}
          {t.holds.length > 0 && `: ${t.holds.join(', ')}`}
          {people && t.heavy > t.holds.length && ' …'}
        </p>
      )}
      {of === 'shares' && t.holds.length > 0 && <p className="text-sm">Holds {t.holds.join(', ')}</p>}
      {t.why && <p className="text-sm">You are asked because you are known here: {t.why}.</p>}
      {t.recommended && !t.answer && (
        <p className="text-sm">
          <b>
            We would{' '}
            {t.recommended.what === 'until'
              ? 'keep it until a day'
              : `${t.recommended.what}${of === 'space' ? ' it' : ''}`}
            :
          </b>{' '}
          {t.recommended.why}
        </p>
      )}
    </>
  );
}

function Choice({
  name,
  of,
  answers,
  itself,
  charters,
  chosen,
  choose,
}: {
  name: string;
  of: string;
  answers: readonly ReviewAnswer[];
  /** The space itself is asked about. */
  itself: boolean;
  charters: CharterChoices | undefined;
  chosen: Chosen | undefined;
  choose: (one: Chosen) => void;
}) {
  if (charters) {
    const set = (more: Partial<Charter>): void =>
      choose({ ...chosen, what: 'charter', until: '', charter: { ...chosen?.charter, ...more } });
    return (
      <div className="mt-3 flex flex-col gap-3">
        <OneOf
          label="What is it for?"
          of={charters.purposes}
          chosen={chosen?.charter?.purpose}
          choose={(purpose) => set({ purpose })}
        />
        <OneOf
          label="How sensitive is what is in it?"
          of={charters.sensitivities}
          chosen={chosen?.charter?.sensitivity}
          choose={(sensitivity) => set({ sensitivity })}
        />
        {chosen && <Named chosen={chosen} choose={choose} asks={AFTER_YOU} />}
      </div>
    );
  }
  return (
    <fieldset className="mt-2 flex flex-wrap items-center gap-2">
      <legend className="sr-only">What should become of {of}?</legend>
      {answers.map((a) => (
        <label
          key={a}
          className={`flex cursor-pointer items-center gap-2 rounded border px-3 py-2 ${chosen?.what === a ? 'border-primary font-bold' : 'border-slate'}`}
        >
          <input
            type="radio"
            name={name}
            className="radio radio-sm"
            checked={chosen?.what === a}
            onChange={() => choose({ what: a, until: chosen?.until ?? '' })}
          />
          {REVIEW_ANSWERS[a]}
        </label>
      ))}
      {chosen?.what === 'until' && (
        <input
          type="date"
          className="input w-44"
          aria-label={`Keep ${of} until and including`}
          min={dayOf(new Date())}
          value={chosen.until}
          onChange={(e) => choose({ ...chosen, until: e.target.value })}
        />
      )}
      {chosen?.what === 'decline' && (
        <Named chosen={chosen} choose={choose} asks="Who should be asked instead, if you know" />
      )}
      {itself && (chosen?.what === 'keep' || chosen?.what === 'until') && (
        <Named chosen={chosen} choose={choose} asks={AFTER_YOU} />
      )}
    </fieldset>
  );
}

const AFTER_YOU = 'Who should own it if you ever leave, if you like to say';
/** Somebody whom whoever answers names, by address. */
function Named({ asks, chosen, choose }: { asks: string; chosen: Chosen; choose: (one: Chosen) => void }) {
  return (
    <label className="flex basis-full flex-wrap items-center gap-2 text-sm">
      {asks}
      <input
        type="email"
        className="input w-64"
        placeholder="name@…"
        value={chosen.person ?? ''}
        onChange={(e) => choose({ ...chosen, person: e.target.value })}
      />
    </label>
  );
}
