/** Policies in plain sentences. */
import { SCOPE_KEYS, type Policy, type Rule, type Scope, type ScopeKey } from '../../core/guard/schema.ts';
import { RESPONSES, type RuleResponse } from '../../core/guard/responses.ts';
import { SUBJECTS } from '../../core/guard/kinds.ts';
import type { HitPart, HitState } from '../../dto/guard.ts';

export const MODE_WORDS: Record<Rule['mode'], string> = {
  paused: 'Paused',
  observe: 'Observing',
  enforce: 'Enforcing',
};

/** How far a hit has come. */
export const STATE_WORDS: Record<HitState, string> = {
  would: 'Recorded',
  waiting: 'Waiting',
  done: 'Done',
  failed: 'Not done',
  undone: 'Undone',
  excepted: 'Excepted',
  yielded: 'Another rule decides',
  over: 'Over by itself',
};

/** What became of a response, after its name. */
export const PART_WORDS: Record<HitPart['how'], string> = {
  planned: '',
  nothing: 'is so already',
  yields: 'left to another rule',
  cannot: 'cannot be done, or not all of it',
  later: 'comes with the next run',
};

const listed = (words: readonly string[], join = 'and'): string =>
  words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} ${join} ${words.at(-1)}`;

const SIDE: Record<ScopeKey, string> = {
  units: 'the department',
  groups: 'the group',
  people: 'the person',
  workspaces: 'the workspace',
  spaces: 'the space',
  spaceKinds: 'spaces of the kind',
  labels: 'the label',
  charters: 'the charter',
  regions: 'the region',
};
const MANY: Partial<Record<ScopeKey, string>> = { people: 'the people', spaceKinds: 'spaces of the kinds' };

const sideWords = (side: Scope['include']): string[] =>
  (Object.keys(SCOPE_KEYS) as ScopeKey[]).flatMap((key) => {
    const names = side?.[key];
    if (!names?.length) return [];
    const lead = names.length > 1 ? (MANY[key] ?? `${SIDE[key]}s`) : SIDE[key];
    return [`${lead} ${listed(names, 'or')}`];
  });

/** For whom and where a policy is, in one sentence. */
export function scopeWords({ scope }: Policy): string {
  const include = sideWords(scope?.include);
  const exclude = sideWords(scope?.exclude);
  const who =
    scope?.of === 'space'
      ? ' Departments, groups and people are those of a space’s owners.'
      : scope?.of === 'actor'
        ? ' Departments, groups and people are those of whoever acts.'
        : '';
  const needsWho = [scope?.include, scope?.exclude].some((s) => s?.units ?? s?.groups ?? s?.people);
  const pilot = !scope?.pilot
    ? ''
    : 'share' in scope.pilot
      ? ` For now it is tried with ${Math.round(scope.pilot.share * 1000) / 10} % of the people.`
      : ` For now it is tried with the group ${listed(scope.pilot.groups, 'or')}.`;
  return `${include.length ? `For ${listed(include)}` : 'For everything'}${exclude.length ? `, without ${listed(exclude)}` : ''}.${needsWho ? who : ''}${pilot}`;
}

const DAYS = {
  MO: 'Monday',
  TU: 'Tuesday',
  WE: 'Wednesday',
  TH: 'Thursday',
  FR: 'Friday',
  SA: 'Saturday',
  SU: 'Sunday',
};

/** Rhythms that can be chosen. */
export const RHYTHMS = ['FREQ=DAILY;BYHOUR=5', 'FREQ=WEEKLY;BYDAY=MO;BYHOUR=5', 'FREQ=MONTHLY;BYHOUR=5'];

/** When something comes in a rhythm, by the clock that the schedule says; `never`: where it has none. */
export function rhythmWords(
  rhythm: string | null | undefined,
  never = 'Whenever something has changed',
): string {
  if (!rhythm) return never;
  const parts = new Map(rhythm.split(';').map((p) => p.split('=') as [string, string]));
  const hour = parts.get('BYHOUR') ?? '0';
  const at = `at ${hour.padStart(2, '0')}:${(parts.get('BYMINUTE') ?? '0').padStart(2, '0')}`;
  const plain = [...parts.keys()].every((k) => ['FREQ', 'BYHOUR', 'BYMINUTE', 'BYDAY'].includes(k));
  const day = DAYS[(parts.get('BYDAY') ?? 'MO') as keyof typeof DAYS];
  if (plain && parts.get('FREQ') === 'DAILY' && !parts.has('BYDAY')) return `Every day ${at}`;
  if (plain && parts.get('FREQ') === 'WEEKLY' && day) return `Every ${day} ${at}`;
  if (plain && parts.get('FREQ') === 'MONTHLY' && !parts.has('BYDAY'))
    return `On the first of each month ${at}`;
  return rhythm;
}

/** What a rule would do. */
export const responseWords = ({ do: name, ...params }: RuleResponse): string => {
  const said = Object.entries(params).flatMap(([, v]) =>
    typeof v === 'number' || typeof v === 'string' ? [String(v)] : [],
  );
  return name === 'let-end'
    ? `Let end after ${String(params.days)} days`
    : name === 'set-back'
      ? `Set back ${Object.entries(params.to as object)
          .map(([k, v]) => `${k}: ${String(v)}`)
          .join(', ')}`
      : `${RESPONSES[name].words}${said.length && !['caution', 'refuse'].includes(name) ? ` to ${said.join(', ')}` : ''}`;
};

const deed = (moment: NonNullable<Rule['moments']>[number]): string =>
  moment === 'consent' ? 'let one in' : moment;

/** When and about what a rule is judged. */
export const ruleWords = ({ subject, atRest, moments = [] }: Rule): string =>
  `${capital(SUBJECTS[subject].words[1])}${atRest ? ' as they are' : ''}${atRest && moments.length ? ', and' : ''}${
    moments.length ? ` when somebody is about to ${listed(moments.map(deed), 'or')}` : ''
  }`;
const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
