/** What became of plans: whether their goals hold, and what somebody brought back. */
import type { PlanProof } from '../../dto/remedy.ts';
import { storableJson } from '../../store/observed.ts';
import type { PlanParts } from './parts.ts';
import { headOf, toPlanned, type PlanStep } from './rows.ts';

export class Proofs {
  constructor(private readonly parts: PlanParts) {}

  /** Works out on the survey in force whether a plan's goals hold, and says which survey that is. */
  async prove(plan: number): Promise<PlanProof> {
    const { goals, preview } = await headOf(this.parts.db, plan);
    const proof = await this.parts.engine.ask.prove(
      goals,
      preview.items.map(({ source, item }) => ({ source, item })),
    );
    if (!proof) throw new Error(`Plan ${plan} cannot be proven: no survey is in force.`);
    return {
      survey: proof.survey,
      goals: proof.goals,
      pointsBefore: preview.items.reduce((n, i) => n + i.before.points, 0),
      pointsAfter: proof.points,
    };
  }

  /** Looks, when another survey is in force, for what plans did and somebody has brought back, and for goals that broke. */
  async lookForDrift(): Promise<void> {
    const plans = new Set([...(await this.whatCameBack()), ...(await this.whichBroke())]);
    for (const plan of plans) this.parts.events.emit({ type: 'plan', plan });
  }

  /** Marks changes that somebody has brought back, and says who; gives their plans. */
  private async whatCameBack(): Promise<number[]> {
    const { db, ledger, engine } = this.parts;
    const changes = await db.query<PlanStep & { applied_at: Date }>(
      `select c.*, p.applied_at from plan_change c join plan p on p.id = c.plan
       where p.state = 'applied' and c.state = 'verified' and c.drift is null order by c.id`,
    );
    const told = await engine.ask.cameBack(
      changes.map((c) => ({ change: toPlanned(c), before: c.before, since: c.applied_at.getTime() })),
    );
    if (!told) return [];
    const found = changes.flatMap((c, i) =>
      told.back[i] ? [{ c, drift: { survey: told.survey, ...told.back[i] } }] : [],
    );
    if (found.length)
      await db.transaction(async (tx) => {
        for (const { c, drift } of found) {
          await tx.query('update plan_change set drift = $2::jsonb where id = $1', [
            c.id,
            storableJson(drift),
          ]);
          await ledger.add(
            {
              who: 'survey',
              what: 'plan.change.came-back',
              subject: `${c.kind} ${c.source}/${c.object}`,
              after: { plan: c.plan, survey: drift.survey, by: drift.by, words: drift.words },
            },
            tx,
          );
        }
      });
    return found.map(({ c }) => c.plan);
  }

  /** Proves the goals of plans anew; gives those plans. A goal that held and does not hold any more goes on the ledger. */
  private async whichBroke(): Promise<number[]> {
    const { db, ledger } = this.parts;
    const proven = await db.query<{ id: number; proof: PlanProof }>(
      "select id, proof from plan where state = 'applied' and proof is not null and goals <> '[]'",
    );
    for (const { id, proof } of proven) {
      const now = await this.prove(id);
      const broken = now.goals.filter((g, k) => !g.holds && proof.goals[k]?.holds);
      await db.transaction(async (tx) => {
        await tx.query('update plan set proof = $2::jsonb where id = $1', [id, storableJson(now)]);
        for (const g of broken)
          await ledger.add(
            {
              who: 'survey',
              what: 'plan.goal-broken',
              subject: `plan ${id}`,
              after: { survey: now.survey, note: g.words, ways: g.ways },
            },
            tx,
          );
      });
    }
    return proven.map((p) => p.id);
  }
}
