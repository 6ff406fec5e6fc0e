/** What changed between two surveys of one organisation: whose reach, by which change. */
import { TIERS, type Tier } from '../model.ts';
import { has } from './bits.ts';
import { HELD, nodeOfItem, PRINCIPAL, spaceOfNode } from './organisation.ts';
import type { Alike } from './alike.ts';
import { isHeld, sources, who, type Source } from './questions.ts';
import {
  forEachRedeemer,
  LINK_NAMED,
  LINK_ORGANISATION,
  reachesPastBreaks,
  type ReachColumns,
} from './reach.ts';
import { identityName, type View } from './view.ts';
import { byCode } from '../sorts.ts';

export interface Judged {
  view: View;
  columns: ReachColumns;
}

/** What brought a difference about, by the id of what was changed. */
export interface Cause {
  what: 'grant' | 'link' | 'visibility' | 'ownership' | 'people' | 'settings' | 'place' | 'members';
  /** Of the grant, link, space or item; empty for how many members the organisation has. */
  id: string;
  how: 'added' | 'removed' | 'altered';
}

export interface NodeChange {
  id: string;
  /** Its node in the first survey and in the second, or −1. */
  before: number;
  after: number;
  change: 'added' | 'removed' | 'brighter' | 'darker' | 'same';
  tiers: { before: { now: Tier; could: Tier } | null; after: { now: Tier; could: Tier } | null };
  /** Names of identities, sorted. */
  gained: string[];
  lost: string[];
  by: Cause[];
}

/** Two words of a hash, as one whole number below 2^53. */
class Hash {
  private a = 0x811c9dc5;
  private b = 0x01000193;
  number(n: number): this {
    this.a = Math.imul(this.a ^ n, 0x01000193) ^ (this.a >>> 15);
    this.b = Math.imul(this.b + n, 0x85ebca6b) ^ (this.b >>> 13);
    return this;
  }
  text(t: string): this {
    for (let i = 0; i < t.length; i++) this.number(t.charCodeAt(i));
    return this.number(-1);
  }
  value(): number {
    return (this.a >>> 0) * 2097152 + ((this.b >>> 0) & 2097151);
  }
}
/** Sums of hashes stay whole numbers: order does not matter to them. */
const MODULUS = 2 ** 52;
const plus = (a: number, b: number): number => (a + b) % MODULUS;

/** What stands behind names, so that two surveys can be compared by names. */
class Signatures {
  readonly node: Float64Array;
  private readonly names: Float64Array;
  private readonly groups: (number | undefined)[] = [];
  private readonly entries: Float64Array;
  readonly everyone: number;
  private readonly all: number;

  /** `skip`: spaces of which nothing is asked. */
  constructor(
    readonly v: View,
    skip: (space: number) => boolean,
  ) {
    const { org } = v;
    this.names = Float64Array.from({ length: v.identityCount }, (_, i) =>
      has(v.all, i)
        ? new Hash()
            .text(identityName(v, i))
            .number(has(v.members, i) ? 1 : 2)
            .value()
        : 0,
    );
    this.all = this.names.reduce(plus, 0);
    this.everyone = this.names.reduce((sum, h, i) => (has(v.members, i) ? plus(sum, h) : sum), 0);
    this.entries = new Float64Array(org.entries.ids.length).fill(NaN);
    this.node = new Float64Array(org.spaces.length + org.itemIds.length);
    org.spaces.forEach((_, s) => skip(s) || this.space(s));
  }

  private group(g: number): number {
    return (this.groups[g] ??= this.of(this.v.groupMembers[g]!));
  }
  private of(set: Int32Array): number {
    let sum = 0;
    for (let w = 0; w < set.length; w++)
      if (set[w])
        for (let i = w << 5; i < (w + 1) << 5; i++) if (has(set, i)) sum = plus(sum, this.names[i]!);
    return sum;
  }

  /** An entry, with whom it names and who they are. */
  entry(e: number): number {
    const known = this.entries[e]!;
    if (!Number.isNaN(known)) return known;
    const { v } = this;
    const { entries } = v.org;
    const h = new Hash()
      .text(entries.ids.at(e))
      .number(entries.type[e]!)
      .number(entries.role[e]! + 8 * entries.noCopies[e]!);
    if (entries.type[e]! <= LINK_NAMED)
      for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
        const kind = entries.toKind.values[i]!;
        const n = entries.toNumber.values[i]!;
        h.number(kind);
        if (kind === PRINCIPAL.group) h.text(v.org.groups[n]!.id).number(this.group(n));
        else if (kind === PRINCIPAL.user) h.number(this.names[n]!);
        else if (kind === PRINCIPAL.address)
          h.text(v.org.addresses[n]!).number(this.names[v.identityOfAddress[n]!] ?? 0);
        else if (kind === PRINCIPAL.domain) {
          h.text(v.org.domains[n]!);
          h.number(v.domainMembers[n]!.reduce((sum, u) => plus(sum, this.names[u]!), 0));
        } else h.number(kind === PRINCIPAL.everyone ? this.everyone : this.all);
      }
    else if (entries.type[e] === LINK_ORGANISATION) h.number(this.everyone);
    let redeemed = 0;
    forEachRedeemer(v, e, (i) => (redeemed = plus(redeemed, this.names[i]!)));
    return (this.entries[e] = h.number(redeemed).value());
  }

  private on(node: number, takes: (e: number) => boolean): number {
    const { first } = this.v.org.entries;
    let sum = 0;
    for (let e = first[node]!; e < first[node + 1]!; e++)
      if (this.v.live[e] && takes(e)) sum = plus(sum, this.entry(e));
    return sum;
  }

  /** The settings of a space that decide who may do what in it. */
  settings(s: number): number {
    const { v } = this;
    const row = v.org.spaces[s]!;
    const { gate } = v.spaces[s]!;
    return new Hash()
      .number(v.org.external[s]!)
      .number(row.editorsShare === false ? 0 : 1)
      .number(row.archived ? 1 : 0)
      .number(gate ? this.of(gate) : -1)
      .value();
  }

  private space(s: number): void {
    const { v, node } = this;
    const { org } = v;
    const S = org.spaces.length;
    const rules = this.settings(s);
    const row = org.spaces[s]!;
    const seen =
      row.visibility === 'organisation'
        ? new Hash()
            .text(row.visibilityRole ?? 'reader')
            .number(this.everyone)
            .value()
        : 0;
    node[s] = plus(
      plus(rules, seen),
      this.on(s, () => true),
    );
    const past = plus(
      rules,
      this.on(s, (e) => reachesPastBreaks(v, e)),
    );
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
      const parent = org.itemParent[i]!;
      const above =
        org.itemBreaks[i]! & HELD ? 0 : org.itemBreaks[i] ? past : node[parent < 0 ? s : S + parent]!;
      node[S + i] = plus(
        above,
        this.on(S + i, () => true),
      );
    }
  }
}

const tiersOf = ({ columns }: Judged, node: number): { now: Tier; could: Tier } | null =>
  node < 0 ? null : { now: TIERS[columns.nowTier[node]!]!, could: TIERS[columns.couldTier[node]!]! };

/** Names of those who hold something at a node. */
function holders(v: View, node: number): Set<string> {
  const names = new Set<string>();
  who(v, node, false).forEach((bits, i) => bits && names.add(identityName(v, i)));
  return names;
}

/** Everything that applies to a node, by name, each with a number that differs where it does. */
function causesOf(
  sig: Signatures,
  node: number,
): Map<string, { cause: Omit<Cause, 'how'>; hash: number; plain: string }> {
  const { v } = sig;
  const { org } = v;
  const found = new Map<string, { cause: Omit<Cause, 'how'>; hash: number; plain: string }>();
  const space = spaceOfNode(org, node);
  found.set('settings', {
    cause: { what: 'settings', id: org.spaces[space]!.id },
    hash: sig.settings(space),
    plain: '',
  });
  for (const s of sources(v, node)) {
    const what = kindOf(v, s);
    const id =
      typeof s.entry === 'number'
        ? org.entries.ids.at(s.entry)
        : s.entry === 'visibility'
          ? org.spaces[s.at]!.id
          : org.itemIds.at(s.at - org.spaces.length);
    const owner = s.entry === 'ownership' ? org.itemOwner[s.at - org.spaces.length]! : -1;
    const plain =
      typeof s.entry === 'number'
        ? `${org.entries.type[s.entry]} ${org.entries.role[s.entry]} ${org.entries.noCopies[s.entry]} ${namesOf(v, s.entry)}`
        : s.entry === 'visibility'
          ? (org.spaces[s.at]!.visibilityRole ?? 'reader')
          : org.users[owner]!.id;
    found.set(`${what} ${id}`, {
      cause: { what, id },
      hash:
        typeof s.entry === 'number'
          ? sig.entry(s.entry)
          : owner < 0
            ? sig.everyone
            : has(v.all, owner)
              ? 1
              : 0,
      plain,
    });
  }
  return found;
}

const kindOf = (v: View, s: Source): 'grant' | 'link' | 'visibility' | 'ownership' =>
  typeof s.entry === 'number' ? (v.org.entries.type[s.entry] === 0 ? 'grant' : 'link') : s.entry;

/** Whom an entry names by its own row, whoever they are today; and who redeemed it. */
function namesOf(v: View, e: number): string {
  const { org } = v;
  const { entries } = org;
  const name = (kind: number, n: number): string =>
    kind === PRINCIPAL.user
      ? `u${org.users[n]!.id}`
      : kind === PRINCIPAL.group
        ? `g${org.groups[n]!.id}`
        : kind === PRINCIPAL.address
          ? `a${org.addresses[n]}`
          : kind === PRINCIPAL.domain
            ? `d${org.domains[n]}`
            : String(kind);
  const list: string[] = [];
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++)
    list.push(name(entries.toKind.values[i]!, entries.toNumber.values[i]!));
  for (let i = entries.redeemedKind.start[e]!; i < entries.redeemedKind.start[e + 1]!; i++)
    if (entries.redeemedAt[i]! <= v.moment)
      list.push(`r${name(entries.redeemedKind.values[i]!, entries.redeemedNumber.values[i]!)}`);
  return list.sort(byCode).join();
}

/** By which changes two states of a node came to differ. */
function causesBetween(a: Signatures, before: number, b: Signatures, after: number): Cause[] {
  const was = before < 0 ? new Map<never, never>() : causesOf(a, before);
  const is = after < 0 ? new Map<never, never>() : causesOf(b, after);
  const causes: Cause[] = [];
  type Known = { cause: Omit<Cause, 'how'>; hash: number; plain: string };
  for (const [key, x] of is as Map<string, Known>) {
    const old = (was as Map<string, Known>).get(key);
    if (!old) {
      if (x.cause.what !== 'settings') causes.push({ ...x.cause, how: 'added' });
    } else if (old.plain !== x.plain) causes.push({ ...x.cause, how: 'altered' });
    else if (old.hash !== x.hash)
      // the row is the same: it is the people it stands for who are others
      causes.push(
        x.cause.what === 'settings'
          ? { ...x.cause, how: 'altered' }
          : { ...x.cause, what: 'people', how: 'altered' },
      );
  }
  for (const [key, x] of was as Map<string, Known>)
    if (!(is as Map<string, Known>).has(key) && x.cause.what !== 'settings')
      causes.push({ ...x.cause, how: 'removed' });
  if (before >= 0 && after >= 0) {
    const place = (v: View, node: number): string => {
      const S = v.org.spaces.length;
      if (node < S) return '';
      const parent = v.org.itemParent[node - S]!;
      return `${v.org.itemBreaks[node - S]} ${parent < 0 ? v.org.spaces[v.org.itemSpace[node - S]!]!.id : v.org.itemIds.at(parent)}`;
    };
    if (place(a.v, before) !== place(b.v, after))
      causes.push({ what: 'place', id: b.v.org.itemIds.at(after - b.v.org.spaces.length), how: 'altered' });
  }
  // the same people are another part of the organisation
  if (!causes.length && a.v.memberCount !== b.v.memberCount)
    causes.push({ what: 'members', id: '', how: 'altered' });
  // a grant and a link may have one id
  return [...new Map(causes.map((c) => [`${c.what} ${c.how} ${c.id}`, c])).values()];
}

/**
 * Every item (or space) on which somebody gained or lost access, or a tier changed, sorted by id. What
 * is the same in both surveys is passed over by comparing sums of hashes.
 */
export function compare(a: Judged, b: Judged, of: 'items' | 'spaces' = 'items', alike?: Alike): NodeChange[] {
  // nothing differs in a space that is alike
  const passed = new Set(alike?.filter((s) => s >= 0));
  const isAlike = (v: View, s: number): boolean => (v === a.view ? passed.has(s) : (alike?.[s] ?? -1) >= 0);
  const signed = ({ view: v }: Judged): Signatures => new Signatures(v, (s) => isAlike(v, s));
  const [x, y] = [signed(a), signed(b)];
  const kind = of === 'items' ? 'item' : 'space';
  const idsOf = (v: View): string[] => {
    const spaces = [...v.org.spaces.keys()].filter((s) => !isAlike(v, s));
    if (of === 'spaces') return spaces.filter((s) => v.org.spaceListed[s]).map((s) => v.org.spaces[s]!.id);
    const ids: string[] = [];
    for (const s of spaces)
      for (let i = v.org.spaceFirst[s]!; i < v.org.spaceFirst[s + 1]!; i++) ids.push(v.org.itemIds.at(i));
    return ids;
  };
  const nodeIn = (v: View, id: string): number => {
    const n = v.org.find(kind, id);
    if (of === 'items') return n < 0 ? -1 : nodeOfItem(v.org, n);
    return n >= 0 && v.org.spaceListed[n] ? n : -1;
  };
  const owner = ({ view: v }: Judged, node: number): string | undefined => {
    const o =
      node < v.org.spaces.length || isHeld(v, node) ? -1 : v.org.itemOwner[node - v.org.spaces.length]!;
    return o >= 0 && has(v.all, o) && has(v.spaces[spaceOfNode(v.org, node)]!.allowed, o)
      ? v.org.users[o]!.id
      : undefined;
  };
  const memo = new Map<
    string,
    { before: Set<string>; after: Set<string>; gained: string[]; lost: string[] }
  >();
  const changes: NodeChange[] = [];
  const none: ReadonlySet<string> = new Set();
  const firstIds = idsOf(a.view);
  const ids = [...firstIds, ...idsOf(b.view).filter((id) => nodeIn(a.view, id) < 0)].sort(byCode);
  for (const id of ids) {
    const before = nodeIn(a.view, id);
    const after = nodeIn(b.view, id);
    const owners = [before < 0 ? undefined : owner(a, before), after < 0 ? undefined : owner(b, after)];
    if (
      before >= 0 &&
      after >= 0 &&
      x.node[before] === y.node[after] &&
      owners[0] === owners[1] &&
      a.columns.nowTier[before] === b.columns.nowTier[after] &&
      a.columns.couldTier[before] === b.columns.couldTier[after]
    )
      continue;
    const key = `${before < 0 ? '' : x.node[before]}>${after < 0 ? '' : y.node[after]}`;
    let people = memo.get(key);
    if (!people) {
      const was = before < 0 ? new Set<string>() : holders(a.view, before);
      const is = after < 0 ? new Set<string>() : holders(b.view, after);
      people = {
        before: was,
        after: is,
        gained: [...is].filter((n) => !was.has(n)),
        lost: [...was].filter((n) => !is.has(n)),
      };
      memo.set(key, people);
    }
    const held = (side: 0 | 1, n: string): boolean =>
      n === owners[side] || ((side ? people.after : people.before) ?? none).has(n);
    const concerned = new Set([...people.gained, ...people.lost, ...owners.filter((o) => o !== undefined)]);
    const gained = [...concerned].filter((n) => held(1, n) && !held(0, n)).sort(byCode);
    const lost = [...concerned].filter((n) => held(0, n) && !held(1, n)).sort(byCode);
    const tiers = { before: tiersOf(a, before), after: tiersOf(b, after) };
    if (
      gained.length + lost.length === 0 &&
      tiers.before?.now === tiers.after?.now &&
      tiers.before?.could === tiers.after?.could
    )
      continue;
    const step = (t: typeof tiers.before): number =>
      t ? TIERS.indexOf(t.now) * 10 + TIERS.indexOf(t.could) : 0;
    const rise = step(tiers.after) - step(tiers.before);
    changes.push({
      id,
      before,
      after,
      change:
        before < 0 ? 'added' : after < 0 ? 'removed' : rise > 0 ? 'brighter' : rise < 0 ? 'darker' : 'same',
      tiers,
      gained,
      lost,
      by: causesBetween(x, before, y, after),
    });
  }
  return changes;
}
