/** Plans as they are looked at. */
import { rowTest, type Getters } from '../../core/filter/filter.ts';
import { NOT_BEGUN } from '../../core/remedy/states.ts';
import type { PlanChange, PlanDetail, PlanEvent, PlanRow, QuarantineRow } from '../../dto/remedy.ts';
import { readLimits } from '../../store/settings.ts';
import type { Drafts } from './drafts.ts';
import type { PlanParts } from './parts.ts';
import { undoWants } from './runner.ts';
import { differencesOf, headOf, planRows, stepsOf, toPlanned, type PlanStep } from './rows.ts';

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
  waits: (r) => r.waits,
};

export class PlanQueries {
  constructor(
    private readonly parts: PlanParts,
    private readonly drafts: Drafts,
  ) {}

  /** Plans, the newest first. Throws a FilterError where `where` cannot be read. */
  async list(q: { text?: string | undefined; where?: string | undefined } = {}): Promise<PlanRow[]> {
    const test = rowTest(q, 'plans', FIELDS, this.parts.clock().getTime());
    return (await planRows(this.parts.db)).filter(test);
  }

  /** One plan with everything about it; undefined where there is none of this number. */
  async one(plan: number): Promise<PlanDetail | undefined> {
    const { db } = this.parts;
    const [row] = await planRows(db, plan);
    if (!row) return undefined;
    const head = await headOf(db, plan);
    const events = await db.query<{
      at: string;
      who: string;
      what: string;
      after: { note?: string; said?: string; at?: string } | null;
    }>('select at, who, what, after from ledger where subject = $1 order by seq', [`plan ${plan}`]);
    const words = new Map(
      head.preview.changes.map((r) => [`${r.change.kind} ${r.change.source} ${r.change.id}`, r]),
    );
    const change = (c: PlanStep): PlanChange => ({
      ...(words.get(`${c.kind} ${c.source} ${c.object}`) ?? { words: `Change the ${c.kind} ${c.object}` }),
      change: toPlanned(c),
      id: c.id,
      seq: c.seq,
      state: c.state,
      note: c.note,
      changedAt: c.changed_at?.toISOString() ?? null,
      differences: differencesOf(c),
      drift: c.drift,
    });
    return {
      ...row,
      preview: head.preview,
      goals: head.goals,
      approval: head.approval,
      undoWants: row.state === 'applied' ? undoWants(head, await readLimits(db)) : [],
      undo: head.undo,
      proof: head.proof,
      note: head.note,
      moved: NOT_BEGUN.includes(row.state) ? ((await this.drafts.moved(head))?.differs ?? null) : null,
      events: events.map(({ at, who, what, after }): PlanEvent => {
        const note = after?.said ?? after?.note ?? after?.at;
        return { at, who, what: what.slice('plan.'.length), ...(note && { note }) };
      }),
      list: (await stepsOf(db, plan)).map(change),
    };
  }

  /** Everything in quarantine, with the plan that moved it there. */
  async quarantine(): Promise<QuarantineRow[]> {
    const rows = (await this.parts.engine.ask.quarantined(undefined)) ?? [];
    const plans = await this.parts.db.query<{
      source: string;
      object: string;
      id: number;
      name: string;
      reason: string;
      made_by: string;
      at: Date;
    }>(
      `select distinct on (c.source, c.object) c.source, c.object, p.id, p.name, p.reason, p.made_by, c.changed_at as at
       from plan_change c join plan p on p.id = c.plan
       where c.kind = 'item' and c.change->>'held' = 'true' and c.state = 'verified' order by c.source, c.object, c.changed_at desc`,
    );
    return rows.map((r) => {
      const p = plans.find((x) => x.source === r.source && x.object === r.item);
      const plan = p && { id: p.id, name: p.name, by: p.made_by, at: p.at.toISOString(), reason: p.reason };
      return { ...r, ...(plan && { plan }) };
    });
  }
}
