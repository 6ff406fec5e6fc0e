/** What activity in a space is, and for how long there may be none. */
import type { EventType } from '../guard/events.ts';

/** After so many days without activity, where its charter says nothing else (common practice). */
export const DORMANT_DAYS = 90;
/** Where activity in a space is known from. */
export const ACTIVITY_SOURCES = {
  opened: 'files opened',
  changed: 'files changed',
  chat: 'messages',
  mail: 'mail',
  calendar: 'calendar',
} as const;
export type ActivitySource = keyof typeof ACTIVITY_SOURCES;
export const ACTIVITY_NAMES = Object.keys(ACTIVITY_SOURCES) as ActivitySource[];

/** What each type of event is activity of. */
export const ACTIVITY_OF: Partial<Record<EventType, ActivitySource>> = {
  'file.opened': 'opened',
  'file.downloaded': 'opened',
  'file.printed': 'opened',
  'link.opened': 'opened',
  'file.edited': 'changed',
  'file.uploaded': 'changed',
  'file.copied': 'changed',
  'file.moved': 'changed',
  'message.posted': 'chat',
  'mail.received': 'mail',
  'calendar.changed': 'calendar',
};

/** How much happened in a space on a day, by source. */
export type SpaceDay = { day: string } & Record<ActivitySource, number>;
/** The entry of a day among days; made where there is none. */
export function dayIn(days: Map<string, SpaceDay>, day: string): SpaceDay {
  let of = days.get(day);
  if (!of) days.set(day, (of = { day, opened: 0, changed: 0, chat: 0, mail: 0, calendar: 0 }));
  return of;
}
