/**
 * What apps could read and do: the union over their grants of what the scopes allow of what the person can do, and for what is of
 * all, of everything in the workspace. Items alone; by number. Pure.
 */
import {
  add,
  Arena,
  bitsFor,
  countBoth,
  DIGITS,
  forEachBoth,
  has,
  union,
  type Bits,
} from '../access/bits.ts';
import { GrowInt32, listsBy, type Lists } from '../access/growable.ts';
import { HELD, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { who } from '../access/questions.ts';
import {
  forEachRedeemer,
  LINK_NAMED,
  LINK_ORGANISATION,
  reachesPastBreaks,
  walkSpace,
} from '../access/reach.ts';
import { addPrincipal, soleIdentity, type SpaceRules, type View } from '../access/view.ts';
import { CAP, type AppGrantRow } from '../model.ts';
import { allowedBy, SHIPPED_SCOPES, type KnownScope } from './scopes.ts';

/** What the grants of one app in one workspace allow on items, in capability bits. */
interface Granted {
  /** Of what each of these people can do themselves, by number of the account. */
  people: Map<number, number>;
  /** Of what anybody who has an account can do, and of everything. */
  everyone: number;
  all: number;
}
/** The same by id of the workspace. */
export type GrantedApp = ReadonlyMap<string, Granted>;

/**
 * What grants allow each app, by its id. Of somebody whose account is not active they allow nothing. `scope`: what a scope
 * allows in a workspace.
 */
export function grantedApps(
  v: View,
  grants: Iterable<AppGrantRow>,
  scope: (scope: string, workspace: string) => KnownScope = (s) => SHIPPED_SCOPES.of(s),
): Map<string, GrantedApp> {
  const apps = new Map<string, Map<string, Granted>>();
  for (const g of grants) {
    const app = apps.get(g.app) ?? new Map<string, Granted>();
    apps.set(g.app, app);
    const of = app.get(g.workspace) ?? { people: new Map(), everyone: 0, all: 0 };
    app.set(g.workspace, of);
    const everyone = g.everyone === true;
    const allowed = allowedBy(
      g.scopes.map((s) => scope(s, g.workspace)),
      everyone,
    );
    if (everyone) {
      of.everyone |= allowed.own;
      of.all |= allowed.all;
      continue;
    }
    const user = g.user === undefined ? -1 : v.org.find('user', g.user);
    if (user >= 0 && has(v.all, user)) of.people.set(user, (of.people.get(user) ?? 0) | allowed.own);
  }
  return apps;
}

/** Through whom an app can do something: people by number, or a grant for everyone. */
export interface AppAccess {
  bits: number;
  everyone: boolean;
  people: number[];
}

/** What an app can do with a node, and through whom; people in rising order. `can`: what each identity can do with it. */
export function appAccess(v: View, app: GrantedApp, node: number, can = who(v, node)): AppAccess {
  const found: AppAccess = { bits: 0, everyone: false, people: [] };
  const granted = app.get(v.org.spaces[spaceOfNode(v.org, node)]!.workspace);
  if (!granted) return found;
  const { people, everyone, all } = granted;
  let forAll = all;
  if (everyone) for (let u = 0; u < v.org.users.length; u++) if (has(v.all, u)) forAll |= can[u]! & everyone;
  found.bits = forAll;
  found.everyone = forAll !== 0;
  for (const [u, allowed] of people) {
    const bits = can[u]! & allowed;
    if (!bits) continue;
    found.bits |= bits;
    found.people.push(u);
  }
  found.people.sort((a, b) => a - b);
  return found;
}

/** What an app could read: how many items and files, and files by weight. */
export interface Reading {
  items: number;
  files: number;
  byWeight: number[];
}
export const READS_NOTHING: Reading = { items: 0, files: 0, byWeight: [0, 0, 0, 0, 0] };
/** What is counted of each app: items, and files by weight. */
const WIDTH = 6;
/** The place of those apps that read whatever anybody who has an account can open. */
const ANYBODY = 0;

/** The apps that read something in one workspace. Each of those that read for some people has a place. */
interface Readers {
  /** Numbers of the apps by place; −1 at that of anybody. */
  apps: number[];
  /** By number of the identity, the places of what reads for them; and those who have any. */
  placesOf: Lists;
  people: Int32Array;
  /** Apps that read for everyone who has an account, and those that read everything. */
  everyone: number[];
  all: number[];
  arena: Arena;
  /** Places of all in each group, and of the members of ours in it, by its set. */
  ofGroups: Map<Bits, Bits>;
  ofMembers: Map<Bits, Bits>;
  /** By whom a space lets in, where it shuts somebody out. */
  known: Map<Bits | undefined, Known>;
}

function readersIn(v: View, granted: readonly GrantedApp[]): Map<string, Readers> {
  const { org } = v;
  const fresh = () => ({
    apps: [-1],
    users: new GrowInt32(),
    places: new GrowInt32(),
    everyone: [] as number[],
    all: [] as number[],
  });
  const readers = new Map<string, ReturnType<typeof fresh>>();
  granted.forEach((app, a) => {
    for (const [ws, { people, everyone, all }] of app) {
      const r = readers.get(ws) ?? fresh();
      readers.set(ws, r);
      // whoever reads for everyone reads for each of them
      if (all & CAP.open) r.all.push(a);
      else if (everyone & CAP.open) r.everyone.push(a);
      else {
        const place = r.apps.push(a) - 1;
        for (const [u, allowed] of people)
          if (allowed & CAP.open) {
            r.users.push(u);
            r.places.push(place);
          }
      }
    }
  });
  const sets = setsIn(v);
  return new Map(
    [...readers].map(([ws, { users, places, ...r }]) => {
      if (r.everyone.length)
        for (let u = 0; u < org.users.length; u++)
          if (has(v.all, u)) {
            users.push(u);
            places.push(ANYBODY);
          }
      const ready: Readers = {
        ...r,
        placesOf: listsBy(users.done(), places.done(), v.identityCount),
        people: Int32Array.from(new Set(users.state())),
        arena: new Arena(r.apps.length, WIDTH * DIGITS + 2 * org.groups.length + (sets.get(ws) ?? 0)),
        ofGroups: new Map(),
        ofMembers: new Map(),
        known: new Map(),
      };
      placesOfGroups(v, ready, ready.ofGroups, v.all);
      placesOfGroups(v, ready, ready.ofMembers, v.members);
      return [ws, ready];
    }),
  );
}

/** How many access classes each workspace has at most: nodes with entries of their own, and three of each space. */
function setsIn(v: View): Map<string, number> {
  const sets = new Map<string, number>();
  const { spaces, entries } = v.org;
  const some = (ws: string, n: number): void => void sets.set(ws, (sets.get(ws) ?? 0) + n);
  for (const { workspace } of spaces) some(workspace, 3);
  for (let e = 0, last = -1; e < entries.ids.length; e++) {
    const node = entries.node[e]!;
    if (node !== last && node >= 0) some(spaces[spaceOfNode(v.org, node)]!.workspace, 1);
    last = node;
  }
  return sets;
}

/** Adds the places of one identity. */
function addPerson({ placesOf: { start, values } }: Readers, into: Bits, identity: number): void {
  for (let k = start[identity]!; k < start[identity + 1]!; k++) add(into, values[k]!);
}

/** Adds the places of those of a list who are in a set. */
function addPeople(r: Readers, into: Bits, list: Int32Array, holders: Bits): void {
  for (let k = 0; k < list.length; k++) if (has(holders, list[k]!)) addPerson(r, into, list[k]!);
}

/** The places of those of some people who are in each group: of those it holds itself, and of the groups in it, the smaller ones first. */
function placesOfGroups({ org, groupMembers }: View, r: Readers, found: Map<Bits, Bits>, among: Bits): void {
  const people = r.people.filter((u) => has(among, u));
  const alike = new Map<Bits, number[]>();
  groupMembers.forEach((set, g) => {
    const same = alike.get(set);
    if (same) same.push(g);
    else alike.set(set, [g]);
  });
  const bySize = [...alike].map(([set, groups]) => ({ set, groups, size: countBoth(set, set) }));
  for (const { set, groups } of bySize.sort((a, b) => a.size - b.size)) {
    const places = r.arena.make();
    const complete = groups.every((g) => {
      for (let k = org.members.start[g]!; k < org.members.start[g + 1]!; k++) {
        const m = org.members.values[k]!;
        const inner = m < 0 ? groupMembers[~m] : undefined;
        if (m >= 0) {
          if (has(among, m)) addPerson(r, places, m);
        } else if (inner && inner !== set) {
          const theirs = found.get(inner);
          if (!theirs) return false;
          union(places, theirs);
        }
      }
      return true;
    });
    // one in it that is as large comes later
    if (!complete) addPeople(r, places, people, set);
    found.set(set, places);
  }
}

/** What is known where a space has some rules. */
interface Known {
  /** Places of everybody whom something granted to stands for, by kind and number. */
  of: (Bits | undefined)[][];
  /** Those it lets in who have let something in. */
  people: Int32Array;
}

function knownWith(v: View, r: Readers, { shutsOut, allowed }: SpaceRules): Known {
  const key = shutsOut ? allowed : undefined;
  let known = r.known.get(key);
  if (!known) {
    r.known.set(key, (known = { of: [], people: r.people.filter((u) => has(allowed, u)) }));
    // as long as it can get, so that it stays a plain array
    known.of[PRINCIPAL.group] = new Array<undefined>(v.org.groups.length).fill(undefined);
  }
  return known;
}

/** The places of all that reads for those that a principal of many stands for, of whom a space lets in. */
function placesFor(v: View, r: Readers, rules: SpaceRules, known: Known, kind: number, number: number): Bits {
  const byNumber = (known.of[kind] ??= []);
  const places = byNumber[number];
  if (places) return places;
  const group = kind === PRINCIPAL.group ? v.groupMembers[number]! : undefined;
  // without a gate everybody who has an account comes in, or members alone
  if (group && !rules.gate)
    return (byNumber[number] = (rules.shared === v.members ? r.ofMembers : r.ofGroups).get(group)!);
  const holders = group ?? bitsFor(v.identityCount);
  if (!group) addPrincipal(v, holders, kind, number);
  const made = (byNumber[number] = r.arena.make());
  addPeople(r, made, known.people, holders);
  return made;
}

/** What is worked out of the classes of one workspace. */
interface Classes {
  r: Readers;
  /** Places of the apps that read what is of a class, by number. */
  sets: Bits[];
}

/** Works out the access classes of a space, and which of them each item is of. */
function classesOf(v: View, { r, sets }: Classes, s: number, classOf: Int32Array): void {
  const { org } = v;
  const { entries } = org;
  const { toKind, toNumber } = entries;
  const rules = v.spaces[s]!;
  const known = knownWith(v, r, rules);
  const fresh = (from?: number): number => {
    const set = r.arena.make();
    if (from !== undefined) set.set(sets[from]!);
    return sets.push(set) - 1;
  };
  const addAllowed = (into: Bits, identity: number): void => {
    if (identity >= 0 && (!rules.shutsOut || has(rules.allowed, identity))) addPerson(r, into, identity);
  };
  const addEntry = (into: Bits, e: number): void => {
    const type = entries.type[e]!;
    if (type > LINK_NAMED) {
      if (type === LINK_ORGANISATION || !rules.anyoneInert) forEachRedeemer(v, e, (i) => addAllowed(into, i));
      return;
    }
    const last = toKind.start[e + 1]!;
    for (let i = toKind.start[e]!; i < last; i++) {
      const kind = toKind.values[i]!;
      const number = toNumber.values[i]!;
      if (kind === PRINCIPAL.user || kind === PRINCIPAL.address)
        addAllowed(into, soleIdentity(v, kind, number));
      else if (kind !== PRINCIPAL.anyone || !rules.anyoneInert)
        union(into, placesFor(v, r, rules, known, kind, number));
    }
  };
  const addNode = (to: number, node: number, takes = (e: number): boolean => v.live[e] === 1): number => {
    const last = entries.first[node + 1]!;
    for (let e = entries.first[node]!; e < last; e++) if (takes(e)) addEntry(sets[to]!, e);
    return to;
  };
  const top = addNode(fresh(), s);
  if (org.spaces[s]!.visibility === 'organisation')
    union(sets[top]!, placesFor(v, r, rules, known, PRINCIPAL.everyone, 0));
  walkSpace<number>(v, s, undefined, {
    top,
    pastBreak: () => addNode(fresh(), s, (e) => reachesPastBreaks(v, e)),
    nobody: fresh,
    with: (above, node) => addNode(fresh(above), node),
    at: (item, of) => (classOf[item] = of),
    done: () => undefined,
  });
}

/** Which apps could read what; worked out once for a survey. */
export class AppReads {
  /** Ids of the apps, by number. */
  readonly ids: string[];
  private readonly numbers = new Map<string, number>();
  private readonly classes: Map<string, Classes>;
  /** By number of the item its class, among those of its workspace. */
  private readonly classOf: Int32Array;

  /** `granted`: what grants allow each app, by its id. */
  constructor(
    private readonly v: View,
    readonly granted: ReadonlyMap<string, GrantedApp>,
  ) {
    this.ids = [...granted.keys()];
    this.ids.forEach((id, a) => this.numbers.set(id, a));
    this.classOf = new Int32Array(v.org.itemIds.length);
    this.classes = new Map([...readersIn(v, [...granted.values()])].map(([ws, r]) => [ws, { r, sets: [] }]));
    v.org.spaces.forEach(({ workspace }, s) => {
      const of = this.classes.get(workspace);
      if (of) classesOf(v, of, s, this.classOf);
    });
  }

  /** Calls `visit` with the places of what reads an item as its owner’s and not with those it has its access in common with. */
  private owners(r: Readers, item: number, set: Bits, visit: (place: number) => void): void {
    const { org, spaces } = this.v;
    const owner = org.itemBreaks[item]! & HELD ? -1 : org.itemOwner[item]!;
    if (owner < 0 || !has(spaces[org.itemSpace[item]!]!.allowed, owner)) return;
    const { start, values } = r.placesOf;
    for (let k = start[owner]!; k < start[owner + 1]!; k++) if (!has(set, values[k]!)) visit(values[k]!);
  }

  /** What each app could read, by its id. `weights`: of items, 0 to 4; `only`: numbers of spaces, all where absent. */
  readings(
    items: { isFile: Uint8Array; weights: Uint8Array },
    only?: readonly number[],
  ): Map<string, Reading> {
    const { org } = this.v;
    const total = new Int32Array(this.ids.length * WIDTH);
    const counting = new Map(
      [...this.classes].map(([ws, of]) => [
        ws,
        {
          ...of,
          byClass: new Int32Array(of.sets.length * WIDTH),
          ofOwners: new Int32Array(of.r.apps.length * WIDTH),
        },
      ]),
    );
    for (const s of only ?? org.spaces.keys()) {
      const of = counting.get(org.spaces[s]!.workspace);
      if (!of) continue;
      const { r, sets, byClass, ofOwners } = of;
      for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
        const cls = this.classOf[i]!;
        const k = items.isFile[i] ? 1 + items.weights[i]! : 0;
        byClass[cls * WIDTH]!++;
        if (k) byClass[cls * WIDTH + k]!++;
        this.owners(r, i, sets[cls]!, (p) => {
          ofOwners[p * WIDTH]!++;
          if (k) ofOwners[p * WIDTH + k]!++;
        });
      }
    }
    for (const { r, sets, byClass, ofOwners } of counting.values()) {
      const byPlace = ofOwners;
      const whole = new Int32Array(WIDTH);
      const column = new Int32Array(r.apps.length);
      for (let k = 0; k < WIDTH; k++) {
        const counts = r.arena.counts(k);
        for (let cls = 0; cls < sets.length; cls++) {
          const n = byClass[cls * WIDTH + k]!;
          whole[k]! += n;
          if (n) counts.add(sets[cls]!, n);
        }
        counts.addTo(column.fill(0));
        for (let p = 0; p < column.length; p++) byPlace[p * WIDTH + k]! += column[p]!;
      }
      const put = (app: number, from: Int32Array, at: number): void => {
        for (let k = 0; k < WIDTH; k++) total[app * WIDTH + k]! += from[at * WIDTH + k]!;
      };
      for (let p = ANYBODY + 1; p < r.apps.length; p++) put(r.apps[p]!, byPlace, p);
      for (const a of r.everyone) put(a, byPlace, ANYBODY);
      for (const a of r.all) put(a, whole, 0);
    }
    return new Map(
      this.ids.map((id, a) => {
        const [n, ...byWeight] = total.subarray(a * WIDTH, (a + 1) * WIDTH);
        return [id, { items: n!, files: byWeight.reduce((sum, x) => sum + x, 0), byWeight }];
      }),
    );
  }

  /** By number of the item: 1 where an app could read it. */
  readBy(app: string): Uint8Array {
    const { org } = this.v;
    const reads = new Uint8Array(org.itemIds.length);
    const a = this.numbers.get(app);
    if (a === undefined) return reads;
    const readers = new Map(
      [...this.classes].map(([ws, { r, sets }]) => [
        ws,
        { r, sets, all: r.all.includes(a), place: r.everyone.includes(a) ? ANYBODY : r.apps.indexOf(a) },
      ]),
    );
    org.spaces.forEach(({ workspace }, s) => {
      const of = readers.get(workspace);
      if (!of || (!of.all && of.place < 0)) return;
      const { r, sets, place } = of;
      const [from, to] = [org.spaceFirst[s]!, org.spaceFirst[s + 1]!];
      if (of.all) reads.fill(1, from, to);
      else
        for (let i = from; i < to; i++) {
          const set = sets[this.classOf[i]!]!;
          if (has(set, place)) reads[i] = 1;
          else this.owners(r, i, set, (p) => p === place && (reads[i] = 1));
        }
    });
    return reads;
  }

  /** How many apps could read an item. */
  many(item: number): number {
    const of = this.of(item);
    if (!of) return 0;
    const { r, set } = of;
    let n = r.all.length + countBoth(set, set);
    this.owners(r, item, set, (p) => (n += p === ANYBODY ? r.everyone.length : 1));
    return has(set, ANYBODY) ? n + r.everyone.length - 1 : n;
  }

  /** Ids of the apps that could read an item. */
  readersOf(item: number): string[] {
    const of = this.of(item);
    if (!of) return [];
    const { r, set } = of;
    const places: number[] = [];
    forEachBoth(set, set, (p) => places.push(p));
    this.owners(r, item, set, (p) => places.push(p));
    const apps = places.flatMap((p) => (p === ANYBODY ? r.everyone : r.apps[p]!));
    return [...r.all, ...apps].map((a) => this.ids[a]!);
  }

  /** By item what `make` makes of the ids of the apps that read it: once for those that have their access in common. */
  byItem<T>(make: (ids: string[]) => T): T[] {
    const { org } = this.v;
    const made = new Map<Readers | undefined, T[]>();
    return Array.from({ length: org.itemIds.length }, (_, i) => {
      const of = this.of(i);
      const known = made.get(of?.r) ?? [];
      made.set(of?.r, known);
      const cls = of ? this.classOf[i]! : 0;
      let alone = false;
      if (of) this.owners(of.r, i, of.set, () => (alone = true));
      return alone ? make(this.readersOf(i)) : (known[cls] ??= make(this.readersOf(i)));
    });
  }

  private of(item: number): { r: Readers; set: Bits } | undefined {
    const { org } = this.v;
    const of = this.classes.get(org.spaces[org.itemSpace[item]!]!.workspace);
    return of && { r: of.r, set: of.sets[this.classOf[item]!]! };
  }
}
