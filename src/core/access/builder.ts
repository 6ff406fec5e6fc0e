/**
 * Makes an organisation's columns from the extract's rows, given in any order. A row that names something
 * unknown is reported in `problems` and does the least it can. Rows can be replaced and taken away
 * afterwards, and the columns made anew without reading the others again.
 */
import {
  AUDIENCES,
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
import { addressName, domainName } from './addresses.ts';
import { counting, GrowFloat64, GrowInt32, Interner, listsBy, put, type Lists } from './growable.ts';
import { PackedNames, type Names } from './names.ts';
import {
  BREAKS,
  externalLevel,
  HELD_ITSELF,
  PRINCIPAL,
  spreadHeld,
  time,
  type Entries,
  type Organisation,
  type Problem,
} from './organisation.ts';

interface Slots<Row> {
  ids: Interner;
  rows: (Row | undefined)[];
}
const slots = <Row>(): Slots<Row> => ({ ids: new Interner(), rows: [] });

const KINDS = Object.keys(PRINCIPAL).length;

const SLOTS = ['workspaces', 'users', 'groups', 'spaces'] as const;
const FLAT = [
  'addresses',
  'domains',
  'items',
  'rowOfItem',
  'itemSpace',
  'itemParent',
  'itemOwner',
  'itemBreaks',
  'itemRow',
  'itemGone',
  'grantIds',
  'linkIds',
  'entryName',
  'entryType',
  'entrySpace',
  'entryItem',
  'entryRole',
  'entryNoCopies',
  'entryExpires',
  'entryMade',
  'entryGone',
  'rowOfGrant',
  'rowOfLink',
  'toEntry',
  'toKind',
  'toNumber',
  'redeemedEntry',
  'redeemedKind',
  'redeemedNumber',
  'redeemedAt',
] as const;

/** All that a builder was given, as flat columns and plain rows. */
export interface BuilderState {
  problems: [string, Problem[]][];
  slots: unknown[];
  flat: unknown[];
}

export class OrganisationBuilder {
  /** What is wrong with a row itself, by row: it goes with it. What is wrong between rows is found when columns are made. */
  private readonly rowProblems = new Map<string, Problem[]>();
  private problems: Problem[] = [];
  private readonly workspaces = slots<WorkspaceRow>();
  private readonly users = slots<PersonRow>();
  private readonly groups = slots<GroupRow>();
  private readonly spaces = slots<SpaceRow>();
  private readonly addresses = new Interner();
  private readonly domains = new Interner();

  private readonly items = new PackedNames();
  /** The row of an item by the number of its id; −1 where it has none. */
  private readonly rowOfItem = new GrowInt32();
  private readonly itemSpace = new GrowInt32();
  private readonly itemParent = new GrowInt32();
  private readonly itemOwner = new GrowInt32();
  private readonly itemBreaks = new GrowInt32();
  private readonly itemRow = new GrowInt32();
  /** 1 where the row was taken away again. */
  private readonly itemGone = new GrowInt32();

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
  /** 1 where the row was taken away again, or another took its place. */
  private readonly entryGone = new GrowInt32();
  /** The newest row of each grant, and of each link, by the number of its id. */
  private readonly rowOfGrant = new GrowInt32();
  private readonly rowOfLink = new GrowInt32();
  private readonly toEntry = new GrowInt32();
  private readonly toKind = new GrowInt32();
  private readonly toNumber = new GrowInt32();
  private readonly redeemedEntry = new GrowInt32();
  private readonly redeemedKind = new GrowInt32();
  private readonly redeemedNumber = new GrowInt32();
  private readonly redeemedAt = new GrowFloat64();

  constructor(
    private own: OrganisationRow,
    private takenAt: number,
  ) {}

  /** All that it was given, not copied: what `restore` takes. It holds until another row is put in. */
  state(): BuilderState {
    return {
      problems: [...this.rowProblems],
      slots: SLOTS.map((k) => [this[k].ids.state(), this[k].rows]),
      flat: FLAT.map((k) => this[k].state()),
    };
  }

  restore(state: BuilderState): void {
    state.problems.forEach(([row, list]) => this.rowProblems.set(row, list));
    SLOTS.forEach((k, n) => {
      const [names, rows] = state.slots[n] as [string[], unknown[]];
      this[k].ids.restore(names);
      this[k].rows = rows.map((r) => r ?? undefined) as never[];
    });
    FLAT.forEach((k, n) => this[k].restore(state.flat[n] as never));
  }

  private take<Row extends { id: string }>(into: Slots<Row>, kind: string, row: Row): void {
    const n = into.ids.of(row.id);
    if (into.rows[n]) this.twice(kind, row.id);
    else into.rows[n] = row;
  }

  private twice(kind: string, id: string): void {
    this.rowProblem(`${kind} ${id}`, 'the id is used twice; the first row counts');
  }

  private rowProblem(row: string, reason: string): void {
    this.rowProblems.set(row, [...(this.rowProblems.get(row) ?? []), { row, reason }]);
  }

  private problem(row: string, reason: string): void {
    this.problems.push({ row, reason });
  }

  /** Whether anything names a user, group or space of this id. */
  knows(kind: 'user' | 'group' | 'space', id: string): boolean {
    const ids = { user: this.users, group: this.groups, space: this.spaces }[kind].ids;
    return ids.find(id) >= 0;
  }

  /** What groups name as members, as their rows do. */
  memberValues(): Set<string> {
    return new Set(this.groups.rows.flatMap((g) => g?.members.map((m) => m.value) ?? []));
  }

  /** Puts a row in the place of the one with its id, or adds it where there is none. */
  replace(kind: 'user', row: PersonRow): void;
  replace(kind: 'group', row: GroupRow): void;
  replace(kind: 'space', row: SpaceRow): void;
  replace(kind: 'user' | 'group' | 'space', row: PersonRow | GroupRow | SpaceRow): void {
    const into = { user: this.users, group: this.groups, space: this.spaces }[kind] as Slots<typeof row>;
    into.rows[into.ids.of(row.id)] = row;
  }

  /** Which organisation it is from now on, and the moment of judgement. */
  about(own: OrganisationRow, takenAt: number): void {
    this.own = own;
    this.takenAt = takenAt;
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

  /** Whether it was taken: one whose id is used twice is not. */
  item(row: ItemRow): boolean {
    if (this.itemRowOf(row.id) >= 0) {
      this.twice('item', row.id);
      return false;
    }
    this.putItem(row);
    return true;
  }

  /** Adds an item, or puts it in the place of the one with its id. Gives the number of its row. */
  putItem(row: ItemRow): number {
    const known = this.itemRowOf(row.id);
    const n = this.items.of(row.id);
    while (this.rowOfItem.length <= n) this.rowOfItem.push(-1);
    const r = known < 0 ? this.itemRow.push(n) : known;
    this.rowOfItem.set(n, r);
    put(this.itemSpace, r, this.spaces.ids.of(row.space));
    put(this.itemParent, r, row.parent === undefined ? -1 : this.items.of(row.parent));
    put(this.itemOwner, r, row.owner === undefined ? -1 : this.users.ids.of(row.owner));
    put(
      this.itemBreaks,
      r,
      (row.inherits === false ? BREAKS : 0) | (row.held || row.binned ? HELD_ITSELF : 0),
    );
    put(this.itemGone, r, 0);
    return r;
  }

  /** The number of an item's id, listed or not. */
  itemNumber(id: string): number {
    return this.items.of(id);
  }

  /** The numbers of the ids that rows of items have. */
  itemNumbers(rows: Int32Array): Int32Array {
    const numbers = this.itemRow.state();
    return rows.map((r) => numbers[r]!);
  }

  /** Takes an item away; what lies in it is then at the top of its space. */
  dropItem(id: string): void {
    const r = this.itemRowOf(id);
    if (r >= 0) this.itemGone.set(r, 1);
  }

  /** The place of an item's row, gone or not; −1 where there never was one. */
  private itemRowOf(id: string): number {
    const n = this.items.find(id);
    return n >= 0 && n < this.rowOfItem.length ? this.rowOfItem.at(n) : -1;
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
    const { recipients = [] } = row;
    const named = recipients.length > 1 ? new Set<number>() : undefined;
    for (const r of recipients)
      if (!this.principal(r, named)) this.rowProblem(`link ${row.id}`, 'it names a recipient twice');
    for (const r of row.redeemedBy ?? []) {
      this.redeemedEntry.push(this.entryName.length - 1);
      if ('user' in r) {
        this.redeemedKind.push(PRINCIPAL.user);
        this.redeemedNumber.push(this.users.ids.of(r.user));
      } else {
        this.redeemedKind.push(PRINCIPAL.address);
        this.redeemedNumber.push(this.addresses.of(addressName(r.email)));
      }
      this.redeemedAt.push(time(r.at, -Infinity));
    }
    return true;
  }

  /** Takes a grant or link away, so that another row of its id can take its place. */
  dropEntry(kind: 'grant' | 'link', id: string): void {
    this.rowProblems.delete(`${kind} ${id}`);
    const n = (kind === 'grant' ? this.grantIds : this.linkIds).find(id);
    const rows = kind === 'grant' ? this.rowOfGrant : this.rowOfLink;
    if (n >= 0 && rows.at(n) >= 0) this.entryGone.set(rows.at(n), 1);
  }

  /**
   * Puts the rows of items and entries in the order in which columns have them, so that making these goes straight through
   * memory, and forgets those that are gone. Gives which row each one was. For columns that were made before, what is
   * known by row elsewhere holds no more.
   */
  settle(): { items: Int32Array; entries: Int32Array } {
    this.problems = [];
    const { order, numberOf, ids } = this.placeItems(new Uint8Array(this.spaces.ids.names.length));
    const items = withRest(order, this.itemGone.state());
    for (const column of [this.itemSpace, this.itemParent, this.itemOwner, this.itemBreaks, this.itemRow])
      column.pick(items);
    this.itemGone.restore(new Int32Array(items.length));
    renumber(this.rowOfItem, this.itemRow.state());

    const { sorted, count } = this.entriesByNode(numberOf, ids.length);
    const entries = withRest(sorted.values.subarray(0, count), this.entryGone.state());
    const rowCount = this.entryName.length;
    for (const [owners, ...values] of [
      [this.toEntry, this.toKind, this.toNumber],
      [this.redeemedEntry, this.redeemedKind, this.redeemedNumber, this.redeemedAt],
    ] as const) {
      const lists = reordered(owners.state(), rowCount, entries)(counting(owners.length));
      for (const column of values) column.pick(lists.values);
      const owner = new Int32Array(lists.values.length);
      for (let e = 0; e < entries.length; e++) owner.fill(e, lists.start[e], lists.start[e + 1]);
      owners.restore(owner);
    }
    for (const column of [
      this.entryName,
      this.entryType,
      this.entrySpace,
      this.entryItem,
      this.entryRole,
      this.entryNoCopies,
      this.entryExpires,
      this.entryMade,
    ])
      column.pick(entries);
    this.entryGone.restore(new Int32Array(entries.length));
    const types = this.entryType.state();
    const names = this.entryName.state();
    renumber(this.rowOfGrant, names, (row) => !types[row]);
    renumber(this.rowOfLink, names, (row) => types[row]! > 0);
    return { items, entries };
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
    const rows = kind === 'grant' ? this.rowOfGrant : this.rowOfLink;
    const n = ids.of(id);
    const known = n < rows.length ? rows.at(n) : -1;
    if (known >= 0 && !this.entryGone.at(known)) {
      this.twice(kind, id);
      return false;
    }
    const row = this.entryName.push(n);
    if (n < rows.length) rows.set(n, row);
    else rows.push(row);
    this.entryGone.push(0);
    this.entryType.push(type);
    this.entrySpace.push('space' in on ? this.spaces.ids.of(on.space) : -1);
    this.entryItem.push('item' in on ? this.items.of(on.item) : -1);
    this.entryRole.push(ROLES.indexOf(role));
    this.entryNoCopies.push(noCopies ? 1 : 0);
    this.entryExpires.push(time(expires, Infinity));
    this.entryMade.push(time(made, NaN));
    return true;
  }

  /** Adds whom the last entry is for; false where that is among those `named` already. */
  private principal(to: Grantee | Recipient, named?: Set<number>): boolean {
    const [kind, number] =
      'user' in to
        ? [PRINCIPAL.user, this.users.ids.of(to.user)]
        : 'group' in to
          ? [PRINCIPAL.group, this.groups.ids.of(to.group)]
          : 'email' in to
            ? [PRINCIPAL.address, this.addresses.of(addressName(to.email))]
            : 'domain' in to
              ? [PRINCIPAL.domain, this.domains.of(domainName(to.domain))]
              : 'everyone' in to
                ? [PRINCIPAL.everyone, 0]
                : [PRINCIPAL.anyone, 0];
    if (named) {
      const key = number * KINDS + kind;
      if (named.has(key)) return false;
      named.add(key);
    }
    this.toEntry.push(this.entryName.length - 1);
    this.toKind.push(kind);
    this.toNumber.push(number);
    return true;
  }

  /** Checks what names what, and gives the columns as the rows are now; those given before stay as they are. */
  build(): Organisation {
    const problems: Problem[] = [...this.rowProblems.values()].flat();
    this.problems = problems;
    const workspaces = this.workspaces.rows.flatMap((row) => row ?? []);
    const named = this.named();
    const { users: userIds, groups: groupIds } = named;
    const listed = new Map(
      userIds.map((n) => [n, this.users.rows[n] ?? unknownPerson(this.users.ids.names[n]!, problems)]),
    );
    const order = userIds.sort((a, b) => kindRank(listed.get(a)!) - kindRank(listed.get(b)!) || a - b);
    const users = order.map((n) => listed.get(n)!);
    /** Numbers in the columns, by the numbers of ids; −1 for what is in none of them. */
    const numberOf = {
      user: placesOf(order, this.users.ids),
      group: placesOf(groupIds, this.groups.ids),
      address: placesOf(named.addresses, this.addresses),
      domain: placesOf(named.domains, this.domains),
    };
    const user = (n: number): number => numberOf.user[n] ?? -1;
    const group = (id: string): number => numberOf.group[this.groups.ids.find(id)] ?? -1;
    const groups = groupIds.map((n) => {
      const [id, row] = [this.groups.ids.names[n]!, this.groups.rows[n]];
      if (!row) problems.push({ row: `group ${id}`, reason: 'is named but not listed; it has no members' });
      return { id, name: row?.name ?? id };
    });

    const memberOwner = new GrowInt32();
    const memberValue = new GrowInt32();
    // by user and by group: the last group of which it was a member
    const lastOf = {
      user: new Int32Array(userIds.length).fill(-1),
      group: new Int32Array(groupIds.length).fill(-1),
    };
    this.groups.rows.forEach((row, g) => {
      for (const m of row?.members ?? []) {
        const asGroup = this.groups.rows[this.groups.ids.find(m.value)] !== undefined;
        const asUser = this.users.rows[this.users.ids.find(m.value)] !== undefined;
        const isGroup = m.type === undefined ? asGroup : m.type === 'Group';
        if (isGroup ? !asGroup : !asUser) {
          problems.push({ row: `group ${row!.id}`, reason: `its member ${m.value} is not listed` });
          continue;
        }
        const value = isGroup ? group(m.value) : user(this.users.ids.find(m.value));
        const last = isGroup ? lastOf.group : lastOf.user;
        if (last[value] === g) {
          problems.push({ row: `group ${row!.id}`, reason: `its member ${m.value} is listed twice` });
          continue;
        }
        last[value] = g;
        memberOwner.push(numberOf.group[g]!);
        memberValue.push(isGroup ? ~value : value);
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
        const n = group(g);
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
    const entries = this.placeEntries(items.numberOf, items.ids.length, numberOf);

    return {
      takenAt: this.takenAt,
      own: {
        name: this.own.name,
        domains: this.own.domains.map(domainName),
        partnerDomains: this.own.partnerDomains.map(domainName),
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
      itemRow: items.order,
      spaceFirst: items.first,
      itemEnd: items.end,
      itemSpace: items.space,
      itemParent: items.parent,
      itemOwner: items.owner.map(user),
      itemBreaks: items.breaks,
      entries: entries.columns,
      addresses: named.addresses.map((n) => this.addresses.names[n]!),
      domains: named.domains.map((n) => this.domains.names[n]!),
      problems,
      // ids that came to be known after these columns were made are not in them
      find: (kind, id) => {
        if (kind === 'user') return user(this.users.ids.find(id));
        if (kind === 'group') return group(id);
        if (kind === 'space') return below(this.spaces.ids.find(id), spaces.length);
        if (kind === 'item') return items.numberOf[this.items.find(id)] ?? -1;
        return entries.numberOf(kind, (kind === 'grant' ? this.grantIds : this.linkIds).find(id));
      },
    };
  }

  /** Whether something lies in, or is on, a space that was never listed. */
  hasUnlistedSpaces(): boolean {
    return this.spaces.ids.names.some((_, n) => !this.spaces.rows[n]);
  }

  /**
   * The numbers of the ids that have a row, or that a row names; in order. An id stays known when the last row that
   * named it is gone, and is not among them then.
   */
  private named(): Record<'users' | 'groups' | 'addresses' | 'domains', number[]> {
    const marks = {
      [PRINCIPAL.user]: Uint8Array.from(this.users.ids.names, (_, n) => (this.users.rows[n] ? 1 : 0)),
      [PRINCIPAL.group]: Uint8Array.from(this.groups.ids.names, (_, n) => (this.groups.rows[n] ? 1 : 0)),
      [PRINCIPAL.address]: new Uint8Array(this.addresses.names.length),
      [PRINCIPAL.domain]: new Uint8Array(this.domains.names.length),
    };
    const owners = this.itemOwner.state();
    const itemGone = this.itemGone.state();
    for (let r = 0; r < owners.length; r++)
      if (owners[r]! >= 0 && !itemGone[r]) marks[PRINCIPAL.user][owners[r]!] = 1;
    const markOf = byKind(marks);
    const gone = this.entryGone.state();
    for (const [entries, kinds, numbers] of [
      [this.toEntry.state(), this.toKind.state(), this.toNumber.state()],
      [this.redeemedEntry.state(), this.redeemedKind.state(), this.redeemedNumber.state()],
    ] as const)
      for (let i = 0; i < entries.length; i++) {
        const of = markOf[kinds[i]!];
        if (of && !gone[entries[i]!]) of[numbers[i]!] = 1;
      }
    const marked = (of: Uint8Array): number[] => [...counting(of.length)].filter((n) => of[n]);
    return {
      users: marked(marks[PRINCIPAL.user]),
      groups: marked(marks[PRINCIPAL.group]),
      addresses: marked(marks[PRINCIPAL.address]),
      domains: marked(marks[PRINCIPAL.domain]),
    };
  }

  /** Items in preorder, siblings in the order of their rows; those whose space is unknown are left out. */
  private placeItems(breakable: Uint8Array) {
    const rowItem = this.itemRow.done();
    const rowSpace = this.itemSpace.state();
    const rowParent = this.itemParent.state();
    const rowOwner = this.itemOwner.state();
    const rowBreaks = this.itemBreaks.state();
    const name = (row: number): string => `item ${this.items.at(rowItem[row]!)}`;
    const rowOf = new Int32Array(this.items.length).fill(-1);
    const spaceCount = this.spaces.ids.names.length;
    rowItem.forEach((item, r) => {
      if (this.itemGone.at(r)) return;
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

    const rows = counting(rowItem.length).filter((r) => rowOf[rowItem[r]!] === r);
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
      order,
      first,
      end,
      space,
      parent,
      owner,
      breaks,
      numberOf,
    };
  }

  /** The rows of entries by node, in their order; those on nothing that is known after them, and those that are gone last. */
  private entriesByNode(itemNumber: Int32Array, itemCount: number) {
    const rowCount = this.entryName.length;
    // what a row is named, and what type it is of, never changes: later rows come after these
    const rowType = this.entryType.state();
    const rowName = this.entryName.state();
    const nameOf = (row: number): string => (rowType[row] ? this.linkIds : this.grantIds).at(rowName[row]!);
    const rowSpace = this.entrySpace.state();
    const rowItem = this.entryItem.state();
    const rowGone = this.entryGone.state();
    const spaceKnown = Uint8Array.from(this.spaces.ids.names, (_, s) => (this.spaces.rows[s] ? 1 : 0));
    const spaceCount = spaceKnown.length;
    const nodes = spaceCount + itemCount;
    const gone = nodes + 1;
    const rowNode = new Int32Array(rowCount);
    for (let r = 0; r < rowCount; r++) {
      const item = rowItem[r]!;
      if (rowGone[r]) rowNode[r] = gone;
      else if (item >= 0 ? itemNumber[item]! >= 0 : spaceKnown[rowSpace[r]!])
        rowNode[r] = item >= 0 ? spaceCount + itemNumber[item]! : rowSpace[r]!;
      else {
        rowNode[r] = nodes;
        this.problem(
          `${rowType[r] ? 'link' : 'grant'} ${nameOf(r)}`,
          'is on something that is not listed; it counts for nothing',
        );
      }
    }
    const sorted = listsBy(rowNode, counting(rowCount), nodes + 2);
    return { sorted, count: sorted.start[gone]!, rowNode, nameOf };
  }

  private placeEntries(
    itemNumber: Int32Array,
    itemCount: number,
    principals: Record<'user' | 'group' | 'address' | 'domain', Int32Array>,
  ) {
    const rowCount = this.entryName.length;
    const { sorted, count, rowNode, nameOf } = this.entriesByNode(itemNumber, itemCount);
    const nodes = this.spaces.ids.names.length + itemCount;
    const rowType = this.entryType.state();
    const rowRole = this.entryRole.state();
    const rowNoCopies = this.entryNoCopies.state();
    const order = sorted.values.subarray(0, count);
    const numberOf = new Int32Array(rowCount).fill(-1);
    const rowOf = { grant: this.rowOfGrant.done(), link: this.rowOfLink.done() };
    const rowExpires = this.entryExpires.state();
    const rowMade = this.entryMade.state();
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
    const to = reordered(this.toEntry.state(), rowCount, order);
    const redeemed = reordered(this.redeemedEntry.state(), rowCount, order);
    const at = this.redeemedAt.state();
    const places = byKind({
      [PRINCIPAL.user]: principals.user,
      [PRINCIPAL.group]: principals.group,
      [PRINCIPAL.address]: principals.address,
      [PRINCIPAL.domain]: principals.domain,
    });
    const numbers = (kinds: Int32Array, values: Int32Array): Int32Array => {
      const out = new Int32Array(values.length);
      for (let i = 0; i < out.length; i++) {
        const of = places[kinds[i]!];
        out[i] = of ? of[values[i]!]! : values[i]!;
      }
      return out;
    };
    const toKind = this.toKind.state();
    const redeemedKind = this.redeemedKind.state();
    return {
      columns: {
        ...columns,
        toKind: to(toKind),
        toNumber: to(numbers(toKind, this.toNumber.state())),
        redeemedKind: redeemed(redeemedKind),
        redeemedNumber: redeemed(numbers(redeemedKind, this.redeemedNumber.state())),
        redeemedAt: Float64Array.from(redeemed(counting(at.length)).values, (i) => at[i]!),
      } satisfies Entries,
      numberOf: (kind: 'grant' | 'link', n: number) => numberOf[rowOf[kind][n] ?? -1] ?? -1,
    };
  }
}

/**
 * Lists by owner, for values whose owners were given in rising order below `ownerCount`: the owners in `order`,
 * in that order, and no others. Reads each list as a whole and writes one after another.
 */
function reordered(owners: Int32Array, ownerCount: number, order: Int32Array): (values: Int32Array) => Lists {
  const from = new Int32Array(ownerCount + 1);
  for (let i = 0; i < owners.length; i++) from[owners[i]! + 1]!++;
  for (let o = 0; o < ownerCount; o++) from[o + 1]! += from[o]!;
  const start = new Int32Array(order.length + 1);
  for (let o = 0; o < order.length; o++) start[o + 1] = start[o]! + from[order[o]! + 1]! - from[order[o]!]!;
  return (values) => {
    const out = new Int32Array(start[order.length]!);
    let k = 0;
    for (let o = 0; o < order.length; o++)
      for (let i = from[order[o]!]!; i < from[order[o]! + 1]!; i++) out[k++] = values[i]!;
    return { start, values: out };
  };
}

/** Some rows, and after them the others that are not gone. */
function withRest(rows: Int32Array, gone: Int32Array): Int32Array {
  const left = gone.map((g) => (g ? 0 : 1));
  for (const r of rows) left[r] = 0;
  const rest = counting(gone.length).filter((r) => left[r]);
  const all = new Int32Array(rows.length + rest.length);
  all.set(rows);
  all.set(rest, rows.length);
  return all;
}

/** Makes a column say by id which row it has now; −1 where none. `names`: the id of each row. */
function renumber(column: GrowInt32, names: Int32Array, is: (row: number) => boolean = () => true): void {
  const rows = new Int32Array(column.length).fill(-1);
  for (let row = 0; row < names.length; row++) if (is(row)) rows[names[row]!] = row;
  column.restore(rows);
}

/** Columns by kind of principal, as a list. */
const byKind = <C>(columns: Partial<Record<number, C>>): (C | undefined)[] =>
  Array.from({ length: KINDS }, (_, kind) => columns[kind]);

/** Where each of the ids stands in a list of some of their numbers; −1 for those that do not. */
function placesOf(numbers: readonly number[], ids: Interner): Int32Array {
  const places = new Int32Array(ids.names.length).fill(-1);
  numbers.forEach((n, at) => (places[n] = at));
  return places;
}

/** A number below a limit, else −1. */
const below = (n: number, limit: number): number => (n < limit ? n : -1);

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
