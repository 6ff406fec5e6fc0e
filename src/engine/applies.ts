/** Which rules a thing is in the scope of. */
import { compileFilter, type Getters } from '../core/filter/filter.ts';
import { scopeTest } from '../core/guard/judge.ts';
import { SUBJECTS } from '../core/guard/kinds.ts';
import type { Policy } from '../core/guard/schema.ts';
import { gettersOf } from './facts.ts';
import { factsOf } from './guard.ts';
import type { Loaded } from './loaded.ts';
import { numberOfKey } from './keyed.ts';

/**
 * Rules that are on and about a thing, by the place of their policy: of its own kind, and about grants and links of what these
 * can be on. Undefined where there is no such thing.
 */
export function applies(
  l: Loaded,
  policies: readonly Policy[],
  key: string,
): { policy: number; rule: string }[] | undefined {
  const { subject, n } = numberOfKey(l, key);
  if (n < 0) return undefined;
  const held = subject === 'item' || subject === 'space';
  const { fields } = SUBJECTS[subject];
  const read = gettersOf(l)[subject] as Getters<number, typeof fields>;
  return policies.flatMap(({ scope, filter, rules }, policy) => {
    if (!scopeTest(scope, subject, factsOf(l))(n)) return [];
    return rules.flatMap(({ id, mode, subject: of }) => {
      const onIt = held && (of === 'grant' || of === 'link');
      if (mode === 'paused' || (of !== subject && !onIt)) return [];
      // what a policy's filter asks of a grant is not asked of what that is on
      const inIt = onIt || compileFilter(filter, fields, read, l.view.moment)(n);
      return inIt ? { policy, rule: id } : [];
    });
  });
}
