/** What rules are about at all: which spaces, files and people are in the scope of any, and whether it responds or observes. */
import { setImmediate } from 'node:timers/promises';
import { budgetFor, ruleTest, subjectsOf } from '../core/guard/judge.ts';
import type { Subject } from '../core/guard/kinds.ts';
import type { Policy } from '../core/guard/schema.ts';
import type { Coverage, Covered } from '../dto/guard.ts';
import { appsOf } from './apps.ts';
import { nodeKey, nodeName, workspaceName } from './describe.ts';
import { gettersOf } from './facts.ts';
import { factsOf } from './guard.ts';
import type { Loaded } from './loaded.ts';

const OBSERVES = 1;
const ENFORCES = 2;
/** So many heavy spaces that nothing covers are told of. */
const SHOWN = 100;
const STRETCH_MS = 15;

const none = (): Covered => ({ all: 0, enforce: 0, observe: 0 });
function count(sum: Covered, how: number): void {
  sum.all++;
  if (how === ENFORCES) sum.enforce++;
  else if (how === OBSERVES) sum.observe++;
}

/**
 * Coverage by policies as they are: a file is covered by rules about files, and about grants and links, in whose scope it is;
 * a space by rules about spaces, or by what covers a file in it; a person by rules about people, an app that was let in by rules about
 * those, at rest or before it is.
 */
export async function coverage(
  l: Loaded,
  policies: readonly Policy[],
  signal?: AbortSignal,
): Promise<Coverage> {
  const S = l.org.spaces.length;
  const nodes = new Uint8Array(S + l.items.length);
  const people = new Uint8Array(l.view.identityCount);
  const asks = policies.some((p) => p.rules.some((r) => r.subject === 'appGrant' && r.mode !== 'paused'));
  // what apps read is worked out for those alone who ask about it
  const apps = new Uint8Array(asks ? appsOf(l).letIn().length : 0);
  const budget = budgetFor(nodes.length + people.length + apps.length);
  /** Scopes and filters that are alike are asked once. */
  const asked = new Map<string, { policy: Policy; subject: Subject; filter: boolean; how: number }>();
  for (const policy of policies)
    for (const { mode, subject: of } of policy.rules) {
      if (mode === 'paused' || of === 'group' || of === 'app') continue;
      const entry = of === 'grant' || of === 'link';
      const subject = entry ? 'item' : of;
      const key = JSON.stringify([policy.scope, entry ? null : policy.filter, subject]);
      const how = Math.max(asked.get(key)?.how ?? 0, mode === 'enforce' ? ENFORCES : OBSERVES);
      asked.set(key, { policy, subject, filter: !entry, how });
    }
  let until = performance.now() + STRETCH_MS;
  for (const { policy, subject, filter, how } of asked.values()) {
    const about = filter ? policy : { scope: policy.scope };
    const rule = { ...policy.rules[0]!, subject, if: 'true', mode: 'observe' as const };
    const covers = ruleTest(about, rule, factsOf(l), gettersOf(l), budget);
    const marks = subject === 'identity' ? people : subject === 'appGrant' ? apps : nodes;
    let k = 0;
    for (const n of subjectsOf(factsOf(l), subject)) {
      if (marks[n]! < how && covers(n)) marks[n] = how;
      if (++k & 255 || performance.now() < until) continue;
      await setImmediate();
      signal?.throwIfAborted();
      until = performance.now() + STRETCH_MS;
    }
  }
  const groups = new Map<string, Coverage['groups'][number]>();
  const bare: Coverage['bare'] = [];
  const weightOf = gettersOf(l).space;
  for (let s = 0; s < S; s++) {
    if (!l.org.spaceListed[s]) continue;
    const workspace = workspaceName(l, s);
    const { kind, label = '' } = l.org.spaces[s]!;
    const key = JSON.stringify([workspace, kind]);
    const group = groups.get(key) ?? { workspace, kind, spaces: none(), files: none() };
    groups.set(key, group);
    let how = nodes[s]!;
    let files = 0;
    for (let i = l.org.spaceFirst[s]!; i < l.org.spaceFirst[s + 1]!; i++) {
      how = Math.max(how, nodes[S + i]!);
      if (!l.items.isFile[i]) continue;
      files++;
      count(group.files, nodes[S + i]!);
    }
    count(group.spaces, how);
    if (!how)
      bare.push({
        key: nodeKey(l, s),
        name: nodeName(l, s),
        workspace,
        label,
        files,
        weight: weightOf.weight(s),
      });
  }
  const persons = none();
  for (const i of subjectsOf(factsOf(l), 'identity')) count(persons, people[i]!);
  const letIn = none();
  for (const how of apps) count(letIn, how);
  bare.sort((a, b) => b.weight - a.weight || b.files - a.files);
  return {
    groups: [...groups.values()].sort((a, b) => (a.workspace + a.kind < b.workspace + b.kind ? -1 : 1)),
    people: persons,
    apps: asks ? letIn : null,
    bare: bare.slice(0, SHOWN),
    ofBare: bare.length,
  };
}
