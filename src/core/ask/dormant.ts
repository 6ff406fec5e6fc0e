/** When a space is dormant, by all that happened in it: files, messages, mail, calendar. Pure. */
import { has } from '../access/bits.ts';
import { ACTIVITY_NAMES, type ActivitySource } from './activity.ts';
import type { Usage } from '../access/usage.ts';
import type { View } from '../access/view.ts';

const DAY = 86_400_000;

/** When something happened last in each space, by source, in milliseconds since 1970; 0 where nothing is known. */
export interface Activity {
  bySource: Record<ActivitySource, Float64Array>;
  /** Of all sources; a part of a team has its team's. */
  last: Float64Array;
}

/** That something happened in a space, in milliseconds since 1970. */
export interface Seen {
  space: number;
  source: ActivitySource;
  at: number;
}

const later = (into: Float64Array, s: number, at: number): void => {
  if (at > into[s]!) into[s] = at;
};

/**
 * Activity by space, the parts of a team taken together: `top` is the space with which each is counted. What somebody who is
 * gone did counts too. `modified`: by item. `seen`: what else is known to have happened, by number of the space.
 */
export function activityOf(
  { org }: View,
  { start, opened, edited }: Usage,
  modified: ArrayLike<number>,
  top: ArrayLike<number>,
  seen: Iterable<Seen> = [],
): Activity {
  const S = org.spaces.length;
  const bySource = Object.fromEntries(
    ACTIVITY_NAMES.map((name) => [name, new Float64Array(S)]),
  ) as Activity['bySource'];
  for (let s = 0; s < S; s++) {
    const t = top[s]!;
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
      later(bySource.changed, t, modified[i]!);
      for (let d = start[i]!; d < start[i + 1]!; d++) {
        later(bySource.opened, t, opened[d]!);
        later(bySource.changed, t, edited[d]!);
      }
    }
    const { files, chat, mail, calendar } = org.spaces[s]!.lastActivity ?? {};
    for (const [name, at] of [
      ['changed', files],
      ['chat', chat],
      ['mail', mail],
      ['calendar', calendar],
    ] as const)
      if (at !== undefined) later(bySource[name], t, Date.parse(at));
  }
  for (const { space, source, at } of seen) later(bySource[source], top[space]!, at);
  const last = new Float64Array(S);
  for (let s = 0; s < S; s++)
    for (const name of ACTIVITY_NAMES) {
      bySource[name][s] = bySource[name][top[s]!]!;
      later(last, s, bySource[name][s]!);
    }
  return { bySource, last };
}

/** Days without activity, since it was made where nothing is known; −1 where not even that is. */
export function idleDays(last: number, made: number, moment: number): number {
  const since = last > 0 ? last : made > 0 ? made : NaN;
  return Number.isNaN(since) ? -1 : Math.max(0, Math.floor((moment - since) / DAY));
}

/** Whether so many idle days are more than a space may have; of one of which nothing is known they are. */
export const isDormant = (idle: number, limit: number): boolean => idle < 0 || idle >= limit;

export interface LikelyOwner {
  user: number;
  why: string;
  /** How well it is founded: a sum of what speaks for them. */
  score: number;
}

/** What speaks for somebody, in points: the last one's own manager knows of it; who writes in it uses it. */
const MANAGER_OF_LAST = 3;
const FOR_DEEDS = 4;
const FOR_WRITING = 5;
const FOR_MANAGING = 3;
/** More than all else together: whoever answered for it has said so. */
const FOR_WISH = 20;

/**
 * Who is likely to own a space that has no active owner, the likeliest first: active members alone. `deeds`: how many files each
 * opened or edited in it, `wrote`: edited; `manages`: who can decide who has access; `lastManagers`: managers of its last owners.
 */
export function likelyOwners(
  v: View,
  f: {
    deeds: ReadonlyMap<number, number>;
    wrote: ReadonlyMap<number, number>;
    manages: Iterable<number>;
    lastManagers: ReadonlyMap<number, string>;
    /** Whom somebody who answered for it has named, and who did. */
    wish?: { user: number; by: string } | undefined;
  },
  most = 5,
): LikelyOwner[] {
  const found = new Map<number, { reasons: string[]; score: number }>();
  const add = (user: number, score: number, reason: string): void => {
    if (user < 0 || user >= v.org.users.length || !has(v.members, user)) return;
    const one = found.get(user) ?? { reasons: [], score: 0 };
    found.set(user, one);
    one.score += score;
    one.reasons.push(reason);
  };
  const mostOf = (counts: ReadonlyMap<number, number>): number => Math.max(1, ...counts.values());
  const [mostDeeds, mostWrote] = [mostOf(f.deeds), mostOf(f.wrote)];
  for (const [u, n] of f.wrote)
    add(u, (FOR_WRITING * n) / mostWrote, `wrote in ${n === 1 ? 'one file' : `${n} files`} here`);
  for (const [u, n] of f.deeds)
    if (!f.wrote.has(u))
      add(u, (FOR_DEEDS * n) / mostDeeds, `opened ${n === 1 ? 'one file' : `${n} files`} here`);
  for (const u of f.manages) add(u, FOR_MANAGING, 'can decide who has access');
  if (f.wish) add(f.wish.user, FOR_WISH, `${f.wish.by} has named them`);
  for (const [u, of] of f.lastManagers) add(u, MANAGER_OF_LAST, `${of} reported to them`);
  return [...found]
    .map(([user, { reasons, score }]) => ({ user, why: reasons.join('; '), score }))
    .sort((a, b) => b.score - a.score || (v.org.users[a.user]!.id < v.org.users[b.user]!.id ? -1 : 1))
    .slice(0, most);
}
