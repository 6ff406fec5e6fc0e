/** The rule that something breaks, and what it asked about. */
import type { Breach } from '../../dto/exposure.ts';
import type { ObjectKey } from '../../core/remedy/plan.ts';
import { openedAt, withQuery } from '../frame/api.ts';
import { OptionsButton } from '../parts/Options.tsx';
import { valueWords } from '../parts/words.ts';

export function Because({ breach }: { breach: Breach }) {
  const object = objectOf(breach.key);
  return (
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
      <p className="flex items-center gap-3 pt-1">
        <a className="underline decoration-slate" href={openedAt(breach.open)}>
          Open it where it is
        </a>
        {object && <OptionsButton of={object} name={`the ${object.kind}`} small={false} />}
      </p>
    </div>
  );
}

/** A grant or link can be changed from here; what it is on has its own place. */
function objectOf(key: string): ObjectKey | undefined {
  const found = /^(grant|link):([^:]+):(.+)$/.exec(key);
  return found ? { kind: found[1] as 'grant' | 'link', source: found[2]!, id: found[3]! } : undefined;
}
