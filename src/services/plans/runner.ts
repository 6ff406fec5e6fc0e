/**
 * Carrying plans out: at once or at a time, one plan after another, there or back. What is done to each object, and
 * why a crash does nothing twice: carry-out.ts.
 */
import { connectForChange } from '../../connectors/http-connectors.ts';
import type { Changeable } from '../../connectors/port.ts';
import {
  CANCELLED,
  isDone,
  isUndoing,
  NOT_BEGUN,
  PLAN_MOVES,
  RETRIED,
  retryFrom,
  UNDER_WAY,
  type ChangeState,
  type PlanState,
} from '../../core/remedy/states.ts';
import { wantsApproval, type ApprovalLimits, type Gains } from '../../core/remedy/plan.ts';
import type { Db } from '../../store/db.ts';
import type { UndoApproval } from '../../dto/remedy.ts';
import { waitingStep, type JobStep } from '../../dto/jobs.ts';
import { storableJson } from '../../store/observed.ts';
import { readLimits } from '../../store/settings.ts';
import { AppError } from '../errors.ts';
import type { Job } from '../jobs.ts';
import { CarryOut } from './carry-out.ts';
import type { Drafts } from './drafts.ts';
import type { PlanParts } from './parts.ts';
import type { Proofs } from './proof.ts';
import { haltOf, headOf, observeStep, stepsOf, type Head, type PlanStep } from './rows.ts';

export class Runner {
  private readonly carry: CarryOut;

  constructor(
    private readonly parts: PlanParts,
    private readonly drafts: Drafts,
    private readonly proofs: Proofs,
  ) {
    const { db, ledger, clock, events, jobs } = parts;
    this.carry = new CarryOut(db, ledger, clock, (plan) => events.emit({ type: 'plan', plan }));
    // one after another, so that two plans never work on one object at once
    jobs.declare('plan', { run: (job) => this.work(job), broken: 'again' });
  }

  /** Begins applying a plan at once. */
  async apply(plan: number, by: string): Promise<void> {
    const { state } = await headOf(this.parts.db, plan);
    if (NOT_BEGUN.includes(state)) await this.drafts.mayBegin(plan, by);
    await this.drafts.move(plan, PLAN_MOVES.apply, by, { also: this.enqueue(plan, by) });
    await this.parts.jobs.look();
  }

  /** Applies a plan when the time has come. */
  async schedule(plan: number, by: string, at: Date): Promise<void> {
    if (at <= this.parts.clock())
      throw new AppError('past', 400, 'That time is in the past. Choose one in the future.');
    await this.drafts.mayBegin(plan, by);
    await this.drafts.move(plan, PLAN_MOVES.schedule, by, { at, by, also: this.enqueue(plan, by, at) });
    await this.parts.jobs.look();
  }

  /** Takes a plan's time away again. */
  async unschedule(plan: number, by: string): Promise<void> {
    const { approval } = await headOf(this.parts.db, plan);
    await this.drafts.move(plan, approval ? PLAN_MOVES.unscheduleApproved : PLAN_MOVES.unschedule, by, {
      also: (tx) => this.parts.jobs.drop(tx, 'plan', plan),
    });
  }

  /** Puts a plan on the list of jobs, due at once unless a time is given. */
  private enqueue(plan: number, by: string, at?: Date): (tx: Db) => Promise<void> {
    return (tx) => this.parts.jobs.add(tx, 'plan', plan, by, at);
  }

  /** A plan's job: it is carried out, or its time has come, in which case it may have become one that must not be. */
  private async work({ subject: plan, by, tell }: Job): Promise<void> {
    const { state, scheduled_for: at } = await headOf(this.parts.db, plan);
    if (state === 'scheduled')
      try {
        await this.drafts.mayBegin(plan, by);
        await this.drafts.move(plan, PLAN_MOVES.apply, by);
      } catch (e) {
        if (!(e instanceof AppError)) throw e;
        await this.drafts.move(plan, PLAN_MOVES.unschedule, 'system', {
          note: `It was to be applied at ${at?.toISOString()} and was not. ${e.message}`,
        });
        return;
      }
    await this.carryOut(plan, by, tell);
  }

  /** Stops a plan after the change it is at; `goOn` goes on with it. */
  async pause(plan: number, by: string): Promise<void> {
    await this.halt(plan, by, 'paused');
  }

  /** Ends a plan after the change it is at: what was done stays, and can be undone. */
  async cancel(plan: number, by: string): Promise<void> {
    await this.halt(plan, by, 'cancelled');
  }

  async goOn(plan: number, by: string): Promise<void> {
    await this.halt(plan, by, null);
  }

  private async halt(plan: number, by: string, halt: Head['halt']): Promise<void> {
    const { db, ledger, events, jobs } = this.parts;
    await db.transaction(async (tx) => {
      const rows = await tx.query(
        "update plan set halt = $2 where id = $1 and state = any($3) and halt is distinct from $2 and halt is distinct from 'cancelled' returning id",
        [plan, halt, UNDER_WAY],
      );
      if (!rows.length)
        throw new AppError('plan-state', 409, 'This plan is not running, or has already been stopped.');
      await ledger.add({ who: by, what: `plan.${halt ?? 'resumed'}`, subject: `plan ${plan}` }, tx);
      // one that is paused waits; one that is ended, or goes on, has work to do
      if (halt !== 'paused') await jobs.add(tx, 'plan', plan, by);
    });
    events.emit({ type: 'plan', plan });
    await jobs.look();
  }

  /**
   * Undoes what the plan did, or some of it by the numbers of its changes. Refused where that wants a second steward,
   * as far as it is not one who says so.
   */
  async undo(plan: number, by: string, changes?: readonly number[], approved = false): Promise<void> {
    const { db, ledger, events, jobs } = this.parts;
    const wants = approved ? [] : undoWants(await headOf(db, plan), await readLimits(db));
    if (wants.length)
      throw new AppError(
        'needs-approval',
        409,
        `A second steward has to approve undoing this plan: ${wants.join('; ')}.`,
      );
    await db.transaction(async (tx) => {
      const marked = await tx.query(
        `update plan_change set state = 'undo-planned' where plan = $1 and state = 'verified' and ($2::int[] is null or id = any($2))
           and exists (select 1 from plan where id = $1 and state = 'applied') returning id`,
        [plan, changes ?? null],
      );
      if (!marked.length) throw new AppError('plan-state', 409, 'There is nothing here to undo.');
      await tx.query(
        "update plan set state = 'undoing', halt = null, note = null, undo = null where id = $1",
        [plan],
      );
      await ledger.add(
        {
          who: by,
          what: 'plan.undoing',
          subject: `plan ${plan}`,
          before: { state: 'applied' },
          after: { state: 'undoing', changes: marked.length },
        },
        tx,
      );
      await jobs.add(tx, 'plan', plan, by);
    });
    events.emit({ type: 'plan', plan });
    await jobs.look();
  }

  /** Puts undoing a plan, or some of it, to a second steward. */
  async askUndo(plan: number, by: string, changes?: number[]): Promise<void> {
    const { db, ledger, events, clock } = this.parts;
    await db.transaction(async (tx) => {
      const head = await headOf(tx, plan);
      const wants = undoWants(head, await readLimits(tx));
      if (head.state !== 'applied' || !wants.length)
        throw new AppError('plan-state', 409, 'Undoing this plan needs no approval now.');
      const undo: UndoApproval = {
        wants,
        askedBy: by,
        askedAt: clock().toISOString(),
        ...(changes && { changes }),
      };
      await tx.query('update plan set undo = $2::jsonb where id = $1', [plan, storableJson(undo)]);
      await ledger.add({ who: by, what: 'plan.undo-asked', subject: `plan ${plan}`, after: undo }, tx);
    });
    events.emit({ type: 'plan', plan });
  }

  /** What a second steward says of undoing a plan: it begins at once where they approve. */
  async decideUndo(plan: number, by: string, approved: boolean, said: string): Promise<void> {
    const { db, ledger, events } = this.parts;
    const { undo } = await headOf(db, plan);
    if (!undo) throw new AppError('plan-state', 409, 'Nobody has asked to undo this plan.');
    if (approved && undo.askedBy === by)
      throw new AppError(
        'same-steward',
        403,
        'Whoever asked to undo a plan cannot approve it: a second steward has to.',
      );
    await ledger.add({
      who: by,
      what: approved ? 'plan.undo-approved' : 'plan.undo-refused',
      subject: `plan ${plan}`,
      after: { askedBy: undo.askedBy, ...(said && { said }) },
    });
    if (approved) return this.undo(plan, by, undo.changes, true);
    await db.query('update plan set undo = null where id = $1', [plan]);
    events.emit({ type: 'plan', plan });
  }

  /** Tries again what failed, was left or is unknown, in the direction it was going. */
  async retry(plan: number, by: string): Promise<void> {
    const { db, jobs } = this.parts;
    const again = (await stepsOf(db, plan)).filter((c) => RETRIED.includes(c.state));
    if (!again.length) throw new AppError('plan-state', 409, 'There is nothing in this plan to retry.');
    const undoing = again.some((c) => isUndoing(c.state));
    const steps = again.filter((c) => isUndoing(c.state) === undoing);
    await this.drafts.move(plan, undoing ? PLAN_MOVES.undoAgain : PLAN_MOVES.applyAgain, by, {
      also: async (tx) => {
        await setStates(tx, steps, retryFrom);
        await jobs.add(tx, 'plan', plan, by);
      },
    });
    await jobs.look();
  }

  /** Goes on with plans that were running when the application ended. */
  async resume(): Promise<void> {
    const { db, ledger, jobs } = this.parts;
    const running = await db.query<{ id: number; by: string }>(
      `select p.id, coalesce(j.started_by, 'system') as by from plan p
       left join job j on j.kind = 'plan' and j.subject = p.id and j.state = 'waiting'
       where p.state = any($1) and p.halt is distinct from 'paused' order by p.id`,
      [UNDER_WAY],
    );
    for (const { id, by } of running) {
      await ledger.add({ who: 'system', what: 'plan.taken-up', subject: `plan ${id}` });
      await jobs.add(db, 'plan', id, by);
    }
  }

  private async carryOut(plan: number, by: string, tell: Job['tell']): Promise<void> {
    const { db, surveys } = this.parts;
    const { state } = await headOf(db, plan);
    if (!UNDER_WAY.includes(state)) return;
    const undoing = state === 'undoing';
    const places = new Map<string, Changeable | undefined>();
    for (const s of await surveys.sourcesWithTokens())
      places.set(
        s.id,
        connectForChange(s.kind, { url: s.url, token: s.token, localToo: surveys.localSources }),
      );
    const steps = await stepsOf(db, plan);
    // each workspace is asked one thing at a time, and the slow ones do not hold the others up
    const lanes = new Map<string, PlanStep[]>();
    for (const c of undoing ? steps.reverse() : steps)
      (lanes.get(c.source) ?? lanes.set(c.source, []).get(c.source)!).push(c);
    let stopped = false;
    const step: JobStep = {
      ...waitingStep(undoing ? 'undoing' : 'applying'),
      state: 'running',
      total: steps.length,
      startedAt: this.parts.clock().toISOString(),
    };
    tell([step]);
    const ends = await Promise.allSettled(
      [...lanes].map(async ([source, lane]) => {
        for (const change of lane) {
          if ((await haltOf(db, plan)) !== null) stopped = true;
          if (stopped) return;
          await this.carry.one(change, places.get(source), undoing, by);
          step.done++;
          tell([step]);
        }
      }),
    );
    for (const end of ends) if (end.status === 'rejected') throw end.reason;
    const halt = await haltOf(db, plan);
    // paused and told to go on before the change it was at was done: go on from there
    if (stopped && halt === null) return this.carryOut(plan, by, tell);
    if (halt === 'paused') return;
    if (halt === 'cancelled') await this.leaveTheRest(plan, by);
    await this.finish(plan, undoing, by);
  }

  /** Ends what a cancelled plan had not begun. What is as it was before the undo is so on the ledger too. */
  private async leaveTheRest(plan: number, by: string): Promise<void> {
    const { db, ledger } = this.parts;
    await db.transaction(async (tx) => {
      const left = (await stepsOf(tx, plan)).filter((c) => CANCELLED[c.state]);
      await setStates(tx, left, (s) => CANCELLED[s]!);
      for (const c of left)
        if (CANCELLED[c.state] === 'verified')
          await ledger.add(
            {
              who: by,
              what: 'plan.change.verified',
              subject: `${c.kind} ${c.source}/${c.object}`,
              before: { state: c.state },
              after: { state: 'verified', plan, note: 'The undo was cancelled before it came to this.' },
            },
            tx,
          );
    });
  }

  /**
   * Makes what the plan proved at the workspaces the present, as a survey of those objects alone, and works out on
   * it which goals hold; then the plan is at its end.
   */
  private async finish(plan: number, undoing: boolean, by: string): Promise<void> {
    const { db, ledger, surveys, present, events, clock } = this.parts;
    const steps = await stepsOf(db, plan);
    // once only: what was shown before may have been changed by somebody since
    const proven = steps.filter((c) => !c.shown && isDone(c.state));
    if (proven.length)
      await surveys.readBack(plan, by, async (tx, survey) => {
        for (const c of proven) await observeStep(tx, survey, c);
        await tx.query('update plan_change set shown = true where id = any($1)', [proven.map((c) => c.id)]);
      });
    else await present.toNewest();
    const proof = await this.proofs.prove(plan);
    const state: PlanState = undoing && !steps.some((c) => c.state === 'verified') ? 'undone' : 'applied';
    await db.transaction(async (tx) => {
      await tx.query(
        'update plan set state = $2, halt = null, finished_at = $3, proof = $4::jsonb where id = $1',
        [plan, state, clock(), storableJson(proof)],
      );
      await ledger.add(
        {
          who: by,
          what: `plan.${state}`,
          subject: `plan ${plan}`,
          after: {
            changes: steps.length,
            proven: steps.filter((c) => isDone(c.state)).length,
            points: { before: proof.pointsBefore, after: proof.pointsAfter },
            goals: proof.goals.map(({ words, holds }) => ({ words, holds })),
          },
        },
        tx,
      );
    });
    events.emit({ type: 'plan', plan });
  }
}

/** Sets the states of some changes, in one statement. */
async function setStates(
  db: Db,
  steps: readonly PlanStep[],
  next: (state: ChangeState) => ChangeState,
): Promise<void> {
  await db.query(
    'update plan_change c set state = n.state from unnest($1::int[], $2::text[]) as n(id, state) where c.id = n.id',
    [steps.map((c) => c.id), steps.map((c) => next(c.state))],
  );
}

/** Why undoing a plan wants a second steward: what it gives back is given like anything else. */
export function undoWants({ preview: p }: Pick<Head, 'preview'>, limits: ApprovalLimits): string[] {
  // plans of before have lists of who lost alone
  const gains = (p.back as Gains | undefined) ?? {
    people: p.members + p.guests + p.outsiders,
    external: p.guests + p.outsiders,
    items: p.itemsChanged,
    heaviest: p.heaviest ?? 0,
    tier: null,
  };
  return wantsApproval(limits, { changes: [], people: 0, spaces: 0, heaviest: 0, gains });
}
