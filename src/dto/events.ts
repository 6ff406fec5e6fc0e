/** What happened at workspaces, and the signals in it, as the API speaks of them. */
import type { Severity } from '../core/exposure/exposure.ts';
import type { Happened } from '../core/guard/events.ts';
import type { Pattern } from '../core/guard/patterns.ts';
import type { Tier } from '../core/model.ts';

export interface EventRow extends Omit<Happened, 'time'> {
  seq: number;
  /** The source that told of it. */
  toldBy: string;
  at: string;
  receivedAt: string;
  /** By which names who did it, and the file or space, open; empty where they are not known. */
  actorKey: string;
  nodeKey: string;
}
export interface EventsPage {
  rows: EventRow[];
  total: number;
  /** Where a condition was asked of so many that it was left there: nothing before this moment was looked at. */
  reached: string | null;
}

/** How many there were: by day, and by hour of the week (Monday first). */
export interface EventTimes {
  days: { day: string; events: number }[];
  week: number[][];
  reached: string | null;
}

/** How a source tells what happens. */
export interface Telling {
  source: string;
  name: string;
  /** It signs what it sends with a secret. */
  sends: boolean;
  madeAt: string | null;
  madeBy: string | null;
  /** When it last told of something, and when it was last asked. */
  lastAt: string | null;
  askedAt: string | null;
  trouble: string | null;
  events: number;
}

/** What became of events that were sent. */
export interface Taken {
  /** New ones. */
  taken: number;
  /** Those that were told before. */
  known: number;
  wrong: { id: string; wrong: string[] }[];
}

/** How far a signal has come: nobody looked at it yet, somebody saw to it, or it is nothing. */
export const SIGNAL_STATES = ['waiting', 'seen-to', 'ignored'] as const;
export type SignalState = (typeof SIGNAL_STATES)[number];
export const SIGNAL_SHOWS = [...SIGNAL_STATES, 'all'] as const;

export interface PatternRow extends Pattern {
  id: number;
  version: number;
  madeAt: string;
  madeBy: string;
  /** Signals of it that nobody has looked at, and all. */
  waiting: number;
  found: number;
  /** Why it is not looked for, where its condition cannot be worked out. */
  trouble: string | null;
}

/** Why something is a signal: what was looked for, and what was found of it. */
export interface SignalPart {
  pattern: number;
  name: string;
  purpose: string;
  severity: Severity;
  /** By what its events belong together, the thing of that kind, and its name. */
  by: Pattern['window']['by'];
  key: string;
  keyName: string;
  /** What it counts, how many different ones, and events in all. */
  distinct: Pattern['window']['distinct'];
  values: number;
  events: number;
}
/** Signals that share an event are about one thing, and are one. */
export interface SignalRow {
  id: number;
  /** The gravest first. */
  parts: SignalPart[];
  severity: Severity;
  from: string;
  to: string;
  events: number;
  state: SignalState;
  /** `until`: others of the same that are found until this day are ignored, too. */
  looked: { by: string; at: string; note: string; until?: string } | null;
  foundAt: string;
}
export interface SignalsPage {
  rows: SignalRow[];
  total: number;
}

/** A file, folder or space that a signal is about. */
export interface SignalThing {
  nodeKey: string;
  item: string;
  name: string;
  path: string;
  weight: number;
  types: readonly string[];
  events: number;
  /** What was done with it, and with whom. */
  did: string[];
  targets: string[];
  /** How far it can be reached now, and how far it could be without what was shared; null where it is not there any more. */
  reach: ReachWithout | null;
}
interface TierPair {
  now: Tier;
  could: Tier;
}
export interface ReachWithout {
  now: TierPair;
  without: TierPair;
}
export interface SignalPage extends SignalRow {
  things: SignalThing[];
  /** Who did it, with what they usually do in a week and what their department does, by type of event. */
  actors: {
    actorKey: string;
    name: string;
    department: string;
    events: number;
    usual: { type: string; here: number; week: number; colleagues: number }[];
  }[];
}
