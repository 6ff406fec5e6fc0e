/** Which rules are about a thing, and what they and standing orders did about it. */
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense } from 'react';
import type { HitRow } from '../../dto/guard.ts';
import { ask, withQuery } from '../frame/api.ts';
import { useSigned } from '../frame/signed.ts';
import { plural, When } from '../parts/marks.tsx';
import { Come } from '../parts/Come.tsx';
import { MODE_WORDS } from '../parts/policy-words.ts';
import { Section } from './Frame.tsx';

const Runs = lazy(() => import('./Runs.tsx'));
/** Hits that are told of one by one. */
const SHOWN = 4;

export const Applies = ({ of }: { of: string }) => (
  <>
    <Rules of={of} />
    <Suspense fallback={null}>
      <Runs of={of} />
    </Suspense>
  </>
);

function Rules({ of }: { of: string }) {
  const { account } = useSigned();
  const { data } = useQuery({ ...ask('/api/policies/applies', { key: of }), enabled: !account.held });
  if (!data) return null;
  return (
    <Section
      name="Policies"
      aside={data.length ? `${plural(data.length, 'rule')} about it` : 'no rule is about it'}
    >
      {data.length > 0 && (
        <ul>
          {data.map((a) => (
            <li key={`${a.policy} ${a.rule}`} className="py-0.5">
              <a
                className="underline decoration-slate"
                href={withQuery('/guard/policies', { policy: String(a.policy), rule: a.rule })}
              >
                {a.ruleName}
              </a>{' '}
              <span className="text-quiet">
                of “{a.policyName}”, {MODE_WORDS[a.mode].toLowerCase()}
                {!a.hits.length && (a.atRest ? ': not hit' : ': when somebody acts')}
              </span>
              <Hits hits={a.hits} />
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

function Hits({ hits }: { hits: readonly HitRow[] }) {
  return (
    <>
      {hits.slice(0, SHOWN).map((h) => (
        <span key={h.id} className="block pl-3">
          <Come h={h} />{' '}
          <span className="text-quiet">
            since <When at={h.overAt ?? h.since} />
          </span>
        </span>
      ))}
      {hits.length > SHOWN && (
        <span className="block pl-3 text-quiet">and {hits.length - SHOWN} more of it</span>
      )}
    </>
  );
}
