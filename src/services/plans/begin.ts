/** Plans that are made by the application itself. */
import { PLAN_MOVES, type PlanState } from '../../core/remedy/states.ts';
import type { Db } from '../../store/db.ts';
import { AppError } from '../errors.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { Plans } from './plans.ts';

/**
 * Begins a draft, or puts it to a second steward: another than whoever let it be made. One that cannot be begun is discarded
 * with the reason. Doing it twice does nothing more.
 */
export async function beginByItself(
  { db, plans }: { db: Db; plans: Pick<Plans, 'drafts' | 'runner'> },
  plan: number,
  letBy: () => Promise<{ by: string; at: Date }>,
): Promise<void> {
  const [head] = await db.query<{
    state: PlanState;
    approval: { wants: string[]; askedBy?: string } | null;
  }>('select state, approval from plan where id = $1', [plan]);
  if (head?.state !== 'draft') return;
  try {
    if (head.approval) {
      if (head.approval.askedBy) return;
      const { by, at } = await letBy();
      await plans.drafts.move(plan, PLAN_MOVES.ask, BY_ITSELF, {
        approval: { wants: head.approval.wants, askedBy: by, askedAt: at.toISOString() },
      });
    } else await plans.runner.apply(plan, BY_ITSELF);
  } catch (e) {
    if (!(e instanceof AppError)) throw e;
    await plans.drafts.move(plan, PLAN_MOVES.discard, BY_ITSELF, { note: e.message });
  }
}
