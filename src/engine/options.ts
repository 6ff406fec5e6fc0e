/** What could be done to one thing, each with what it would close and whom it would hurt. */
import { has } from '../core/access/bits.ts';
import { BREAKS, HELD_ITSELF } from '../core/access/organisation.ts';
import {
  EXTERNAL_SHARING,
  ROLES,
  type GrantRow,
  type LinkRow,
  type Recipient,
  type Role,
} from '../core/model.ts';
import type { ObjectKey, PlannedChange } from '../core/remedy/plan.ts';
import type { ChangeOption } from '../dto/remedy.ts';
import { key } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { changeWords } from './describe.ts';
import { effectOf } from './effect.ts';
import { coreOf, whyNotMade } from './planned.ts';

const DAY = 86_400_000;
const ENDS = [7, 30, 90];
/** A link is narrowed to those who use it where they are this few. */
const FEW = 50;

/** What could be done to a grant, link, space, item or person, the cheapest for what it closes first. */
export function options(l: Loaded, o: ObjectKey): ChangeOption[] {
  return possible(l, o)
    .flatMap((change): ChangeOption[] => {
      const core = coreOf(l, change);
      if (!core) return [];
      const words = changeWords(l, core);
      const not = whyNotMade(l, change);
      if (not) return [{ change, words, cannot: not, members: 0, external: 0, closes: 0 }];
      const { members, external, points } = effectOf(l, [core]);
      const closes = points().reduce((n, p) => n + p.before - p.after, 0);
      return [{ change, words, members: members.length, external: external.length, closes }];
    })
    .sort(
      (a, b) =>
        (a.cannot ? 1 : 0) - (b.cannot ? 1 : 0) ||
        b.closes - a.closes ||
        a.members - b.members ||
        a.external - b.external,
    );
}

function possible(l: Loaded, o: ObjectKey): PlannedChange[] {
  const { source, id } = o;
  const day = (days: number): string => new Date(Date.parse(l.takenAt) + days * DAY).toISOString();
  const ends = (now: string | undefined): string[] =>
    ENDS.map(day).filter((d) => now === undefined || Date.parse(d) < Date.parse(now));
  switch (o.kind) {
    case 'grant': {
      const e = l.org.find('grant', key(source, id));
      if (e < 0) return [];
      const row = l.entryRow(e) as GrantRow;
      return [
        { kind: 'grant', source, id },
        ...narrower(row.role).map((role): PlannedChange => ({ kind: 'grant', source, id, set: { role } })),
        ...ends(row.expiresAt).map((expiresAt): PlannedChange => ({
          kind: 'grant',
          source,
          id,
          set: { expiresAt },
        })),
      ];
    }
    case 'link': {
      const e = l.org.find('link', key(source, id));
      if (e < 0) return [];
      const row = l.entryRow(e) as LinkRow;
      const users = usersOf(l, source, row);
      return [
        { kind: 'link', source, id },
        ...(row.audience !== 'named' && users.length && users.length <= FEW
          ? [{ kind: 'link' as const, source, id, set: { audience: 'named' as const, recipients: users } }]
          : []),
        ...(row.audience === 'anyone'
          ? [{ kind: 'link' as const, source, id, set: { audience: 'organisation' as const } }]
          : []),
        ...narrower(row.role).map((role): PlannedChange => ({ kind: 'link', source, id, set: { role } })),
        ...(row.noCopies ? [] : [{ kind: 'link' as const, source, id, set: { noCopies: true } }]),
        ...ends(row.expiresAt).map((expiresAt): PlannedChange => ({
          kind: 'link',
          source,
          id,
          set: { expiresAt },
        })),
      ];
    }
    case 'space': {
      const row = l.org.spaces[l.org.find('space', key(source, id))];
      if (!row) return [];
      const at = EXTERNAL_SHARING.indexOf(row.externalSharing ?? 'anyone');
      return [
        ...(row.visibility === 'organisation'
          ? [{ kind: 'space' as const, source, id, set: { visibility: 'members' as const } }]
          : []),
        ...EXTERNAL_SHARING.slice(at + 1).map((externalSharing): PlannedChange => ({
          kind: 'space',
          source,
          id,
          set: { externalSharing },
        })),
        ...(row.defaultAudience && row.defaultAudience !== 'named'
          ? [{ kind: 'space' as const, source, id, set: { defaultAudience: 'named' as const } }]
          : []),
        ...(row.editorsShare === false
          ? []
          : [{ kind: 'space' as const, source, id, set: { editorsShare: false } }]),
        row.gate?.length
          ? { kind: 'space' as const, source, id, set: { gate: null } }
          : { kind: 'space' as const, source, id, set: { gate: gateFor(l, key(source, id)) } },
        { kind: 'space', source, id, set: { dim: row.dim ? null : true } },
      ];
    }
    case 'item': {
      const i = l.org.find('item', key(source, id));
      if (i < 0) return [];
      const held = (l.org.itemBreaks[i]! & HELD_ITSELF) > 0;
      const breaks = (l.org.itemBreaks[i]! & BREAKS) > 0;
      return [
        { kind: 'item', source, id, set: { held: held ? null : true } },
        { kind: 'item', source, id, set: { inherits: breaks ? null : false } },
        { kind: 'item', source, id, set: { dim: l.items.row(i).dim ? null : true } },
      ];
    }
    case 'person': {
      const person = l.org.users[l.org.find('user', l.ids.user(source, id))];
      if (!person) return [];
      return [
        { kind: 'person', source, id, set: { active: !person.active } },
        ...ends(person.expiresAt).map((expiresAt): PlannedChange => ({
          kind: 'person',
          source,
          id,
          set: { expiresAt },
        })),
      ];
    }
    case 'member':
      return [{ kind: 'member', source, id }];
    default:
      return [];
  }
}

/** Roles below one that still give something, the widest first. */
const narrower = (role: Role): Role[] => ROLES.slice(0, ROLES.indexOf(role)).reverse();

/** The members who have followed a link, as its source calls them. */
const usersOf = (l: Loaded, source: string, row: LinkRow): Recipient[] => [
  ...new Map(
    (row.redeemedBy ?? []).flatMap((r): [string, Recipient][] => {
      if (!('user' in r)) return [];
      const n = l.org.find('user', r.user);
      const account = l.ids.account(source, r.user);
      return n >= 0 && has(l.view.members, n) && account !== undefined ? [[account, { user: account }]] : [];
    }),
  ).values(),
];

/** The groups that the space itself is granted to: as its gate they keep whoever comes another way out. */
function gateFor(l: Loaded, space: string): string[] {
  const s = l.org.find('space', space);
  const groups = new Set<string>();
  for (let e = l.org.entries.first[s]!; e < l.org.entries.first[s + 1]!; e++) {
    const row = l.entryRow(e);
    const to = 'to' in row ? row.to : undefined;
    const home = to && 'group' in to ? l.ids.home('group', to.group) : undefined;
    if (home) groups.add(home.id);
  }
  return [...groups].slice(0, 20);
}
