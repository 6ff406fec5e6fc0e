/**
 * A rule that is judged at the moment, tried on what was shared lately, or on the apps that were let in: whom it would have
 * stopped, how often, and what other rules do about it already. Grants and links are judged with what is known of their files
 * now, apps with what they read now.
 */
import { dayAt, momentOf } from '../core/time.ts';
import { setImmediate } from 'node:timers/promises';
import { decider, type Armed, type Asked } from '../core/guard/decide.ts';
import { tenFrom } from '../core/guard/marks.ts';
import { readPolicy, type Wrong } from '../core/guard/policy.ts';
import { PRINCIPAL } from '../core/access/organisation.ts';
import { isTriedLately, piloted, type Policy, type Rule } from '../core/guard/schema.ts';
import type { Principal } from '../core/guard/subjects.ts';
import { AUDIENCES } from '../core/model.ts';
import type { Trial, TrialRow } from '../dto/guard.ts';
import { appsOf } from './apps.ts';
import { armedOf, decideFacts } from './decide.ts';
import { entryRef, identityKey, nodeKey, nodeName, sentence } from './describe.ts';
import { gettersOf, holdingTypes } from './facts.ts';
import { surestOf } from './guard.ts';
import type { Loaded } from './loaded.ts';

const DAY = 86_400_000;
/** So many are told of, and of people and departments those that it hits most. */
const SHOWN = 500;
const MOST = 10;
/** What is shared is judged for so long at a stretch; what else is asked comes in between. */
const STRETCH_MS = 15;

/** What a grant or link in force was, as it was about to be made. */
function asItWasMade(l: Loaded, e: number): Asked {
  const { entries } = l.org;
  const principals: Principal[] = [];
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
    const [kind, n] = [entries.toKind.values[i]!, entries.toNumber.values[i]!];
    principals.push(
      kind === PRINCIPAL.address
        ? {
            kind: PRINCIPAL.user,
            n: n < 0 ? n : l.view.identityOfAddress[n]!,
            address: l.org.addresses[n] ?? '',
          }
        : { kind, n },
    );
  }
  const audience = AUDIENCES[entries.type[e]! - 1];
  return {
    action: 'share',
    node: entries.node[e]!,
    actor: l.madeBy[e]!,
    sharing: {
      principals,
      ...(audience && { audience }),
      role: entries.role[e]!,
      expires: entries.expires[e]!,
    },
    checked: true,
  };
}

/** Something that was made, as it was about to be, and how it is told of. */
interface Made {
  at: number;
  asked: Asked;
  row: () => Pick<TrialRow, 'key' | 'name' | 'share' | 'words'>;
}

/** The grants and links in force, by number. */
function* shared(l: Loaded): Generator<Made> {
  const { entries } = l.org;
  for (let e = 0; e < entries.ids.length; e++) {
    const node = entries.node[e]!;
    if (node >= 0)
      yield {
        at: entries.made[e]!,
        asked: asItWasMade(l, e),
        row: () => ({
          key: nodeKey(l, node),
          name: nodeName(l, node),
          share: `${entries.type[e]! > 0 ? 'link' : 'grant'}:${entries.ids.at(e)}`,
          words: sentence(entryRef(l, e)),
        }),
      };
  }
}

/** The apps that were let in, one by one. */
function* letIn(l: Loaded): Generator<Made> {
  for (const app of appsOf(l).letIn()) {
    const { of, grant, user } = app;
    yield {
      at: momentOf(grant.grantedAt ?? ''),
      asked: { action: 'consent', node: -1, actor: user, app, checked: true },
      row: () => ({
        key: `app:${of.app.id}`,
        name: of.app.name,
        share: `appGrant:${grant.id}`,
        words: `${grant.everyone ? 'for everyone, with' : 'with'} ${grant.scopes.join(', ')}`.slice(0, 500),
      }),
    };
  }
}

/** What rules are about. */
function* madeFor(l: Loaded, rules: readonly Rule[]): Generator<Made> {
  if (rules.some((r) => r.subject !== 'appGrant')) yield* shared(l);
  if (rules.some((r) => r.subject === 'appGrant')) yield* letIn(l);
}

/**
 * Tries a rule of a policy, or all that are asked before somebody shares or lets an app in, on what was made in the last days
 * before the survey.
 */
export async function trial(
  l: Loaded,
  given: unknown,
  ruleId: string | undefined,
  days: number,
  signal?: AbortSignal,
): Promise<{ trial?: Trial; wrong: Wrong[] }> {
  const { policy, wrong } = readPolicy(given, holdingTypes(l));
  const rules = policy?.rules.filter((r) => (ruleId === undefined ? isTriedLately(r) : r.id === ruleId));
  if (!policy || !rules?.length) return { wrong };
  const facts = decideFacts(l);
  const armed = (doc: Policy): Armed[] =>
    rules.map((r) => ({
      policy: 0,
      version: 0,
      doc,
      rule: { ...r, mode: 'enforce', moments: [r.subject === 'appGrant' ? 'consent' : 'share'] },
      excepted: () => undefined,
    }));
  const judge = decider(facts, armed(policy));
  const already = decider(facts, armedOf(l));
  const pilot = decider(facts, armed(piloted(policy)));
  const surest = rules.map((r) => surestOf(l, policy, r));
  const { users } = l.org;
  const getters = gettersOf(l);
  const until = Date.parse(l.takenAt);
  const from = until - days * DAY;
  const byDay = new Map<string, { shared: number; hits: number }>();
  for (let t = from + DAY; t <= until; t += DAY) byDay.set(dayAt(t), { shared: 0, hits: 0 });
  const byPerson = new Map<number, number>();
  const byDepartment = new Map<string, number>();
  const byCertainty = new Map<number, number>();
  const rows: TrialRow[] = [];
  const sum = { shared: 0, hits: 0, refusedAlready: 0, inPilot: 0 };
  let stretch = performance.now() + STRETCH_MS;
  let turn = 0;
  for (const { at, asked, row } of madeFor(l, rules)) {
    if (!(turn++ & 63) && performance.now() > stretch) {
      await setImmediate();
      signal?.throwIfAborted();
      stretch = performance.now() + STRETCH_MS;
    }
    if (!(at > from && at <= until)) continue;
    const day = byDay.get(dayAt(at));
    sum.shared++;
    if (day) day.shared++;
    const judged = judge(asked);
    if (!judged.hits.length) continue;
    sum.hits++;
    if (day) day.hits++;
    if (!already(asked).decision) sum.refusedAlready++;
    if (pilot(asked).hits.length) sum.inPilot++;
    const { actor } = asked;
    byPerson.set(actor, (byPerson.get(actor) ?? 0) + 1);
    const department = users[actor]?.department ?? '';
    byDepartment.set(department, (byDepartment.get(department) ?? 0) + 1);
    const sure = surest.flatMap((of) => of(asked.node).certainty ?? []);
    const certainty = sure.length ? Math.max(...sure) : undefined;
    if (certainty !== undefined) {
      const ten = tenFrom(certainty);
      byCertainty.set(ten, (byCertainty.get(ten) ?? 0) + 1);
    }
    rows.push({
      at: new Date(at).toISOString(),
      actor: actor < 0 ? null : identityKey(l, actor),
      actorName: actor < 0 ? '' : getters.identity.name(actor),
      department: department || 'none',
      ...row(),
      certainty: certainty ?? null,
      refused: !judged.decision,
    });
  }
  const most = <K, T>(counts: ReadonlyMap<K, number>, tell: (k: K) => T): (T & { hits: number })[] =>
    [...counts]
      .sort((a, b) => b[1] - a[1])
      .slice(0, MOST)
      .map(([k, hits]) => ({ ...tell(k), hits }));
  return {
    wrong,
    trial: {
      days,
      ...sum,
      byDay: [...byDay].map(([day, n]) => ({ day, ...n })),
      people: most(byPerson, (i) => ({
        key: i < 0 ? null : identityKey(l, i),
        name: i < 0 ? 'somebody unknown' : getters.identity.name(i),
      })),
      ofPeople: byPerson.size,
      departments: most(byDepartment, (name) => ({ name: name || 'none' })),
      certainties: [...byCertainty].sort((a, b) => b[0] - a[0]).map(([at, hits]) => ({ from: at, hits })),
      rows: rows.sort((a, b) => (a.at < b.at ? 1 : -1)).slice(0, SHOWN),
    },
  };
}
