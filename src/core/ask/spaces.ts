/** What is asked of spaces beside their access: how long they lie idle, what they are for, and what that wants. Pure; by number. */
import { partsOf, topSpace, type Parts } from '../access/parts.ts';
import type { Usage } from '../access/usage.ts';
import type { View } from '../access/view.ts';
import { lazily } from '../once.ts';
import { momentOf } from '../time.ts';
import { differing, settingsFor, type Charter, type Charters, type CharterSettings } from './charter.ts';
import { DORMANT_DAYS } from './activity.ts';
import { activityOf, idleDays, isDormant, type Activity, type Seen } from './dormant.ts';

export interface SpaceFacts {
  parts: () => Parts;
  activity: () => Activity;
  charter: (space: number) => Charter | undefined;
  /** Days without activity; −1 where nothing is known. */
  idleDays: (space: number) => number;
  /** After so many of them it is dormant. */
  limit: (space: number) => number;
  /** Until when it is kept though nothing happens in it, in milliseconds since 1970; 0 where it is not. */
  keptUntil: (space: number) => number;
  /** It lies idle for longer than it may, whether or not it is kept. */
  idle: (space: number) => boolean;
  /** Somebody has to say whether it is still needed. A part of a team is counted with the team. */
  dormant: (space: number) => boolean;
  /** At least so many active owners. */
  leastOwners: (space: number) => number;
  /** The settings that its charter brings, and groups that it names and that are not there. */
  settings: (space: number) => { settings: CharterSettings; unknown: string[] };
  /** Settings that are not as its charter has them. */
  differs: (space: number) => string[];
}

export function spaceFacts(f: {
  view: View;
  usage: () => Usage;
  /** By item, in milliseconds since 1970. */
  modified: () => ArrayLike<number>;
  /** What events told of. */
  seen?: () => Iterable<Seen>;
  charters: () => Charters;
  /** The id of a group, by what a charter calls it. */
  group: (named: string) => string | undefined;
}): SpaceFacts {
  const { org, moment } = f.view;
  const parts = lazily(() => partsOf(org));
  const activity = lazily(() => {
    const { partOf } = parts();
    const top = Int32Array.from(org.spaces, (_, s) => topSpace(partOf, s));
    return activityOf(f.view, f.usage(), f.modified(), top, f.seen?.());
  });
  const row = (s: number) => org.spaces[s]!;
  const charter = (s: number) => f.charters().of.get(row(s).id);
  const sensitivity = (s: number) => f.charters().sensitivities.get(charter(s)?.sensitivity ?? '');
  const idle = (s: number): number =>
    idleDays(activity().last[s]!, momentOf(row(s).createdAt ?? '') || 0, moment);
  const limit = (s: number): number =>
    f.charters().purposes.get(charter(s)?.purpose ?? '')?.dormantDays ?? DORMANT_DAYS;
  const keptUntil = (s: number): number => f.charters().kept.get(row(s).id) ?? 0;
  const isIdle = (s: number): boolean =>
    !row(s).archived && !row(s).binned && parts().partOf[s]! < 0 && isDormant(idle(s), limit(s));
  const settings = (s: number) => {
    const of = sensitivity(s);
    return of ? settingsFor(of, f.group) : { settings: {}, unknown: [] };
  };
  return {
    parts,
    activity,
    charter,
    idleDays: idle,
    limit,
    keptUntil,
    idle: isIdle,
    dormant: (s) => isIdle(s) && keptUntil(s) <= moment,
    leastOwners: (s) => sensitivity(s)?.owners ?? 1,
    settings,
    differs: (s) => differing(row(s), settings(s).settings),
  };
}
