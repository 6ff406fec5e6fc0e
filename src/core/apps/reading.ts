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
  forEachIn,
  has,
  type Bits,
  type Rows,
} from '../access/bits.ts';
import { GrowInt32, listsBy, type Lists } from '../access/growable.ts';
import { HELD, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { standsFor, who } from '../access/questions.ts';
import { addPrincipal, type View } from '../access/view.ts';
import { gathered } from '../gathered.ts';
import { CAP, type AppGrantRow } from '../model.ts';
import { once } from '../once.ts';
import { accessLists, countsOf, WIDTH, type AccessLists } from './lists.ts';
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
/** The place of those apps that read whatever anybody who has an account can open. */
const ANYBODY = 0;

/** The apps that read something in one workspace. Each of those that read for some people has a place. */
interface Readers {
  /** Numbers of the apps by place; −1 at that of anybody. */
  apps: number[];
  /** By number of the identity, the places of what reads for them; and those who have any. */
  placesOf: Lists;
  people: Bits;
  /** Apps that read for everyone who has an account, and those that read everything. */
  everyone: number[];
  all: number[];
  arena: Arena;
  /** Places of what reads: for groups, for those who are let in together, and what is of a class. */
  sets: Rows;
  /** The number of the next set that is free. */
  free: number;
  /** By number of those who are let in together their set; −1 where it is not made yet. */
  ofMany: Int32Array;
}

function readersIn(v: View, granted: readonly GrantedApp[], lists: AccessLists): Map<string, Readers> {
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
  const { many, groupsBySize, first } = lists;
  const classes = new Map<string, number>();
  org.spaces.forEach(({ workspace }, s) =>
    classes.set(workspace, (classes.get(workspace) ?? 0) + first[s + 1]! - first[s]!),
  );
  return new Map(
    [...readers].map(([ws, { users, places, ...r }]) => {
      if (r.everyone.length)
        for (let u = 0; u < org.users.length; u++)
          if (has(v.all, u)) {
            users.push(u);
            places.push(ANYBODY);
          }
      const people = bitsFor(v.identityCount);
      for (const u of users.state()) add(people, u);
      const count = many.length + (classes.get(ws) ?? 0) + 2 * groupsBySize.length;
      const arena = new Arena(r.apps.length, WIDTH * DIGITS + count);
      const ready: Readers = {
        ...r,
        placesOf: listsBy(users.done(), places.done(), v.identityCount),
        people,
        arena,
        sets: arena.rows(count),
        free: 0,
        ofMany: new Int32Array(many.length).fill(-1),
      };
      const among = new Map([v.all, v.members].map((who) => [who, placesOfGroups(v, ready, lists, who)]));
      many.forEach((m, n) => {
        // groups have accounts in them alone
        const who = m.allowed === v.accounts ? v.all : m.allowed;
        if (m.kind === PRINCIPAL.group)
          ready.ofMany[n] = among.get(who)?.get(v.groupMembers[m.number]!) ?? -1;
      });
      return [ws, ready];
    }),
  );
}

/** Adds the places of one identity to a set. */
function addPerson({ placesOf: { start, values }, sets }: Readers, into: number, identity: number): void {
  for (let k = start[identity]!; k < start[identity + 1]!; k++) sets.add(into, values[k]!);
}

/** Adds the places of those who are in some sets, the first of which may be shorter. */
function addPeople(r: Readers, into: number, some: Bits, among: Bits): void {
  for (let w = 0; w < some.length; w++)
    forEachIn(some[w]! & among[w]! & r.people[w]!, w, (u) => addPerson(r, into, u));
}

/** By its set, the places of those of some people who are in each group: of those it holds itself, and of the groups in it. */
function placesOfGroups(
  { org, groupMembers }: View,
  r: Readers,
  { groupsBySize }: AccessLists,
  among: Bits,
): Map<Bits, number> {
  const found = new Map<Bits, number>();
  for (const { set, groups } of groupsBySize) {
    const places = r.free++;
    const complete = groups.every((g) => {
      for (let k = org.members.start[g]!; k < org.members.start[g + 1]!; k++) {
        const m = org.members.values[k]!;
        const inner = m < 0 ? groupMembers[~m] : undefined;
        if (m >= 0) {
          if (has(among, m)) addPerson(r, places, m);
        } else if (inner && inner !== set) {
          const theirs = found.get(inner);
          if (theirs === undefined) return false;
          r.sets.union(places, theirs);
        }
      }
      return true;
    });
    // one in it that is as large comes later
    if (!complete) addPeople(r, places, set, among);
    found.set(set, places);
  }
  return found;
}

/** The places of all that reads for those who are let in together. */
function placesOfMany(v: View, r: Readers, { kind, number, allowed }: AccessLists['many'][number]): number {
  const places = r.free++;
  const group = kind === PRINCIPAL.group;
  const list = group ? v.groupLists[number] : undefined;
  if (list) {
    for (const u of list) if (has(allowed, u)) addPerson(r, places, u);
    return places;
  }
  const holders = group ? v.groupMembers[number]! : bitsFor(v.identityCount);
  if (!group) addPrincipal(v, holders, kind, number);
  addPeople(r, places, holders, allowed);
  return places;
}

/** Which apps could read what; worked out once for a survey. */
export class AppReads {
  /** Ids of the apps, by number. */
  readonly ids: string[];
  private readonly numbers = new Map<string, number>();
  private readonly readers: Map<string, Readers>;
  private readonly lists: AccessLists;
  /** By number of the class the set of the places of what reads it, of those of its workspace. */
  private readonly setOf: Int32Array;

  /** `granted`: what grants allow each app, by its id. */
  constructor(
    private readonly v: View,
    readonly granted: ReadonlyMap<string, GrantedApp>,
  ) {
    this.ids = [...granted.keys()];
    this.ids.forEach((id, a) => this.numbers.set(id, a));
    const lists = (this.lists = accessLists(v));
    this.readers = readersIn(v, [...granted.values()], lists);
    const { first, above, letIn, many } = lists;
    this.setOf = new Int32Array(above.length).fill(-1);
    v.org.spaces.forEach(({ workspace }, s) => {
      const r = this.readers.get(workspace);
      if (!r) return;
      const { sets, ofMany, people } = r;
      for (let c = first[s]!; c < first[s + 1]!; c++) {
        const set = (this.setOf[c] = r.free++);
        if (above[c]! >= 0) sets.union(set, this.setOf[above[c]!]!);
        for (let k = letIn.start[c]!; k < letIn.start[c + 1]!; k++) {
          const whom = letIn.values[k]!;
          if (whom >= 0) {
            // most have let in nothing, and that is quicker to see
            if (has(people, whom)) addPerson(r, set, whom);
          } else {
            if (ofMany[~whom]! < 0) ofMany[~whom] = placesOfMany(v, r, many[~whom]!);
            sets.union(set, ofMany[~whom]!);
          }
        }
      }
    });
  }

  /** Calls `visit` with the places of what reads an item as its owner’s and not with those it has its access in common with. */
  private owners(r: Readers, item: number, set: number, visit: (place: number) => void): void {
    const { org, spaces } = this.v;
    const owner = org.itemBreaks[item]! & HELD ? -1 : org.itemOwner[item]!;
    if (owner < 0 || !has(spaces[org.itemSpace[item]!]!.allowed, owner)) return;
    const { start, values } = r.placesOf;
    for (let k = start[owner]!; k < start[owner + 1]!; k++)
      if (!r.sets.has(set, values[k]!)) visit(values[k]!);
  }

  /** What each app could read, by its id. `weights`: of items, 0 to 4; `only`: numbers of spaces, all where absent. */
  readings(
    items: { isFile: Uint8Array; weights: Uint8Array },
    only?: readonly number[],
  ): Map<string, Reading> {
    const { org } = this.v;
    const { classOf, first } = this.lists;
    const total = new Int32Array(this.ids.length * WIDTH);
    const byClass = countsOf(this.lists, items);
    const counted = gathered(only ?? [...org.spaces.keys()], (s) => org.spaces[s]!.workspace);
    for (const [ws, r] of this.readers) {
      const spaces = counted.get(ws) ?? [];
      const places = new Int32Array(r.apps.length * WIDTH);
      for (const s of spaces)
        for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++)
          this.owners(r, i, this.setOf[classOf[i]!]!, (p) => {
            places[p * WIDTH]!++;
            if (items.isFile[i]) places[p * WIDTH + 1 + items.weights[i]!]!++;
          });
      const whole = new Int32Array(WIDTH);
      const column = new Int32Array(r.apps.length);
      for (let k = 0; k < WIDTH; k++) {
        const counts = r.arena.counts(k);
        for (const s of spaces)
          for (let c = first[s]!; c < first[s + 1]!; c++) {
            const n = byClass[c * WIDTH + k]!;
            whole[k]! += n;
            if (n) counts.add(r.sets.at(this.setOf[c]!), n);
          }
        counts.addTo(column.fill(0));
        for (let p = 0; p < column.length; p++) places[p * WIDTH + k]! += column[p]!;
      }
      const put = (app: number, from: Int32Array, at: number): void => {
        for (let k = 0; k < WIDTH; k++) total[app * WIDTH + k]! += from[at * WIDTH + k]!;
      };
      for (let p = ANYBODY + 1; p < r.apps.length; p++) put(r.apps[p]!, places, p);
      for (const a of r.everyone) put(a, places, ANYBODY);
      for (const a of r.all) put(a, whole, 0);
    }
    return new Map(
      this.ids.map((id, a) => {
        const [n, ...byWeight] = total.subarray(a * WIDTH, (a + 1) * WIDTH);
        return [id, { items: n!, files: byWeight.reduce((sum, x) => sum + x, 0), byWeight }];
      }),
    );
  }

  /**
   * What an app could read if somebody let it in too, with scopes that read what is theirs. `workspace`: the one where they do;
   * `user`: their number.
   */
  readingWith(
    app: string,
    workspace: string,
    user: number,
    items: { isFile: Uint8Array; weights: Uint8Array },
  ): Reading {
    const { org } = this.v;
    const { first, above, letIn, many, classOf } = this.lists;
    const inside = org.spaces.flatMap((s, n) => (s.workspace === workspace ? n : []));
    const outside = this.granted.has(app)
      ? org.spaces.flatMap((s, n) => (s.workspace === workspace ? [] : n))
      : [];
    const { byWeight, ...total } = outside.length
      ? this.readings(items, outside).get(app)!
      : { ...READS_NOTHING, byWeight: [0, 0, 0, 0, 0] };
    const put = (k: number, n: number): void => {
      if (k) byWeight[k - 1]! += n;
      else total.items += n;
    };
    const reads = this.readerOf(app, workspace);
    const byClass = countsOf(this.lists, items);
    const theirs = has(this.v.all, user);
    const ofMany = once((n) => {
      const { kind, number, allowed } = many[n]!;
      return has(allowed, user) && standsFor(this.v, kind, number, user);
    });
    /** By class whether they can open what is of it. */
    const opens = new Uint8Array(above.length);
    for (const s of inside) {
      for (let c = first[s]!; c < first[s + 1]!; c++) {
        if (theirs && above[c]! >= 0 && opens[above[c]!]) opens[c] = 1;
        for (let k = letIn.start[c]!; theirs && !opens[c] && k < letIn.start[c + 1]!; k++) {
          const whom = letIn.values[k]!;
          if (whom >= 0 ? whom === user : ofMany(~whom)) opens[c] = 1;
        }
        if (opens[c] || reads?.class(c)) for (let k = 0; k < WIDTH; k++) put(k, byClass[c * WIDTH + k]!);
      }
      for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
        const c = classOf[i]!;
        if (opens[c] || reads?.class(c)) continue;
        const own =
          theirs &&
          org.itemOwner[i] === user &&
          !(org.itemBreaks[i]! & HELD) &&
          has(this.v.spaces[s]!.allowed, user);
        if (!own && !reads?.owned(i)) continue;
        put(0, 1);
        if (items.isFile[i]) put(1 + items.weights[i]!, 1);
      }
    }
    return { ...total, files: byWeight.reduce((sum, n) => sum + n, 0), byWeight };
  }

  /** Whether an app reads what is of a class in a workspace, and an item as its owner’s; undefined where it reads nothing there. */
  private readerOf(
    app: string,
    workspace: string,
  ): { class(c: number): boolean; owned(item: number): boolean } | undefined {
    const r = this.readers.get(workspace);
    const a = this.numbers.get(app);
    if (!r || a === undefined) return undefined;
    if (r.all.includes(a)) return { class: () => true, owned: () => true };
    const place = r.everyone.includes(a) ? ANYBODY : r.apps.indexOf(a);
    if (place < 0) return undefined;
    return {
      class: (c) => r.sets.has(this.setOf[c]!, place),
      owned: (i) => {
        let found = false;
        this.owners(r, i, this.setOf[this.lists.classOf[i]!]!, (p) => (found ||= p === place));
        return found;
      },
    };
  }

  /** By number of the item: 1 where an app could read it. */
  readBy(app: string): Uint8Array {
    const { org } = this.v;
    const reads = new Uint8Array(org.itemIds.length);
    for (const workspace of this.readers.keys()) {
      const by = this.readerOf(app, workspace);
      if (!by) continue;
      org.spaces.forEach((space, s) => {
        if (space.workspace !== workspace) return;
        for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++)
          if (by.class(this.lists.classOf[i]!) || by.owned(i)) reads[i] = 1;
      });
    }
    return reads;
  }

  /** How many apps could read an item. */
  many(item: number): number {
    const of = this.of(item);
    if (!of) return 0;
    const { r, set } = of;
    const places = r.sets.at(set);
    let n = r.all.length + countBoth(places, places);
    this.owners(r, item, set, (p) => (n += p === ANYBODY ? r.everyone.length : 1));
    return r.sets.has(set, ANYBODY) ? n + r.everyone.length - 1 : n;
  }

  /** Ids of the apps that could read an item. */
  readersOf(item: number): string[] {
    const of = this.of(item);
    if (!of) return [];
    const { r, set } = of;
    const places: number[] = [];
    forEachBoth(r.sets.at(set), r.sets.at(set), (p) => places.push(p));
    this.owners(r, item, set, (p) => places.push(p));
    const apps = places.flatMap((p) => (p === ANYBODY ? r.everyone : r.apps[p]!));
    return [...r.all, ...apps].map((a) => this.ids[a]!);
  }

  /** By item what `make` makes of the ids of the apps that read it: once for those that have their access in common. */
  byItem<T>(make: (ids: string[]) => T): T[] {
    const nothing = make([]);
    const made: T[] = [];
    return Array.from({ length: this.v.org.itemIds.length }, (_, i) => {
      const of = this.of(i);
      if (!of) return nothing;
      let alone = false;
      this.owners(of.r, i, of.set, () => (alone = true));
      return alone ? make(this.readersOf(i)) : (made[this.lists.classOf[i]!] ??= make(this.readersOf(i)));
    });
  }

  private of(item: number): { r: Readers; set: number } | undefined {
    const { org } = this.v;
    const r = this.readers.get(org.spaces[org.itemSpace[item]!]!.workspace);
    return r && { r, set: this.setOf[this.lists.classOf[item]!]! };
  }
}
