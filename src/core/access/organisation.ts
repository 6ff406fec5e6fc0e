/**
 * An organisation's access state as columns: everything named is a number, every list is flat.
 * Built from the extract's rows in any order; a row that names something unknown is reported in
 * `problems` and does the least it can.
 */
import {
  AUDIENCES,
  coveredBy,
  domainOf,
  EXTERNAL_SHARING,
  ROLES,
  type Grantee,
  type GrantRow,
  type GroupRow,
  type ItemRow,
  type LinkRow,
  type NodeRef,
  type OrganisationRow,
  type PersonRow,
  type Recipient,
  type SpaceRow,
  type WorkspaceRow,
} from '../model.ts';
import { counting, GrowFloat64, GrowInt32, Interner, listsBy, type Lists } from './growable.ts';
import { PackedNames, type Names } from './names.ts';

/** What a principal stands for; with a number into the column of its kind. */
export const PRINCIPAL = {
  user: 0,
  group: 1,
  address: 2,
  everyone: 3,
  domain: 4,
  anyone: 5,
} as const;

export interface Problem {
  /** The kind and id of the row that is at fault. */
  row: string;
  reason: string;
}

/**
 * Grants and links together: an entry gives a role on a node to principals. Those on node n are
 * numbered from `first[n]` up to `first[n + 1]`; those on nothing that is known come last.
 */
export interface Entries {
  ids: Names;
  /** Which of the rows that were taken, in their order, each was. */
  row: Int32Array;
  first: Int32Array;
  /** 0 for a grant, 1 + the index in AUDIENCES for a link. */
  type: Uint8Array;
  node: Int32Array;
  role: Uint8Array;
  /** 1 where a link forbids copies. */
  noCopies: Uint8Array;
  /** Milliseconds since 1970; Infinity where it never ends. */
  expires: Float64Array;
  /** Milliseconds since 1970; NaN where unknown. */
  made: Float64Array;
  /** Grant: the one grantee. Link: its recipients. Pairs are (principal kind, number). */
  toKind: Lists;
  toNumber: Lists;
  /** Link: who redeemed it, and when (milliseconds; −Infinity where unknown). */
  redeemedKind: Lists;
  redeemedNumber: Lists;
  redeemedAt: Float64Array;
}

export interface Organisation {
  /** The moment of judgement, in milliseconds since 1970. */
  takenAt: number;
  own: OrganisationRow;
  workspaces: WorkspaceRow[];
  /** Members, then guests: so that each kind can be counted in one run of words. */
  users: PersonRow[];
  /** 0 where something merely names the user. */
  userListed: Uint8Array;
  memberRows: number;
  groups: { id: string; name: string }[];
  /** Members by group: a user's number, or ~number of a group. */
  members: Lists;
  spaces: SpaceRow[];
  /** 1 where the space has a row of its own; 0 where something merely names it. */
  spaceListed: Uint8Array;
  /** 1 where the space's workspace honours breaks in inheritance. */
  breakable: Uint8Array;
  /** Index into EXTERNAL_SHARING, the narrower of the workspace's and the space's. */
  external: Uint8Array;
  /** Gate groups by space; −1 for a group that is unknown. No entry: no gate. */
  gates: Lists;
  /**
   * Items are numbered in preorder, space by space: what is below item i are the items from i + 1 up
   * to `itemEnd[i]`, and those of space s are from `spaceFirst[s]` up to `spaceFirst[s + 1]`.
   */
  itemIds: Names;
  spaceFirst: Int32Array;
  itemEnd: Int32Array;
  /** Columns by item. Parent is −1 at the top of a space; owner is −1 where there is none. */
  itemSpace: Int32Array;
  itemParent: Int32Array;
  itemOwner: Int32Array;
  /**
   * Bits: `BREAKS` where the item takes nothing from its parent (only ever in a breakable workspace);
   * `HELD` where nothing applies to it at all, because it (`HELD_ITSELF`) or a folder above it is in
   * quarantine. So 0 is an item that takes what is above.
   */
  itemBreaks: Uint8Array;
  entries: Entries;
  addresses: string[];
  domains: string[];
  problems: Problem[];
  /** Number of a user, group, space, item or entry by id, or −1. */
  find(kind: 'user' | 'group' | 'space' | 'item' | 'grant' | 'link', id: string): number;
}

export const BREAKS = 1;
export const HELD = 2;
export const HELD_ITSELF = 4;

/** Makes `HELD` right for items from one up to another, which make whole trees, from `HELD_ITSELF`. */
export function spreadHeld(breaks: Uint8Array, parent: Int32Array, from: number, to: number): void {
  for (let i = from; i < to; i++) {
    const held = breaks[i]! & HELD_ITSELF || (parent[i]! >= 0 && breaks[parent[i]!]! & HELD);
    breaks[i] = held ? breaks[i]! | HELD : breaks[i]! & ~HELD;
  }
}

/** Nodes are spaces, then items: the node of item i is `spaces.length + i`. */
export const nodeOfItem = (org: Organisation, item: number): number => org.spaces.length + item;

export const spaceOfNode = (org: Organisation, node: number): number =>
  node < org.spaces.length ? node : org.itemSpace[node - org.spaces.length]!;

/** The node above: a folder or the space; −1 above a space. */
export function parentNode(org: Organisation, node: number): number {
  const S = org.spaces.length;
  if (node < S) return -1;
  const parent = org.itemParent[node - S]!;
  return parent < 0 ? org.itemSpace[node - S]! : S + parent;
}

/** The items at or below a node: from the first up to, not including, the second. */
export function itemsBelow(org: Organisation, node: number): [number, number] {
  const S = org.spaces.length;
  return node < S ? [org.spaceFirst[node]!, org.spaceFirst[node + 1]!] : [node - S, org.itemEnd[node - S]!];
}

/** The narrower of a workspace's and a space's external sharing, as an index into EXTERNAL_SHARING. */
export const externalLevel = (
  workspace: Pick<WorkspaceRow, 'externalSharing'> | undefined,
  space: Pick<SpaceRow, 'externalSharing'>,
): number =>
  Math.max(
    EXTERNAL_SHARING.indexOf(workspace?.externalSharing ?? 'anyone'),
    EXTERNAL_SHARING.indexOf(space.externalSharing ?? 'anyone'),
  );

interface Slots<Row> {
  ids: Interner;
  rows: (Row | undefined)[];
}
const slots = <Row>(): Slots<Row> => ({ ids: new Interner(), rows: [] });

/** An RFC 3339 time in milliseconds since 1970. */
export const time = (text: string | undefined, absent: number): number => {
  if (text === undefined) return absent;
  const ms = Date.parse(text);
  return Number.isNaN(ms) ? absent : ms;
};

export class OrganisationBuilder {
  private readonly problems: Problem[] = [];
  private readonly workspaces = slots<WorkspaceRow>();
  private readonly users = slots<PersonRow>();
  private readonly groups = slots<GroupRow>();
  private readonly spaces = slots<SpaceRow>();
  private readonly addresses = new Interner();
  private readonly domains = new Interner();

  private readonly items = new PackedNames();
  private readonly itemSeen = new Set<number>();
  private readonly itemSpace = new GrowInt32();
  private readonly itemParent = new GrowInt32();
  private readonly itemOwner = new GrowInt32();
  private readonly itemBreaks = new GrowInt32();
  private readonly itemRow = new GrowInt32();

  private readonly grantIds = new PackedNames();
  private readonly linkIds = new PackedNames();
  /** The number of its id among those of its kind. */
  private readonly entryName = new GrowInt32();
  private readonly entryType = new GrowInt32();
  private readonly entrySpace = new GrowInt32();
  private readonly entryItem = new GrowInt32();
  private readonly entryRole = new GrowInt32();
  private readonly entryNoCopies = new GrowInt32();
  private readonly entryExpires = new GrowFloat64();
  private readonly entryMade = new GrowFloat64();
  private readonly toEntry = new GrowInt32();
  private readonly toKind = new GrowInt32();
  private readonly toNumber = new GrowInt32();
  private readonly redeemedEntry = new GrowInt32();
  private readonly redeemedKind = new GrowInt32();
  private readonly redeemedNumber = new GrowInt32();
  private readonly redeemedAt = new GrowFloat64();

  constructor(
    private readonly own: OrganisationRow,
    private readonly takenAt: number,
  ) {}

  private take<Row extends { id: string }>(into: Slots<Row>, kind: string, row: Row): void {
    const n = into.ids.of(row.id);
    if (into.rows[n]) this.problem(`${kind} ${row.id}`, 'the id is used twice; the first row counts');
    else into.rows[n] = row;
  }

  private problem(row: string, reason: string): void {
    this.problems.push({ row, reason });
  }

  workspace(row: WorkspaceRow): void {
    this.take(this.workspaces, 'workspace', row);
  }
  person(row: PersonRow): void {
    this.take(this.users, 'user', row);
  }
  group(row: GroupRow): void {
    this.take(this.groups, 'group', row);
  }
  space(row: SpaceRow): void {
    this.take(this.spaces, 'space', row);
  }

  item(row: ItemRow): void {
    const n = this.items.of(row.id);
    if (this.itemSeen.has(n)) {
      this.problem(`item ${row.id}`, 'the id is used twice; the first row counts');
      return;
    }
    this.itemSeen.add(n);
    this.itemRow.push(n);
    this.itemSpace.push(this.spaces.ids.of(row.space));
    this.itemParent.push(row.parent === undefined ? -1 : this.items.of(row.parent));
    this.itemOwner.push(row.owner === undefined ? -1 : this.users.ids.of(row.owner));
    this.itemBreaks.push((row.inherits === false ? BREAKS : 0) | (row.held ? HELD_ITSELF : 0));
  }

  /** Whether it was taken: one whose id is used twice is not. */
  grant(row: GrantRow): boolean {
    if (!this.entry('grant', this.grantIds, row.id, row.on, 0, row.role, row.expiresAt, row.grantedAt, false))
      return false;
    this.principal(row.to);
    return true;
  }

  /** Whether it was taken: one whose id is used twice is not. */
  link(row: LinkRow): boolean {
    const type = 1 + AUDIENCES.indexOf(row.audience);
    if (
      !this.entry(
        'link',
        this.linkIds,
        row.id,
        row.on,
        type,
        row.role,
        row.expiresAt,
        row.createdAt,
        row.noCopies === true,
      )
    )
      return false;
    for (const r of row.recipients ?? []) this.principal(r);
    for (const r of row.redeemedBy ?? []) {
      this.redeemedEntry.push(this.entryName.length - 1);
      if ('user' in r) {
        this.redeemedKind.push(PRINCIPAL.user);
        this.redeemedNumber.push(this.users.ids.of(r.user));
      } else {
        this.redeemedKind.push(PRINCIPAL.address);
        this.redeemedNumber.push(this.addresses.of(r.email.toLowerCase()));
      }
      this.redeemedAt.push(time(r.at, -Infinity));
    }
    return true;
  }

  private entry(
    kind: 'grant' | 'link',
    ids: PackedNames,
    id: string,
    on: NodeRef,
    type: number,
    role: GrantRow['role'],
    expires: string | undefined,
    made: string | undefined,
    noCopies: boolean,
  ): boolean {
    const before = ids.length;
    if (ids.of(id) < before) {
      this.problem(`${kind} ${id}`, 'the id is used twice; the first row counts');
      return false;
    }
    this.entryName.push(before);
    this.entryType.push(type);
    this.entrySpace.push('space' in on ? this.spaces.ids.of(on.space) : -1);
    this.entryItem.push('item' in on ? this.items.of(on.item) : -1);
    this.entryRole.push(ROLES.indexOf(role));
    this.entryNoCopies.push(noCopies ? 1 : 0);
    this.entryExpires.push(time(expires, Infinity));
    this.entryMade.push(time(made, NaN));
    return true;
  }

  private principal(to: Grantee | Recipient): void {
    const [kind, number] =
      'user' in to
        ? [PRINCIPAL.user, this.users.ids.of(to.user)]
        : 'group' in to
          ? [PRINCIPAL.group, this.groups.ids.of(to.group)]
          : 'email' in to
            ? [PRINCIPAL.address, this.addresses.of(to.email.toLowerCase())]
            : 'domain' in to
              ? [PRINCIPAL.domain, this.domains.of(to.domain.toLowerCase())]
              : 'everyone' in to
                ? [PRINCIPAL.everyone, 0]
                : [PRINCIPAL.anyone, 0];
    this.toEntry.push(this.entryName.length - 1);
    this.toKind.push(kind);
    this.toNumber.push(number);
  }

  /** Checks what names what, and gives the columns. The builder is not to be used after it. */
  build(): Organisation {
    const { problems } = this;
    const workspaces = this.workspaces.rows.flatMap((row) => row ?? []);
    const listed = this.users.ids.names.map((id, n) => this.users.rows[n] ?? unknownPerson(id, problems));
    const order = [...listed.keys()].sort((a, b) => kindRank(listed[a]!) - kindRank(listed[b]!) || a - b);
    const users = order.map((n) => listed[n]!);
    /** The number of a user by the number of its id. */
    const userNumber = new Int32Array(order.length);
    order.forEach((n, u) => (userNumber[n] = u));
    const user = (n: number): number => (n < 0 ? -1 : userNumber[n]!);
    const groups = this.groups.ids.names.map((id, n) => {
      const row = this.groups.rows[n];
      if (!row) problems.push({ row: `group ${id}`, reason: 'is named but not listed; it has no members' });
      return { id, name: row?.name ?? id };
    });

    const memberOwner = new GrowInt32();
    const memberValue = new GrowInt32();
    this.groups.rows.forEach((row, g) => {
      for (const m of row?.members ?? []) {
        const asGroup = this.groups.rows[this.groups.ids.find(m.value)] !== undefined;
        const asUser = this.users.rows[this.users.ids.find(m.value)] !== undefined;
        const isGroup = m.type === undefined ? asGroup : m.type === 'Group';
        if (isGroup ? !asGroup : !asUser) {
          problems.push({ row: `group ${row!.id}`, reason: `its member ${m.value} is not listed` });
          continue;
        }
        memberOwner.push(g);
        memberValue.push(isGroup ? ~this.groups.ids.find(m.value) : user(this.users.ids.find(m.value)));
      }
    });

    const spaceCount = this.spaces.ids.names.length;
    const breakable = new Uint8Array(spaceCount);
    const spaceListed = new Uint8Array(spaceCount);
    const external = new Uint8Array(spaceCount);
    const gateOwner = new GrowInt32();
    const gateValue = new GrowInt32();
    const spaces = this.spaces.ids.names.map((id, s): SpaceRow => {
      const row = this.spaces.rows[s];
      if (!row) {
        problems.push({
          row: `space ${id}`,
          reason: 'is named but not listed; what is on it counts for nothing',
        });
        return { id, workspace: '', kind: 'site', name: id };
      }
      spaceListed[s] = 1;
      const workspace = this.workspaces.rows[this.workspaces.ids.find(row.workspace)];
      if (!workspace)
        problems.push({ row: `space ${id}`, reason: `its workspace ${row.workspace} is not listed` });
      breakable[s] = workspace?.inheritance === 'breakable' ? 1 : 0;
      external[s] = externalLevel(workspace, row);
      for (const g of row.gate ?? []) {
        const n = this.groups.ids.find(g);
        if (n < 0)
          problems.push({
            row: `space ${id}`,
            reason: `its gate names the group ${g}, which is not listed: nobody passes by it`,
          });
        gateOwner.push(s);
        gateValue.push(n);
      }
      return row;
    });

    const items = this.placeItems(breakable);
    const entries = this.placeEntries(items.numberOf, items.ids.length, userNumber);

    return {
      takenAt: this.takenAt,
      own: {
        name: this.own.name,
        domains: this.own.domains.map((d) => d.toLowerCase()),
        partnerDomains: this.own.partnerDomains.map((d) => d.toLowerCase()),
      },
      workspaces,
      users,
      userListed: Uint8Array.from(order, (n) => (this.users.rows[n] ? 1 : 0)),
      memberRows: users.filter((u) => u.kind === 'member').length,
      groups,
      members: listsBy(memberOwner.done(), memberValue.done(), groups.length),
      spaces,
      spaceListed,
      breakable,
      external,
      gates: listsBy(gateOwner.done(), gateValue.done(), spaceCount),
      itemIds: items.ids,
      spaceFirst: items.first,
      itemEnd: items.end,
      itemSpace: items.space,
      itemParent: items.parent,
      itemOwner: items.owner.map(user),
      itemBreaks: items.breaks,
      entries: entries.columns,
      addresses: this.addresses.names,
      domains: this.domains.names,
      problems,
      find: (kind, id) => {
        if (kind === 'user') return user(this.users.ids.find(id));
        if (kind === 'group') return this.groups.ids.find(id);
        if (kind === 'space') return this.spaces.ids.find(id);
        if (kind === 'item') return items.numberOf[this.items.find(id)] ?? -1;
        const n = (kind === 'grant' ? this.grantIds : this.linkIds).find(id);
        return n < 0 ? -1 : entries.numberOf(kind, n);
      },
    };
  }

  /** Items in preorder, siblings in the order of their rows; those whose space is unknown are left out. */
  private placeItems(breakable: Uint8Array) {
    const rowItem = this.itemRow.done();
    const rowSpace = this.itemSpace.done();
    const rowParent = this.itemParent.done();
    const rowOwner = this.itemOwner.done();
    const rowBreaks = this.itemBreaks.done();
    const name = (row: number): string => `item ${this.items.at(rowItem[row]!)}`;
    const rowOf = new Int32Array(this.items.length).fill(-1);
    const spaceCount = this.spaces.ids.names.length;
    rowItem.forEach((item, r) => {
      if (this.spaces.rows[rowSpace[r]!]) rowOf[item] = r;
      else
        this.problem(
          name(r),
          `its space ${this.spaces.ids.names[rowSpace[r]!]} is not listed; it is left out`,
        );
    });
    const above = Int32Array.from(rowItem, (item, r) => {
      const named = rowParent[r]!;
      if (named < 0 || rowOf[item]! < 0) return -1;
      const p = rowOf[named]!;
      if (p >= 0 && rowSpace[p] === rowSpace[r]) return p;
      this.problem(
        name(r),
        p < 0
          ? `its parent ${this.items.at(named)} is not listed; it is taken as at the top of its space`
          : `its parent is in another space; it is taken as at the top of its own`,
      );
      return -1;
    });
    for (const r of cycleBreakers(above, (x, y) => name(x) < name(y))) {
      this.problem(name(r), 'is inside itself; it is taken as at the top of its space');
      above[r] = -1;
    }

    const rows = counting(rowItem.length).filter((r) => rowOf[rowItem[r]!]! >= 0);
    // owners of children: rows, then spaces for what lies at the top
    const children = listsBy(
      rows.map((r) => (above[r]! < 0 ? rowItem.length + rowSpace[r]! : above[r]!)),
      rows,
      rowItem.length + spaceCount,
    );
    const count = rows.length;
    const order = new Int32Array(count);
    const numberOf = new Int32Array(this.items.length).fill(-1);
    const end = new Int32Array(count);
    const parent = new Int32Array(count);
    const first = new Int32Array(spaceCount + 1);
    let next = 0;
    const stack: { number: number; at: number; to: number }[] = [];
    for (let s = 0; s < spaceCount; s++) {
      first[s] = next;
      const owner = rowItem.length + s;
      stack.push({ number: -1, at: children.start[owner]!, to: children.start[owner + 1]! });
      while (stack.length) {
        const frame = stack[stack.length - 1]!;
        if (frame.at === frame.to) {
          if (frame.number >= 0) end[frame.number] = next;
          stack.pop();
          continue;
        }
        const row = children.values[frame.at++]!;
        const number = next++;
        order[number] = row;
        parent[number] = frame.number;
        numberOf[rowItem[row]!] = number;
        const at = children.start[row]!;
        const to = children.start[row + 1]!;
        if (to > at) stack.push({ number, at, to });
        else end[number] = next;
      }
    }
    first[spaceCount] = next;

    const ids: Names = { length: count, at: (i) => this.items.at(rowItem[order[i]!]!) };
    const space = new Int32Array(count);
    const owner = new Int32Array(count);
    const breaks = new Uint8Array(count);
    for (let i = 0; i < count; i++) {
      const r = order[i]!;
      space[i] = rowSpace[r]!;
      owner[i] = rowOwner[r]!;
      breaks[i] = rowBreaks[r]!;
    }
    if (breaks.some((b) => b & HELD_ITSELF)) spreadHeld(breaks, parent, 0, count);
    breaks.forEach((b, i) => {
      if (!(b & BREAKS) || breakable[space[i]!]) return;
      breaks[i] = b & ~BREAKS;
      this.problem(
        `item ${ids.at(i)}`,
        'says it does not inherit, which this workspace cannot do; it inherits',
      );
    });
    return {
      ids,
      first,
      end,
      space,
      parent,
      owner,
      breaks,
      numberOf,
    };
  }

  private placeEntries(itemNumber: Int32Array, itemCount: number, userNumber: Int32Array) {
    const count = this.entryName.length;
    const rowType = this.entryType.done();
    const rowName = this.entryName.done();
    const nameOf = (row: number): string => (rowType[row] ? this.linkIds : this.grantIds).at(rowName[row]!);
    const rowSpace = this.entrySpace.done();
    const rowItem = this.entryItem.done();
    const rowRole = this.entryRole.done();
    const rowNoCopies = this.entryNoCopies.done();
    const spaceCount = this.spaces.ids.names.length;
    const nodes = spaceCount + itemCount;
    const ofGrant: number[] = [];
    const ofLink: number[] = [];
    const rowNode = rowItem.map((item, r) => {
      (rowType[r] ? ofLink : ofGrant).push(r);
      const known = item >= 0 ? itemNumber[item]! >= 0 : this.spaces.rows[rowSpace[r]!] !== undefined;
      if (known) return item >= 0 ? spaceCount + itemNumber[item]! : rowSpace[r]!;
      this.problem(
        `${rowType[r] ? 'link' : 'grant'} ${nameOf(r)}`,
        'is on something that is not listed; it counts for nothing',
      );
      return nodes;
    });
    const sorted = listsBy(rowNode, counting(count), nodes + 1);
    const order = sorted.values;
    const numberOf = new Int32Array(count);
    const rowExpires = this.entryExpires.done();
    const rowMade = this.entryMade.done();
    const columns = {
      ids: { length: count, at: (e: number) => nameOf(order[e]!) },
      row: order,
      first: sorted.start.subarray(0, nodes + 1),
      type: new Uint8Array(count),
      node: new Int32Array(count),
      role: new Uint8Array(count),
      noCopies: new Uint8Array(count),
      expires: new Float64Array(count),
      made: new Float64Array(count),
    };
    for (let e = 0; e < count; e++) {
      const r = order[e]!;
      numberOf[r] = e;
      columns.type[e] = rowType[r]!;
      columns.node[e] = rowNode[r] === nodes ? -1 : rowNode[r]!;
      columns.role[e] = rowRole[r]!;
      columns.noCopies[e] = rowNoCopies[r]!;
      columns.expires[e] = rowExpires[r]!;
      columns.made[e] = rowMade[r]!;
    }
    const to = reordered(this.toEntry.done(), order);
    const redeemed = reordered(this.redeemedEntry.done(), order);
    const at = this.redeemedAt.done();
    const numbers = (kinds: Int32Array, values: Int32Array): Int32Array =>
      values.map((n, i) => (kinds[i] === PRINCIPAL.user ? userNumber[n]! : n));
    const toKind = this.toKind.done();
    const redeemedKind = this.redeemedKind.done();
    return {
      columns: {
        ...columns,
        toKind: to(toKind),
        toNumber: to(numbers(toKind, this.toNumber.done())),
        redeemedKind: redeemed(redeemedKind),
        redeemedNumber: redeemed(numbers(redeemedKind, this.redeemedNumber.done())),
        redeemedAt: Float64Array.from(redeemed(counting(at.length)).values, (i) => at[i]!),
      } satisfies Entries,
      numberOf: (kind: 'grant' | 'link', n: number) => numberOf[(kind === 'grant' ? ofGrant : ofLink)[n]!]!,
    };
  }
}

/**
 * Lists by owner, for values whose owners were given in rising order, with the owners put into
 * another order. Reads each list as a whole and writes one after another.
 */
function reordered(owners: Int32Array, order: Int32Array): (values: Int32Array) => Lists {
  const from = new Int32Array(order.length + 1);
  for (let i = 0; i < owners.length; i++) from[owners[i]! + 1]!++;
  for (let o = 0; o < order.length; o++) from[o + 1]! += from[o]!;
  const start = new Int32Array(order.length + 1);
  for (let o = 0; o < order.length; o++) start[o + 1] = start[o]! + from[order[o]! + 1]! - from[order[o]!]!;
  return (values) => {
    const out = new Int32Array(values.length);
    let k = 0;
    for (let o = 0; o < order.length; o++)
      for (let i = from[order[o]!]!; i < from[order[o]! + 1]!; i++) out[k++] = values[i]!;
    return { start, values: out };
  };
}

const kindRank = (u: PersonRow): number => (u.kind === 'member' ? 0 : 1);

function unknownPerson(id: string, problems: Problem[]): PersonRow {
  problems.push({ row: `user ${id}`, reason: 'is named but not listed; it can do nothing' });
  return { id, name: id, addresses: [], active: false, kind: 'member' };
}

/** One of every cycle in the parent column: the one that comes before the others. */
function cycleBreakers(parent: Int32Array, before: (a: number, b: number) => boolean): number[] {
  const state = new Uint8Array(parent.length);
  const found: number[] = [];
  for (let i = 0; i < parent.length; i++) {
    let at = i;
    while (at >= 0 && state[at] === 0) {
      state[at] = 1;
      at = parent[at]!;
    }
    if (at >= 0 && state[at] === 1) {
      let first = at;
      for (let p = parent[at]!; p !== at; p = parent[p]!) if (before(p, first)) first = p;
      found.push(first);
    }
    for (at = i; at >= 0 && state[at] === 1; at = parent[at]!) state[at] = 2;
  }
  return found;
}

/** Whether the address belongs to the organisation itself: its domain, or one below it. */
export const isOwnAddress = (own: OrganisationRow, address: string): boolean =>
  coveredBy(domainOf(address), own.domains);
