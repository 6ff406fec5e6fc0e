/** Plans and their changes as the store keeps them. */
import { withFields } from '../../core/access/change.ts';
import type { GroupRow } from '../../core/model.ts';
import {
  inverse,
  memberOf,
  whatDiffers,
  type ApprovalLimits,
  type PlannedChange,
} from '../../core/remedy/plan.ts';
import type { ObjectKind } from '../../core/remedy/fields.ts';
import {
  DONE,
  isUndoing,
  TROUBLED,
  type ChangeState,
  type PlanMove,
  type PlanState,
} from '../../core/remedy/states.ts';
import type {
  Approval,
  FieldDifference,
  PlanChange,
  PlanGoal,
  PlanProof,
  PlanRow,
  Preview,
  UndoApproval,
} from '../../dto/remedy.ts';
import type { Db } from '../../store/db.ts';
import { observeOne, PRESENT, storableJson } from '../../store/observed.ts';
import { AppError } from '../errors.ts';
import type { Ledger } from '../ledger.ts';

export interface Head {
  id: number;
  name: string;
  state: PlanState;
  halt: 'paused' | 'cancelled' | null;
  survey: number;
  made_by: string;
  preview: Preview;
  goals: PlanGoal[];
  approval: Approval | null;
  limits: ApprovalLimits | null;
  undo: UndoApproval | null;
  proof: PlanProof | null;
  note: string | null;
  scheduled_for: Date | null;
  scheduled_by: string | null;
}

/** One change of a plan, and how far it has come. */
export interface PlanStep {
  id: number;
  plan: number;
  seq: number;
  kind: ObjectKind;
  source: string;
  object: string;
  /** Fields that are set; null where the object is taken away. */
  change: Record<string, unknown> | null;
  before: object;
  after: object | null;
  found: object | null;
  version: string | null;
  state: ChangeState;
  apply_key: string;
  undo_key: string;
  shown: boolean;
  note: string | null;
  changed_at: Date | null;
  drift: PlanChange['drift'];
}

/** A change as the tray and plans keep it. */
export const toPlanned = (c: Pick<PlanStep, 'kind' | 'source' | 'object' | 'change'>): PlannedChange =>
  ({ kind: c.kind, source: c.source, id: c.object, ...(c.change && { set: c.change }) }) as PlannedChange;

/** The plan of a number; throws where there is none. */
export async function headOf(db: Db, plan: number): Promise<Head> {
  const [row] = await db.query<Head>('select * from plan where id = $1', [plan]);
  if (!row) throw new AppError('no-plan', 404, 'There is no plan of this number.');
  return row;
}

export const stepsOf = (db: Db, plan: number): Promise<PlanStep[]> =>
  db.query<PlanStep>('select * from plan_change where plan = $1 order by seq', [plan]);

export async function haltOf(db: Db, plan: number): Promise<Head['halt']> {
  const [row] = await db.query<Pick<Head, 'halt'>>('select halt from plan where id = $1', [plan]);
  return row?.halt ?? null;
}

/**
 * Makes a move of a plan, on the ledger too; refused where it is in none of the states it can be made from. `also` is
 * done in the same transaction.
 */
export async function movePlan(
  { db, ledger, clock }: { db: Db; ledger: Ledger; clock: () => Date },
  plan: number,
  { from, to, refusal }: PlanMove,
  by: string,
  more: {
    note?: string | null;
    approval?: Approval;
    at?: Date | null;
    by?: string;
    also?: (tx: Db) => Promise<void>;
  } = {},
): Promise<void> {
  await db.transaction(async (tx) => {
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
        clock(),
      ],
    );
    await ledger.add(
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
    await more.also?.(tx);
  });
}

/** The object as the survey in force has it; undefined where it is not there. */
export async function seenOf(db: Db, c: PlannedChange): Promise<object | undefined> {
  const [group, value] = c.kind === 'member' ? memberOf(c.id) : [c.id, ''];
  const [seen] = await db.query<{ doc: object }>(
    `select doc from observed o where kind = $1 and source = $2 and id = $3 and ${PRESENT}`,
    [c.kind === 'member' ? 'group' : c.kind, c.source, group],
  );
  return c.kind === 'member'
    ? (seen?.doc as GroupRow | undefined)?.members.find((m) => m.value === value)
    : seen?.doc;
}

/** Writes under a survey what a change, proved at the workspace, has left of its object. */
export async function observeStep(tx: Db, survey: number, c: PlanStep): Promise<void> {
  if (c.kind === 'member') await observeMember(tx, survey, c);
  else await observeOne(tx, survey, { kind: c.kind, source: c.source, id: c.object, doc: docAfter(c) });
}

/** What a change proved at the workspace has left of its object; null where it is gone. */
function docAfter(c: PlanStep): object | null {
  if (c.state === 'undone')
    return c.change ? withFields(c.after ?? c.before, inverse(c.change, c.before)) : c.before;
  return c.change ? (c.after ?? withFields(c.before, c.change)) : null;
}

/** The group without the member, or with it again. */
async function observeMember(tx: Db, survey: number, c: PlanStep): Promise<void> {
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
export function differencesOf(c: PlanStep): FieldDifference[] {
  if (!c.found) return [];
  const expected = (isUndoing(c.state) && c.change ? c.after : c.before) as Record<string, unknown>;
  const found = c.found as Record<string, unknown>;
  const words = (v: unknown): string =>
    v === undefined || v === null ? 'nothing' : typeof v === 'string' ? v : JSON.stringify(v);
  return whatDiffers(c.kind, expected, found, c.change ?? undefined).map((field) => ({
    field,
    expected: words(expected[field]),
    found: words(found[field]),
  }));
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
  waits: boolean;
  policy: number | null;
}
const PLAN_SQL = `select p.id, p.name, p.reason, p.state, p.halt, p.survey, p.made_by, p.made_at, p.applied_at, p.finished_at, p.scheduled_for, p.policy,
  (select count(*)::int from plan_change c where c.plan = p.id) as changes,
  (select count(*)::int from plan_change c where c.plan = p.id and c.state = any($3)) as verified,
  (select count(*)::int from plan_change c where c.plan = p.id and c.state = any($1)) as troubled,
  (select count(*)::int from plan_change c where c.plan = p.id and c.drift is not null) as drifted,
  (select count(*)::int from jsonb_array_elements(coalesce(p.proof->'goals', '[]')) g where p.state = 'applied' and not (g->>'holds')::boolean) as unmet,
  p.state = 'asked' or p.undo is not null as waits
  from plan p where $2::int is null or p.id = $2 order by p.id desc`;

const iso = (d: Date | null): string | null => d?.toISOString() ?? null;

/** Plans as lists show them, the newest first; one alone where it is named. */
export async function planRows(db: Db, plan?: number): Promise<PlanRow[]> {
  const rows = await db.query<PlanSql>(PLAN_SQL, [TROUBLED, plan ?? null, DONE]);
  return rows.map(({ made_by, made_at, applied_at, finished_at, scheduled_for, ...r }) => ({
    ...r,
    madeBy: made_by,
    madeAt: made_at.toISOString(),
    appliedAt: iso(applied_at),
    finishedAt: iso(finished_at),
    scheduledFor: iso(scheduled_for),
  }));
}
