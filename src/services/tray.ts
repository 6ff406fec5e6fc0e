/** The tray: changes that a steward has picked up and not yet made a plan of, with the goals they serve. */
import { together, type PlannedChange } from '../core/remedy/plan.ts';
import type { Db } from '../store/db.ts';
import { toPlanned, type PlanStep } from './plans/rows.ts';
import type { PlanGoal, TrayState } from '../dto/remedy.ts';
import type { Engine } from '../engine/engine.ts';
import { AppError } from './errors.ts';

/** So many changes at once; more is several plans. */
const MOST = 5000;

type Row = { seq: number } & Pick<PlanStep, 'kind' | 'source' | 'object' | 'change'>;

export class Tray {
  constructor(
    private readonly db: Db,
    private readonly engine: Engine,
  ) {}

  private rows(account: number): Promise<Row[]> {
    return this.db.query<Row>(
      'select seq, kind, source, object, change from tray where account = $1 order by place, seq',
      [account],
    );
  }

  /** What is in it, in the order in which it will be done, and what it would do together. */
  async state(account: number): Promise<TrayState> {
    const rows = await this.rows(account);
    const goals = await this.db.query<{ seq: number; goal: PlanGoal }>(
      'select seq, goal from tray_goal where account = $1 order by seq',
      [account],
    );
    const changes = rows.map(toPlanned);
    const { changes: merged, conflicts } = together(changes);
    const preview = merged.length ? await this.engine.ask.preview(undefined, merged) : undefined;
    const words = new Map(
      (await this.engine.ask.changeRefs(undefined, changes)).map((r) => [JSON.stringify(r.change), r.words]),
    );
    return {
      list: rows.map((r, i) => ({
        seq: r.seq,
        change: changes[i]!,
        words: words.get(JSON.stringify(changes[i])) ?? null,
      })),
      goals: goals.map(({ seq, goal }) => ({ seq, words: goal.words })),
      conflicts: conflicts.map(([a, b]) => [rows[a]!.seq, rows[b]!.seq]),
      ...(preview && { preview }),
    };
  }

  /** Picks changes up; all of them, or none where one is not there or cannot be made. */
  async pickUp(account: number, changes: readonly PlannedChange[], goal?: PlanGoal): Promise<void> {
    const known = await this.engine.ask.changeRefs(undefined, [...changes]);
    if (known.length < changes.length)
      throw new AppError(
        'not-there',
        404,
        'Some of what this would change is not in the survey in force. Survey again, then pick it up.',
      );
    const not = known.find((r) => r.cannot);
    if (not) throw new AppError('cannot', 409, `${not.words}: ${not.cannot}`);
    await this.db.transaction(async (tx) => {
      const [{ n, last } = { n: 0, last: 0 }] = await tx.query<{ n: number; last: number }>(
        'select count(*)::int as n, coalesce(max(place), 0)::int as last from tray where account = $1',
        [account],
      );
      if (n + changes.length > MOST)
        throw new AppError(
          'tray-full',
          409,
          `The tray holds ${MOST} changes. Make a plan of what is in it first.`,
        );
      await tx.query(
        `insert into tray (account, kind, source, object, change, place)
         select $1, c.kind, c.source, c.id, c.set, $3 + c.place
         from jsonb_to_recordset($2::jsonb) as c(kind text, source text, id text, set jsonb, place int)
         on conflict (account, kind, source, object, coalesce(change, 'null'::jsonb)) do nothing`,
        [account, JSON.stringify(changes.map((c, i) => ({ ...c, place: i + 1 }))), last],
      );
      if (goal)
        await tx.query(
          `insert into tray_goal (account, goal) select $1, $2::jsonb
           where not exists (select 1 from tray_goal where account = $1 and goal = $2::jsonb)`,
          [account, JSON.stringify(goal)],
        );
    });
  }

  /** Puts some down, by their numbers; goals by theirs. A tray without changes has no goals. */
  async putDown(account: number, seqs: readonly number[], goals: readonly number[] = []): Promise<void> {
    await this.db.query('delete from tray where account = $1 and seq = any($2)', [account, seqs]);
    await this.db.query(
      `delete from tray_goal where account = $1
         and (seq = any($2) or not exists (select 1 from tray where account = $1))`,
      [account, goals],
    );
  }

  /** Puts them in an order; those that are not named come last, as they were. */
  async order(account: number, seqs: readonly number[]): Promise<void> {
    await this.db.query(
      `update tray t set place = o.place from (
         select seq, row_number() over (order by array_position($2::int[], seq), place, seq)::int as place from tray where account = $1
       ) o where t.account = $1 and t.seq = o.seq`,
      [account, seqs],
    );
  }

  /** What a plan is made of: the changes put together, and goals. Refused where two conflict. */
  async forPlan(account: number): Promise<{ changes: PlannedChange[]; goals: PlanGoal[]; seqs: number[] }> {
    const rows = await this.rows(account);
    const { changes, conflicts } = together(rows.map(toPlanned));
    if (!changes.length)
      throw new AppError('tray-empty', 409, 'There is nothing in the tray. Pick up changes first.');
    if (conflicts.length)
      throw new AppError(
        'tray-conflict',
        409,
        'Two changes in the tray exclude each other. Put one of them down.',
      );
    const goals = await this.db.query<{ goal: PlanGoal }>(
      'select goal from tray_goal where account = $1 order by seq',
      [account],
    );
    return { changes, goals: goals.map((g) => g.goal), seqs: rows.map((r) => r.seq) };
  }
}
