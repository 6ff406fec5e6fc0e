/** What the rule that is being written would hit now: how many, and ten of them. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { SUBJECTS } from '../../../../core/guard/kinds.ts';
import { isTriedLately, policySchema, type Policy, type Rule } from '../../../../core/guard/schema.ts';
import { send } from '../../../frame/api.ts';
import { count, Trouble } from '../../../parts/marks.tsx';
import { PastSurveys } from './PastSurveys.tsx';
import { Trial } from './Trial.tsx';
import { valueWords } from '../../../parts/words.ts';

/** It is asked for so long after the last key, in milliseconds. */
const PAUSE = 300;

export function Tried({ policy, rule }: { policy: Policy; rule: Rule }) {
  const asked = JSON.stringify({
    // the rest of a policy that is not finished says nothing of this rule
    policy: {
      ...policy,
      name: policy.name || 'new',
      rules: [{ ...rule, name: rule.name || 'new' }],
      cases: undefined,
    },
    rule: rule.id,
  });
  const [settled, setSettled] = useState(asked);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(asked), PAUSE);
    return () => clearTimeout(timer);
  }, [asked]);
  const body = JSON.parse(settled) as { policy: Policy; rule: string };
  const ready = policySchema.safeParse(body.policy).success;
  const { data, error, isFetching } = useQuery({
    queryKey: ['/api/policies/try', settled],
    queryFn: () => send('POST', '/api/policies/try', body),
    enabled: ready,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const [one, many] = SUBJECTS[rule.subject].words;
  if (!rule.if.trim())
    return (
      <p className="text-quiet">Write the condition. Here you will see how many {many} it would hit now.</p>
    );
  if (!ready)
    return <p className="text-quiet">Something is missing yet. Then you will see what it would hit.</p>;
  if (error) return <Trouble error={error} />;
  if (!data) return <p className="text-quiet">Looking …</p>;
  if (!data.tried)
    return (
      <ul className="text-error">
        {data.wrong.map((w) => (
          <li key={w.at + w.why}>{w.why}</li>
        ))}
      </ul>
    );
  const { hits, of, first } = data.tried;
  return (
    <div aria-live="polite" aria-busy={isFetching}>
      <p className="text-2xl font-bold tabular-nums">{count(hits)}</p>
      <p className="text-quiet">
        of {count(of)} {of === 1 ? one : many} would be hit now
        {!rule.atRest && ', if somebody did this with each'}.
      </p>
      {isTriedLately(rule) && <Trial policy={body.policy} rule={rule.id} />}
      {rule.atRest && <PastSurveys key={settled} policy={body.policy} rule={rule.id} />}
      {(isTriedLately(rule) || rule.atRest) && first.length > 0 && (
        <h3 className="mt-3 font-bold">What would be hit now</h3>
      )}
      <ul className="mt-3" aria-label="The first of what would be hit now">
        {first.map((h) => (
          <li key={h.key} className="border-t border-base-300 py-1.5">
            <span className="block truncate font-medium" title={h.name}>
              {h.name}
            </span>
            <span className="block truncate text-quiet" title={h.where}>
              {h.where}
            </span>
            <span className="block text-xs text-quiet">{h.values.map(valueWords).join('; ')}</span>
          </li>
        ))}
        {hits > first.length && (
          <li className="border-t border-base-300 py-1.5 text-quiet">
            and {count(hits - first.length)} more
          </li>
        )}
      </ul>
    </div>
  );
}
