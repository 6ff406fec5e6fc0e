/** One round: how far it is, by space, owner and department, what can be done about what is open, and what came of it. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { z } from 'zod';
import { REVIEWS } from '../../../../core/ask/kinds.ts';
import type { RoundPage, RoundQuestion } from '../../../../dto/review.ts';
import type { roundAct } from '../../../../dto/review-forms.ts';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import type { ViewProps } from '../../../frame/url.ts';
import { Back, Choose } from '../../../parts/Choose.tsx';
import { ExportMenu } from '../../../parts/ExportMenu.tsx';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { count, plural, State, Trouble, When } from '../../../parts/marks.tsx';
import type { Column } from '../../../parts/table/column.ts';
import { Table } from '../../../parts/table/Table.tsx';

type Act = z.input<typeof roundAct>;
const STATES = {
  planned: ['later', 'planned'],
  open: ['waiting', 'open'],
  answered: ['done', 'answered'],
  over: ['trouble', 'not answered'],
  withdrawn: ['back', 'withdrawn'],
} as const;

const progress = (of: { answered: number; things: number }): string =>
  `${count(of.answered)} of ${count(of.things)}`;

const SPACES: Column<RoundQuestion>[] = [
  {
    key: 'space',
    name: 'Space',
    width: 'minmax(200px, 1.4fr)',
    value: (q) => q.space,
    cell: (q) => (
      <span className="truncate" title={`${q.space}, ${q.workspace}`}>
        <b>{q.space}</b> <span className="text-quiet">{q.workspace}</span>
      </span>
    ),
  },
  {
    key: 'state',
    name: 'State',
    width: '132px',
    value: (q) => q.state,
    cell: (q) => <State icon={STATES[q.state][0]}>{STATES[q.state][1]}</State>,
  },
  {
    key: 'asked',
    name: 'Asked',
    width: 'minmax(160px, 1fr)',
    value: (q) => q.asked.join(', '),
    cell: (q) => (
      <span className="truncate" title={q.asked.join(', ')}>
        {q.asked.join(', ') || (q.state === 'planned' ? <span className="text-quiet">not yet</span> : '')}
      </span>
    ),
  },
  {
    key: 'answered',
    name: 'Answered',
    width: '96px',
    right: true,
    value: (q) => q.answered / Math.max(1, q.things),
    cell: progress,
  },
  {
    key: 'removed',
    name: 'To change',
    width: '88px',
    right: true,
    value: (q) => q.removed,
    cell: (q) => count(q.removed),
  },
  {
    key: 'by',
    name: 'Answered by',
    width: 'minmax(120px, 0.8fr)',
    value: (q) => q.answeredBy.join(', '),
    cell: (q) => (
      <span className="truncate" title={q.answeredBy.join(', ')}>
        {q.answeredBy.join(', ')}
      </span>
    ),
  },
  {
    key: 'reminded',
    name: 'Reminded',
    width: '82px',
    right: true,
    value: (q) => q.reminded,
    cell: (q) => count(q.reminded),
  },
  {
    key: 'at',
    name: 'When',
    width: '150px',
    value: (q) => q.at,
    cell: (q) => (
      <span>
        {q.state === 'planned' ? 'from ' : 'until '}
        <When at={q.at} />
      </span>
    ),
  },
];
const OWNERS: Column<RoundPage['owners'][number]>[] = [
  {
    key: 'name',
    name: 'Person',
    width: 'minmax(220px, 1.4fr)',
    value: (o) => o.name,
    cell: (o) => (
      <span className="truncate" title={o.address}>
        <b>{o.name}</b> <span className="text-quiet">{o.address}</span>
      </span>
    ),
  },
  {
    key: 'open',
    name: 'Open spaces',
    width: '110px',
    right: true,
    value: (o) => o.open,
    cell: (o) => count(o.open),
  },
  {
    key: 'spaces',
    name: 'Spaces',
    width: '90px',
    right: true,
    value: (o) => o.spaces,
    cell: (o) => count(o.spaces),
  },
  {
    key: 'answered',
    name: 'Answered',
    width: '96px',
    right: true,
    value: (o) => o.answered / Math.max(1, o.things),
    cell: progress,
  },
];
const DEPARTMENTS: Column<RoundPage['departments'][number]>[] = [
  {
    key: 'name',
    name: 'Department',
    width: 'minmax(220px, 1.4fr)',
    value: (d) => d.name,
    cell: (d) => <b>{d.name}</b>,
  },
  {
    key: 'spaces',
    name: 'Spaces done',
    width: '130px',
    right: true,
    value: (d) => d.done,
    cell: (d) => `${count(d.done)} of ${count(d.spaces)}`,
  },
  {
    key: 'answered',
    name: 'Answered',
    width: '96px',
    right: true,
    value: (d) => d.answered / Math.max(1, d.things),
    cell: progress,
  },
];
const PLANS: Column<RoundPage['plans'][number]>[] = [
  {
    key: 'name',
    name: 'Plan',
    width: 'minmax(260px, 1.4fr)',
    value: (p) => p.name,
    cell: (p) => (
      <a className="truncate underline decoration-slate" href={`/remedy/plans?plan=${p.id}`}>
        {p.name}
      </a>
    ),
  },
  { key: 'state', name: 'State', width: '150px', value: (p) => p.state, cell: (p) => p.state },
  {
    key: 'changes',
    name: 'Changes',
    width: '100px',
    right: true,
    value: (p) => p.changes,
    cell: (p) => count(p.changes),
  },
  { key: 'at', name: 'Made', width: '140px', value: (p) => p.at, cell: (p) => <When at={p.at} /> },
];

const LISTS = [
  ['spaces', 'By space'],
  ['owners', 'By owner'],
  ['departments', 'By department'],
  ['plans', 'What came of it'],
] as const;

export function One({ id, params, set }: ViewProps & { id: number }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const { data, error, refetch } = useQuery(ask('/api/rounds/[id]', { id }));
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const [asking, setAsking] = useState<'extend' | 'reassign' | 'answer' | 'end'>();
  const act = useMutation({
    mutationFn: (does: Act) => send('POST', '/api/rounds/[id]', { id, does }),
    onSuccess: () => {
      setMarked(new Set());
      setAsking(undefined);
      refresh();
    },
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const list = LISTS.find(([k]) => k === params.get('list'))?.[0] ?? 'spaces';
  const questions = [...marked];
  const open = data.questions.filter((q) => q.state === 'open').length;
  const some = questions.length ? plural(questions.length, 'space') : `all ${count(open)} that are open`;
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label={data.round.name}>
      <div className="flex items-center gap-3 pb-1">
        <Back to="All rounds" go={() => set({ round: undefined, list: undefined }, 'push')} />
        <h1 className="min-w-0 truncate text-base font-bold">{data.round.name}</h1>
        <span className="text-quiet">{REVIEWS[data.round.kind].name}</span>
        <span className="flex-1" />
        <Choose label="Shown" width="w-44" value={list} of={LISTS} choose={(l) => set({ list: l })} />
        <ExportMenu table="answers" query={{ round: id }} />
        <a className="btn btn-sm" href={`/api/rounds/certificate?id=${id}`} download>
          Signed certificate
        </a>
        {steward && data.state === 'running' && (
          <button className="btn btn-sm" onClick={() => setAsking('end')}>
            End the round …
          </button>
        )}
      </div>
      <p className="pb-2">
        <b className="text-lg">
          {count(data.answered)} of {count(data.things)}
        </b>{' '}
        answered in {count(data.done)} of {plural(data.spaces, 'space')}; {count(data.removed)} to change
        something.{' '}
        <span className="text-quiet">
          Begun <When at={data.madeAt} /> by {data.madeBy}
          {data.state === 'running' ? (
            <>
              , until <When at={data.until} />
            </>
          ) : data.state === 'over' ? (
            ', all over'
          ) : (
            ', ended early'
          )}
          .
        </span>
      </p>
      {steward && data.state !== 'ended' && list === 'spaces' && (
        <div role="group" aria-label="What to do" className="flex items-center gap-2 pb-2">
          <span className="text-quiet">For {some}:</span>
          <button
            className="btn btn-xs"
            disabled={act.isPending || !open}
            onClick={() => act.mutate({ act: 'remind', questions })}
          >
            Remind
          </button>
          <button className="btn btn-xs" disabled={!open} onClick={() => setAsking('extend')}>
            Give more time …
          </button>
          <button className="btn btn-xs" disabled={!questions.length} onClick={() => setAsking('reassign')}>
            Ask somebody else …
          </button>
          <button className="btn btn-xs" disabled={!questions.length} onClick={() => setAsking('answer')}>
            Answer for them …
          </button>
          {!questions.length && <span className="text-xs text-quiet">Tick spaces to choose some.</span>}
        </div>
      )}
      {act.error && <Trouble error={act.error} />}
      {list === 'spaces' ? (
        <Table
          label="Spaces"
          columns={SPACES}
          rows={data.questions}
          rowKey={(q) => q.id}
          marked={marked}
          onMark={(keys, on) =>
            setMarked((had) => {
              const later = new Set(had);
              for (const k of keys)
                if (on) later.add(Number(k));
                else later.delete(Number(k));
              return later;
            })
          }
          onSelect={(q) => set({ sel: q?.key })}
        />
      ) : list === 'owners' ? (
        <Table
          label="Owners"
          columns={OWNERS}
          rows={data.owners}
          rowKey={(o) => o.address}
          layoutIn="owners"
        />
      ) : list === 'departments' ? (
        <Table
          label="Departments"
          columns={DEPARTMENTS}
          rows={data.departments}
          rowKey={(d) => d.name}
          layoutIn="departments"
        />
      ) : data.plans.length ? (
        <Table label="Plans" columns={PLANS} rows={data.plans} rowKey={(p) => p.id} layoutIn="plans" />
      ) : (
        <p className="border-t border-base-300 py-3 text-quiet">No answer has changed anything so far.</p>
      )}
      {asking && (
        <Asking
          what={asking}
          of={some}
          questions={questions}
          send={(does) => act.mutate(does)}
          pending={act.isPending}
          error={act.error}
          close={() => setAsking(undefined)}
        />
      )}
    </section>
  );
}

const TITLES = {
  extend: 'Give more time',
  reassign: 'Ask somebody else',
  answer: 'Answer for those who were asked',
  end: 'End the round',
} as const;

function Asking({
  what,
  of,
  questions,
  send: give,
  pending,
  error,
  close,
}: {
  what: keyof typeof TITLES;
  of: string;
  questions: number[];
  send: (does: Act) => void;
  pending: boolean;
  error: unknown;
  close: () => void;
}) {
  const [text, setText] = useState('');
  const [answer, setAnswer] = useState<'keep' | 'remove'>('keep');
  const does: Act | undefined =
    what === 'end'
      ? { act: 'end' }
      : !text.trim()
        ? undefined
        : what === 'extend'
          ? { act: 'extend', questions, day: text }
          : what === 'reassign'
            ? { act: 'reassign', questions, person: text.trim() }
            : { act: 'answer', questions, what: answer, reason: text.trim() };
  return (
    <Dialog title={`${TITLES[what]}${what === 'end' ? '' : `: ${of}`}`} close={close}>
      <form
        className="flex flex-col gap-3 p-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (does) give(does);
        }}
      >
        {what === 'end' && (
          <p>
            Nobody is asked any more, links in messages open nothing, and what is not answered stays as it is.
            What was answered is done all the same.
          </p>
        )}
        {what === 'extend' && (
          <label className="flex flex-col gap-1">
            Until and including
            <input
              type="date"
              className="input input-sm w-44"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          </label>
        )}
        {what === 'reassign' && (
          <label className="flex flex-col gap-1">
            Their e-mail address
            <input
              type="email"
              className="input input-sm w-full"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
            <span className="text-xs text-quiet">
              They get a message with a link. Those who were asked so far are asked no more.
            </span>
          </label>
        )}
        {what === 'answer' && (
          <>
            <fieldset className="flex gap-4">
              <legend className="pb-1">All that is not answered there</legend>
              {(['keep', 'remove'] as const).map((a) => (
                <label key={a} className="flex items-center gap-2">
                  <input
                    type="radio"
                    name="answer"
                    className="radio radio-sm"
                    checked={answer === a}
                    onChange={() => setAnswer(a)}
                  />
                  {a === 'keep' ? 'Keep' : 'Remove'}
                </label>
              ))}
            </fieldset>
            <label className="flex flex-col gap-1">
              Why
              <input
                className="input input-sm w-full"
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
            </label>
          </>
        )}
        {error !== null && error !== undefined && <Trouble error={error} />}
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={!does || pending}>
            {TITLES[what]}
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}
