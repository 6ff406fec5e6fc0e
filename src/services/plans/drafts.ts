/** Plans that have not begun: made from the tray, their previews held to the survey in force, approved, discarded. */
import { randomUUID } from 'node:crypto';
import { wantsApproval, type ApprovalLimits } from '../../core/remedy/plan.ts';
import { objectOf } from '../../core/guard/choose.ts';
import { stillHolds } from '../../core/remedy/preview.ts';
import { NOT_BEGUN, PLAN_MOVES, type PlanMove } from '../../core/remedy/states.ts';
import type { Approval, PlanGoal, Preview } from '../../dto/remedy.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readLimits } from '../../store/settings.ts';
import { AppError } from '../errors.ts';
import type { PlanParts } from './parts.ts';
import { limitsOf } from './limits.ts';
import { headOf, movePlan, seenOf, stepsOf, toPlanned, type Head } from './rows.ts';

export class Drafts {
  /** Previews made of plans on the survey in force, by plan; made anew when another is in force. */
  private readonly renewed = new Map<number, { survey: number; preview: Promise<Preview | undefined> }>();

  constructor(private readonly parts: PlanParts) {}

  /** Turns the tray into a draft, with its preview on the survey in force. */
  async make(account: { id: number; address: string }, name: string, reason: string): Promise<number> {
    const { db, engine, tray } = this.parts;
    const { changes, goals, seqs } = await tray.forPlan(account.id);
    const preview = await engine.ask.preview(undefined, changes);
    if (!preview?.changes.length)
      throw new AppError('not-there', 409, 'None of this exists any more. Survey again, then pick it up.');
    return db.transaction(async (tx) => {
      const { plan } = await this.keep(tx, { name, reason, by: account.address, preview, goals });
      await tx.query('delete from tray where account = $1 and seq = any($2)', [account.id, seqs]);
      await tx.query('delete from tray_goal where account = $1', [account.id]);
      return plan;
    });
  }

  /** Keeps a draft of what a preview foretells. `changes`: the numbers of its changes, by kind, source and id. */
  async keep(
    tx: Db,
    d: {
      name: string;
      reason: string;
      by: string;
      preview: Preview;
      goals: PlanGoal[];
      policy?: { id: number; version: number };
    },
  ): Promise<{ plan: number; approval: Approval | null; changes: Map<string, number> }> {
    const { ledger, clock } = this.parts;
    const { name, reason, by, preview, goals } = d;
    const limits = await readLimits(tx);
    const approval = approvalOf(preview, limits);
    const [plan] = await tx.query<{ id: number }>(
      `insert into plan (id, name, reason, state, survey, made_by, made_at, preview, goals, approval, limits, policy, policy_version)
       overriding system value values ((select coalesce(max(id), 0) + 1 from plan), $1, $2, 'draft', $3, $4, $5, $6::jsonb, $7::jsonb,
         $8::jsonb, $9::jsonb, $10, $11) returning id`,
      [
        name,
        reason,
        preview.survey,
        by,
        clock(),
        storableJson(preview),
        storableJson(goals),
        approval && storableJson(approval),
        storableJson(limits),
        d.policy?.id ?? null,
        d.policy?.version ?? null,
      ],
    );
    const changes = new Map<string, number>();
    for (const [seq, { change: c }] of preview.changes.entries()) {
      const before = await seenOf(tx, c);
      if (!before)
        throw new AppError('not-there', 409, `The ${c.kind} ${c.id} is not there any more. Survey again.`);
      const [row] = await tx.query<{ id: number }>(
        `insert into plan_change (plan, seq, kind, source, object, change, before, state, apply_key, undo_key)
         values ($1, $2, $3, $4, $5, $6::jsonb, $7::jsonb, 'planned', $8, $9) returning id`,
        [
          plan!.id,
          seq,
          c.kind,
          c.source,
          c.id,
          c.set ? storableJson(c.set) : null,
          storableJson(before),
          randomUUID(),
          randomUUID(),
        ],
      );
      changes.set(objectOf(c), row!.id);
    }
    await ledger.add(
      {
        who: by,
        what: 'plan.made',
        subject: `plan ${plan!.id}`,
        after: {
          name,
          reason,
          survey: preview.survey,
          changes: preview.changes.map(({ change: c, words }) => ({ ...c, words })),
          goals: goals.map((g) => g.words),
          losing: { members: preview.members, guests: preview.guests, outsiders: preview.outsiders },
          ...(d.policy && { policy: d.policy }),
          ...(approval && { approvalWanted: approval.wants }),
        },
      },
      tx,
    );
    return { plan: plan!.id, approval, changes };
  }

  /**
   * In what a plan's preview does not hold any more on the survey that the engine answers from, and the preview as
   * it is there. Nothing differs where it holds.
   */
  async moved(head: Head): Promise<{ differs: string[]; preview: Preview } | undefined> {
    const survey = this.parts.present.survey;
    if (survey === undefined || survey === head.survey) return undefined;
    let made = this.renewed.get(head.id);
    if (made?.survey !== survey) {
      made = { survey, preview: this.previewOf(head.id) };
      this.renewed.set(head.id, made);
      made.preview.catch(() => this.renewed.delete(head.id));
    }
    const preview = await made.preview;
    if (!preview) return undefined;
    const told = stillHolds(head.preview, preview, survey);
    if (told.state === 'wait') {
      // the engine has not come to this survey yet: what it says is of the one before, and is not kept
      this.renewed.delete(head.id);
      return undefined;
    }
    return { differs: told.state === 'differs' ? told.differs : [], preview };
  }

  private async previewOf(plan: number): Promise<Preview | undefined> {
    return this.parts.engine.ask.preview(undefined, (await stepsOf(this.parts.db, plan)).map(toPlanned));
  }

  /** Whether a plan may begin, judged on the newest survey; throws where it may not. */
  async mayBegin(plan: number, by: string): Promise<void> {
    // a survey may be done that the engine has not taken over yet
    await this.parts.present.toNewest();
    const head = await headOf(this.parts.db, plan);
    if (head.approval && !head.approval.approved)
      throw new AppError(
        'needs-approval',
        409,
        `A second steward has to approve this plan first: ${head.approval.wants.join('; ')}.`,
      );
    const newest = this.parts.present.survey;
    if (newest === undefined || newest === head.survey) return;
    const preview = await this.previewOf(plan);
    const told = preview && stillHolds(head.preview, preview, newest);
    if (!told || told.state === 'wait')
      throw new AppError(
        'reading',
        409,
        'A newer survey is being read. Apply this plan when it is in force, in a moment.',
      );
    if (told.state === 'differs')
      throw new AppError(
        'preview-old',
        409,
        `The workspaces have changed since this preview: ${told.differs.join('; ')}. Look at the new preview, then apply it.`,
      );
    // a newer survey sees the same, so the preview holds for it too
    await this.rebind(plan, preview, by, false);
  }

  /** Makes a draft's preview anew on the survey in force. What was approved before is not any more. */
  async renew(plan: number, by: string): Promise<void> {
    const preview = await this.previewOf(plan);
    if (!preview) throw new AppError('no-survey', 409, 'There is no survey yet.');
    await this.rebind(plan, preview, by, true);
  }

  private async rebind(plan: number, preview: Preview, by: string, anew: boolean): Promise<void> {
    const { db, ledger, events, jobs } = this.parts;
    const approval = anew ? approvalOf(preview, await limitsOf(db, await headOf(db, plan))) : null;
    await db.transaction(async (tx) => {
      const [row] = await tx.query(
        `update plan set preview = $2::jsonb, survey = $3, note = null,
           state = case when $5 then 'draft' else state end,
           approval = case when $5 then $6::jsonb else approval end,
           scheduled_for = case when $5 then null else scheduled_for end
         where id = $1 and state = any($4) returning id`,
        [plan, storableJson(preview), preview.survey, NOT_BEGUN, anew, approval && storableJson(approval)],
      );
      if (!row)
        throw new AppError(
          'plan-state',
          409,
          'The preview can only be refreshed before the plan is applied.',
        );
      if (anew) await jobs.drop(tx, 'plan', plan);
      for (const c of await stepsOf(tx, plan)) {
        const before = await seenOf(tx, toPlanned(c));
        if (before)
          await tx.query('update plan_change set before = $2::jsonb where id = $1', [
            c.id,
            storableJson(before),
          ]);
      }
      await ledger.add(
        { who: by, what: 'plan.preview-renewed', subject: `plan ${plan}`, after: { survey: preview.survey } },
        tx,
      );
    });
    events.emit({ type: 'plan', plan });
  }

  async discard(plan: number, by: string): Promise<void> {
    await this.move(plan, PLAN_MOVES.discard, by);
  }

  /** Makes a move of a plan, and tells whoever listens. */
  async move(plan: number, move: PlanMove, by: string, more?: Parameters<typeof movePlan>[4]): Promise<void> {
    await movePlan(this.parts, plan, move, by, more);
    this.parts.events.emit({ type: 'plan', plan });
  }

  // --- approval

  /** Asks a second steward. */
  async ask(plan: number, by: string): Promise<void> {
    const { approval } = await headOf(this.parts.db, plan);
    if (!approval) throw new AppError('plan-state', 409, 'This plan needs no approval.');
    await this.move(plan, PLAN_MOVES.ask, by, {
      approval: { wants: approval.wants, askedBy: by, askedAt: this.parts.clock().toISOString() },
    });
  }

  /** What a second steward says: only of the preview that they saw. */
  async decide(plan: number, by: string, approved: boolean, said: string, survey: number): Promise<void> {
    const head = await headOf(this.parts.db, plan);
    if (head.made_by === by || head.approval?.askedBy === by)
      throw new AppError(
        'same-steward',
        403,
        'Whoever made a plan or requested its approval cannot approve it: a second steward has to.',
      );
    if (head.survey !== survey)
      throw new AppError('preview-old', 409, 'The preview has been refreshed meanwhile. Look at it again.');
    await this.move(plan, approved ? PLAN_MOVES.approve : PLAN_MOVES.refuse, by, {
      note: approved ? null : `${by} did not approve it${said ? `: ${said}` : '.'}`,
      approval: {
        wants: head.approval!.wants,
        ...(approved && { askedBy: head.approval!.askedBy!, askedAt: head.approval!.askedAt! }),
        by,
        at: this.parts.clock().toISOString(),
        approved,
        ...(said && { said }),
      },
    });
  }
}

/** Why a second steward is wanted for what a preview foretells, and null where none is. */
function approvalOf(preview: Preview, limits: ApprovalLimits): Approval | null {
  const wants = wantsApproval(limits, {
    changes: preview.changes.map((c) => c.change),
    people: preview.members + preview.guests + (preview.apps ?? []).reduce((n, a) => n + a.people, 0),
    spaces: preview.spaces.length,
    heaviest: preview.heaviestLost,
    gains: preview.gains,
  });
  return wants.length ? { wants } : null;
}
