/** Before a rule, or a whole policy, responds by itself: what it would do at once, to whom, and why it is let. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { precisionOf } from '../../../../core/guard/marks.ts';
import { isTriedLately, type Policy, type Rule } from '../../../../core/guard/schema.ts';
import type { Foretelling } from '../../../../dto/guard.ts';
import { ask } from '../../../frame/api.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { dayWords } from '../../../parts/dates.ts';
import { count, plural, Trouble } from '../../../parts/marks.tsx';
import { Marks, marksOf, precisionWords, useMarks } from './Marks.tsx';
import { Trial } from './Trial.tsx';
import { responseWords } from '../../../parts/policy-words.ts';

export function Enforce({
  id,
  policy,
  rule,
  close,
  enforce,
}: {
  id: number;
  policy: Policy;
  /** Absent: all rules that do not respond yet. */
  rule: Rule | undefined;
  close: () => void;
  enforce: (reason: string) => Promise<void>;
}) {
  const { data, error, refetch } = useQuery(ask('/api/policies/foretell', { id, rule: rule?.id }));
  const [reason, setReason] = useState('');
  const [refused, setRefused] = useState<unknown>();
  const [sending, setSending] = useState(false);
  const rules = rule ? [rule] : policy.rules.filter((r) => r.mode !== 'enforce');
  const does = new Set(rules.flatMap((r) => r.responses.map((x) => lowered(responseWords(x)))));
  return (
    <Dialog title={`Enforce “${rule?.name ?? policy.name}”`} size="medium" close={close}>
      <form
        className="flex flex-col gap-3 p-4"
        onSubmit={(e) => {
          e.preventDefault();
          setSending(true);
          enforce(reason)
            .catch(setRefused)
            .finally(() => setSending(false));
        }}
      >
        <p>
          From now on {rules.length === 1 ? 'it does by itself' : `${rules.length} rules do by themselves`}:{' '}
          {[...does].join(', ') || 'nothing'}. What is done is a plan like any other, can be undone, and
          stands on the record.
        </p>
        {error && <Trouble error={error} retry={() => void refetch()} />}
        {!data && !error && <p className="text-quiet">Working out what it would do now …</p>}
        {data && rules.some((r) => r.atRest) && <Foretold told={data} rules={rules} />}
        {rule && <HowRight id={id} rule={rule} />}
        {rules.some(isTriedLately) && <Trial policy={policy} rule={rule?.id} of={id} />}
        <label className="flex flex-col gap-1">
          Why now, for the record
          <input
            className="input w-full"
            maxLength={500}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
        </label>
        {refused !== undefined && <Trouble error={refused} />}
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={!data || !reason.trim() || sending}>
            Enforce
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

const lowered = (t: string): string => t.slice(0, 1).toLowerCase() + t.slice(1);

/** How often the rule was right, by what was marked; and marking more. */
function HowRight({ id, rule }: { id: number; rule: Rule }) {
  const { sample } = useMarks(id, rule.id);
  const [marking, setMarking] = useState(false);
  const precision = sample && precisionOf(marksOf(sample), sample.sizes);
  return (
    <p>
      {precision ? (
        <b>It is {precisionWords(precision)}.</b>
      ) : (
        'How often it is right is not known: nobody has looked at a sample yet.'
      )}{' '}
      <button
        type="button"
        className="cursor-pointer underline decoration-slate"
        onClick={() => setMarking(true)}
      >
        Look at a sample …
      </button>
      {marking && <Marks id={id} rule={rule} close={() => setMarking(false)} />}
    </p>
  );
}

function Foretold({ told, rules }: { told: Foretelling; rules: readonly Rule[] }) {
  const { members = 0, guests = 0, outsiders = 0, people = [], changes = [], ofChanges = 0 } = told;
  if (!told.hits) return <p>Nothing is hit now. It will respond to what comes.</p>;
  const losing = members + guests + outsiders;
  const worst = most(told);
  return (
    <>
      <dl className="grid grid-cols-3 gap-3 border-y border-base-300 py-2">
        <Figure n={ofChanges} of={`${ofChanges === 1 ? 'change' : 'changes'} at once`} />
        <Figure
          n={losing}
          of={`${losing === 1 ? 'person loses' : 'people lose'} something${members ? `, ${count(members)} of them from inside` : losing ? ', all from outside' : ''}`}
        />
        <Figure n={told.points ?? 0} of="points of exposure closed" />
      </dl>
      <p>
        {rules.every((r) => r.responses.some((x) => x.do === 'finding')) && (
          <>{plural(told.hits, 'finding')} would be opened. </>
        )}
        {told.byDay.length > 1 && (
          <>
            In the last {told.byDay.length} days {plural(newHits(told), 'new hit')}
            {worst &&
              worst.hits < newHits(told) &&
              `, ${count(worst.hits)} of them on ${dayWords(worst.day)}`}
            {worst && worst.hits === newHits(told) && `, on ${dayWords(worst.day)}`}.{' '}
          </>
        )}
        {told.inPilot !== null && (
          <>A pilot with a tenth of the people would have {plural(told.inPilot, 'hit')}.</>
        )}
      </p>
      {told.stops.length > 0 && (
        <p role="alert" className="font-bold">
          The breaker would stop the first run: {told.stops.join('; ')}. You would be asked to look at it.
        </p>
      )}
      {people.length > 0 && (
        <section>
          <h3 className="font-bold">Whom it hits most</h3>
          <ul className="grid grid-cols-2 gap-x-4">
            {people.map((p) => (
              <li key={p.id} className="flex justify-between gap-2 truncate">
                <span className="truncate">{p.name}</span>
                <span className="shrink-0 text-quiet">
                  {plural(p.loses, 'file')}
                  {p.used > 0 && `, ${count(p.used)} used lately`}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {changes.length > 0 && (
        <section>
          <h3 className="font-bold">
            What changes{ofChanges > changes.length && `, the first ${changes.length} of ${count(ofChanges)}`}
          </h3>
          <ul className="max-h-40 list-disc overflow-auto pl-5">
            {changes.map((words, n) => (
              <li key={n}>{words}</li>
            ))}
          </ul>
        </section>
      )}
      {told.cannot.length > 0 && (
        <section>
          <h3 className="font-bold">What cannot be done</h3>
          <ul className="list-disc pl-5">
            {told.cannot.map((c) => (
              <li key={c.words}>
                {plural(c.hits, 'hit')}: {c.words}
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

const newHits = ({ byDay }: Foretelling): number => byDay.reduce((n, d) => n + d.hits, 0);
const most = ({ byDay }: Foretelling): Foretelling['byDay'][number] | undefined =>
  byDay.reduce<Foretelling['byDay'][number] | undefined>(
    (a, d) => (d.hits > (a?.hits ?? 0) ? d : a),
    undefined,
  );

function Figure({ n, of }: { n: number; of: string }) {
  return (
    <div className="flex flex-col-reverse justify-end">
      <dt className="text-quiet">{of}</dt>
      <dd className="text-2xl font-bold tabular-nums">{count(n)}</dd>
    </div>
  );
}
