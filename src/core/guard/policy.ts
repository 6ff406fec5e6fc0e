/** Policies read, with everything that is wrong with them. */
import type { z } from 'zod';
import { FilterError, holdingsOf } from '../filter/filter.ts';
import { isKnown, type HoldingTypes } from '../filter/holds.ts';
import { wrongRhythm } from './rhythm.ts';
import { possibleAt, RESPONSES } from './responses.ts';
import { SUBJECTS } from './kinds.ts';
import { policySchema, type Policy } from './schema.ts';

/** What is wrong with a policy: where it stands, and why, in a sentence. */
export interface Wrong {
  at: string;
  why: string;
}

/** Reads a policy; everything that is wrong with it is told at once. `types`: what `holds` can ask for. */
export function readPolicy(value: unknown, types: HoldingTypes): { policy?: Policy; wrong: Wrong[] } {
  const parsed = policySchema.safeParse(value);
  if (!parsed.success) return { wrong: issuesOf(parsed.error) };
  const policy = parsed.data;
  const wrong = [...checkRules(policy, types), ...checkCases(policy, types), ...checkRhythm(policy)];
  return wrong.length ? { wrong } : { policy, wrong };
}

/** What a schema found wrong, each with where it stands. */
export const issuesOf = (e: z.ZodError): Wrong[] => e.issues.flatMap((i) => issues(i));

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
    if (r.moments?.some((m) => (m === 'consent') !== (r.subject === 'appGrant')))
      wrong.push({
        at: `${at}.moments`,
        why: 'Apps are let in by “consent”, and nothing else is.',
      });
    if (r.moments?.length && !['item', 'space', 'grant', 'link', 'appGrant'].includes(r.subject))
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
