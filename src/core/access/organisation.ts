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
import { GrowInt32, Interner, listsBy, type Lists } from './growable.ts';

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

/** Grants and links together: an entry gives a role on a node to principals. */
export interface Entries {
  ids: string[];
  /** 0 for a grant, 1 + the index in AUDIENCES for a link. */
  type: Uint8Array;
  node: Int32Array;
  role: Uint8Array;
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
  users: PersonRow[];
  groups: { id: string; name: string }[];
  /** Members by group: a user's number, or ~number of a group. */
  members: Lists;
  spaces: SpaceRow[];
  /** 1 where the space's workspace honours breaks in inheritance. */
  breakable: Uint8Array;
  /** Index into EXTERNAL_SHARING, the narrower of the workspace's and the space's. */
  external: Uint8Array;
  /** Gate groups by space; −1 for a group that is unknown. No entry: no gate. */
  gates: Lists;
  itemIds: string[];
  /** Columns by item. Parent is −1 at the top of a space; owner is −1 where there is none. */
  itemSpace: Int32Array;
  itemParent: Int32Array;
  itemOwner: Int32Array;
  /** 1 where the item takes nothing from its parent (only ever in a breakable workspace). */
  itemBreaks: Uint8Array;
  entries: Entries;
  addresses: string[];
  domains: string[];
  problems: Problem[];
  /** Number of a user, group, space, item or entry by id, or −1. */
  find(kind: 'user' | 'group' | 'space' | 'item' | 'grant' | 'link', id: string): number;
}

/** Nodes are spaces, then items: the node of item i is `spaces.length + i`. */
export const nodeOfItem = (org: Organisation, item: number): number => org.spaces.length + item;

interface Slots<Row> {
  ids: Interner;
  rows: (Row | undefined)[];
}
const slots = <Row>(): Slots<Row> => ({ ids: new Interner(), rows: [] });

const time = (text: string | undefined, absent: number): number => {
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

  private readonly items = new Interner();
  private readonly itemSeen = new Set<number>();
  private readonly itemSpace = new GrowInt32();
  private readonly itemParent = new GrowInt32();
  private readonly itemOwner = new GrowInt32();
  private readonly itemBreaks = new GrowInt32();
  private readonly itemRow = new GrowInt32();

  private readonly grantIds = new Interner();
  private readonly linkIds = new Interner();
  private readonly entryIds: string[] = [];
  private readonly entryType = new GrowInt32();
  private readonly entrySpace = new GrowInt32();
  private readonly entryItem = new GrowInt32();
  private readonly entryRole = new GrowInt32();
  private readonly entryExpires: number[] = [];
  private readonly entryMade: number[] = [];
  private readonly toEntry = new GrowInt32();
  private readonly toKind = new GrowInt32();
  private readonly toNumber = new GrowInt32();
  private readonly redeemedEntry = new GrowInt32();
  private readonly redeemedKind = new GrowInt32();
  private readonly redeemedNumber = new GrowInt32();
  private readonly redeemedAt: number[] = [];

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
    this.itemBreaks.push(row.inherits === false ? 1 : 0);
  }

  grant(row: GrantRow): void {
    if (this.entry('grant', this.grantIds, row.id, row.on, 0, row.role, row.expiresAt, row.grantedAt))
      this.principal(row.to);
  }

  link(row: LinkRow): void {
    const type = 1 + AUDIENCES.indexOf(row.audience);
    if (!this.entry('link', this.linkIds, row.id, row.on, type, row.role, row.expiresAt, row.createdAt))
      return;
    for (const r of row.recipients ?? []) this.principal(r);
    for (const r of row.redeemedBy ?? []) {
      this.redeemedEntry.push(this.entryIds.length - 1);
      if ('user' in r) {
        this.redeemedKind.push(PRINCIPAL.user);
        this.redeemedNumber.push(this.users.ids.of(r.user));
      } else {
        this.redeemedKind.push(PRINCIPAL.address);
        this.redeemedNumber.push(this.addresses.of(r.email.toLowerCase()));
      }
      this.redeemedAt.push(time(r.at, -Infinity));
    }
  }

  private entry(
    kind: 'grant' | 'link',
    ids: Interner,
    id: string,
    on: NodeRef,
    type: number,
    role: GrantRow['role'],
    expires: string | undefined,
    made: string | undefined,
  ): boolean {
    const before = ids.names.length;
    if (ids.of(id) < before) {
      this.problem(`${kind} ${id}`, 'the id is used twice; the first row counts');
      return false;
    }
    this.entryIds.push(id);
    this.entryType.push(type);
    this.entrySpace.push('space' in on ? this.spaces.ids.of(on.space) : -1);
    this.entryItem.push('item' in on ? this.items.of(on.item) : -1);
    this.entryRole.push(ROLES.indexOf(role));
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
    this.toEntry.push(this.entryIds.length - 1);
    this.toKind.push(kind);
    this.toNumber.push(number);
  }

  /** Checks what names what, and gives the columns. The builder is not to be used after it. */
  build(): Organisation {
    const { problems } = this;
    const workspaces = this.workspaces.rows.flatMap((row) => row ?? []);
    const users = this.users.ids.names.map((id, n) => this.users.rows[n] ?? unknownPerson(id, problems));
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
        memberValue.push(isGroup ? ~this.groups.ids.find(m.value) : this.users.ids.find(m.value));
      }
    });

    const spaceCount = this.spaces.ids.names.length;
    const breakable = new Uint8Array(spaceCount);
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
      const workspace = this.workspaces.rows[this.workspaces.ids.find(row.workspace)];
      if (!workspace)
        problems.push({ row: `space ${id}`, reason: `its workspace ${row.workspace} is not listed` });
      breakable[s] = workspace?.inheritance === 'breakable' ? 1 : 0;
      external[s] = Math.max(
        EXTERNAL_SHARING.indexOf(workspace?.externalSharing ?? 'anyone'),
        EXTERNAL_SHARING.indexOf(row.externalSharing ?? 'anyone'),
      );
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
    const entries = this.placeEntries(items.numberOf);

    return {
      takenAt: this.takenAt,
      own: {
        name: this.own.name,
        domains: this.own.domains.map((d) => d.toLowerCase()),
        partnerDomains: this.own.partnerDomains.map((d) => d.toLowerCase()),
      },
      workspaces,
      users,
      groups,
      members: listsBy(memberOwner.done(), memberValue.done(), groups.length),
      spaces,
      breakable,
      external,
      gates: listsBy(gateOwner.done(), gateValue.done(), spaceCount),
      itemIds: items.ids,
      itemSpace: items.space,
      itemParent: items.parent,
      itemOwner: items.owner,
      itemBreaks: items.breaks,
      entries: entries.columns,
      addresses: this.addresses.names,
      domains: this.domains.names,
      problems,
      find: (kind, id) => {
        if (kind === 'user') return this.users.ids.find(id);
        if (kind === 'group') return this.groups.ids.find(id);
        if (kind === 'space') return this.spaces.ids.find(id);
        if (kind === 'item') return items.numberOf[this.items.find(id)] ?? -1;
        const n = (kind === 'grant' ? this.grantIds : this.linkIds).find(id);
        return n < 0 ? -1 : entries.numberOf(kind, n);
      },
    };
  }

  /** Items in the order of their rows; those whose space is unknown are left out. */
  private placeItems(breakable: Uint8Array) {
    const rowItem = this.itemRow.done();
    const rowSpace = this.itemSpace.done();
    const rowParent = this.itemParent.done();
    const rowOwner = this.itemOwner.done();
    const rowBreaks = this.itemBreaks.done();
    const numberOf = new Int32Array(this.items.names.length).fill(-1);
    const kept: number[] = [];
    rowItem.forEach((item, r) => {
      if (this.spaces.rows[rowSpace[r]!]) numberOf[item] = kept.push(r) - 1;
      else
        this.problem(
          `item ${this.items.names[item]}`,
          `its space ${this.spaces.ids.names[rowSpace[r]!]} is not listed; it is left out`,
        );
    });
    const ids = kept.map((r) => this.items.names[rowItem[r]!]!);
    const space = Int32Array.from(kept, (r) => rowSpace[r]!);
    const owner = Int32Array.from(kept, (r) => rowOwner[r]!);
    const breaks = Uint8Array.from(kept, (r) => rowBreaks[r]!);
    const parent = Int32Array.from(kept, (r, i) => {
      const named = rowParent[r]!;
      if (named < 0) return -1;
      const p = numberOf[named]!;
      if (p < 0 || space[p] !== space[i]) {
        this.problem(
          `item ${ids[i]}`,
          p < 0
            ? `its parent ${this.items.names[named]} is not listed; it is taken as at the top of its space`
            : `its parent is in another space; it is taken as at the top of its own`,
        );
        return -1;
      }
      return p;
    });
    for (const i of cycleBreakers(parent)) {
      this.problem(`item ${ids[i]}`, 'is inside itself; it is taken as at the top of its space');
      parent[i] = -1;
    }
    breaks.forEach((b, i) => {
      if (b && !breakable[space[i]!]) {
        breaks[i] = 0;
        this.problem(
          `item ${ids[i]}`,
          'says it does not inherit, which this workspace cannot do; it inherits',
        );
      }
    });
    return { ids, space, parent, owner, breaks, numberOf };
  }

  private placeEntries(itemNumber: Int32Array) {
    const count = this.entryIds.length;
    const spaceCount = this.spaces.ids.names.length;
    const type = Uint8Array.from(this.entryType.done());
    const space = this.entrySpace.done();
    const item = this.entryItem.done();
    const node = new Int32Array(count);
    const ofGrant: number[] = [];
    const ofLink: number[] = [];
    for (let e = 0; e < count; e++) {
      (type[e] ? ofLink : ofGrant).push(e);
      const onItem = item[e]! >= 0;
      const known = onItem ? itemNumber[item[e]!]! >= 0 : this.spaces.rows[space[e]!] !== undefined;
      node[e] = !known ? -1 : onItem ? spaceCount + itemNumber[item[e]!]! : space[e]!;
      if (!known)
        this.problem(
          `${type[e] ? 'link' : 'grant'} ${this.entryIds[e]}`,
          'is on something that is not listed; it counts for nothing',
        );
    }
    const toEntry = this.toEntry.done();
    const redeemedEntry = this.redeemedEntry.done();
    const at = new Float64Array(redeemedEntry.length);
    const order = listsBy(
      redeemedEntry,
      Int32Array.from(redeemedEntry, (_, i) => i),
      count,
    );
    order.values.forEach((from, to) => (at[to] = this.redeemedAt[from]!));
    return {
      columns: {
        ids: this.entryIds,
        type,
        node,
        role: Uint8Array.from(this.entryRole.done()),
        expires: Float64Array.from(this.entryExpires),
        made: Float64Array.from(this.entryMade),
        toKind: listsBy(toEntry, this.toKind.done(), count),
        toNumber: listsBy(toEntry, this.toNumber.done(), count),
        redeemedKind: listsBy(redeemedEntry, this.redeemedKind.done(), count),
        redeemedNumber: listsBy(redeemedEntry, this.redeemedNumber.done(), count),
        redeemedAt: at,
      } satisfies Entries,
      numberOf: (kind: 'grant' | 'link', n: number) => (kind === 'grant' ? ofGrant : ofLink)[n]!,
    };
  }
}

function unknownPerson(id: string, problems: Problem[]): PersonRow {
  problems.push({ row: `user ${id}`, reason: 'is named but not listed; it can do nothing' });
  return { id, name: id, addresses: [], active: false, kind: 'member' };
}

/** One item of every cycle in the parent column: the one with the lowest number. */
function cycleBreakers(parent: Int32Array): number[] {
  const state = new Uint8Array(parent.length);
  const found: number[] = [];
  for (let i = 0; i < parent.length; i++) {
    let at = i;
    while (at >= 0 && state[at] === 0) {
      state[at] = 1;
      at = parent[at]!;
    }
    if (at >= 0 && state[at] === 1) {
      let lowest = at;
      for (let p = parent[at]!; p !== at; p = parent[p]!) lowest = Math.min(lowest, p);
      found.push(lowest);
    }
    for (at = i; at >= 0 && state[at] === 1; at = parent[at]!) state[at] = 2;
  }
  return found;
}

/** Whether the address belongs to the organisation itself: its domain, or one below it. */
export const isOwnAddress = (own: OrganisationRow, address: string): boolean =>
  coveredBy(domainOf(address), own.domains);
