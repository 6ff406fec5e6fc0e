/** What differs between two versions of a policy, in plain sentences. */
import { SUBJECTS } from '../../../../core/guard/kinds.ts';
import { USUAL_BREAKER, type Policy, type Rule } from '../../../../core/guard/schema.ts';
import {
  MODE_WORDS,
  responseWords,
  rhythmWords,
  ruleWords,
  scopeWords,
} from '../../../parts/policy-words.ts';

/** One thing that differs: what it is, as it was and as it is; empty where there was or is none. */
export interface Differs {
  what: string;
  before: string;
  after: string;
}

const POLICY: readonly [string, (p: Policy) => string][] = [
  ['Name', (p) => p.name],
  ['Purpose', (p) => p.purpose ?? ''],
  ['For whom', scopeWords],
  // who is in a share depends on it
  ['Salt of the pilot', (p) => (p.scope?.pilot && 'share' in p.scope.pilot ? p.scope.pilot.salt : '')],
  ['Condition for all rules', (p) => p.filter ?? ''],
  ['Judged', (p) => rhythmWords(p.rhythm)],
  ['Kept for', (p) => (p.keepDays === undefined ? '' : `${p.keepDays} days`)],
  [
    'Breaker',
    ({ breaker }) => {
      const { changes, people, share } = { ...USUAL_BREAKER, ...breaker };
      return `${changes} changes, ${people} people, ${Math.round(share * 100)} %`;
    },
  ],
  ['Cases', (p) => (p.cases?.length ? JSON.stringify(p.cases) : '')],
];

const RULE: readonly [string, (r: Rule) => string][] = [
  ['name', (r) => r.name],
  ['about', (r) => SUBJECTS[r.subject].words[1]],
  ['judged', ruleWords],
  ['condition', (r) => r.if],
  ['mode', (r) => MODE_WORDS[r.mode]],
  ['severity', (r) => r.severity],
  ['responses', (r) => r.responses.map(responseWords).join(', ')],
  ['texts', (r) => r.responses.map((x) => JSON.stringify(x)).join(', ')],
  ['tells', (r) => (r.tell?.length ? r.tell.map((t) => JSON.stringify(t)).join(', ') : '')],
];

function differ<T>(parts: readonly [string, (of: T) => string][], a: T, b: T, lead = ''): Differs[] {
  const found = parts.flatMap(([what, of]): Differs[] => {
    const [before, after] = [of(a), of(b)];
    return before === after ? [] : [{ what: lead + what, before, after }];
  });
  // texts are told only where responses read the same
  const said = found.some((d) => d.what === `${lead}responses`);
  return found.filter((d) => !(said && d.what === `${lead}texts`));
}

/** What became other from one version to the next; rules are known by their id. */
export function differences(a: Policy, b: Policy): Differs[] {
  const of = (p: Policy, id: string): Rule | undefined => p.rules.find((r) => r.id === id);
  const told = (r: Rule): string => `${ruleWords(r)}: ${r.if}`;
  const gone = a.rules.filter((r) => !of(b, r.id));
  const order = (p: Policy, other: Policy): string =>
    p.rules
      .filter((r) => of(other, r.id))
      .map((r) => of(b, r.id)!.name)
      .join(', ');
  return [
    ...differ(POLICY, a, b),
    ...gone.map((r) => ({ what: `Rule “${r.name}” removed`, before: told(r), after: '' })),
    ...b.rules.flatMap((r) => {
      const was = of(a, r.id);
      return was
        ? differ(RULE, was, r, `“${r.name}”: `)
        : [{ what: `Rule “${r.name}” added`, before: '', after: told(r) }];
    }),
    ...(order(a, b) === order(b, a)
      ? []
      : [{ what: 'Order of the rules', before: order(a, b), after: order(b, a) }]),
  ];
}
