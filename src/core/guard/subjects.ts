/**
 * What rules ask of each kind of subject, read from columns: only what a condition uses is worked out. What the fields
 * mean stands in core/filter/fields.ts.
 */
import { countBoth, has } from '../access/bits.ts';
import { groupsOfUser } from '../access/groups.ts';
import { namedBy } from '../access/named.ts';
import { BREAKS, HELD, nodeOfItem, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { identityKind, identityName } from '../access/view.ts';
import type { Approval } from '../apps/approval.ts';
import { appGetters, appGrantGetters, type GrantOfApp, type JudgedApp } from '../apps/judged.ts';
import { aboutDomain, type DomainAbout } from '../exposure/domains.ts';
import { HEAVY } from '../exposure/exposure.ts';
import type { Getters } from '../filter/filter.ts';
import { itemGetters, type ItemFacts } from '../filter/items.ts';
import { AUDIENCES, domainOf, EXTERNAL_SHARING, ROLES, type Audience } from '../model.ts';
import type { SpaceFacts } from '../ask/spaces.ts';
import type { Subject, SUBJECTS } from './kinds.ts';
import { lazily, once } from '../once.ts';
import { momentOf } from '../time.ts';

/** What can be asked of an organisation beside what is in its columns. */
export interface SubjectFacts extends ItemFacts {
  /** How many files, and heavy ones, each identity holds something of. */
  tally(): { files: Int32Array; heavy: Int32Array };
  /** When each identity last opened or changed a file, in milliseconds since 1970; 0 where nothing is known. */
  lastDeeds(): Float64Array;
  /** Of spaces, by number. */
  spaces: SpaceFacts;
  /** Apps, by number. */
  appList(): readonly JudgedApp[];
  /** Grants of apps, by number. */
  letIn(): readonly GrantOfApp[];
  /** What stewards have said of an app. */
  approval(app: string): Approval | undefined;
  /** By entry. */
  entry: {
    /** Number of the user who made it; −1 where unknown. */
    madeBy(entry: number): number;
    /** Of a link. */
    password(entry: number): boolean;
    /** Of a link: milliseconds since 1970, NaN where unknown. */
    lastUsed(entry: number): number;
  };
}

/** Getters of each kind of subject, by its number: items and spaces by node, grants and links by entry. */
export type SubjectGetters = { readonly [S in Subject]: Getters<number, (typeof SUBJECTS)[S]['fields']> };

/** Whom an entry is for: what kind of principal, and its number as an identity, group or domain; −1 where it has none. */
export interface Principal {
  kind: number;
  n: number;
  /** Of somebody of whom nothing is known. */
  address?: string;
}

/** What grants and links are read from: those that there are, by number, or one that is about to be made. */
export interface EntryReader {
  principals: (e: number) => Principal[];
  node: (e: number) => number;
  /** Number of a role. */
  role: (e: number) => number;
  /** Undefined of a grant. */
  audience: (e: number) => Audience | undefined;
  /** Milliseconds since 1970: Infinity where it does not end, NaN where unknown. */
  expires: (e: number) => number;
  made: (e: number) => number;
  madeBy: (e: number) => number;
  noCopies: (e: number) => boolean;
  password: (e: number) => boolean;
  lastUsed: (e: number) => number;
}

const DAY = 86_400_000;
const INDEX = { now: 'nowTier', could: 'couldTier' } as const;

/** What is asked of what is about to be as of what there is. */
export interface Readers extends SubjectGetters {
  /** Getters of a grant or link that is read from elsewhere. */
  entries(r: EntryReader): Pick<SubjectGetters, 'grant' | 'link'>;
  /** Getters of a grant of an app that is read from elsewhere. */
  apps(at: (n: number) => GrantOfApp): SubjectGetters['appGrant'];
  /** Whom a grant or link names. */
  principals(e: number): Principal[];
  /** What a domain is to us. */
  domain(name: string): DomainAbout;
}

export function subjectGetters(f: SubjectFacts): Readers {
  const { view: v, columns } = f;
  const { org } = v;
  const { entries } = org;
  const S = org.spaces.length;
  const item = itemGetters(f);
  const tier = (of: keyof typeof INDEX) => (n: number) => columns[INDEX[of]][n]!;
  const user = (n: number): string => org.users[n]?.name ?? '';

  const bySpace = <T>(of: (from: number, to: number) => T): ((space: number) => T) =>
    once((s) => of(org.spaceFirst[s]!, org.spaceFirst[s + 1]!));
  const filesIn = bySpace((from, to) => {
    let [files, heavy] = [0, 0];
    for (let i = from; i < to; i++) {
      files += f.items.isFile[i]!;
      if (f.items.isFile[i] && f.weight(nodeOfItem(org, i)) >= HEAVY) heavy++;
    }
    return { files, heavy };
  });
  const pointsOf = lazily(() => {
    const points = new Float64Array(S);
    for (const e of f.exposures) points[org.itemSpace[e.item]!]! += e.points;
    return points;
  });
  const typesIn = bySpace((from, to) => {
    const names = new Set<string>();
    for (let i = from; i < to; i++) for (const t of f.types(i)) names.add(t);
    return [...names].sort();
  });

  // of what takes its access from above: the heaviest of a folder and of what is below it
  const weightBelow = lazily(() => {
    const heaviest = new Uint8Array(S + org.itemIds.length);
    for (let i = org.itemIds.length - 1; i >= 0; i--) {
      const n = nodeOfItem(org, i);
      heaviest[n] = Math.max(heaviest[n]!, f.weight(n));
      if (org.itemBreaks[i]! & (BREAKS | HELD)) continue;
      const up = org.itemParent[i]! < 0 ? org.itemSpace[i]! : nodeOfItem(org, org.itemParent[i]!);
      heaviest[up] = Math.max(heaviest[up]!, heaviest[n]);
    }
    return heaviest;
  });
  const domains = new Map<string, DomainAbout>();
  const domain = (name: string): DomainAbout => {
    let about = domains.get(name);
    if (!about) domains.set(name, (about = aboutDomain(name, org.own.domains, org.own.partnerDomains)));
    return about;
  };
  const named = lazily(() => namedBy(v));
  const lastDeeds = lazily(() => f.lastDeeds());
  const namesIt = (n: number): Int32Array => named().values.subarray(named().start[n], named().start[n + 1]);
  const groupSize = (g: number): { members: number; external: number } => ({
    members: countBoth(v.groupMembers[g]!, v.members),
    external: countBoth(v.groupMembers[g]!, v.externals),
  });

  const address = (identity: number): string =>
    org.users[identity] ? (org.users[identity].addresses[0] ?? '') : identityName(v, identity);
  const domainOfIdentity = (i: number): DomainAbout => domain(domainOf(address(i)));
  const isExternal = (i: number): boolean => has(v.externals, i);

  function principalsOf(e: number): Principal[] {
    const found: Principal[] = [];
    for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
      const [kind, n] = [entries.toKind.values[i]!, entries.toNumber.values[i]!];
      found.push(
        kind === PRINCIPAL.address
          ? { kind: PRINCIPAL.user, n: n < 0 ? n : v.identityOfAddress[n]! }
          : { kind, n },
      );
    }
    return found;
  }
  /** Domains, other than ours, of somebody or something by name. */
  const outsideIn = (list: readonly Principal[]): DomainAbout[] =>
    list.flatMap(({ kind, n, address: unknown }) => {
      if (n < 0) {
        const about = unknown === undefined ? undefined : domain(domainOf(unknown));
        return about && about.standing !== 'own' ? about : [];
      }
      if (kind === PRINCIPAL.user) return isExternal(n) ? domainOfIdentity(n) : [];
      if (kind === PRINCIPAL.domain) return v.domainStanding[n] ? domain(org.domains[n]!) : [];
      if (kind !== PRINCIPAL.group) return [];
      const of: DomainAbout[] = [];
      v.domainNames.forEach((name, d) => has(v.groupDomains[n]!, d) && of.push(domain(name)));
      return of;
    });
  const principalName = ({ kind, n, address: unknown }: Principal): string => {
    if (kind === PRINCIPAL.everyone) return 'everyone';
    if (kind === PRINCIPAL.anyone) return 'anyone';
    if (n < 0) return unknown ?? '';
    return kind === PRINCIPAL.group
      ? org.groups[n]!.name
      : kind === PRINCIPAL.domain
        ? org.domains[n]!
        : address(n);
  };

  function entriesFrom(r: EntryReader): Pick<SubjectGetters, 'grant' | 'link'> {
    const { principals, node } = r;
    const outsideOf = (e: number): DomainAbout[] => outsideIn(principals(e));
    const forAnyone = (e: number): boolean =>
      r.audience(e) === 'anyone' || principals(e).some((p) => p.kind === PRINCIPAL.anyone);
    const given = {
      role: (e: number) => ROLES[r.role(e)]!,
      external: (e: number) => forAnyone(e) || outsideOf(e).length > 0,
      ofPartner: (e: number) => {
        const outside = outsideOf(e);
        return !forAnyone(e) && outside.length > 0 && outside.every((d) => d.standing === 'partner');
      },
      consumer: (e: number) => outsideOf(e).some((d) => d.consumer),
      lookAlike: (e: number) => outsideOf(e).some((d) => d.likens !== undefined),
      ends: (e: number) => r.expires(e) < Infinity,
      expires: (e: number) => (r.expires(e) < Infinity ? r.expires(e) : NaN),
      made: (e: number) => r.made(e),
      madeBy: (e: number) => user(r.madeBy(e)),
    };
    const on = {
      name: (e: number) => item.name(node(e)),
      path: (e: number) => item.path(node(e)),
      on: (e: number) => item.kind(node(e)),
      workspace: (e: number) => item.workspace(node(e)),
      space: (e: number) => item.space(node(e)),
      spaceKind: (e: number) => item.spaceKind(node(e)),
      owner: (e: number) => item.owner(node(e)),
      label: (e: number) => item.label(node(e)),
      weight: (e: number) => weightBelow()[node(e)]!,
      now: (e: number) => columns.nowTier[node(e)]!,
      could: (e: number) => columns.couldTier[node(e)]!,
      types: (e: number) => item.types(node(e)),
      holds: (e: number, ...asked: [Parameters<NonNullable<typeof item.holds>>[1]]) =>
        item.holds!(node(e), ...asked),
    };

    return {
      grant: {
        text: (e) => `${principals(e).map(principalName).join(' ')} ${item.text(node(e))}`.toLowerCase(),
        to: (e) => principals(e).map(principalName)[0] ?? '',
        kind: (e) => {
          const [p] = principals(e);
          if (!p) return 'unknown';
          if (p.kind === PRINCIPAL.everyone) return 'everyone';
          if (p.kind === PRINCIPAL.anyone) return 'anyone';
          if (p.kind === PRINCIPAL.group) return p.n < 0 ? 'unknown' : 'group';
          if (p.kind === PRINCIPAL.domain) return 'domain';
          if (p.n < 0) return 'unknown';
          return has(v.all, p.n) ? identityKind(v, p.n) : 'inactive';
        },
        size: (e) => {
          const [p] = principals(e);
          if (p?.kind === PRINCIPAL.group && p.n >= 0)
            return groupSize(p.n).members + groupSize(p.n).external;
          return p?.kind === PRINCIPAL.user && p.n >= 0 ? 1 : 0;
        },
        ...given,
        ...on,
      },
      link: {
        text: (e) => item.text(node(e)),
        audience: (e) => r.audience(e)!,
        recipients: (e) => principals(e).map(principalName).filter(Boolean),
        ...given,
        noCopies: (e) => r.noCopies(e),
        password: (e) => r.password(e),
        lastUsed: (e) => r.lastUsed(e),
        ...on,
      },
    };
  }

  const apps = (at: (n: number) => GrantOfApp) => appGrantGetters(v, at, (app) => f.approval(app));
  const own = entriesFrom({
    principals: principalsOf,
    node: (e) => entries.node[e]!,
    role: (e) => entries.role[e]!,
    audience: (e) => AUDIENCES[entries.type[e]! - 1],
    expires: (e) => entries.expires[e]!,
    made: (e) => entries.made[e]!,
    madeBy: (e) => f.entry.madeBy(e),
    noCopies: (e) => entries.noCopies[e] === 1,
    password: (e) => f.entry.password(e),
    lastUsed: (e) => f.entry.lastUsed(e),
  });
  return {
    item,
    space: {
      text: (n) => `${org.spaces[n]!.name} ${item.workspace(n)}`.toLowerCase(),
      name: item.name,
      workspace: item.workspace,
      kind: item.spaceKind,
      label: item.label,
      region: (n) => org.spaces[n]!.region ?? '',
      visibility: (n) => org.spaces[n]!.visibility ?? 'members',
      externalSharing: (n) => EXTERNAL_SHARING[org.external[n]!]!,
      defaultAudience: (n) => org.spaces[n]!.defaultAudience ?? 'named',
      editorsShare: (n) => org.spaces[n]!.editorsShare ?? false,
      dim: (n) => org.spaces[n]!.dim ?? false,
      gated: (n) => org.gates.start[n + 1]! > org.gates.start[n]!,
      owners: (n) => (org.spaces[n]!.owners ?? []).map((id) => org.users[org.find('user', id)]?.name ?? id),
      activeOwners: (n) =>
        (org.spaces[n]!.owners ?? []).filter((id) => {
          const u = org.find('user', id);
          return u >= 0 && has(v.members, u);
        }).length,
      leastOwners: f.spaces.leastOwners,
      purpose: (n) => f.spaces.charter(n)?.purpose ?? '',
      sensitivity: (n) => f.spaces.charter(n)?.sensitivity ?? '',
      differs: f.spaces.differs,
      archived: (n) => org.spaces[n]!.archived ?? false,
      binned: (n) => org.spaces[n]!.binned ?? false,
      idleDays: f.spaces.idleDays,
      dormant: f.spaces.dormant,
      members: (n) => columns.members[n]!,
      external: (n) => columns.guests[n]! + columns.outsiders[n]!,
      files: (n) => filesIn(n).files,
      heavy: (n) => filesIn(n).heavy,
      weight: item.weight,
      now: tier('now'),
      could: tier('could'),
      points: (n) => pointsOf()[n]!,
      types: typesIn,
      created: (n) => momentOf(org.spaces[n]!.createdAt ?? ''),
      modified: item.modified,
    },
    identity: {
      text: (i) => `${user(i)} ${address(i)}`.toLowerCase(),
      name: (i) => user(i) || address(i),
      address,
      domain: (i) => domainOf(address(i)),
      kind: (i) => org.users[i]?.kind ?? 'outsider',
      active: (i) => org.users[i]?.active ?? true,
      department: (i) => org.users[i]?.department ?? '',
      title: (i) => org.users[i]?.title ?? '',
      groups: (i) =>
        i < org.users.length ? [...groupsOfUser(org, i)].map((g) => org.groups[g]!.name).sort() : [],
      ends: (i) => org.users[i]?.expiresAt !== undefined,
      expires: (i) => momentOf(org.users[i]?.expiresAt ?? ''),
      files: (i) => f.tally().files[i]!,
      heavy: (i) => f.tally().heavy[i]!,
      idleDays: (i) => (lastDeeds()[i] ? Math.max(0, Math.floor((v.moment - lastDeeds()[i]!) / DAY)) : -1),
      grants: (i) => namesIt(i).length,
      ofPartner: (i) => isExternal(i) && domainOfIdentity(i).standing === 'partner',
      consumer: (i) => isExternal(i) && domainOfIdentity(i).consumer,
      lookAlike: (i) => isExternal(i) && domainOfIdentity(i).likens !== undefined,
    },
    group: {
      text: (g) => org.groups[g]!.name.toLowerCase(),
      name: (g) => org.groups[g]!.name,
      members: (g) => groupSize(g).members,
      external: (g) => groupSize(g).external,
      share: (g) => Math.round((100 * groupSize(g).members) / Math.max(1, v.memberCount)),
      grants: (g) => namesIt(v.identityCount + g).length,
      spaces: (g) =>
        new Set(Array.from(namesIt(v.identityCount + g), (e) => spaceOfNode(org, entries.node[e]!))).size,
      weight: (g) =>
        namesIt(v.identityCount + g).reduce((most, e) => Math.max(most, weightBelow()[entries.node[e]!]!), 0),
    },
    app: appGetters(
      v,
      (n) => f.appList()[n]!,
      (app) => f.approval(app),
    ),
    appGrant: apps((n) => f.letIn()[n]!),
    ...own,
    entries: entriesFrom,
    apps,
    principals: principalsOf,
    domain,
  };
}
