/**
 * What apps could read and do: the union over their grants of what the scopes allow of what the person can do, and for what is of
 * all, of everything in the workspace. Items alone; by number. Pure.
 */
import { add, anyBoth, bitsFor, has, type Bits } from '../access/bits.ts';
import { nodeOfItem, spaceOfNode } from '../access/organisation.ts';
import { who } from '../access/questions.ts';
import { reachWithHolders } from '../access/reach.ts';
import type { View } from '../access/view.ts';
import { CAP, type AppGrantRow } from '../model.ts';
import { allowedBy } from './scopes.ts';

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

/** What grants allow each app, by its id. Of somebody whose account is not active they allow nothing. */
export function grantedApps(v: View, grants: Iterable<AppGrantRow>): Map<string, GrantedApp> {
  const apps = new Map<string, Map<string, Granted>>();
  for (const g of grants) {
    const app = apps.get(g.app) ?? new Map<string, Granted>();
    apps.set(g.app, app);
    const of = app.get(g.workspace) ?? { people: new Map(), everyone: 0, all: 0 };
    app.set(g.workspace, of);
    const everyone = g.everyone === true;
    const allowed = allowedBy(g.scopes, everyone);
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

/** What an app can do with a node, and through whom; people in rising order. */
export function appAccess(v: View, app: GrantedApp, node: number): AppAccess {
  const found: AppAccess = { bits: 0, everyone: false, people: [] };
  const granted = app.get(v.org.spaces[spaceOfNode(v.org, node)]!.workspace);
  if (!granted) return found;
  const { people, everyone, all } = granted;
  const can = who(v, node);
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
/** A reading as numbers: items, files, and files by weight. */
const WIDTH = 7;

/** So many access classes are worked out together: the bits of a word. */
const BLOCK = 32;

/** What the apps of one workspace could read. */
interface Readers {
  /** Numbers of the apps that read for some people, and of each of them those people. */
  apps: number[];
  people: Int32Array[];
  /** By person the places of their apps in `apps`. */
  appsOf: Map<number, number[]>;
  /** Everybody who has let one in. */
  among: Bits;
  /** Apps that read for everyone who has an account, and those that read everything; with what each of them reads. */
  everyone: number[];
  all: number[];
  ofEveryone: Float64Array;
  ofAll: Float64Array;
  /** Access classes in the order in which they were met. */
  classes: number[];
  /** The holders of those that are not worked out yet, and how many they are. */
  waiting: Int32Array;
  count: number;
  /** By block and app a word of classes: a bit where the app reads what is of the class. */
  blocks: Int32Array[];
}

function readersOf(
  v: View,
  apps: readonly string[],
  granted: ReadonlyMap<string, GrantedApp>,
): Map<string, Readers> {
  const readers = new Map<string, Readers>();
  const words = bitsFor(v.identityCount).length;
  const none = (): Readers => ({
    apps: [],
    people: [],
    appsOf: new Map(),
    among: bitsFor(v.identityCount),
    everyone: [],
    all: [],
    ofEveryone: new Float64Array(WIDTH),
    ofAll: new Float64Array(WIDTH),
    classes: [],
    waiting: new Int32Array(BLOCK * words),
    count: 0,
    blocks: [],
  });
  apps.forEach((id, a) => {
    for (const [ws, { people, everyone, all }] of granted.get(id)!) {
      const r = readers.get(ws) ?? none();
      readers.set(ws, r);
      // whoever reads for everyone reads for each of them
      if (all & CAP.open) r.all.push(a);
      else if (everyone & CAP.open) r.everyone.push(a);
      else {
        const reading = [...people].flatMap(([u, allowed]) => (allowed & CAP.open ? u : []));
        if (!reading.length) continue;
        for (const u of reading) {
          const had = r.appsOf.get(u);
          if (had) had.push(r.apps.length);
          else r.appsOf.set(u, [r.apps.length]);
          add(r.among, u);
        }
        r.apps.push(a);
        r.people.push(Int32Array.from(reading));
      }
    }
  });
  return readers;
}

/** Turns 32 words of 32 bits: bit k of word j becomes bit j of word k (Hacker’s Delight §7-3, from memory). */
export function transpose32(a: Int32Array): void {
  for (let j = 16, m = 0x0000ffff; j; j >>>= 1, m ^= m << j)
    for (let k = 0; k < 32; k = ((k | j) + 1) & ~j) {
      const t = ((a[k]! >>> j) ^ a[k | j]!) & m;
      a[k | j]! ^= t;
      a[k]! ^= t << j;
    }
}

/** Works out which apps read the classes that wait. `turned`: room for a word for each identity. */
function settleBlock(r: Readers, turned: Int32Array): void {
  const words = r.among.length;
  const group = new Int32Array(BLOCK);
  for (let w = 0; w < words; w++) {
    if (!r.among[w]) continue;
    let some = 0;
    for (let k = 0; k < BLOCK; k++) some |= group[k] = r.waiting[k * words + w]!;
    if (some) transpose32(group);
    turned.set(group, w * BLOCK);
  }
  r.blocks.push(
    Int32Array.from(r.people, (people) => {
      let classes = 0;
      for (const u of people) classes |= turned[u]!;
      return classes;
    }),
  );
  r.waiting.fill(0);
  r.count = 0;
}

/**
 * What every app could read. `granted`: what grants allow each, by its id; `weights`: of items, 0 to 4. By id of the app.
 *
 * An app reads an access class where one of its people is among the holders: with the classes as bits of people turned into people
 * as bits of classes, that is the union of the rows of its people.
 */
export function readings(
  v: View,
  granted: ReadonlyMap<string, GrantedApp>,
  items: { isFile: Uint8Array; weights: Uint8Array },
): Map<string, Reading> {
  const { org } = v;
  const apps = [...granted.keys()];
  const readers = readersOf(v, apps, granted);
  const accounts = bitsFor(v.identityCount);
  for (let u = 0; u < org.users.length; u++) if (has(v.all, u)) add(accounts, u);
  const turned = new Int32Array(accounts.length * BLOCK);
  /** By access class: somebody who has an account holds something; and its place among those of its workspace. */
  const anybody: boolean[] = [];
  const place: number[] = [];
  const columns = reachWithHolders(v, (cls, bits, s) => {
    const r = readers.get(org.spaces[s]!.workspace);
    if (!r) return;
    anybody[cls] = r.everyone.length > 0 && anyBoth(bits, accounts);
    if (!r.apps.length) return;
    place[cls] = r.classes.push(cls) - 1;
    r.waiting.set(bits, r.count * bits.length);
    if (++r.count === BLOCK) settleBlock(r, turned);
  });
  const total = new Float64Array(apps.length * WIDTH);
  const count = (into: Float64Array, at: number, i: number): void => {
    into[at * WIDTH]!++;
    if (!items.isFile[i]) return;
    into[at * WIDTH + 1]!++;
    into[at * WIDTH + 2 + items.weights[i]!]!++;
  };
  const byClass = new Float64Array(columns.classes.length * WIDTH);
  for (const r of readers.values()) if (r.count) settleBlock(r, turned);
  for (let s = 0; s < org.spaces.length; s++) {
    const r = readers.get(org.spaces[s]!.workspace);
    if (!r) continue;
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
      const node = nodeOfItem(org, i);
      const cls = columns.accessClass[node]!;
      count(byClass, cls, i);
      count(r.ofAll, 0, i);
      const owner = columns.ownerAdds[node] ? org.itemOwner[i]! : -1;
      if (anybody[cls] || (owner >= 0 && owner < org.users.length)) count(r.ofEveryone, 0, i);
      if (owner < 0) continue;
      for (const a of r.appsOf.get(owner) ?? [])
        if (!readsClass(r, a, place[cls]!)) count(total, r.apps[a]!, i);
    }
  }
  for (const r of readers.values()) {
    for (const a of r.all) for (let k = 0; k < WIDTH; k++) total[a * WIDTH + k]! += r.ofAll[k]!;
    for (const a of r.everyone) for (let k = 0; k < WIDTH; k++) total[a * WIDTH + k]! += r.ofEveryone[k]!;
    addClasses(r, byClass, total);
  }
  return new Map(
    apps.map((id, a) => {
      const [n, files, ...byWeight] = total.subarray(a * WIDTH, (a + 1) * WIDTH);
      return [id, { items: n!, files: files!, byWeight }];
    }),
  );
}

const readsClass = (r: Readers, app: number, at: number): boolean =>
  ((r.blocks[at >>> 5]![app]! >>> (at & 31)) & 1) === 1;

/** Adds what is in the classes that each app reads: eight classes at a time, by what each of their subsets comes to. */
function addClasses(r: Readers, byClass: Float64Array, total: Float64Array): void {
  const subsets = new Float64Array(256 * WIDTH);
  r.blocks.forEach((block, b) => {
    for (let shift = 0; shift < BLOCK; shift += 8) {
      for (let set = 1; set < 256; set++) {
        const cls = r.classes[b * BLOCK + shift + 31 - Math.clz32(set & -set)];
        const less = (set & (set - 1)) * WIDTH;
        for (let k = 0; k < WIDTH; k++)
          subsets[set * WIDTH + k] = subsets[less + k]! + (cls === undefined ? 0 : byClass[cls * WIDTH + k]!);
      }
      for (let a = 0; a < block.length; a++) {
        const set = (block[a]! >>> shift) & 255;
        if (!set) continue;
        const to = r.apps[a]! * WIDTH;
        for (let k = 0; k < WIDTH; k++) total[to + k]! += subsets[set * WIDTH + k]!;
      }
    }
  });
}
