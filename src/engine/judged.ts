/**
 * All that the rules of a policy hit. Of a survey that follows on one that was judged only what has changed is looked at, where
 * a rule asks about nothing that lies elsewhere, and about nothing that depends on the moment.
 */
import { asksOfCharters } from '../core/ask/charter.ts';
import { asksTheMoment, fieldsOf } from '../core/filter/filter.ts';
import { SUBJECTS } from '../core/guard/kinds.ts';
import { liesNowhere } from '../core/guard/judge.ts';
import { readPolicy, type Wrong } from '../core/guard/policy.ts';
import type { Policy, Rule } from '../core/guard/schema.ts';
import { spaceOfNode } from '../core/access/organisation.ts';
import type { Exception, RuleHit } from '../dto/guard.ts';
import { Difference, type Differing, type Known } from './differing.ts';
import { holdingTypes } from './facts.ts';
import { countOf, exceptionOf, hitsOf, hitTeller } from './guard.ts';
import { hitKey } from './keys.ts';
import type { Loaded } from './loaded.ts';

/** So many policies are remembered, and so many hits of each rule at most. */
const KEPT = 200;
const MOST_HITS = 200_000;

/** What a rule hit, by the id of the space that it lies in. */
type BySpace = Map<string, string[]>;
/** How a policy was judged last. */
interface Memory {
  survey: number;
  exceptions: string;
  /** Data types, packs and charters as they were. */
  types: string;
  rules: Map<string, BySpace>;
}
const memories = new Map<string, Memory>();

function remember(name: string, memory: Memory): void {
  memories.delete(name);
  memories.set(name, memory);
  if (memories.size > KEPT) memories.delete(memories.keys().next().value!);
}

/** Things that lie in spaces, and so are as they were where their space is. */
const inSpaces = ({ subject }: Rule): boolean => !liesNowhere(subject);

/**
 * All that the rules of a policy hit, as differences from what is known by `rule` and key. `hits`: how many there are in all,
 * by rule, `of` how many it judged. What is wrong with it is told, and then nothing is judged.
 */
export async function runPolicy(
  l: Loaded,
  given: unknown,
  known: readonly Known[],
  exceptions: readonly Exception[] = [],
): Promise<{
  differing: Differing<RuleHit>;
  hits: Record<string, number>;
  of: Record<string, number>;
  wrong: Wrong[];
}> {
  const { policy, wrong } = readPolicy(given, holdingTypes(l));
  const difference = new Difference<RuleHit>(policy ? known : []);
  const hits: Record<string, number> = {};
  const of: Record<string, number> = {};
  if (!policy) return { differing: difference.all(), hits, of, wrong };
  const name = JSON.stringify(policy);
  const memory: Memory = {
    survey: l.survey,
    exceptions: JSON.stringify(exceptions),
    types: JSON.stringify([[...l.types], [...l.packs.byId], asksOfCharters(policy) && l.charters.version]),
    rules: new Map(),
  };
  const last = memories.get(name);
  // what is known of it has to be what was told of it then
  const before =
    last &&
    last.survey === l.unchanged?.since &&
    last.exceptions === memory.exceptions &&
    last.types === memory.types
      ? last.rules
      : undefined;
  const there = new Set(before && known.map((k) => k.key));
  for (const rule of policy.rules) {
    if (!rule.atRest) continue;
    const was = before?.get(rule.id);
    const bySpace: BySpace = new Map();
    let left: number[] | undefined;
    if (was && inSpaces(rule) && !depends(policy, rule)) {
      left = [];
      for (let s = 0; s < l.org.spaces.length; s++) {
        const { id } = l.org.spaces[s]!;
        const keys = l.unchanged!.spaces[s] ? (was.get(id) ?? []) : undefined;
        if (!keys?.every((k) => there.has(hitKey(rule.id, k)))) left.push(s);
        else if (keys.length) bySpace.set(id, keys);
      }
    }
    const tell = hitTeller(l, policy, rule);
    const excepted = exceptionOf(l, rule, exceptions);
    let n = 0;
    for (const keys of bySpace.values()) {
      n += keys.length;
      for (const k of keys) difference.keep(hitKey(rule.id, k));
    }
    for await (const subject of hitsOf(l, policy, rule, { spaces: left })) {
      n++;
      const by = excepted(subject);
      const hit: RuleHit = { ...tell(subject), ...(by !== undefined && { excepted: by }) };
      difference.take(hitKey(rule.id, hit.key), hit);
      if (!inSpaces(rule) || n > MOST_HITS) continue;
      const node =
        rule.subject === 'grant' || rule.subject === 'link' ? l.org.entries.node[subject]! : subject;
      const { id } = l.org.spaces[spaceOfNode(l.org, node)]!;
      const keys = bySpace.get(id);
      if (keys) keys.push(hit.key);
      else bySpace.set(id, [hit.key]);
    }
    hits[rule.id] = n;
    of[rule.id] = countOf(l, rule.subject);
    if (n <= MOST_HITS) memory.rules.set(rule.id, bySpace);
  }
  remember(name, memory);
  return { differing: difference.all(), hits, of, wrong };
}

/** Whether what a rule asks, or what is told of its hits, depends on the moment, or on what is no part of a space. */
const depends = ({ filter }: Policy, rule: Rule): boolean =>
  [filter, rule.if].some((text) => {
    const { fields } = SUBJECTS[rule.subject];
    // what apps read lies elsewhere
    return text && (asksTheMoment(text, fields) || fieldsOf(text, fields).includes('apps'));
  });
