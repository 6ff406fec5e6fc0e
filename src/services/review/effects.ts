/**
 * What answers want: one plan for each space whose owners have sent some, begun at once or put to a second steward, and what
 * has become of each answer when it has come to its end.
 */
import { counted } from '../../core/counted.ts';
import { REVIEWS } from '../../core/ask/kinds.ts';
import type { RuleResponse } from '../../core/guard/responses.ts';
import { asPolicy } from '../../core/orders/as-policy.ts';
import type { PlanState } from '../../core/remedy/states.ts';
import type { Outcome, ThingAnswer } from '../../dto/review.ts';
import type { Db } from '../../store/db.ts';
import { dayOf } from '../days.ts';
import { log } from '../log.ts';
import type { OrderParts } from '../orders/parts.ts';
import { beginByItself } from '../plans/begin.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import { roundOf, thingsOf, type RoundHead, type Thing } from './rows.ts';

const DAY = 86_400_000;
/** So long after no plan could be made it is tried again, in milliseconds. */
const AGAIN = 15 * 60_000;
/** Answers that a plan is wanted for: those that take something away or let it end, and have not been seen to. */
const WANTED = `t.answer is not null and t.outcome is null and t.answer->>'what' <> 'keep'`;
/** What becomes of a thing in one plan. */
const DONE = ['verified', 'already-gone'];

export class Effects {
  constructor(private readonly parts: OrderParts) {}

  /** When something is due: when the first who is kept until a day is not any more, or soon where no plan could be made. */
  async next(): Promise<Date | null> {
    const { db, clock } = this.parts;
    const [row] = await db.query<{ later: Date | null; wanted: boolean | null }>(
      `select (min(t.later) filter (where t.outcome = 'later') + 1)::timestamptz as later, bool_or(${WANTED}) as wanted from question_thing t`,
    );
    return row?.wanted ? new Date(clock().getTime() + AGAIN) : (row?.later ?? null);
  }

  async goOn(): Promise<void> {
    const { db, clock } = this.parts;
    // those who were kept until a day that is over are taken out
    await db.query(
      "update question_thing set outcome = null, later = null where outcome = 'later' and later < $1",
      [dayOf(clock())],
    );
    for (const { id } of await db.query<{ id: number }>(
      `select distinct q.id from question q join question_thing t on t.question = q.id where q.round is not null and ${WANTED} order by q.id`,
    ))
      try {
        await this.plan(id);
      } catch (e) {
        log.error({ err: e, question: id }, 'no plan could be made of what was answered');
      }
    await this.follow();
  }

  /** Makes the plan of what was answered about a space, once. */
  private async plan(question: number): Promise<void> {
    const { db, engine, plans } = this.parts;
    const [q] = await db.query<{ round: number; space: string; space_name: string }>(
      'select round, space, space_name from question where id = $1',
      [question],
    );
    const round = await roundOf(db, q!.round);
    const things = (await thingsOf(db, question)).filter(
      (t) => t.answer && t.answer.what !== 'keep' && !t.outcome,
    );
    const people = REVIEWS[round.doc.kind].of === 'people';
    // what lets somebody in may have no end of its own: they are taken out when the day is over
    const today = dayOf(this.parts.clock());
    const [later, now] = [true, false].map((waits) =>
      things.filter((t) => (people && t.answer!.what === 'until' && t.answer!.until! >= today) === waits),
    ) as [Thing[], Thing[]];
    await this.set(
      db,
      later.map((t) => ({ t, outcome: 'later', later: t.answer!.until })),
    );
    if (!now.length) return;
    // what it is for by now
    if (now.some((t) => t.answer!.what === 'charter')) await engine.ask.recharter();
    const moment = await this.surveyed();
    const rules = new Map<string, RuleResponse>();
    const hits = now.map((t) => {
      const response: RuleResponse = people
        ? { do: 'take-out', space: q!.space.slice('space:'.length) }
        : (ofSpace(t.answer!) ?? responseOf(t.answer!, moment));
      const rule = JSON.stringify(response);
      rules.set(rule, response);
      return { rule, key: t.key };
    });
    const name = `${REVIEWS[round.doc.kind].name} of “${q!.space_name}”`;
    const policy = asPolicy(name, 'item', 'true', []);
    const [only] = policy.rules;
    policy.rules = [...rules].map(([id, response]) => ({ ...only!, id, responses: [response] }));
    const answer = await engine.ask.respond(undefined, policy, hits);
    if (!answer) return;
    const outcomes = now.map((t, h): Ended => {
      const part = answer.parts[h]![0];
      if (part?.how === 'planned') return { t, outcome: 'planned', objects: answer.byHit[h]! };
      if (part?.how === 'later') return { t, outcome: null };
      if (part?.how === 'nothing') return { t, outcome: 'done', why: 'It was so already.' };
      return { t, outcome: 'not-done', why: part?.why ?? 'It could not be done.' };
    });
    const made = await db.transaction(async (tx) => {
      const { preview, goals } = answer;
      const kept =
        preview &&
        (await plans.drafts.keep(tx, { name, reason: reasonOf(round, now), by: BY_ITSELF, preview, goals }));
      await this.set(tx, outcomes, kept?.plan);
      return kept?.plan;
    });
    if (made !== undefined) await this.begin(made, round);
  }

  private async surveyed(): Promise<Date> {
    const { db, present, clock } = this.parts;
    const [row] = await db.query<{ taken_at: Date }>('select taken_at from survey where id = $1', [
      present.survey ?? -1,
    ]);
    return row?.taken_at ?? clock();
  }

  private async set(db: Db, list: readonly Ended[], plan?: number): Promise<void> {
    for (const { t, outcome, why, later, objects } of list)
      await db.query(
        `update question_thing set outcome = $3, why = $4, later = $5, objects = $6, plan = coalesce($7, plan)
         where question = $1 and n = $2`,
        [
          t.question,
          t.n,
          outcome,
          why ?? null,
          later ?? null,
          objects ? JSON.stringify(objects) : null,
          objects ? (plan ?? null) : null,
        ],
      );
  }

  private begin(plan: number, round: RoundHead): Promise<void> {
    return beginByItself(this.parts, plan, () => Promise.resolve({ by: round.made_by, at: round.made_at }));
  }

  /** Sees what has become of plans that were made of answers. */
  private async follow(): Promise<void> {
    const { db } = this.parts;
    const rows = await db.query<{ plan: number; round: number; state: PlanState; note: string | null }>(
      `select distinct t.plan, q.round, p.state, p.note from question_thing t join question q on q.id = t.question
       join plan p on p.id = t.plan where t.outcome = 'planned'`,
    );
    for (const { plan, round, state, note } of rows) {
      // made and not begun before the application ended
      if (state === 'draft') await this.begin(plan, await roundOf(db, round));
      if (!['applied', 'undone', 'discarded'].includes(state)) continue;
      const changes = await db.query<{ object: string; state: string; note: string | null }>(
        "select kind || ' ' || source || ' ' || object as object, state, note from plan_change where plan = $1",
        [plan],
      );
      const ends = new Map(changes.map((c) => [c.object, c]));
      const things = await db.query<Thing & { objects: string[] }>(
        "select question, n, objects from question_thing where plan = $1 and outcome = 'planned'",
        [plan],
      );
      await this.set(
        db,
        things.map((t) => {
          const left = t.objects.find((o) => !DONE.includes(ends.get(o)?.state ?? ''));
          return left === undefined
            ? { t, outcome: 'done' }
            : { t, outcome: 'not-done', why: ends.get(left)?.note ?? note ?? 'It was not done.' };
        }),
      );
    }
  }
}

interface Ended {
  t: Pick<Thing, 'question' | 'n'>;
  outcome: Outcome | null;
  why?: string;
  later?: string | null;
  objects?: string[];
}

/** What an answer about a space itself comes to; undefined of one about something else. */
function ofSpace({ what, person }: ThingAnswer): RuleResponse | undefined {
  if (what === 'archive' || what === 'delete') return { do: what };
  if (what === 'own') return { do: 'make-owner', person: person! };
  return what === 'charter' ? { do: 'to-charter' } : undefined;
}

/** What an answer comes to, of a link or grant. */
function responseOf({ what, until }: ThingAnswer, moment: Date): RuleResponse {
  if (what === 'remove' || until === null) return { do: 'withdraw' };
  const days = Math.round((Date.parse(until) - Date.parse(dayOf(moment))) / DAY);
  return days > 0 ? { do: 'let-end', days } : { do: 'withdraw' };
}

function reasonOf({ id, doc }: RoundHead, things: readonly Thing[]): string {
  const by = [...new Set(things.map((t) => t.answer!.by || 'nobody in time'))];
  return `Round ${id}, “${doc.name}”: ${counted(things.length, ['answer', 'answers'])} by ${by.join(', ')}.`;
}
