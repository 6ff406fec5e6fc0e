/** Rounds of review, their questions, and the owner desk, as the API speaks of them. */
import type { Charter } from '../core/ask/charter.ts';
import type { ReviewAnswer, ReviewKind, Round } from '../core/ask/kinds.ts';
import type { CharterChoices } from './charters.ts';
import type { Recommended } from '../core/ask/recommend.ts';

/** One thing that an owner is asked about: somebody who has access, or a link or share. */
export interface ReviewThing {
  key: string;
  name: string;
  /** Of a person their address; of a share where it lies. */
  detail: string;
  /** Of a person from where they are; of a share for whom it is, and as what. */
  of: string;
  /** Who let them in, or made it, and when. */
  by: string;
  since: string | null;
  /** When they were last seen here, or it was last used. */
  last: string | null;
  ends: string | null;
  weight: number;
  /** What it holds; of a person, heavy files here that they can open: how many, and the first of them. */
  holds: string[];
  heavy: number;
  recommended: Recommended | null;
  /** Of a space that nobody owns: why each who may own it is asked, by address. */
  reasons?: Record<string, string>;
  /** Of a space of which it is asked what it is for: what was said so far. */
  charter?: Charter | null;
}

/** Somebody who can be asked. */
export interface Asked {
  key: string;
  address: string;
  name: string;
}
export interface SpaceToAsk {
  key: string;
  name: string;
  workspace: string;
  department: string;
  /** Its active owners, or the managers of whoever owned it; nobody where the stewards are asked. */
  asked: Asked[];
  n: number;
  points: number;
}

export interface ThingAnswer {
  what: ReviewAnswer;
  until: string | null;
  by: string;
  at: string;
  /** Who decided: somebody who was asked, a steward for them, or nobody in time. */
  how: 'asked' | 'steward' | 'silence';
  reason: string | null;
  /** What it is for, and who owns it from now on, where that was asked. */
  charter?: Charter;
  person?: string;
}
/** What has become of an answer that changes something. */
export type Outcome = 'planned' | 'done' | 'not-done' | 'later';

export type ReviewState = 'planned' | 'open' | 'answered' | 'over' | 'withdrawn';

/** What a round would ask whom. */
export interface RoundPreview {
  spaces: number;
  things: number;
  people: number;
  minutes: number;
  /** Of one person, at most in one week. */
  most: number;
  weeks: { week: number; spaces: number; things: number; people: number }[];
  /** Spaces that nobody can be asked about but stewards. */
  withoutOwner: number;
  /** Those who are asked most. */
  busiest: { name: string; address: string; spaces: number; things: number; minutes: number }[];
  first: { key: string; name: string; owners: string[]; things: number; week: number }[];
}

export interface RoundRow {
  id: number;
  round: Round;
  state: 'running' | 'over' | 'ended';
  madeAt: string;
  madeBy: string;
  endedAt: string | null;
  /** The last day on which something can be answered, as planned now. */
  until: string | null;
  spaces: number;
  /** Spaces that are answered, or over. */
  done: number;
  things: number;
  answered: number;
  /** Answers that change something. */
  removed: number;
}
export interface RoundQuestion {
  id: number;
  key: string;
  space: string;
  workspace: string;
  department: string;
  asked: string[];
  state: ReviewState;
  /** When it is put, while it is planned; else until when it can be answered. */
  at: string;
  reminded: number;
  things: number;
  answered: number;
  removed: number;
  answeredBy: string[];
}
/** One thing that a round asks about, with what came of it. */
export interface RoundAnswer {
  space: string;
  name: string;
  detail: string;
  asked: string[];
  answer: ThingAnswer | null;
  outcome: Outcome | null;
  why: string | null;
  plan: number | null;
}
export interface RoundPage extends RoundRow {
  departments: { name: string; spaces: number; done: number; things: number; answered: number }[];
  owners: { name: string; address: string; spaces: number; open: number; things: number; answered: number }[];
  questions: RoundQuestion[];
  plans: { id: number; name: string; state: string; changes: number; at: string }[];
}

/** A question as it stands on the owner desk. */
export interface DeskQuestion {
  id: number;
  round: string;
  kind: ReviewKind;
  space: string;
  workspace: string;
  note: string;
  until: string;
  state: ReviewState;
  things: number;
  answered: number;
  minutes: number;
  /** Others who can answer. */
  others: string[];
  /** Whoever reads this has said that they cannot answer. */
  declined: boolean;
}
export interface DeskList {
  reader: string;
  questions: DeskQuestion[];
  /** Questions about one thing, which have pages of their own. */
  single: number;
}
export interface DeskThing extends ReviewThing {
  answer: ThingAnswer | null;
  outcome: Outcome | null;
  /** What was chosen and not sent yet. */
  draft: { what: ReviewAnswer; until: string | null; charter?: Charter; person?: string } | null;
  /** Why it is whoever reads this who is asked. */
  why: string | null;
}
export interface DeskPage extends DeskQuestion {
  reader: string;
  list: DeskThing[];
  /** What has come of what was sent, in words; null while it is not known. */
  effect: string | null;
  charters?: CharterChoices;
}
