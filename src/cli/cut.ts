/** The least change that meets a goal, on an extract and without a database. */
import { readFileSync } from 'node:fs';
import { has } from '../core/access/bits.ts';
import type { Change } from '../core/access/change.ts';
import { losersOf } from '../core/access/difference.ts';
import { resolveDeeds, usageOf } from '../core/access/usage.ts';
import { identityName, type View } from '../core/access/view.ts';
import type { ReachColumns } from '../core/access/reach.ts';
import type { Candidate } from '../core/remedy/candidate.ts';
import { CUT_STEPS, cutSteps } from '../core/remedy/cut.ts';
import { resolveGoal, type KeepOut } from '../core/remedy/goal.ts';
import { goalSchema, type GoalFile } from '../formats/goal.ts';
import { complaint } from '../formats/rows.ts';
import { CliError, print, progress } from './messages.ts';
import { identityNamed, refuseUnknown, unknown, withIds } from './names.ts';
import type { FactsOptions } from './facts.ts';
import { openJudged } from './organisation.ts';

const DAY = 86_400_000;

/**
 * Prints one line for each cut: `{character, changes: [{change, kind, cost, instead}], cost, value, least, losing}`,
 * the one that hurts fewest first; or `{met: false, prevents}` where nothing that may be cut meets the goal.
 */
export async function cut(dir: string, file: string, options: FactsOptions): Promise<void> {
  const goal = await readGoal(file);
  const { where } = goal.of;
  // what files hold is read for a condition alone
  const facts = where === undefined ? undefined : await (await import('./facts.ts')).openFacts(dir, options);
  const judged = facts ?? (await openJudged(dir, options, { activity: true }));
  const { org, view: v, columns, isFile, activity } = judged;
  const S = org.spaces.length;
  const wanted = new Set<number>();
  for (const id of goal.of.items ?? []) {
    const i = org.find('item', id);
    if (i < 0) throw unknown(org, 'item', id);
    wanted.add(i);
  }
  for (const id of goal.of.spaces ?? []) {
    const s = org.find('space', id);
    if (s < 0 || !org.spaceListed[s]) throw unknown(org, 'space', id);
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) wanted.add(i);
  }
  if (facts && where !== undefined) {
    const { compileFilter } = await import('../core/filter/filter.ts');
    const holds = compileFilter(where, 'items', facts.getters.item, v.moment);
    for (let i = 0; i < org.itemIds.length; i++) if (holds(S + i)) wanted.add(i);
  }
  const pinned = goal.pinned.map((change) => withIds(org, change));
  for (const change of pinned) refuseUnknown(org, change, 'pinned');
  const resolved = resolveGoal(v, keptOut(v, goal.keepOut), Int32Array.from(wanted).sort());
  if (!resolved)
    throw new CliError('keepOut: the account that it names is not active, so it reaches nothing.');
  const steps = cutSteps(v, columns, resolved, {
    usage: usageOf(org, resolveDeeds(v, activity)),
    since: v.moment - goal.usedDays * DAY,
    pins: { changes: new Set(pinned.map((c) => JSON.stringify(c))), ruled: new Set() },
    isFile,
  });
  let step = steps.next();
  for (; !step.done; step = steps.next())
    progress(`Finding the least change, ${step.value}`, CUT_STEPS.indexOf(step.value), CUT_STEPS.length);
  const { network, answer } = step.value;
  if (!answer.met) {
    await print({
      met: false,
      prevents: answer.prevents,
      ...(answer.open && { open: answer.open }),
      ...(network.untried.length && { untried: network.untried }),
    });
    process.exitCode = 1;
    return;
  }
  for (const c of answer.cuts)
    await print({
      character: c.character,
      changes: c.changes.map((x, k) => ({ ...told(x), instead: c.instead[k]!.map(told) })),
      cost: c.changes.reduce((n, x) => n + x.cost, 0),
      value: c.value[0],
      least: c.least,
      ...(network.estimated && { estimated: true }),
      losing: losing(
        v,
        columns,
        c.changes.map((x) => x.change),
      ),
    });
}

/** Who is to be kept out, with accounts by their ids. Throws CliError where the extract does not have them. */
function keptOut(v: View, keepOut: KeepOut): KeepOut {
  if ('identity' in keepOut) {
    const identity = identityNamed(v, keepOut.identity);
    return identity < 0 ? keepOut : { identity: identityName(v, identity) };
  }
  const group = 'group' in keepOut ? keepOut.group : 'beyond' in keepOut ? keepOut.beyond : undefined;
  if (group !== undefined && v.org.find('group', group) < 0)
    throw unknown(v.org, 'group', group, 'keepOut: ');
  return keepOut;
}

const told = ({ change, kind, cost }: Candidate) => ({ change, kind, cost });

async function readGoal(file: string): Promise<GoalFile> {
  let json: unknown;
  try {
    json = JSON.parse(readFileSync(file, 'utf8'));
  } catch (e) {
    throw new CliError(`${file} could not be read as JSON: ${(e as Error).message}`);
  }
  const parsed = goalSchema.safeParse(json);
  if (!parsed.success) throw new CliError(`${file} is not a goal: ${complaint(parsed.error)}`);
  try {
    if (parsed.data.of.where !== undefined)
      (await import('../core/filter/filter.ts')).checkFilter(parsed.data.of.where, 'items');
  } catch (e) {
    throw new CliError((e as Error).message);
  }
  return parsed.data;
}

/** How many lose something by all the changes together. */
function losing(v: View, columns: ReachColumns, changes: Change[]): { members: number; external: number } {
  const people = losersOf(v, changes, columns);
  const members = [...people].filter((i) => has(v.members, i)).length;
  return { members, external: people.size - members };
}
