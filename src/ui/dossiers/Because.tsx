/** The rule that something breaks, and what it asked about. */
import type { Breach } from '../../dto/exposure.ts';
import { withQuery } from '../frame/api.ts';
import { valueWords } from '../parts/words.ts';

/** Where the thing itself is opened. */
const opens = (key: string): string =>
  key.startsWith('item:') || key.startsWith('space:')
    ? withQuery('/survey/holdings', { sel: key })
    : withQuery('/survey/people', { sel: key });

export const Because = ({ breach }: { breach: Breach }) => (
  <div className="mt-2 border-l-2 border-slate pl-3">
    <p>
      Breaks{' '}
      <a
        className="font-bold underline decoration-slate"
        href={withQuery('/guard/policies', { policy: String(breach.policy), rule: breach.rule })}
      >
        {breach.ruleName}
      </a>{' '}
      <span className="text-quiet">of “{breach.policyName}”</span>
    </p>
    <p className="text-quiet break-words">{breach.values.map(valueWords).join('; ')}</p>
    <a className="underline decoration-slate" href={opens(breach.open)}>
      Open it where it is
    </a>
  </div>
);
