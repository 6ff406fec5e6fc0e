/**
 * Plans: changes with their preview, approved where that is wanted, applied at once or at a time, verified
 * at the workspace, proven on what was read back, and undone as a whole or in part. What is done to each
 * object, and why a crash does nothing twice: carry-out.ts.
 */
import { randomUUID } from 'node:crypto';
import { connectForChange } from '../connectors/http-connectors.ts';
import type { Changeable } from '../connectors/port.ts';
import { withFields } from '../core/access/change.ts';
import { rowTest, type Getters } from '../core/filter/filter.ts';
import type { GroupRow } from '../core/model.ts';
import {
  inverse,
  memberOf,
  wantsApproval,
  whatDiffers,
  type ApprovalLimits,
  type PlannedChange,
} from '../core/remedy/plan.ts';
import type { Db } from '../store/db.ts';
import { observeOne, PRESENT, storableJson } from '../store/observed.ts';
import { readLimits, writeSetting } from '../store/settings.ts';
import { CarryOut, plannedOf, UNKNOWN, type Change } from './carry-out.ts';
import type {
  Approval,
  ChangeState,
  FieldDifference,
  HeldRow,
  PlanChange,
  PlanDetail,
  PlanEvent,
  PlanGoal,
  PlanProof,
  PlanRow,
  PlanState,
  Preview,
} from '../dto/remedy.ts';
import type { Engine } from '../engine/engine.ts';
import { AppError } from './errors.ts';
import type { Events } from './events.ts';
import type { Ledger } from './ledger.ts';
import type { Surveys } from './survey/surveys.ts';
import type { Tray } from './tray.ts';

const FIELDS: Getters<PlanRow, 'plans'> = {
  text: (r) => `${r.name} ${r.reason} ${r.state} ${r.madeBy}`.toLowerCase(),
  name: (r) => r.name,
  reason: (r) => r.reason,
  state: (r) => r.state,
  madeBy: (r) => r.madeBy,
  madeAt: (r) => Date.parse(r.madeAt),
  appliedAt: (r) => Date.parse(r.appliedAt ?? ''),
  size: (r) => r.changes,
  troubled: (r) => r.troubled,
  cameBack: (r) => r.drifted,
};

/** States in which nothing has been begun. */
const NOT_BEGUN: readonly PlanState[] = ['draft', 'asked', 'approved', 'scheduled'];
const TROUBLED = ['unexpected', 'failed', 'undo-unexpected', 'undo-failed', ...UNKNOWN];
const DONE: readonly ChangeState[] = ['verified', 'already-gone'];
/** What is due is looked for this often, and what an error left in the middle is taken up. */
const TICK = 15_000;

interface Head {
  id: number;
  name: string;
  state: PlanState;
  halt: 'paused' | 'cancelled' | null;
  survey: number;
  made_by: string;
  preview: Preview;
  goals: PlanGoal[];
  approval: Approval | null;
  scheduled_for: Date | null;
  scheduled_by: string | null;
}

export class Plans {
  private queue: Promise<unknown> = Promise.resolve();
  private readonly queued = new Set<number>();
  private readonly carry: CarryOut;
  private looking = false;
  /** What newer surveys made of previews: it is the same until there is a newer one still. */
  private readonly movedOf = new Map<string, Promise<Preview | undefined>>();
  private readonly timer: NodeJS.Timeout;

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: Engine,
    private readonly surveys: Surveys,
    private readonly tray: Tray,
    private readonly events: Events,
    private readonly clock: () => Date,
  ) {
    this.carry = new CarryOut(db, ledger, clock, (plan) => events.emit({ type: 'plan', plan }));
    this.timer = setInterval(() => {
      if (this.looking) return;
      this.looking = true;
      this.due()
        .catch((e: unknown) => console.error('plans that are due were not begun', e))
        .finally(() => (this.looking = false));
    }, TICK);
    this.timer.unref();
  }

  // --- a draft

  /** Turns the tray into a draft, with its preview on the survey in force. */
  async make(account: { id: number; address: string }, name: string, reason: string): Promise<number> {
    const { changes, goals, seqs } = await this.tray.forPlan(account.id);
    const preview = await this.engine.ask.preview(changes);
    if (!preview?.changes.length)
      throw new AppError('not-there', 409, 'None of it is there any more. Survey again, then pick it up.');
    const approval = await this.approvalFor(preview);
    return this.db.transaction(async (tx) => {
      const [plan] = await tx.query<{ id: number }>(
        "insert into plan (id, name, reason, state, survey, made_by, made_at, preview, goals, approval) overriding system value values ((select coalesce(max(id), 0) + 1 from plan), $1, $2, 'draft', $3, $4, $5, $6::jsonb, $7::jsonb, $8::jsonb) returning id",
        [
          name,
          reason,
          preview.survey,
          account.address,
          this.clock(),
          storableJson(preview),
          storableJson(goals),
          approval && storableJson(approval),
        ],
      );
      for (const [seq, { change: c }] of preview.changes.entries())
        await tx.query(
          "insert into plan_change (plan, seq, kind, source, object, change, before, state, apply_key, undo_key) values ($1, $2, $3, $4, $5, $6::jsonb, $7::jsonb, 'planned', $8, $9)",
          [
            plan!.id,
            seq,
            c.kind,
            c.source,
            c.id,
            c.set ? storableJson(c.set) : null,
            storableJson(await beforeOf(tx, c)),
            randomUUID(),
            randomUUID(),
          ],
        );
      await tx.query('delete from tray where account = $1 and seq = any($2)', [account.id, seqs]);
      await tx.query('delete from tray_goal where account = $1', [account.id]);
      await this.ledger.add(
        {
          who: account.address,
          what: 'plan.made',
          subject: `plan ${plan!.id}`,
          after: {
            name,
            reason,
            survey: preview.survey,
            changes: preview.changes.map(({ change: c, words }) => ({ ...c, words })),
            goals: goals.map((g) => g.words),
            losing: { members: preview.members, guests: preview.guests, outsiders: preview.outsiders },
            ...(approval && { approvalWanted: approval.wants }),
          },
        },
        tx,
      );
      return plan!.id;
    });
  }

  private async approvalFor(preview: Preview): Promise<Approval | null> {
    const wants = wantsApproval(await readLimits(this.db), {
      changes: preview.changes.map((c) => c.change),
      people: preview.members + preview.guests,
      spaces: preview.spaces.length,
      heaviest: preview.heaviest,
    });
    return wants.length ? { wants } : null;
  }

  private async head(plan: number): Promise<Head> {
    const [row] = await this.db.query<Head>(
      'select id, name, state, halt, survey, made_by, preview, goals, approval, scheduled_for, scheduled_by from plan where id = $1',
      [plan],
    );
    if (!row) throw new AppError('no-plan', 404, 'There is no plan of this number.');
    return row;
  }

  /** What is not as a plan's preview says, judged on the survey in force; nothing where it is all the same. */
  private async moved(head: Head): Promise<{ differs: string[]; preview: Preview } | undefined> {
    const newest = await this.surveys.inForce();
    if (newest === head.survey) return undefined;
    const key = `${head.id} ${newest}`;
    let made = this.movedOf.get(key);
    if (!made) {
      this.movedOf.clear();
      made = this.changes(head.id).then((changes) => this.engine.ask.preview(changes.map(plannedOf)));
      made.catch(() => this.movedOf.delete(key));
      this.movedOf.set(key, made);
    }
    const preview = await made;
    if (!preview) return undefined;
    return { differs: previewDiffers(head.preview, preview), preview };
  }

  /** Makes a draft's preview anew on the survey in force. What was approved before is not any more. */
  async renew(plan: number, by: string): Promise<void> {
    const preview = await this.engine.ask.preview((await this.changes(plan)).map(plannedOf));
    if (!preview) throw new AppError('no-survey', 409, 'There is no survey yet.');
    await this.rebind(plan, preview, by, true);
  }

  private async rebind(plan: number, preview: Preview, by: string, anew: boolean): Promise<void> {
    const approval = anew ? await this.approvalFor(preview) : null;
    await this.db.transaction(async (tx) => {
      const [row] = await tx.query(
        `update plan set preview = $2::jsonb, survey = $3, note = null,
           state = case when $5 then 'draft' else state end,
           approval = case when $5 then $6::jsonb else approval end,
           scheduled_for = case when $5 then null else scheduled_for end
         where id = $1 and state = any($4) returning id`,
        [plan, storableJson(preview), preview.survey, NOT_BEGUN, anew, approval && storableJson(approval)],
      );
      if (!row)
        throw new AppError('plan-state', 409, 'Only the preview of a plan that has not begun is made anew.');
      for (const c of await this.changes(plan, tx)) {
        const before = await beforeOf(tx, plannedOf(c), false);
        if (before)
          await tx.query('update plan_change set before = $2::jsonb where id = $1', [
            c.id,
            storableJson(before),
          ]);
      }
      await this.ledger.add(
        { who: by, what: 'plan.preview-renewed', subject: `plan ${plan}`, after: { survey: preview.survey } },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
  }

  /** Moves a plan from one state to another, on the ledger too; refused where it is in none of `from`. */
  private async move(
    plan: number,
    from: readonly PlanState[],
    to: PlanState,
    by: string,
    refusal: string,
    more: { note?: string | null; approval?: Approval; at?: Date | null; by?: string } = {},
  ): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [was] = await tx.query<{ state: PlanState }>(
        'select state from plan where id = $1 and state = any($2)',
        [plan, from],
      );
      if (!was) throw new AppError('plan-state', 409, refusal);
      await tx.query(
        `update plan set state = $2, halt = null, note = $3,
           approval = coalesce($4::jsonb, approval),
           scheduled_for = $5, scheduled_by = $6,
           applied_at = case when $2 = 'applying' then coalesce(applied_at, $7) else applied_at end
         where id = $1`,
        [
          plan,
          to,
          more.note ?? null,
          more.approval ? storableJson(more.approval) : null,
          more.at ?? null,
          more.by ?? null,
          this.clock(),
        ],
      );
      await this.ledger.add(
        {
          who: by,
          what: `plan.${to}`,
          subject: `plan ${plan}`,
          before: { state: was.state },
          after: {
            state: to,
            ...(more.note && { note: more.note }),
            ...(more.at && { at: more.at.toISOString() }),
            ...(more.approval?.said && { said: more.approval.said }),
          },
        },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
  }

  async discard(plan: number, by: string): Promise<void> {
    await this.move(plan, NOT_BEGUN, 'discarded', by, 'Only a plan that has not begun can be discarded.');
  }

  // --- approval

  limits(): Promise<ApprovalLimits> {
    return readLimits(this.db);
  }

  /** Sets from where on a plan wants a second steward. It holds for previews made from then on. */
  async setLimits(limits: ApprovalLimits, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const before = await readLimits(tx);
      await writeSetting(tx, 'approval-limits', limits);
      await this.ledger.add({ who: by, what: 'approval.set', subject: 'limits', before, after: limits }, tx);
    });
  }

  /** Asks a second steward. */
  async ask(plan: number, by: string): Promise<void> {
    const { approval } = await this.head(plan);
    if (!approval) throw new AppError('plan-state', 409, 'This plan needs nobody’s approval.');
    await this.move(plan, ['draft'], 'asked', by, 'Only a draft can be put to a second steward.', {
      approval: { wants: approval.wants, askedBy: by, askedAt: this.clock().toISOString() },
    });
  }

  /** What a second steward says: only of the preview that they saw. */
  async decide(plan: number, by: string, approved: boolean, said: string, survey: number): Promise<void> {
    const head = await this.head(plan);
    if (head.made_by === by || head.approval?.askedBy === by)
      throw new AppError(
        'same-steward',
        403,
        'Whoever made a plan or asks for it cannot approve it: a second steward has to.',
      );
    if (head.survey !== survey)
      throw new AppError('preview-old', 409, 'The preview has been made anew meanwhile. Look at it again.');
    await this.move(
      plan,
      ['asked'],
      approved ? 'approved' : 'draft',
      by,
      'This plan does not wait for approval.',
      {
        note: approved ? null : `${by} did not approve it${said ? `: ${said}` : '.'}`,
        approval: {
          wants: head.approval!.wants,
          ...(approved && { askedBy: head.approval!.askedBy!, askedAt: head.approval!.askedAt! }),
          by,
          at: this.clock().toISOString(),
          approved,
          ...(said && { said }),
        },
      },
    );
  }

  // --- applying

  /** Whether a plan may begin; throws where it may not. */
  private async mayBegin(plan: number, by: string): Promise<void> {
    const head = await this.head(plan);
    if (head.approval && !head.approval.approved)
      throw new AppError(
        'needs-approval',
        409,
        `A second steward has to approve this plan first: ${head.approval.wants.join('; ')}.`,
      );
    const moved = await this.moved(head);
    if (!moved) return;
    if (moved.differs.length)
      throw new AppError(
        'preview-old',
        409,
        `The workspaces have moved on since this preview: ${moved.differs.join('; ')}. Look at the new preview, then apply it.`,
      );
    // a newer survey sees the same, so the preview holds for it too
    await this.rebind(plan, moved.preview, by, false);
  }

  /** Begins applying a plan at once. */
  async apply(plan: number, by: string): Promise<void> {
    const { state } = await this.head(plan);
    if (NOT_BEGUN.includes(state)) await this.mayBegin(plan, by);
    await this.move(
      plan,
      ['draft', 'approved', 'scheduled'],
      'applying',
      by,
      'Only a plan that has not begun can be applied.',
    );
    this.run(plan, by);
  }

  /** Applies a plan when the time has come. */
  async schedule(plan: number, by: string, at: Date): Promise<void> {
    if (at <= this.clock()) throw new AppError('past', 400, 'That time is past. Name one that is to come.');
    await this.mayBegin(plan, by);
    await this.move(
      plan,
      ['draft', 'approved', 'scheduled'],
      'scheduled',
      by,
      'Only a plan that has not begun can be given a time.',
      {
        at,
        by,
      },
    );
  }

  /** Takes a plan's time away again. */
  async unschedule(plan: number, by: string): Promise<void> {
    const { approval } = await this.head(plan);
    await this.move(plan, ['scheduled'], approval ? 'approved' : 'draft', by, 'This plan has no time set.');
  }

  /** Begins what is due, and takes up what an error left in the middle. */
  private async due(): Promise<void> {
    const rows = await this.db.query<{ id: number; scheduled_by: string; scheduled_for: Date }>(
      "select id, scheduled_by, scheduled_for from plan where state = 'scheduled' and scheduled_for <= $1 order by scheduled_for, id",
      [this.clock()],
    );
    for (const { id, scheduled_by: by, scheduled_for: at } of rows)
      try {
        await this.apply(id, by);
      } catch (e) {
        if (!(e instanceof AppError)) throw e;
        await this.move(id, ['scheduled'], 'draft', 'system', '', {
          note: `It was to be applied at ${at.toISOString()} and was not. ${e.message}`,
        });
      }
    const left = await this.inTheMiddle();
    for (const id of left) this.run(id, 'system');
  }

  /** Stops a plan after the change it is at; `goOn` goes on with it. */
  async pause(plan: number, by: string): Promise<void> {
    await this.halt(plan, by, 'paused');
  }

  /** Ends a plan after the change it is at: what was done stays, and can be undone. */
  async cancel(plan: number, by: string): Promise<void> {
    await this.halt(plan, by, 'cancelled');
    this.run(plan, by);
  }

  async goOn(plan: number, by: string): Promise<void> {
    await this.halt(plan, by, null);
    this.run(plan, by);
  }

  private async halt(plan: number, by: string, halt: 'paused' | 'cancelled' | null): Promise<void> {
    await this.db.transaction(async (tx) => {
      const rows = await tx.query(
        "update plan set halt = $2 where id = $1 and state in ('applying', 'undoing') and halt is distinct from $2 and halt is distinct from 'cancelled' returning id",
        [plan, halt],
      );
      if (!rows.length)
        throw new AppError('plan-state', 409, 'This plan is not being carried out, or was stopped already.');
      await this.ledger.add({ who: by, what: `plan.${halt ?? 'resumed'}`, subject: `plan ${plan}` }, tx);
    });
    this.events.emit({ type: 'plan', plan });
  }

  /** Puts back what the plan did, or some of it by the numbers of its changes. */
  async undo(plan: number, by: string, changes?: readonly number[]): Promise<void> {
    await this.db.transaction(async (tx) => {
      const marked = await tx.query(
        `update plan_change set state = 'undo-planned' where plan = $1 and state = 'verified' and ($2::int[] is null or id = any($2))
           and exists (select 1 from plan where id = $1 and state = 'applied') returning id`,
        [plan, changes ?? null],
      );
      if (!marked.length)
        throw new AppError('plan-state', 409, 'Nothing of this is done and still to be put back.');
      await tx.query("update plan set state = 'undoing', halt = null, note = null where id = $1", [plan]);
      await this.ledger.add(
        {
          who: by,
          what: 'plan.undoing',
          subject: `plan ${plan}`,
          before: { state: 'applied' },
          after: { state: 'undoing', changes: marked.length },
        },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
    this.run(plan, by);
  }

  /** Tries again what failed, was left or is unknown, in the direction it was going. */
  async retry(plan: number, by: string): Promise<void> {
    const changes = await this.changes(plan);
    const undoing = changes.some((c) => ['undo-failed', 'undo-sending', 'undo-sent'].includes(c.state));
    const again = changes.some((c) => ['failed', 'left', 'sending', 'sent'].includes(c.state));
    if (!undoing && !again) throw new AppError('plan-state', 409, 'This plan has nothing to try again.');
    await this.move(
      plan,
      ['applied', 'undone'],
      undoing ? 'undoing' : 'applying',
      by,
      'This plan is not at its end.',
    );
    await this.db.query(
      "update plan_change set state = case state when 'failed' then 'planned' when 'left' then 'planned' when 'undo-failed' then 'undo-planned' else state end where plan = $1 and (state like 'undo-%') = $2",
      [plan, undoing],
    );
    this.run(plan, by);
  }

  private async inTheMiddle(): Promise<number[]> {
    const rows = await this.db.query<{ id: number }>(
      "select id from plan where state in ('applying', 'undoing') and halt is distinct from 'paused' order by id",
    );
    return rows.map((r) => r.id);
  }

  /** Takes up plans that a crash left in the middle. */
  async resume(): Promise<void> {
    for (const id of await this.inTheMiddle()) {
      await this.ledger.add({ who: 'system', what: 'plan.taken-up', subject: `plan ${id}` });
      this.run(id, 'system');
    }
  }

  /** Plans are carried out one after another, so that two never work on one object at once. */
  private run(plan: number, by: string): void {
    if (this.queued.has(plan)) return;
    this.queued.add(plan);
    this.queue = this.queue
      .then(() => this.carryOut(plan, by))
      .catch((e: unknown) => console.error(`plan ${plan} stopped; it is taken up again`, e))
      .finally(() => this.queued.delete(plan));
  }

  /** Resolves when every plan begun so far has come to its end. */
  async idle(): Promise<void> {
    clearInterval(this.timer);
    await this.queue;
  }

  private changes(plan: number, db: Db = this.db): Promise<Change[]> {
    return db.query<Change>('select * from plan_change where plan = $1 order by seq', [plan]);
  }

  private async halted(plan: number): Promise<Head['halt']> {
    const [row] = await this.db.query<Pick<Head, 'halt'>>('select halt from plan where id = $1', [plan]);
    return row?.halt ?? null;
  }

  private async carryOut(plan: number, by: string): Promise<void> {
    const [row] = await this.db.query<{ state: PlanState }>('select state from plan where id = $1', [plan]);
    const undoing = row?.state === 'undoing';
    if (!undoing && row?.state !== 'applying') return;
    const places = new Map<string, Changeable | undefined>();
    for (const s of await this.surveys.sourcesWithTokens())
      places.set(s.id, connectForChange(s.kind, { url: s.url, token: s.token }));
    const changes = await this.changes(plan);
    const order = undoing ? changes.slice().reverse() : changes;
    // each workspace is asked one thing at a time, and the slow ones do not hold the others up
    const lanes = new Map<string, Change[]>();
    for (const c of order) (lanes.get(c.source) ?? lanes.set(c.source, []).get(c.source)!).push(c);
    let stopped = false;
    const ends = await Promise.allSettled(
      [...lanes].map(async ([source, lane]) => {
        for (const change of lane) {
          if ((await this.halted(plan)) !== null) stopped = true;
          if (stopped) return;
          await this.carry.one(change, places.get(source), undoing, by);
        }
      }),
    );
    for (const end of ends) if (end.status === 'rejected') throw end.reason;
    const halt = await this.halted(plan);
    // paused and told to go on before the change it was at was done: from there on, then
    if (stopped && halt === null) return this.carryOut(plan, by);
    if (halt === 'paused') return;
    if (halt === 'cancelled')
      await this.db.query(
        "update plan_change set state = case state when 'planned' then 'left' when 'undo-planned' then 'verified' else state end where plan = $1",
        [plan],
      );
    await this.readBack(plan, await this.changes(plan), undoing, by);
  }

  /**
   * Makes what the plan proved at the workspace the present, as a survey of those objects alone, and works
   * out on it which goals hold; then the plan is at its end.
   */
  private async readBack(plan: number, changes: Change[], undoing: boolean, by: string): Promise<void> {
    // once only: what was shown before may have been changed by somebody since
    const proven = changes.filter((c) => !c.shown && (c.state === 'undone' || DONE.includes(c.state)));
    if (proven.length)
      await this.surveys.readBack(plan, by, async (tx, survey) => {
        for (const c of proven) {
          const at = { source: c.source, id: c.object };
          if (c.kind === 'member') await observeMember(tx, survey, c);
          else await observeOne(tx, survey, { kind: c.kind, ...at, doc: docAfter(c) });
        }
        await tx.query('update plan_change set shown = true where id = any($1)', [proven.map((c) => c.id)]);
      });
    else await this.surveys.takeOver();
    const proof = await this.prove(plan);
    const undone = undoing && !changes.some((c) => c.state === 'verified');
    await this.db.transaction(async (tx) => {
      const state = undone ? 'undone' : 'applied';
      await tx.query(
        'update plan set state = $2, halt = null, finished_at = $3, proof = $4::jsonb where id = $1',
        [plan, state, this.clock(), storableJson(proof)],
      );
      await this.ledger.add(
        {
          who: by,
          what: `plan.${state}`,
          subject: `plan ${plan}`,
          after: {
            changes: changes.length,
            proven: changes.filter((c) => c.state === 'undone' || DONE.includes(c.state)).length,
            points: { before: proof.pointsBefore, after: proof.pointsAfter },
            goals: proof.goals.map(({ words, holds }) => ({ words, holds })),
          },
        },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
  }

  private async prove(plan: number): Promise<PlanProof> {
    const { goals, preview } = await this.head(plan);
    return {
      survey: (await this.surveys.inForce())!,
      goals: await this.engine.ask.proveGoals(goals),
      pointsBefore: preview.items.reduce((n, i) => n + i.before.points, 0),
      pointsAfter: await this.engine.ask.pointsOf(
        preview.items.map(({ source, item }) => ({ source, item })),
      ),
    };
  }

  // --- afterwards

  /**
   * Looks, after a survey, for what plans did and somebody has brought back, and says who; and for goals that
   * held and do not hold any more, by whatever way.
   */
  async lookForDrift(survey: number): Promise<void> {
    const changes = await this.db.query<Change & { applied_at: Date }>(
      `select c.*, p.applied_at from plan_change c join plan p on p.id = c.plan
       where p.state = 'applied' and c.state = 'verified' and c.drift is null order by c.id`,
    );
    const back = await this.engine.ask.cameBack(
      changes.map((c) => ({ change: plannedOf(c), before: c.before, since: c.applied_at.getTime() })),
    );
    const found = changes.flatMap((c, i) => (back[i] ? [{ c, drift: { survey, ...back[i] } }] : []));
    if (found.length)
      await this.db.transaction(async (tx) => {
        for (const { c, drift } of found) {
          await tx.query('update plan_change set drift = $2::jsonb where id = $1', [
            c.id,
            storableJson(drift),
          ]);
          await this.ledger.add(
            {
              who: 'survey',
              what: 'plan.change.came-back',
              subject: `${c.kind} ${c.source}/${c.object}`,
              after: { plan: c.plan, survey, by: drift.by, words: drift.words },
            },
            tx,
          );
        }
      });
    const proven = await this.db.query<{ id: number; proof: PlanProof }>(
      "select id, proof from plan where state = 'applied' and proof is not null and goals <> '[]'",
    );
    for (const { id, proof } of proven) {
      const now = await this.prove(id);
      const broken = now.goals.filter((g, k) => !g.holds && proof.goals[k]?.holds);
      await this.db.transaction(async (tx) => {
        await tx.query('update plan set proof = $2::jsonb where id = $1', [id, storableJson(now)]);
        for (const g of broken)
          await this.ledger.add(
            {
              who: 'survey',
              what: 'plan.goal-broken',
              subject: `plan ${id}`,
              after: { survey, note: g.words, ways: g.ways },
            },
            tx,
          );
      });
    }
    for (const plan of new Set([...found.map(({ c }) => c.plan), ...proven.map((p) => p.id)]))
      this.events.emit({ type: 'plan', plan });
  }

  /** Everything in quarantine, with the plan that moved it there. */
  async quarantine(): Promise<HeldRow[]> {
    const rows = (await this.engine.ask.held(undefined)) ?? [];
    const plans = await this.db.query<{ source: string; object: string; id: number; name: string; reason: string; made_by: string; at: Date }>(
      `select distinct on (c.source, c.object) c.source, c.object, p.id, p.name, p.reason, p.made_by, c.changed_at as at
       from plan_change c join plan p on p.id = c.plan
       where c.kind = 'item' and c.change->>'held' = 'true' and c.state = 'verified' order by c.source, c.object, c.changed_at desc`,
    );
    return rows.map((r) => {
      const p = plans.find((x) => x.source === r.source && x.object === r.item);
      return { ...r, ...(p && { plan: { id: p.id, name: p.name, by: p.made_by, at: p.at.toISOString(), reason: p.reason } }) };
    });
  } // prettier-ignore

  /** Plans, the newest first. Throws a FilterError where `where` cannot be read. */
  async list(q: { text?: string | undefined; where?: string | undefined } = {}): Promise<PlanRow[]> {
    const rows = await this.db.query<PlanSql>(`${PLAN_SQL} order by p.id desc`, [TROUBLED]);
    return rows.map(planRow).filter(rowTest(q, 'plans', FIELDS, this.clock().getTime()));
  }

  async one(plan: number): Promise<PlanDetail | undefined> {
    const [row] = await this.db.query<PlanSql>(`${PLAN_SQL} where p.id = $2`, [TROUBLED, plan]);
    if (!row) return undefined;
    const [more] = await this.db.query<Head & { proof: PlanProof | null; note: string | null }>(
      'select * from plan where id = $1',
      [plan],
    );
    const changes = await this.db.query<Change & { changed_at: Date | null; drift: PlanChange['drift'] }>(
      'select * from plan_change where plan = $1 order by seq',
      [plan],
    );
    const events = await this.db.query<{ at: string; who: string; what: string; after: { note?: string; said?: string; at?: string } | null }>(
      'select at, who, what, after from ledger where subject = $1 order by seq',
      [`plan ${plan}`],
    );
    const open = NOT_BEGUN.includes(row.state);
    const told = new Map(more!.preview.changes.map((r) => [`${r.change.kind} ${r.change.source} ${r.change.id}`, r]));
    return {
      ...planRow(row),
      preview: more!.preview,
      goals: more!.goals,
      approval: more!.approval,
      proof: more!.proof,
      note: more!.note,
      moved: open ? ((await this.moved(more!))?.differs ?? null) : null,
      events: events.map(({ at, who, what, after }): PlanEvent => {
        const note = after?.said ?? after?.note ?? after?.at;
        return { at, who, what: what.slice('plan.'.length), ...(note && { note }) };
      }),
      list: changes.map((c): PlanChange => ({
        ...(told.get(`${c.kind} ${c.source} ${c.object}`) ?? { words: `Change the ${c.kind} ${c.object}` }),
        change: plannedOf(c),
        id: c.id,
        seq: c.seq,
        state: c.state,
        note: c.note,
        changedAt: c.changed_at?.toISOString() ?? null,
        differences: differencesOf(c),
        drift: c.drift,
      })),
    };
  } // prettier-ignore
}

/** The object as the survey in force has it; throws where it is not there, unless `must` is off. */
async function beforeOf(db: Db, c: PlannedChange, must = true): Promise<object | undefined> {
  const kind = c.kind === 'member' ? 'group' : c.kind;
  const [group, value] = c.kind === 'member' ? memberOf(c.id) : [c.id, ''];
  const [seen] = await db.query<{ doc: object }>(
    `select doc from observed o where kind = $1 and source = $2 and id = $3 and ${PRESENT}`,
    [kind, c.source, group],
  );
  const doc = c.kind === 'member' ? (seen?.doc as GroupRow | undefined)?.members.find((m) => m.value === value) : seen?.doc;
  if (!doc && must)
    throw new AppError('not-there', 409, `The ${c.kind} ${c.id} is not there any more. Survey again.`);
  return doc;
} // prettier-ignore

/** What a change proved at the workspace has left of its object; null where it is gone. */
function docAfter(c: Change): object | null {
  if (c.state === 'undone')
    return c.change ? withFields(c.after ?? c.before, inverse(c.change, c.before)) : c.before;
  return c.change ? (c.after ?? withFields(c.before, c.change)) : null;
}

/** The group without the member, or with it again. */
async function observeMember(tx: Db, survey: number, c: Change): Promise<void> {
  const [group, value] = memberOf(c.object);
  const [row] = await tx.query<{ doc: GroupRow }>(
    "select doc from observed where kind = 'group' and source = $1 and id = $2 and valid_to is null",
    [c.source, group],
  );
  if (!row) return;
  const others = row.doc.members.filter((m) => m.value !== value);
  const members = c.state === 'undone' ? [...others, c.before as GroupRow['members'][number]] : others;
  await observeOne(tx, survey, { kind: 'group', source: c.source, id: group, doc: { ...row.doc, members } });
}

/** In what an object differs from what was expected of it, where a change was left because of that. */
function differencesOf(c: Change): FieldDifference[] {
  if (!c.found) return [];
  const expected = (c.state.startsWith('undo') && c.change ? c.after : c.before) as Record<string, unknown>;
  const found = c.found as Record<string, unknown>;
  const words = (v: unknown): string => (v === undefined || v === null ? 'nothing' : typeof v === 'string' ? v : JSON.stringify(v));
  return whatDiffers(c.kind, expected, found, c.change ?? undefined).map((field) => ({
    field,
    expected: words(expected[field]),
    found: words(found[field]),
  }));
} // prettier-ignore

/** What two previews of the same changes say differently, in words. */
export function previewDiffers(a: Preview, b: Preview): string[] {
  const out: string[] = [];
  const lost = b.missing.length - a.missing.length;
  if (lost > 0) out.push(`${lost} of what it changes ${lost === 1 ? 'is' : 'are'} not there any more`);
  const of = (p: Preview) => new Map(p.people.map((x) => [x.id, `${x.loses}/${x.reduced}`]));
  const [x, y] = [of(a), of(b)];
  const more = [...y.keys()].filter((id) => !x.has(id)).length;
  const fewer = [...x.keys()].filter((id) => !y.has(id)).length;
  const other = [...y].filter(([id, n]) => x.has(id) && x.get(id) !== n).length;
  if (more) out.push(`${more} more ${more === 1 ? 'person loses' : 'people lose'} something`);
  if (fewer) out.push(`${fewer} ${fewer === 1 ? 'person does' : 'people do'} not lose anything any more`);
  if (other) out.push(`${other} ${other === 1 ? 'loses' : 'lose'} something else than was foreseen`);
  if (a.itemsChanged !== b.itemsChanged)
    out.push(`${b.itemsChanged} items change in reach, not ${a.itemsChanged}`);
  const [p, q] = [a.pointsBefore - a.pointsAfter, b.pointsBefore - b.pointsAfter];
  if (p !== q) out.push(`it closes ${q} points, not ${p}`);
  return out;
}

interface PlanSql {
  id: number;
  name: string;
  reason: string;
  state: PlanState;
  halt: PlanRow['halt'];
  survey: number;
  made_by: string;
  made_at: Date;
  applied_at: Date | null;
  finished_at: Date | null;
  scheduled_for: Date | null;
  changes: number;
  verified: number;
  troubled: number;
  drifted: number;
  unmet: number;
}
const PLAN_SQL = `select p.id, p.name, p.reason, p.state, p.halt, p.survey, p.made_by, p.made_at, p.applied_at, p.finished_at, p.scheduled_for,
  (select count(*)::int from plan_change c where c.plan = p.id) as changes,
  (select count(*)::int from plan_change c where c.plan = p.id and c.state in ('verified', 'already-gone', 'undone')) as verified,
  (select count(*)::int from plan_change c where c.plan = p.id and c.state = any($1)) as troubled,
  (select count(*)::int from plan_change c where c.plan = p.id and c.drift is not null) as drifted,
  (select count(*)::int from jsonb_array_elements(coalesce(p.proof->'goals', '[]')) g where p.state = 'applied' and not (g->>'holds')::boolean) as unmet
  from plan p`;

const iso = (d: Date | null): string | null => d?.toISOString() ?? null;
const planRow = ({ made_by, made_at, applied_at, finished_at, scheduled_for, ...r }: PlanSql): PlanRow => ({
  ...r,
  madeBy: made_by,
  madeAt: made_at.toISOString(),
  appliedAt: iso(applied_at),
  finishedAt: iso(finished_at),
  scheduledFor: iso(scheduled_for),
});
