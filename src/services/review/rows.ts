/** Rounds and their questions as they are kept. */
import type { Round } from '../../core/ask/kinds.ts';
import type { ReviewState, ReviewThing, ThingAnswer, Outcome } from '../../dto/review.ts';
import type { Db } from '../../store/db.ts';
import { AppError } from '../errors.ts';

/** The job in which rounds go on by themselves. */
export const GOING_ROUND = 'rounds';

export interface RoundHead {
  id: number;
  doc: Round;
  state: 'running' | 'over' | 'ended';
  made_at: Date;
  made_by: string;
  ended_at: Date | null;
}
export interface Question {
  id: number;
  round: number;
  space: string;
  space_name: string;
  workspace: string;
  department: string;
  things: number;
  state: ReviewState;
  made_at: Date;
  until: Date;
  reminded: number;
  passed: boolean;
  next_at: Date | null;
}
export interface Thing {
  question: number;
  n: number;
  key: string;
  doc: ReviewThing;
  answer: ThingAnswer | null;
  outcome: Outcome | null;
  why: string | null;
  plan: number | null;
}
export interface Person {
  n: number;
  address: string;
  name: string;
  key: string;
}

export const QUESTION =
  'q.id, q.round, q.space, q.space_name, q.workspace, q.department, q.things, q.state, q.made_at, q.until, q.reminded, q.passed, q.next_at';

export async function roundOf(db: Db, id: number): Promise<RoundHead> {
  const [round] = await db.query<RoundHead>('select * from round where id = $1', [id]);
  if (!round) throw new AppError('no-round', 404, 'There is no such round.');
  return round;
}

export const thingsOf = (db: Db, question: number): Promise<Thing[]> =>
  db.query<Thing>(
    'select question, n, key, doc, answer, outcome, why, plan from question_thing where question = $1 order by n',
    [question],
  );
