/**
 * The limits above which a second steward is wanted. Stricter ones hold at once; looser ones when a second steward
 * has approved them, and never for plans that were made before.
 */
import { isLooser, stricterOf, type ApprovalLimits } from '../../core/remedy/plan.ts';
import type { LimitsState } from '../../dto/remedy.ts';
import type { Db } from '../../store/db.ts';
import { readLimits, readProposedLimits, writeSetting } from '../../store/settings.ts';
import { takeProposal, type Proposal } from '../proposals.ts';
import type { PlanParts } from './parts.ts';
import type { Head } from './rows.ts';

/** The limits that a plan is held to. */
export async function limitsOf(db: Db, { limits }: Pick<Head, 'limits'>): Promise<ApprovalLimits> {
  const now = await readLimits(db);
  return limits ? stricterOf(limits, now) : now;
}

export class Limits {
  constructor(private readonly parts: Pick<PlanParts, 'db' | 'ledger' | 'clock'>) {}

  async state(): Promise<LimitsState> {
    const { db } = this.parts;
    return { limits: await readLimits(db), proposed: await readProposedLimits(db) };
  }

  /** Sets limits where they are as strict as before or stricter; else puts them to a second steward. */
  async set(limits: ApprovalLimits, by: string): Promise<{ proposed: boolean }> {
    const { db, ledger, clock } = this.parts;
    return db.transaction(async (tx) => {
      const before = await readLimits(tx);
      const proposed = isLooser(limits, before);
      if (proposed) await writeSetting(tx, PROPOSED, { limits, by, at: clock().toISOString() });
      else {
        await writeSetting(tx, IN_FORCE, limits);
        await writeSetting(tx, PROPOSED, null);
      }
      await ledger.add(
        {
          who: by,
          what: proposed ? 'approval.proposed' : 'approval.set',
          subject: 'limits',
          before,
          after: limits,
        },
        tx,
      );
      return { proposed };
    });
  }

  /** What a steward says of the limits proposed at a time: another than who proposed them approves; all may refuse. */
  async decide(approved: boolean, at: string, by: string): Promise<void> {
    const { db, ledger } = this.parts;
    await db.transaction(async (tx) => {
      const proposed = await takeProposal<Proposal & { limits: ApprovalLimits }>(
        tx,
        PROPOSED,
        { approved, at, by },
        {
          gone: 'These limits are not proposed any more. Look at them again.',
          own: 'Whoever proposed these limits cannot approve them: a second steward has to.',
        },
      );
      const before = await readLimits(tx);
      if (approved) await writeSetting(tx, IN_FORCE, proposed.limits);
      await ledger.add(
        {
          who: by,
          what: approved ? 'approval.lowered' : 'approval.refused',
          subject: 'limits',
          before,
          after: { ...proposed.limits, proposedBy: proposed.by },
        },
        tx,
      );
    });
  }
}

const IN_FORCE = 'approval-limits';
const PROPOSED = 'approval-limits-proposed';
