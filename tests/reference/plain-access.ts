/**
 * A second reading of docs/access.md: plain loops over rows and sets of names, slow, sharing no
 * code with src/core/access. It is what the fast one is compared with.
 */
import type {
  GrantRow,
  GroupRow,
  ItemRow,
  LinkRow,
  OrganisationRow,
  PersonRow,
  SpaceRow,
  WorkspaceRow,
} from '../../src/core/model.ts';

export interface Rows {
  takenAt: number;
  own: OrganisationRow;
  workspaces: WorkspaceRow[];
  users: PersonRow[];
  groups: GroupRow[];
  spaces: SpaceRow[];
  items: ItemRow[];
  grants: GrantRow[];
  links: LinkRow[];
}

const WORDS = {
  reader: ['find', 'open', 'copy'],
  commenter: ['find', 'open', 'copy', 'comment'],
  editor: ['find', 'open', 'copy', 'comment', 'edit'],
  manager: ['find', 'open', 'copy', 'comment', 'edit', 'share', 'manage'],
  owner: ['find', 'open', 'copy', 'comment', 'edit', 'share', 'manage', 'delete'],
};
const LEVELS = ['anyone', 'new-guests', 'existing-guests', 'off'];
const TIERS = ['sole', 'team', 'wide', 'organisation', 'partner', 'outside', 'public'];

const domain = (address: string) => address.toLowerCase().split('@').pop()!;
const under = (d: string, list: string[]) =>
  list.some((x) => d === x.toLowerCase() || d.endsWith('.' + x.toLowerCase()));

type Identity = { name: string; kind: 'member' | 'guest' | 'outsider'; domain: string };

export function plainly(given: Rows) {
  const ended = (u: PersonRow) => u.expiresAt !== undefined && Date.parse(u.expiresAt) <= given.takenAt;
  const rows = { ...given, users: given.users.map((u) => ({ ...u, active: u.active && !ended(u) })) };
  const { own } = rows;
  const userById = new Map(rows.users.map((u) => [u.id, u]));
  const groupById = new Map(rows.groups.map((g) => [g.id, g]));
  const userWith = (address: string) => rows.users.find((u) => u.addresses.includes(address.toLowerCase()));

  const identities = new Map<string, Identity>();
  for (const u of rows.users)
    if (u.active)
      identities.set(u.id, {
        name: u.id,
        kind: u.kind,
        domain: u.addresses[0] ? domain(u.addresses[0]) : '',
      });
  const mentioned = [
    ...rows.grants.flatMap((g) => ('email' in g.to ? [g.to.email] : [])),
    ...rows.links.flatMap((l) =>
      [...(l.recipients ?? []), ...(l.redeemedBy ?? [])].flatMap((r) => ('email' in r ? [r.email] : [])),
    ),
  ];
  for (const a of mentioned)
    if (!userWith(a) && !under(domain(a), own.domains))
      identities.set(a.toLowerCase(), { name: a.toLowerCase(), kind: 'outsider', domain: domain(a) });
  const byAddress = (a: string) => {
    const u = userWith(a);
    const name = u ? u.id : a.toLowerCase();
    return identities.has(name) ? [name] : [];
  };

  const inGroup = (id: string, seen = new Set<string>()): Set<string> => {
    const out = new Set<string>();
    if (seen.has(id)) return out;
    seen.add(id);
    for (const m of groupById.get(id)?.members ?? []) {
      const isGroup = m.type ? m.type === 'Group' : groupById.has(m.value);
      if (isGroup) for (const x of inGroup(m.value, seen)) out.add(x);
      else if (userById.get(m.value)?.active) out.add(m.value);
    }
    return out;
  };
  const everybody = [...identities.keys()];
  const members = everybody.filter((n) => identities.get(n)!.kind === 'member');

  const who = (p: object): string[] => {
    const to = p as Record<string, unknown>;
    if ('user' in to) return identities.has(to.user as string) ? [to.user as string] : [];
    if ('group' in to) return [...inGroup(to.group as string)];
    if ('email' in to) return byAddress(to.email as string);
    if ('everyone' in to) return members;
    if ('domain' in to)
      return rows.users
        .filter((u) => u.active && u.addresses.some((a) => domain(a) === (to.domain as string).toLowerCase()))
        .map((u) => u.id);
    return everybody;
  };
  const inForce = (x: { expiresAt?: string | undefined }) =>
    !x.expiresAt || Date.parse(x.expiresAt) > rows.takenAt;
  const redeemed = (l: LinkRow) =>
    (l.redeemedBy ?? [])
      .filter((r) => !r.at || Date.parse(r.at) <= rows.takenAt)
      .flatMap((r) => ('user' in r ? who({ user: r.user }) : byAddress(r.email)));

  function all(space: SpaceRow, item?: ItemRow) {
    const workspace = rows.workspaces.find((w) => w.id === space.workspace)!;
    const level =
      LEVELS[
        Math.max(
          LEVELS.indexOf(workspace.externalSharing ?? 'anyone'),
          LEVELS.indexOf(space.externalSharing ?? 'anyone'),
        )
      ]!;
    const gated = space.binned === true || (space.gate ?? []).length > 0;
    const passes = new Set((space.binned ? [] : (space.gate ?? [])).flatMap((g) => [...inGroup(g)]));
    const inert = level !== 'anyone' || gated;
    const wholeDomains = (level === 'anyone' || level === 'new-guests') && !gated;

    // what applies
    const grants: GrantRow[] = [];
    const links: LinkRow[] = [];
    let visible = false;
    let broken = false;
    let held = false;
    for (let at = item; at; at = rows.items.find((i) => i.id === at.parent)) held ||= at.held === true;
    for (let at = item; at;) {
      const here = at;
      if (!broken) {
        grants.push(...rows.grants.filter((g) => 'item' in g.on && g.on.item === here.id));
        links.push(...rows.links.filter((l) => 'item' in l.on && l.on.item === here.id));
      }
      if (here.inherits === false && workspace.inheritance === 'breakable') broken = true;
      at = rows.items.find((i) => i.id === here.parent);
    }
    for (const g of rows.grants)
      if (
        'space' in g.on &&
        g.on.space === space.id &&
        (!broken || g.role === 'manager' || g.role === 'owner')
      )
        grants.push(g);
    if (!broken) {
      links.push(...rows.links.filter((l) => 'space' in l.on && l.on.space === space.id));
      visible = space.visibility === 'organisation';
    }

    const given = new Map<string, Set<string>>();
    const give = (names: Iterable<string>, role: keyof typeof WORDS, ...but: string[]) => {
      if (held) return;
      for (const n of names) {
        const set = given.get(n) ?? new Set<string>();
        for (const w of WORDS[role]) if (!but.includes(w)) set.add(w);
        if (role === 'editor' && space.editorsShare !== false) set.add('share');
        if (space.archived) for (const w of ['comment', 'edit', 'share', 'manage', 'delete']) set.delete(w);
        given.set(n, set);
      }
    };
    const domains = new Set<string>();
    let anyoneNow = false;
    let anyoneCould = false;
    let organisationCould = false;
    for (const g of held ? [] : grants.filter(inForce)) {
      if ('anyone' in g.to && inert) continue;
      if ('anyone' in g.to) anyoneNow = true;
      if ('domain' in g.to && wholeDomains && !under(g.to.domain.toLowerCase(), own.domains))
        domains.add(g.to.domain.toLowerCase());
      give(who(g.to), g.role);
    }
    for (const l of held ? [] : links.filter(inForce)) {
      const but = l.noCopies && (l.role === 'reader' || l.role === 'commenter') ? ['copy'] : [];
      if (l.audience === 'named') {
        const opened = redeemed(l);
        for (const r of l.recipients ?? [])
          for (const n of who(r)) give([n], l.role, ...but, ...(opened.includes(n) ? [] : ['find']));
      } else if (l.audience === 'organisation') {
        organisationCould = true;
        give(
          redeemed(l).filter((n) => members.includes(n)),
          l.role,
          ...but,
        );
      } else if (!inert) {
        anyoneCould = true;
        give(redeemed(l), l.role, ...but);
      }
    }
    if (visible) give(members, space.visibilityRole ?? 'reader');
    if (item?.owner && identities.has(item.owner)) give([item.owner], 'owner');

    for (const n of [...given.keys()]) {
      const { kind } = identities.get(n)!;
      if (level === 'off' && kind !== 'member') given.delete(n);
      else if (level === 'existing-guests' && kind === 'outsider') given.delete(n);
      else if (gated && !passes.has(n)) given.delete(n);
    }

    const holders = [...given.keys()].map((n) => identities.get(n)!);
    const outsideDomains = new Set(domains);
    for (const h of holders) if (h.kind !== 'member') outsideDomains.add(h.domain);
    const count = (k: string) => holders.filter((h) => h.kind === k).length;
    const could = organisationCould
      ? new Set([
          ...holders.filter((h) => h.kind === 'member').map((h) => h.name),
          ...members.filter((m) => !gated || passes.has(m)),
        ]).size
      : count('member');
    const tier = (n: number, anyone: boolean) => {
      if (anyone) return 'public';
      const external = [...holders.filter((h) => h.kind !== 'member').map((h) => h.domain), ...domains];
      if (external.some((d) => !under(d, own.partnerDomains))) return 'outside';
      if (external.length) return 'partner';
      if (members.length > 0 && n >= members.length / 2) return 'organisation';
      return n > 25 ? 'wide' : n >= 2 ? 'team' : 'sole';
    };
    const common = {
      guests: count('guest'),
      outsiders: count('outsider'),
      domains: [...outsideDomains].filter(Boolean).sort(),
    };
    return {
      now: { tier: tier(count('member'), anyoneNow), members: count('member'), anyone: anyoneNow, ...common },
      could: {
        tier: tier(could, anyoneNow || anyoneCould),
        members: could,
        anyone: anyoneNow || anyoneCould,
        ...common,
      },
      who: Object.fromEntries([...given].map(([n, set]) => [n, [...set].sort()])),
      /** What applies and is in force, whether it lets anybody in or not; but for what the space makes void. */
      through: {
        grants: held ? [] : grants.filter((g) => inForce(g) && !('anyone' in g.to && inert)),
        links: held ? [] : links.filter((l) => inForce(l) && !(l.audience === 'anyone' && inert)),
        visible: visible && !held,
      },
    };
  }
  return {
    judge: (space: SpaceRow, item?: ItemRow) => {
      const { now, could, who } = all(space, item);
      return { now, could, who };
    },
    through: (space: SpaceRow, item: ItemRow) => all(space, item).through,
    whoIs: who,
    identities,
    TIERS,
  };
}
