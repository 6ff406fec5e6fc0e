/** Standing orders, their runs and questions, as the API speaks of them. */
import type { Severity } from '../core/exposure/exposure.ts';
import type { Wrong } from '../core/guard/policy.ts';
import type { AnswerName, Order } from '../core/orders/schema.ts';

export const RUN_STATES = [
  'ready',
  'waiting',
  'asked',
  'looking',
  'changing',
  'held',
  'done',
  'stopped',
  'cancelled',
  'failed',
] as const;
export type RunState = (typeof RUN_STATES)[number];
export const RUN_SHOWS = ['under-way', 'trouble', 'over', 'all'] as const;

export interface OrderRow {
  id: number;
  version: number;
  order: Order;
  madeAt: string;
  madeBy: string;
  underWay: number;
  /** In 30 days. */
  begun: number;
  /** Those that have failed, or are held. */
  trouble: number;
  last: string | null;
}
export interface OrderPage extends OrderRow {
  versions: { version: number; madeAt: string; madeBy: string }[];
  exceptions: { id: number; name: string; until: string; reason: string; madeBy: string }[];
  wrong: Wrong[];
}

export interface RunRow {
  id: number;
  order: number;
  orderName: string;
  severity: Severity;
  version: number;
  state: RunState;
  /** What it is at, in words, and when it goes on by itself. */
  step: string;
  due: string | null;
  beganAt: string;
  endedAt: string | null;
  trouble: string | null;
  /** Who did it, and with what. */
  actor: string;
  thing: string;
  things: number;
}
export interface RunsPage {
  rows: RunRow[];
  total: number;
}
export interface RunPage extends RunRow {
  order: number;
  actorKey: string;
  /** What it is about, each by which it opens. */
  about: { key: string; name: string; path: string; weight: number; types: string[] }[];
  target: string;
  signal: number | null;
  did: { at: string; what: string; words: string; plan: number | null; planState: string | null }[];
  /** The steps that may come, as sentences; the one that it is at. */
  steps: { words: string; depth: number; here: boolean }[];
  messages: {
    id: number;
    recipient: string;
    name: string;
    subject: string;
    state: string;
    sentAt: string | null;
  }[];
  questions: {
    id: number;
    subject: string;
    asked: string[];
    until: string;
    state: string;
    answer: GivenAnswer | null;
  }[];
  suspended: { id: number; name: string; at: string; over: boolean }[];
  /** Of such a thing nothing is made until this day. */
  excepted: string | null;
}

export interface GivenAnswer {
  what: AnswerName;
  reason: string;
  words: string;
  until: string | null;
  by: string;
  at: string;
}

/** A run as it would go: each step with its day, and each message as it would read. */
export interface Foreseen {
  /** What happened that it is tried on. */
  about: string;
  at: string;
  lines: {
    at: string;
    words: string;
    depth: number;
    messages: { to: string; subject: string; body: string }[];
    /** What was taken for granted to go on. */
    assumed: string | null;
  }[];
  /** How often it would have begun in the last 30 days, and for how many people. */
  times: number;
  people: number;
  /** Whether that was counted over all events of these days. */
  whole: boolean;
  /** Whom steps name that are not there. */
  missing: string[];
}

/** A question as whoever is asked sees it. */
export interface QuestionPage {
  id: number;
  subject: string;
  body: string;
  reader: string;
  answers: AnswerName[];
  reasons: string[];
  things: { name: string; path: string; types: string[]; weight: number }[];
  until: string;
  state: 'open' | 'answered' | 'over' | 'withdrawn';
  answer: GivenAnswer | null;
  /** What the answer did, once that is known. */
  effect: string | null;
}
export interface QuestionRow {
  id: number;
  subject: string;
  until: string;
  state: QuestionPage['state'];
  madeAt: string;
}

/** Notices to one person or department, over time. */
export interface CoachingRow {
  key: string;
  name: string;
  department: string;
  notices: number;
  answered: number;
  reasons: number;
  undone: number;
  notMe: number;
  /** Of those who were told, again within 30 days. */
  again: number;
  last: string;
}
export interface Coaching {
  rows: CoachingRow[];
  months: { month: string; notices: number; answered: number; undone: number; again: number }[];
}
