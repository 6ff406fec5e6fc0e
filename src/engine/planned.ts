/** Changes as plans hold them, by what sources call things, and as the core judges them; there and back. */
import type { Change } from '../core/access/change.ts';
import { withNames, type ObjectKind } from '../core/remedy/fields.ts';
import { cannot } from '../connectors/abilities.ts';
import { memberId, memberOf, type PlannedChange } from '../core/remedy/plan.ts';
import { key, unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

/** What a planned change is to the core; undefined where what it changes is not in this survey. */
export function coreOf(l: Loaded, p: PlannedChange): Change | undefined {
  const { org, ids } = l;
  const id = key(p.source, p.id);
  const set = <T extends object>(fields: T): T =>
    withNames(p.kind, fields, {
      user: (u) => ids.user(p.source, u),
      group: (g) => ids.group(p.source, g),
      recipient: (r) => ids.principal(p.source, r),
    });
  switch (p.kind) {
    case 'grant':
      if (org.find('grant', id) < 0) return undefined;
      return p.set ? { grant: id, set: set(p.set) } : { grant: id };
    case 'link':
      if (org.find('link', id) < 0) return undefined;
      return p.set ? { link: id, set: set(p.set) } : { link: id };
    case 'member': {
      const [group, value] = memberOf(p.id);
      const [g, asGroup] = [ids.group(p.source, group), ids.group(p.source, value)];
      if (org.find('group', g) < 0) return undefined;
      return {
        member: { group: g, value: org.find('group', asGroup) >= 0 ? asGroup : ids.user(p.source, value) },
      };
    }
    case 'space':
      return org.find('space', id) < 0 ? undefined : { space: id, set: set(p.set) };
    case 'item':
      return org.find('item', id) < 0 ? undefined : { item: id, set: set(p.set) };
    case 'person': {
      const user = ids.user(p.source, p.id);
      return org.find('user', user) < 0 ? undefined : { user, set: set(p.set) };
    }
    default:
      // access does not rest on it
      return undefined;
  }
}

/** Groups, people and apps are the whole organisation’s. */
export const reachesBeyond = ({ kind }: PlannedChange): boolean =>
  kind === 'member' || kind === 'person' || kind === 'appGrant';

/** Fields with people and groups as a source calls them; as they are where it has no name for them. */
const inSource = <T extends object>({ ids }: Loaded, source: string, kind: ObjectKind, set: T): T =>
  withNames(kind, set, {
    user: (u) => ids.account(source, u) ?? u,
    group: (g) => ids.home('group', g)?.id ?? g,
    recipient: (r) =>
      'user' in r
        ? { user: ids.account(source, r.user as string) ?? r.user }
        : 'group' in r
          ? { group: ids.home('group', r.group as string)?.id ?? r.group }
          : r,
  });

/** How a change of the core is asked of the source that holds what it changes; undefined where none does. */
export function plannedOf(l: Loaded, c: Change): PlannedChange | undefined {
  const { ids } = l;
  if ('grant' in c) return { kind: 'grant', ...unkey(c.grant), ...(c.set && { set: c.set }) };
  if ('link' in c) {
    const { source, id } = unkey(c.link);
    return { kind: 'link', source, id, ...(c.set && { set: inSource(l, source, 'link', c.set) }) };
  }
  if ('member' in c) {
    const home = ids.home('group', c.member.group);
    const value =
      home &&
      (l.org.find('group', c.member.value) >= 0
        ? ids.home('group', c.member.value)?.id
        : ids.account(home.source, c.member.value));
    return home && value !== undefined
      ? { kind: 'member', source: home.source, id: memberId(home.id, value) }
      : undefined;
  }
  if ('space' in c) {
    const { source, id } = unkey(c.space);
    return { kind: 'space', source, id, set: inSource(l, source, 'space', c.set) };
  }
  if ('item' in c) {
    const { source, id } = unkey(c.item);
    const owner = c.set.owner && ids.account(source, c.set.owner);
    return owner === undefined && c.set.owner
      ? undefined
      : { kind: 'item', source, id, set: { ...c.set, ...(owner && { owner }) } };
  }
  if ('user' in c) {
    const home = ids.home('user', c.user);
    return home && { kind: 'person', ...home, set: c.set };
  }
  return undefined;
}

/** Why a change cannot be made where it would have to be; undefined where it can. */
export function whyNotMade(l: Loaded, p: PlannedChange): string | undefined {
  if (l.org.hidden && reachesBeyond(p))
    return 'Groups, accounts and apps reach beyond the part you are limited to.';
  const ruled = p.kind === 'member' && l.groupRules.has(l.ids.group(p.source, memberOf(p.id)[0]));
  const user = p.kind === 'person' ? l.org.users[l.org.find('user', l.ids.user(p.source, p.id))] : undefined;
  return cannot(l.ids.kind(p.source), p, { ruled, member: user?.kind === 'member' });
}

/** A change as it can be picked up, and why it cannot; neither where no source holds what it changes. */
export function askedOf(l: Loaded, c: Change): { planned?: PlannedChange; cannot?: string } {
  const planned = plannedOf(l, c);
  const not = planned && whyNotMade(l, planned);
  return { ...(planned && { planned }), ...(not && { cannot: not }) };
}

/** A change as it can be picked up; undefined where it cannot be made. */
export function makeable(l: Loaded, c: Change): PlannedChange | undefined {
  const { planned, cannot: not } = askedOf(l, c);
  return not ? undefined : planned;
}
