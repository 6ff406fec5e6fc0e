/** The least changes that meet a goal on some items, in words, with whom they hurt and what they close. */
import type { Change } from '../core/access/change.ts';
import { has } from '../core/access/bits.ts';
import type { Candidate } from '../core/remedy/candidate.ts';
import { CUT_STEPS, cutSteps } from '../core/remedy/cut.ts';
import { openItems, resolveGoal } from '../core/remedy/goal.ts';
import { nodeOfItem } from '../core/access/organisation.ts';
import { who, why } from '../core/access/questions.ts';
import type {
  CutChange,
  CutOption,
  CutPage,
  CutProgress,
  GoalProof,
  KeepOut,
  PlanGoal,
} from '../dto/remedy.ts';
import { cutDrawing } from './cut-drawing.ts';
import { changeWords, entryRef, nodeName, personRef, sentence } from './describe.ts';
import { effectOf } from './effect.ts';
import { usedFrom } from './holdings.ts';
import { key } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { findIdentity } from '../core/access/view.ts';
import { askedOf, makeable } from './planned.ts';

export interface CutQuery {
  items: { source: string; item: string }[];
  keepOut: KeepOut;
  /** Changes that must not be made. */
  pinned: Change[];
  /** Only changes that the workspaces can be asked to make. */
  plannable: boolean;
}

const PEOPLE = 40;

/**
 * Undefined where the goal names nobody that this survey knows, or none of the items is in it. Tells how far it is
 * before each part, so that others are answered meanwhile and it may be left.
 */
export function* cuts(l: Loaded, q: CutQuery): Generator<CutProgress, CutPage | undefined> {
  const numbers = new Set(
    q.items.map((i) => l.org.find('item', key(i.source, i.item))).filter((n) => n >= 0),
  );
  const goal = resolveGoal(l.view, q.keepOut, Int32Array.from(numbers).sort());
  if (!goal || !numbers.size) return undefined;
  const ruled = new Set<number>();
  for (const id of l.groupRules.keys()) ruled.add(l.org.find('group', id));
  const steps = cutSteps(l.view, l.columns, goal, {
    usage: l.usage,
    since: usedFrom(l),
    pins: { changes: new Set(q.pinned.map((c) => JSON.stringify(c))), ruled },
    ...(q.plannable && {
      makeable: (c: Change) => makeable(l, c) !== undefined,
    }),
    isFile: l.items.isFile,
  });
  let step = steps.next();
  for (; !step.done; step = steps.next())
    yield { step: step.value, done: CUT_STEPS.indexOf(step.value), of: CUT_STEPS.length + 1 };
  const { network, answer } = step.value;
  if (!answer.met)
    return {
      met: false,
      prevents: answer.prevents.map((p) => stepWords(l, p)),
      ...(answer.open && { open: answer.open }),
      untried: network.untried,
    };
  const found: CutOption[] = [];
  for (const cut of answer.cuts) {
    const done = CUT_STEPS.length + found.length / answer.cuts.length;
    yield { step: 'hurt', done, of: CUT_STEPS.length + 1 };
    const { members, external, points } = effectOf(
      l,
      cut.changes.map((c) => c.change),
    );
    const closed = points();
    found.push({
      character: cut.character,
      changes: cut.changes.map((c, k): CutChange => ({
        ...told(l, c),
        instead: cut.instead[k]!.map((x) => ({ words: changeWords(l, x.change), cost: x.cost })),
      })),
      cost: cut.changes.reduce((n, c) => n + c.cost, 0),
      value: cut.value[0],
      least: cut.least,
      members: members.length,
      external: external.length,
      people: [...members, ...external].slice(0, PEOPLE).map((i) => personRef(l, i)),
      closes: closed.reduce((n, p) => n + Math.max(0, p.before - p.after), 0),
      findings: closed.filter((p) => p.after === 0).length,
      drawing: cutDrawing(l, network, cut.changes),
    });
  }
  return { met: true, items: numbers.size, cuts: found, estimated: network.estimated };
}

const told = (l: Loaded, { change, kind, cost, entry }: Candidate): Omit<CutChange, 'instead'> => ({
  change,
  kind,
  cost,
  ...(entry !== undefined && { entry: entryRef(l, entry) }),
  ...askedOf(l, change),
  words: changeWords(l, change),
});

/** So many ways in that are left are told of a goal that does not hold. */
const WAYS = 6;

/** Whether goals hold in this survey, asked of each item anew. */
export function proveGoals(l: Loaded, goals: readonly PlanGoal[]): GoalProof[] {
  return goals.map(({ keepOut, items, words }): GoalProof => {
    const numbers = items.map((i) => l.org.find('item', key(i.source, i.item))).filter((n) => n >= 0);
    const goal = resolveGoal(l.view, keepOut, Int32Array.from(new Set(numbers)));
    // nobody is known by that name any more, so nobody of that name reaches anything
    if (!goal) return { words, holds: true, items: numbers.length, open: 0, ways: [] };
    const open = openItems(l.view, l.columns, goal);
    const ways = new Set<string>();
    for (const item of open.slice(0, 50)) {
      const node = nodeOfItem(l.org, item);
      who(l.view, node).forEach((bits, i) => {
        const [route] = bits && has(goal.who, i) && ways.size < WAYS ? why(l.view, i, node).routes : [];
        if (route && typeof route.source.entry === 'number')
          ways.add(`${nodeName(l, node)}: ${sentence(entryRef(l, route.source.entry))}`);
      });
      if (!ways.size) ways.add(nodeName(l, node));
    }
    return { words, holds: open.length === 0, items: numbers.length, open: open.length, ways: [...ways] };
  });
}

/** A step of a way, by kind and id, in words. */
function stepWords(l: Loaded, step: string): string {
  const at = step.indexOf(' ');
  const [kind, id] = [step.slice(0, at), step.slice(at + 1)];
  if (kind === 'identity') {
    const i = findIdentity(l.view, id);
    return i < 0 ? id : personRef(l, i).address;
  }
  if (kind === 'group') return `the group “${l.org.groups[l.org.find('group', id)]?.name ?? id}”`;
  if (kind === 'item' || kind === 'space') {
    const n = l.org.find(kind, id);
    return n < 0 ? id : `“${nodeName(l, kind === 'space' ? n : l.org.spaces.length + n)}”`;
  }
  if (kind === 'grant' || kind === 'link') {
    const e = l.org.find(kind, id);
    return e < 0 ? id : `the ${kind} to ${entryRef(l, e).to}`;
  }
  const space = /space (.*)$/.exec(step)?.[1];
  return space ? `the ${kind} of “${nodeName(l, l.org.find('space', space))}”` : step;
}
