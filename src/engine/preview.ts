/** What planned changes would do: who loses what, who keeps it by another way, and what it closes. */
import { add, bitsFor, forEachBoth, has, union, type Bits } from '../core/access/bits.ts';
import type { Change } from '../core/access/change.ts';
import { whatIf, type Difference } from '../core/access/difference.ts';
import { nodeOfItem, PRINCIPAL } from '../core/access/organisation.ts';
import { spaceOf, who, why } from '../core/access/questions.ts';
import { addHolders, type ReachColumns } from '../core/access/reach.ts';
import type { View } from '../core/access/view.ts';
import { findExposures } from '../core/exposure/find.ts';
import { capabilityNames, TIERS, type Tier } from '../core/model.ts';
import { noWayBack } from '../core/remedy/fields.ts';
import { gainWords, type Gains, type PlannedChange } from '../core/remedy/plan.ts';
import { tells, tokensEnd } from '../connectors/abilities.ts';
import type { ChangeRef, Preview, PreviewPerson } from '../dto/remedy.ts';
import { appChangeWords, appsLosing } from './apps.ts';
import { changeWords, entryRef, nodeKey, nodeName, personRef, sentence } from './describe.ts';
import { usedFrom } from './holdings.ts';
import { USED_DAYS } from '../core/access/usage.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { coreOf, whyNotMade } from './planned.ts';

const PEOPLE = 1000;
const ITEMS = 500;
const KEEPING = 50;
/** Of so many changes it is told who comes by them and keeps what they have. */
const ASKED = 200;

/** Changes as people read them; those that this survey does not have are left out. */
export function changeRefs(l: Loaded, changes: readonly PlannedChange[]): ChangeRef[] {
  return changes.flatMap((p) => changeRef(l, p) ?? []);
}

function changeRef(l: Loaded, change: PlannedChange): ChangeRef | undefined {
  const c = coreOf(l, change);
  const not = whyNotMade(l, change);
  if (!c) {
    // access does not rest on it
    const words = appChangeWords(l, change);
    return words === undefined ? undefined : { change, words, ...(not && { cannot: not }) };
  }
  const e = 'grant' in c ? l.org.find('grant', c.grant) : 'link' in c ? l.org.find('link', c.link) : -1;
  return {
    change,
    words: changeWords(l, c),
    ...(e >= 0 && { entry: entryRef(l, e) }),
    ...(not && { cannot: not }),
  };
}

/** Access that is given from one state to another. */
class Giving {
  private readonly people = new Set<number>();
  private readonly items = new Set<number>();
  private tier = -1;

  constructor(private readonly l: Loaded) {}

  group(nodes: readonly number[], identities: Int32Array, from: Uint8Array, to: Uint8Array): void {
    const gainers = identities.filter((_, k) => (to[k]! & ~from[k]!) !== 0);
    if (!gainers.length) return;
    for (const i of gainers) this.people.add(i);
    for (const node of nodes)
      if (node >= this.l.org.spaces.length) this.items.add(node - this.l.org.spaces.length);
  }

  tiers(item: number, from: { now: Tier; could: Tier }, to: { now: Tier; could: Tier }): void {
    for (const of of ['now', 'could'] as const) {
      const tier = TIERS.indexOf(to[of]);
      if (tier <= TIERS.indexOf(from[of])) continue;
      this.items.add(item);
      this.tier = Math.max(this.tier, tier);
    }
  }

  sum(): Gains {
    const { members } = this.l.view;
    return {
      people: this.people.size,
      external: [...this.people].filter((i) => !has(members, i)).length,
      items: this.items.size,
      heaviest: [...this.items].reduce((w, i) => Math.max(w, this.l.weights[i]!), 0),
      tier: TIERS[this.tier] ?? null,
    };
  }
}

export function preview(l: Loaded, planned: readonly PlannedChange[]): Preview {
  const there = planned.flatMap((p) => {
    const change = coreOf(l, p);
    return change ? [{ p, change }] : [];
  });
  const difference = whatIf(
    l.view,
    there.map(({ change }) => change),
    l.columns,
  );
  const S = l.org.spaces.length;
  const since = usedFrom(l);
  const people = new Map<number, PreviewPerson & { bits: number }>();
  const losing = new Map<number, number>();
  const bySpace = new Map<number, { items: number; people: Set<number> }>();
  const given = new Giving(l);
  const back = new Giving(l);
  let heaviestLost = 0;
  for (const group of difference.groups) {
    given.group(group.nodes, group.identities, group.before, group.after);
    back.group(group.nodes, group.identities, group.after, group.before);
    const losers: number[] = [];
    const set = bitsFor(l.view.identityCount);
    const items = group.nodes.filter((n) => n >= S);
    group.identities.forEach((identity, i) => {
      const lost = group.before[i]! & ~group.after[i]!;
      if (!lost) return;
      losers.push(identity);
      add(set, identity);
      let p = people.get(identity);
      if (!p) {
        p = { ...personRef(l, identity), loses: 0, reduced: 0, used: 0, capabilities: [], bits: 0 };
        people.set(identity, p);
      }
      if (group.after[i] === 0) p.loses += items.length;
      else p.reduced += items.length;
      p.bits |= lost;
    });
    if (!losers.length) continue;
    if (losers.some((i) => has(l.view.members, i)))
      heaviestLost = items.reduce((w, n) => Math.max(w, l.weights[n - S]!), heaviestLost);
    for (const node of items) {
      losing.set(node - S, (losing.get(node - S) ?? 0) + losers.length);
      const { usage } = l;
      for (let k = usage.start[node - S]!; k < usage.start[node - S + 1]!; k++) {
        const identity = usage.identity[k]!;
        if (has(set, identity) && (usage.opened[k]! >= since || usage.edited[k]! >= since))
          people.get(identity)!.used++;
      }
      const space = spaceOf(l.view, node);
      let s = bySpace.get(space);
      if (!s) bySpace.set(space, (s = { items: 0, people: new Set() }));
      s.items++;
      for (const i of losers) s.people.add(i);
    }
  }
  const order = { member: 0, guest: 1, outsider: 2 };
  const list = [...people.values()]
    .map(({ bits, ...p }) => ({ ...p, capabilities: capabilityNames(bits) }))
    .sort(
      (a, b) =>
        b.used - a.used || order[a.kind] - order[b.kind] || b.loses - a.loses || (a.name < b.name ? -1 : 1),
    );

  const touchedItems = [...difference.touched].filter((n) => n >= S).map((n) => n - S);
  const pointsOf = (v: View, columns: ReachColumns) =>
    new Map(findExposures(v, columns, l.weights, touchedItems).map((e) => [e.item, e.points]));
  const before = pointsOf(l.view, difference.before);
  const after = pointsOf(difference.view, difference.after);
  const changed = touchedItems.flatMap((item) => {
    const node = nodeOfItem(l.org, item);
    const tiers = (c: ReachColumns) => ({ now: TIERS[c.nowTier[node]!]!, could: TIERS[c.couldTier[node]!]! });
    const was = { ...tiers(difference.before), points: before.get(item) ?? 0 };
    const is = { ...tiers(difference.after), points: after.get(item) ?? 0 };
    given.tiers(item, was, is);
    back.tiers(item, is, was);
    if (was.now === is.now && was.could === is.could && was.points === is.points) return [];
    return [{ item, was, is }];
  });
  changed.sort((a, b) => b.was.points - b.is.points - (a.was.points - a.is.points) || a.item - b.item);
  const total = (m: Map<number, number>) => [...m.values()].reduce((a, b) => a + b, 0);
  const messages = new Map<string, number>();
  for (const { p } of there) {
    const words = tells(l.ids.kind(p.source), p);
    if (words) messages.set(words, (messages.get(words) ?? 0) + 1);
  }
  const { entries, domains } = l.org;
  const refs = planned.map((p) => changeRef(l, p));
  const forGood = new Set(
    planned.flatMap((p) =>
      p.set ? [] : [noWayBack(p.kind) ?? [], tokensEnd(l.ids.kind(p.source), p) ?? []].flat(),
    ),
  );
  const gains = given.sum();
  const wider = gainWords(gains);
  return {
    survey: l.survey,
    takenAt: l.takenAt,
    changes: refs.flatMap((r) => r ?? []),
    missing: planned.filter((_, n) => !refs[n]),
    members: list.filter((p) => p.kind === 'member').length,
    guests: list.filter((p) => p.kind === 'guest').length,
    outsiders: list.filter((p) => p.kind === 'outsider').length,
    anybody: touchedItems.some(
      (i) =>
        difference.before.anyone[nodeOfItem(l.org, i)]! > 0 &&
        difference.after.anyone[nodeOfItem(l.org, i)] === 0,
    ),
    wholeDomains: [
      ...new Set(
        there.flatMap(({ change }) => {
          const e = 'grant' in change && !change.set ? l.org.find('grant', change.grant) : -1;
          const at = e < 0 ? -1 : entries.toKind.start[e]!;
          return at >= 0 && entries.toKind.values[at] === PRINCIPAL.domain
            ? domains[entries.toNumber.values[at]!]!
            : [];
        }),
      ),
    ],
    people: list.slice(0, PEOPLE),
    usedLately: list.filter((p) => p.used > 0).length,
    usedDays: USED_DAYS,
    ...keepers(
      l,
      difference,
      there.map(({ change }) => change),
      new Set(people.keys()),
    ),
    spaces: [...bySpace.entries()]
      .map(([s, x]) => ({ key: nodeKey(l, s), name: nodeName(l, s), items: x.items, people: x.people.size }))
      .sort((a, b) => b.people - a.people || b.items - a.items || (a.name < b.name ? -1 : 1)),
    items: changed.slice(0, ITEMS).map(({ item, was, is }) => ({
      key: nodeKey(l, nodeOfItem(l.org, item)),
      ...named(l, item),
      weight: l.weights[item]!,
      before: was,
      after: is,
      losing: losing.get(item) ?? 0,
    })),
    itemsTouched: touchedItems.length,
    itemsChanged: changed.length,
    heaviestLost,
    gains,
    ...(wider && { wider }),
    back: back.sum(),
    pointsBefore: total(before),
    pointsAfter: total(after),
    messages: [...messages].map(([words, count]) => ({ words, count })),
    apps: appsLosing(l, planned),
    ...(forGood.size && { forGood: [...forGood] }),
  };
}

function named(l: Loaded, item: number): { source: string; item: string; name: string; space: string } {
  const { source, id } = unkey(l.org.itemIds.at(item));
  return { source, item: id, name: l.items.name(item), space: nodeName(l, l.org.itemSpace[item]!) };
}

/** Where a change is felt, and everybody who comes by what it changes. */
function comingBy(l: Loaded, c: Change): { node: number; set: Bits } | undefined {
  const set = bitsFor(l.view.identityCount);
  if ('grant' in c || 'link' in c) {
    const e = 'grant' in c ? l.org.find('grant', c.grant) : l.org.find('link', c.link);
    if (e < 0 || l.org.entries.node[e]! < 0 || !l.view.live[e]) return undefined;
    addHolders(l.view, set, e);
    return { node: l.org.entries.node[e]!, set };
  }
  if ('space' in c && c.set.visibility !== undefined) {
    union(set, l.view.members);
    return { node: l.org.find('space', c.space), set };
  }
  return undefined;
}

/** Who comes by something that is changed, and after it can do as much as before by something else. */
function keepers(
  l: Loaded,
  difference: Difference,
  changes: readonly Change[],
  losers: ReadonlySet<number>,
): Pick<Preview, 'keep' | 'keeping'> {
  const found = new Map<number, number>();
  for (const c of changes.slice(0, ASKED)) {
    const by = comingBy(l, c);
    if (!by) continue;
    const left = who(difference.view, by.node);
    forEachBoth(by.set, l.view.all, (i) => {
      if (left[i] && !losers.has(i) && !found.has(i)) found.set(i, by.node);
    });
  }
  const keep = [...found].slice(0, KEEPING).map(([identity, node]) => {
    const [route] = why(difference.view, identity, node).routes;
    const entry = route?.source.entry;
    const by =
      typeof entry === 'number'
        ? sentence(entryRef(l, entry))
        : entry === 'ownership'
          ? 'owning it'
          : 'what the whole organisation sees';
    return { ...personRef(l, identity), by };
  });
  return { keep, keeping: found.size };
}
