/** What the responses of enforcing rules come to: one list of changes, with which rule decided where not all can be had. */
import { setImmediate } from 'node:timers/promises';
import { has } from '../core/access/bits.ts';
import type { Lists } from '../core/access/growable.ts';
import { namedBy } from '../core/access/named.ts';
import { subjectId } from '../core/guard/judge.ts';
import { choose, objectOf, type Proposal } from '../core/guard/choose.ts';
import { carriedOut, type CarryFacts } from '../core/guard/carry.ts';
import { possibleAt, RESPONSES, TELLING } from '../core/guard/responses.ts';
import type { Policy } from '../core/guard/schema.ts';
import { together, type PlannedChange } from '../core/remedy/plan.ts';
import type { LinkRow, Recipient } from '../core/model.ts';
import type { HitPart, Responded } from '../dto/guard.ts';
import type { PlanGoal } from '../dto/remedy.ts';
import { appsOf } from './apps.ts';
import { managerOf } from './describe.ts';
import { groupNamed, spacesOf } from './dormant.ts';
import { numberOfKey } from './keyed.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { factsOf } from './guard.ts';
import { askedOf, whyNotMade } from './planned.ts';
import { preview } from './preview.ts';

/** So many hits are worked on at a stretch. */
const STRETCH = 50;
/** A plan holds so many changes at most; what is left comes with the next run. */
const MOST_CHANGES = 5000;
/** Items of one goal. */
const MOST_GOAL_ITEMS = 5000;

/** A hit that a rule that enforces is to respond to. */
export interface ToRespond {
  rule: string;
  key: string;
}

function carryFacts(l: Loaded): CarryFacts {
  const S = l.org.spaces.length;
  let named: Lists | undefined;
  return {
    view: l.view,
    named: () => (named ??= namedBy(l.view)),
    users: (e) =>
      ((l.entryRow(e) as LinkRow).redeemedBy ?? []).flatMap((r): Recipient[] => {
        const n = 'user' in r ? l.org.find('user', r.user) : -1;
        return 'user' in r && n >= 0 && has(l.view.members, n) ? [{ user: r.user }] : [];
      }),
    row: (n) => (n < S ? l.org.spaces[n]! : l.items.row(n - S)),
    manager: (u) => managerOf(l, u),
    group: (named) => groupNamed(l, named),
    spaces: spacesOf(l),
  };
}

/**
 * What is to be done about hits of a policy, and what it would do. Where two responses to one thing cannot both be had,
 * the stricter is; of two as strict, that of the rule that comes first.
 */
export async function respond(
  l: Loaded,
  policy: Policy,
  hits: readonly ToRespond[],
  signal?: AbortSignal,
): Promise<Responded> {
  const facts = carryFacts(l);
  const rules = new Map(policy.rules.map((r, place) => [r.id, { ...r, place }]));
  const parts: HitPart[][] = hits.map(() => []);
  const about: { hit: number; part: HitPart }[] = [];
  const proposals: Proposal[] = [];
  const propose = (place: number, hit: number, part: HitPart, changes: PlannedChange[]): void =>
    void proposals.push({
      of: about.push({ hit, part }) - 1,
      strictness: RESPONSES[part.do].strictness,
      place,
      changes,
    });
  for (const [h, hit] of hits.entries()) {
    if (h % STRETCH === STRETCH - 1) {
      await setImmediate();
      signal?.throwIfAborted();
    }
    const rule = rules.get(hit.rule)!;
    const { subject, n } = numberOfKey(l, hit.key);
    for (const response of rule.responses) {
      if (TELLING.includes(response.do) || !possibleAt(response.do, subject, 'atRest')) continue;
      const part: HitPart = { do: response.do, how: 'nothing' };
      parts[h]!.push(part);
      if (n < 0) continue;
      if (subject === 'app' || subject === 'appGrant') {
        // access does not rest on it
        const grants =
          subject === 'app'
            ? appsOf(l).list[n]!.grants.map((g) => g.id)
            : [subjectId(factsOf(l), subject, n)];
        const changes = grants.map((id) => ({ kind: 'appGrant' as const, ...unkey(id) }));
        const why = changes.flatMap((c) => whyNotMade(l, c) ?? [])[0];
        if (why) Object.assign(part, { how: 'cannot', why: stopped(why) });
        else if (changes.length) propose(rule.place, h, part, changes);
        continue;
      }
      const { changes, cannot } = carriedOut(facts, subject, n, response);
      const planned: PlannedChange[] = [];
      for (const c of changes) {
        const asked = askedOf(l, c);
        if (asked.cannot ?? !asked.planned) cannot.push(asked.cannot ?? 'No workspace holds it.');
        else planned.push(asked.planned);
      }
      if (cannot.length)
        Object.assign(part, { how: 'cannot', why: [...new Set(cannot)].map(stopped).join(' ') });
      if (planned.length) propose(rule.place, h, part, planned);
    }
  }
  const changed: PlannedChange[] = [];
  const byHit = hits.map(() => new Set<string>());
  for (const { proposal, as } of choose(proposals, MOST_CHANGES)) {
    const { hit, part } = about[proposal.of]!;
    if (as === 'later') Object.assign(part, { how: 'later', why: 'It comes with the next run.' });
    else if (as === 'taken') {
      if (part.how === 'nothing') part.how = 'planned';
      changed.push(...proposal.changes);
      for (const c of proposal.changes) byHit[hit]!.add(objectOf(c));
    } else {
      const winner = about[as.by.of]!;
      const { id, name } = rules.get(hits[winner.hit]!.rule)!;
      const words = RESPONSES[winner.part.do].words.toLowerCase();
      Object.assign(part, { how: 'yields', why: `“${name}” decides: ${words}.`, decidedBy: id });
    }
  }
  const { changes } = together(changed);
  return {
    parts,
    byHit: byHit.map((of) => [...of]),
    goals: goalsOf(policy, hits, parts),
    ...(changes.length && { preview: preview(l, changes) }),
  };
}

const stopped = (t: string): string => (t.endsWith('.') ? t : `${t}.`);

/** What has to hold afterwards: nobody outside reaches what was closed to them. */
function goalsOf(policy: Policy, hits: readonly ToRespond[], parts: readonly HitPart[][]): PlanGoal[] {
  return policy.rules.flatMap((rule) =>
    (
      [
        ['withdraw-outside', { outside: true }, 'nobody outside reaches what it hit'],
        ['withdraw-anyone', { anybody: true }, 'no link for anyone opens what it hit'],
      ] as const
    ).flatMap(([name, keepOut, words]): PlanGoal[] => {
      const items = hits.flatMap((hit, h) =>
        hit.rule === rule.id &&
        hit.key.startsWith('item:') &&
        parts[h]!.some((p) => p.do === name && p.how === 'planned')
          ? unkey(unkey(hit.key).id)
          : [],
      );
      return items.length
        ? [
            {
              keepOut,
              items: items.slice(0, MOST_GOAL_ITEMS).map(({ source, id }) => ({ source, item: id })),
              words: `“${rule.name}”: ${words}`,
            },
          ]
        : [];
    }),
  );
}
