/** What the store keeps of policies and of what they hit. */
import type { Wrong } from '../../core/guard/policy.ts';
import type { Mode, Policy, Rule } from '../../core/guard/schema.ts';
import { DONE, NOT_BEGUN, type PlanState } from '../../core/remedy/states.ts';
import type { HitPart, HitRow, HitState, PolicyRow, PolicyRun, RuleHit } from '../../dto/guard.ts';
import type { Approval } from '../../dto/remedy.ts';
import type { Db } from '../../store/db.ts';
import { AppError } from '../errors.ts';

/** Who judges and responds when nobody asked. */
export const BY_ITSELF = 'Gate Lantern';

export interface Kept {
  id: number;
  name: string;
  version: number;
  doc: Policy;
  version_at: Date;
  version_by: string;
}
export const CURRENT = `select p.id, p.name, p.version, v.doc, v.made_at as version_at, v.made_by as version_by
  from policy p join policy_version v on v.policy = p.id and v.version = p.version where p.removed_at is null`;

export async function findPolicy(db: Db, id: number): Promise<Kept | undefined> {
  return (await db.query<Kept>(`select * from (${CURRENT}) c where id = $1`, [id]))[0];
}

export async function policyOf(db: Db, id: number): Promise<Kept> {
  const kept = await findPolicy(db, id);
  if (!kept) throw new AppError('no-policy', 404, 'There is no such policy.');
  return kept;
}

/** A rule of a policy. Throws where it has none of the id. */
export function ruleOf({ doc }: Kept, id: string): Rule {
  const rule = doc.rules.find((r) => r.id === id);
  if (!rule) throw new AppError('no-rule', 404, 'There is no such rule in this policy.');
  return rule;
}

/** What policies leave out on a day: of all of them, or of one. */
export const exceptionsOn = (
  db: Db,
  day: string,
  policy?: number,
): Promise<
  {
    id: number;
    policy: number;
    rule: string | null;
    key: string;
    name: string;
    until: string;
    reason: string;
    made_at: Date;
    made_by: string;
  }[]
> =>
  db.query(
    `select id, policy, rule, key, name, until::text as until, reason, made_at, made_by from rule_exception
     where ended_at is null and until >= $1::date and ($2::int is null or policy = $2) order by id desc`,
    [day, policy ?? null],
  );

const list = (states: readonly string[]): string => states.map((s) => `'${s}'`).join(', ');

/** Hits `h` with what their plan has done about them, as \`w\`. */
export const WITH_WORK = `left join lateral (
    select count(*)::int as n, max(c.plan) as plan,
      count(*) filter (where c.state in (${list(DONE)}) and c.state <> 'undone' and c.drift is null)::int as done,
      count(*) filter (where c.state in ('undo-planned', 'undo-sending', 'undo-sent', 'undone') or p.state = 'discarded')::int as undone,
      count(*) filter (where c.state in ('failed', 'unexpected', 'left', 'undo-unexpected', 'undo-failed') and p.state <> 'discarded')::int as failed,
      (array_agg(c.note) filter (where c.note is not null))[1] as note
    from hit_change x join plan_change c on c.id = x.change join plan p on p.id = c.plan where x.hit = h.id) w on true`;

const some = (how: HitPart['how']): string => `h.parts @> '[{"how": "${how}"}]'`;

/** How far a hit has come; wants \`WITH_WORK\`. */
export const STATE = `case
    when h.over_at is not null then case when w.n > 0 and w.done = w.n then 'done' else 'over' end
    when h.excepted is not null then 'excepted'
    when w.undone > 0 then 'undone'
    when w.failed > 0 then 'failed'
    when w.n > 0 and w.done < w.n then 'waiting'
    when ${some('cannot')} then 'failed'
    when w.n > 0 then 'done'
    when ${some('later')} then 'waiting'
    when ${some('yields')} then 'yielded'
    when ${some('nothing')} then 'done'
    else 'would' end`;

export const wrongWords = (wrong: readonly Wrong[]): string =>
  wrong.map(({ at, why }) => (at ? `${at}: ${why}` : why)).join(' ');

export function modesOf({ rules }: Policy): Record<Mode, number> {
  const modes = { paused: 0, observe: 0, enforce: 0 };
  for (const r of rules) modes[r.mode]++;
  return modes;
}

export interface Counted extends Kept {
  hits: number;
  last: Date | null;
  next: Date | null;
}
export const rowOf = (p: Counted): PolicyRow => ({
  id: p.id,
  name: p.name,
  purpose: p.doc.purpose ?? '',
  version: p.version,
  rules: p.doc.rules.length,
  modes: modesOf(p.doc),
  hits: p.hits,
  lastRun: p.last?.toISOString() ?? null,
  nextRun: (p.doc.rhythm && p.next?.toISOString()) || null,
  changedAt: p.version_at.toISOString(),
  changedBy: p.version_by,
});

export interface RunRow extends Omit<PolicyRun, 'at' | 'failed' | 'stopped' | 'waits' | 'begun'> {
  at: Date;
  plan_state: PlanState | null;
  approval: Approval | null;
  doc: { wrong: Wrong[] };
  stopped: string[] | null;
}
export const runOf = ({ at, doc, stopped, plan_state, approval, ...r }: RunRow): PolicyRun => ({
  ...r,
  waits: plan_state === 'asked' ? (approval?.wants ?? []) : [],
  begun: plan_state !== null && !NOT_BEGUN.includes(plan_state),
  stopped: stopped ?? [],
  at: at.toISOString(),
  failed: doc.wrong.length ? wrongWords(doc.wrong) : null,
});

export interface HitKept {
  id: number;
  policy: number;
  policy_name: string;
  /** As it is in the newest version; null where it is not in it any more. */
  of_rule: Rule | null;
  rule: string;
  key: string;
  state: HitState;
  version: number;
  since: Date;
  over_at: Date | null;
  parts: HitPart[] | null;
  plan: number | null;
  note: string | null;
  doc: Omit<RuleHit, 'rule' | 'key'>;
}
export function hitOf(h: HitKept): HitRow {
  return {
    ...h.doc,
    id: h.id,
    policy: h.policy,
    policyName: h.policy_name,
    rule: h.rule,
    ruleName: h.of_rule?.name ?? h.rule,
    severity: h.of_rule?.severity ?? 'low',
    key: h.key,
    state: h.state,
    since: h.since.toISOString(),
    overAt: h.over_at?.toISOString() ?? null,
    version: h.version,
    parts: h.parts ?? [],
    plan: h.plan,
    note: h.note,
  };
}
