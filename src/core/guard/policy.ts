/** Policies as they are written: in a file, in the API and in the store alike (docs/policies.md). */
import { z } from 'zod';
import { FilterError, checkFilter, holdingsOf } from '../filter/filter.ts';
import { isKnown, type HoldingTypes } from '../filter/holds.ts';
import { SEVERITIES } from '../exposure/exposure.ts';
import { SPACE_KINDS } from '../model.ts';
import { wrongRhythm } from './rhythm.ts';
import { possibleAt, RESPONSES, responseSchema } from './responses.ts';
import { SUBJECTS, SUBJECT_NAMES } from './subjects.ts';

export const MODES = ['paused', 'observe', 'enforce'] as const;
export type Mode = (typeof MODES)[number];

/** What somebody can be about to do. */
export const MOMENTS = ['share', 'open', 'download', 'print', 'copy', 'move', 'upload'] as const;
export type Moment = (typeof MOMENTS)[number];

const name = (most: number) => z.string().trim().min(1).max(most);
const ids = z.array(name(1100)).max(500);
const condition = z.string().trim().max(2000);

/** Keys of a scope, each with what its values are. */
export const SCOPE_KEYS = {
  units: 'departments',
  groups: 'groups, and what is nested in them',
  people: 'people',
  workspaces: 'workspaces',
  spaces: 'spaces',
  spaceKinds: 'kinds of spaces',
  labels: 'labels',
  charters: 'charters',
  regions: 'regions',
} as const;
export type ScopeKey = keyof typeof SCOPE_KEYS;

const side = z.strictObject({
  units: ids.optional(),
  groups: ids.optional(),
  people: ids.optional(),
  workspaces: ids.optional(),
  spaces: ids.optional(),
  spaceKinds: z.array(z.enum(SPACE_KINDS)).max(SPACE_KINDS.length).optional(),
  labels: ids.optional(),
  charters: ids.optional(),
  regions: ids.optional(),
});

const scopeSchema = z.strictObject({
  of: z.enum(['owner', 'space', 'actor']).optional(),
  include: side.optional(),
  exclude: side.optional(),
  pilot: z
    .union([
      z.strictObject({ share: z.number().gt(0).lte(1), salt: name(200) }),
      z.strictObject({ groups: ids.min(1) }),
    ])
    .optional(),
});
export type Scope = z.infer<typeof scopeSchema>;

const tellSchema = z.union([
  z.strictObject({ owner: z.literal(true) }),
  z.strictObject({ stewards: z.literal(true) }),
  z.strictObject({ actor: z.literal(true) }),
  z.strictObject({ address: z.email().max(254) }),
]);

const ruleSchema = z.strictObject({
  id: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9_-]{0,63}$/, 'takes letters, digits, - and _, up to 64'),
  name: name(200),
  subject: z.enum(SUBJECT_NAMES),
  atRest: z.boolean().optional(),
  moments: z.array(z.enum(MOMENTS)).max(MOMENTS.length).optional(),
  if: condition.min(1),
  mode: z.enum(MODES),
  severity: z.enum(SEVERITIES),
  responses: z.array(responseSchema).max(10),
  tell: z.array(tellSchema).max(20).optional(),
});
export type Rule = z.infer<typeof ruleSchema>;

/** What a condition is tried on: fields that are not given are 0, empty, false or without a time. */
const caseSchema = z.strictObject({
  name: name(200),
  subject: z.enum(SUBJECT_NAMES),
  given: z.record(z.string(), z.union([z.string(), z.number(), z.boolean(), z.array(z.string())])).optional(),
  /** What the file holds: each value by itself. */
  holds: z
    .array(
      z.strictObject({
        type: name(200),
        certainty: z.int().min(0).max(100),
        distinct: z.int().min(1).optional(),
        occurrences: z.int().min(1).optional(),
        part: z.enum(['title', 'body', 'comment', 'suggestion', 'metadata']).optional(),
      }),
    )
    .max(100)
    .optional(),
  /** Ids of rules. */
  hits: z.array(z.string()).optional(),
  misses: z.array(z.string()).optional(),
});
export type PolicyCase = z.infer<typeof caseSchema>;

export const policySchema = z.strictObject({
  format: z.literal('gate-lantern-policy'),
  version: z.literal(1),
  name: name(200),
  purpose: z.string().trim().max(2000).optional(),
  scope: scopeSchema.optional(),
  filter: condition.optional(),
  /** Absent: whenever something has changed. */
  rhythm: z.string().trim().min(1).max(200).optional(),
  keepDays: z.int().min(1).max(3650).optional(),
  rules: z.array(ruleSchema).min(1).max(100),
  cases: z.array(caseSchema).max(500).optional(),
});
export type Policy = z.infer<typeof policySchema>;

/** What is wrong with a policy: where it stands, and why, in a sentence. */
export interface Wrong {
  at: string;
  why: string;
}

/** Reads a policy; everything that is wrong with it is told at once. `types`: what `holds` can ask for. */
export function readPolicy(value: unknown, types: HoldingTypes): { policy?: Policy; wrong: Wrong[] } {
  const parsed = policySchema.safeParse(value);
  if (!parsed.success) return { wrong: parsed.error.issues.flatMap((i) => issues(i)) };
  const policy = parsed.data;
  const wrong = [...checkRules(policy, types), ...checkCases(policy, types), ...checkRhythm(policy)];
  return wrong.length ? { wrong } : { policy, wrong };
}

const path = (at: readonly PropertyKey[]): string =>
  at.reduce<string>(
    (text, p) => (typeof p === 'number' ? `${text}[${p}]` : text ? `${text}.${String(p)}` : String(p)),
    '',
  );

function issues(i: z.core.$ZodIssue, above: readonly PropertyKey[] = []): Wrong[] {
  const at = [...above, ...i.path];
  if (i.code === 'unrecognized_keys')
    return i.keys.map((k) => ({ at: path([...at, k]), why: 'There is no such key here.' }));
  // of several forms that it could have, the one that comes nearest is told of
  if (i.code === 'invalid_union' && i.errors.length) {
    const nearest = [...i.errors].sort((a, b) => a.length - b.length)[0]!;
    return nearest.flatMap((x) => issues(x, at));
  }
  return [{ at: path(at), why: `${i.message}.` }];
}

function checkRules(policy: Policy, types: HoldingTypes): Wrong[] {
  const wrong: Wrong[] = [];
  const seen = new Set<string>();
  policy.rules.forEach((r, n) => {
    const at = `rules[${n}]`;
    if (seen.has(r.id)) wrong.push({ at: `${at}.id`, why: `Another rule has the id “${r.id}” already.` });
    seen.add(r.id);
    const { fields, words } = SUBJECTS[r.subject];
    if (!r.atRest && !r.moments?.length)
      wrong.push({ at, why: 'It is never judged: it needs “atRest”: true or at least one of “moments”.' });
    if (r.moments?.length && !['item', 'space', 'grant', 'link'].includes(r.subject))
      wrong.push({
        at: `${at}.moments`,
        why: `Nobody does anything to ${words[1]} that could be judged at the moment.`,
      });
    if (policy.scope?.of === 'actor' && r.atRest)
      wrong.push({
        at: `${at}.atRest`,
        why: 'The scope is of whoever acts, so that this rule can only be judged at the moment.',
      });
    for (const [where, text] of [
      [`${at}.if`, r.if],
      ['filter', policy.filter],
    ] as const) {
      if (!text) continue;
      try {
        checkFilter(text, fields);
        for (const { what } of holdingsOf(text, fields))
          if (!isKnown(what, types))
            wrong.push({ at: where, why: `There is no data type or pack “${what}”.` });
      } catch (e) {
        if (!(e instanceof FilterError)) throw e;
        wrong.push({
          at: where,
          why: where === 'filter' ? `Of ${words[1]} (rule ${r.id}): ${e.message}` : e.message,
        });
      }
    }
    r.responses.forEach((response, k) => {
      const { words: called } = RESPONSES[response.do];
      const rest = r.atRest === true && possibleAt(response.do, r.subject, 'atRest');
      const moment = Boolean(r.moments?.length) && possibleAt(response.do, r.subject, 'atMoment');
      if (!rest && !moment)
        wrong.push({
          at: `${at}.responses[${k}].do`,
          why: `“${called}” cannot be done about ${words[1]} when this rule is judged.`,
        });
    });
  });
  return wrong;
}

function checkCases({ cases = [], rules }: Policy, types: HoldingTypes): Wrong[] {
  return cases.flatMap((c, n) => {
    const at = `cases[${n}]`;
    const named = [...(c.hits ?? []), ...(c.misses ?? [])];
    if (!named.length) return [{ at, why: 'It says neither what hits nor what misses.' }];
    return [
      ...named.flatMap((id): Wrong[] => {
        const rule = rules.find((r) => r.id === id);
        if (!rule) return [{ at, why: `There is no rule “${id}”.` }];
        return rule.subject === c.subject
          ? []
          : [{ at, why: `The rule “${id}” is about ${SUBJECTS[rule.subject].words[1]}.` }];
      }),
      ...(c.holds ?? []).flatMap((h): Wrong[] =>
        types.from(h.type) === undefined
          ? [{ at: `${at}.holds`, why: `There is no data type “${h.type}”.` }]
          : [],
      ),
    ];
  });
}

function checkRhythm({ rhythm }: Policy): Wrong[] {
  const why = rhythm === undefined ? undefined : wrongRhythm(rhythm);
  return why === undefined ? [] : [{ at: 'rhythm', why }];
}
