/**
 * Rules that enforce: what they hit becomes a plan, through the same code as a steward's. A breaker stops one that would
 * change too much; a steward has to look at it then.
 */
import { RESPONSES } from '../../core/guard/responses.ts';
import { FEW, piloted, USUAL_BREAKER, type Policy } from '../../core/guard/schema.ts';
import { PLAN_MOVES } from '../../core/remedy/states.ts';
import type { Foretelling, Responded } from '../../dto/guard.ts';
import type { Preview } from '../../dto/remedy.ts';
import type { Engine } from '../../engine/engine.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { AppError } from '../errors.ts';
import { log } from '../log.ts';
import type { Plans } from '../plans/plans.ts';
import { BY_ITSELF, findPolicy, policyOf, ruleOf, type Kept } from './rows.ts';

interface OpenHit {
  id: number;
  rule: string;
  key: string;
}

export class Responses {
  constructor(
    private readonly db: Db,
    private readonly engine: { ask: Pick<Engine['ask'], 'respond' | 'tryRule'> },
    private readonly plans: Pick<Plans, 'drafts' | 'runner'>,
    private readonly clock: () => Date,
  ) {}

  /**
   * Makes a plan of what rules hit and nothing was done about yet, and begins it unless somebody has to look. `of`: how
   * many things each rule judged. `run`: the run that it belongs to. Doing it twice makes no second plan.
   */
  async carry(kept: Kept, of: Record<string, number>, run: number): Promise<void> {
    await this.begin(kept.id);
    const enforced = kept.doc.rules.filter((r) => r.mode === 'enforce').map((r) => r.id);
    if (!enforced.length) return;
    await this.takeUp(kept.id);
    const hits = await this.open(kept.id, enforced);
    const answer = hits.length ? await this.engine.ask.respond(undefined, kept.doc, hits) : undefined;
    if (!answer) return;
    const { preview } = answer;
    const stopped = preview ? breaks(kept.doc, preview, hits, answer, of) : [];
    const made = await this.db.transaction(async (tx) => {
      if ((await findPolicy(tx, kept.id))?.version !== kept.version) return undefined;
      await tx.query(
        'update rule_hit h set parts = n.parts from jsonb_to_recordset($1::jsonb) as n(id int, parts jsonb) where h.id = n.id',
        [storableJson(hits.map(({ id }, n) => ({ id, parts: answer.parts[n] })))],
      );
      if (!preview) return undefined;
      const { plan, approval, changes } = await this.plans.drafts.keep(tx, {
        name: kept.name,
        reason: reasonOf(kept.doc, hits, answer),
        by: BY_ITSELF,
        preview,
        goals: answer.goals,
        policy: { id: kept.id, version: kept.version },
      });
      const links = hits.flatMap(({ id }, n) =>
        answer.byHit[n]!.flatMap((object) => {
          const change = changes.get(object);
          return change === undefined ? [] : [{ hit: id, change }];
        }),
      );
      await tx.query(
        'insert into hit_change (hit, change) select hit, change from jsonb_to_recordset($1::jsonb) as n(hit int, change int)',
        [JSON.stringify(links)],
      );
      await tx.query('update policy_run set plan = $2, stopped = $3::jsonb where id = $1', [
        run,
        plan,
        storableJson(stopped),
      ]);
      if (stopped.length)
        await tx.query('update plan set note = $2 where id = $1', [
          plan,
          `The breaker of the policy stopped it before it began: ${stopped.join('; ')}. Look at it, then apply or discard it.`,
        ]);
      return { plan, approval };
    });
    if (made?.approval)
      // whoever let the rule respond is no second steward
      await this.plans.drafts.move(made.plan, PLAN_MOVES.ask, BY_ITSELF, {
        note: stopped.length ? `The breaker stopped it: ${stopped.join('; ')}.` : null,
        approval: {
          wants: made.approval.wants,
          askedBy: kept.version_by,
          askedAt: kept.version_at.toISOString(),
        },
      });
    await this.begin(kept.id);
  }

  /** Begins plans of a policy that nobody has to look at; after a crash, those that were made and not begun. */
  private async begin(policy: number): Promise<void> {
    const ready = await this.db.query<{ id: number }>(
      "select id from plan where policy = $1 and state = 'draft' and approval is null and note is null order by id",
      [policy],
    );
    for (const { id } of ready)
      try {
        await this.plans.runner.apply(id, BY_ITSELF);
      } catch (e) {
        if (!(e instanceof AppError)) throw e;
        log.info({ plan: id, code: e.code }, 'a plan of a policy was overtaken');
        await this.db.query(
          'delete from hit_change where change in (select id from plan_change where plan = $1)',
          [id],
        );
        await this.plans.drafts.move(id, PLAN_MOVES.discard, BY_ITSELF, { note: e.message });
      }
  }

  /** Takes hits in force off what was done about them and did not last: it failed, or somebody has brought it back since. */
  private async takeUp(policy: number): Promise<void> {
    const rows = await this.db.query(
      `delete from hit_change x using plan_change c, plan p, rule_hit h
       where x.change = c.id and p.id = c.plan and h.id = x.hit and h.policy = $1 and h.over_at is null
         and p.state in ('applied', 'undone')
         and (c.state in ('failed', 'unexpected', 'left') or c.drift is not null
           or c.state in ('verified', 'already-gone') and h.since > p.finished_at)
       returning x.hit`,
      [policy],
    );
    if (rows.length) log.info({ policy, changes: rows.length }, 'what did not last is responded to again');
  }

  /** Hits in force of rules about which nothing was done yet, nor refused by a steward. */
  private open(policy: number, rules: readonly string[]): Promise<OpenHit[]> {
    return this.db.query<OpenHit>(
      `select id, rule, key from rule_hit h where policy = $1 and over_at is null and excepted is null and rule = any($2)
         and not exists (select from hit_change x where x.hit = h.id) order by id`,
      [policy, rules],
    );
  }

  /** What a rule would do at once if it enforced, or all that do not yet. */
  async foretell(id: number, rule?: string, signal?: AbortSignal): Promise<Foretelling> {
    const kept = await policyOf(this.db, id);
    const { doc } = kept;
    const asked = rule === undefined ? doc.rules.filter((r) => r.mode !== 'enforce') : [ruleOf(kept, rule)];
    const rules = asked.map((r) => r.id);
    const hits = await this.open(id, rules);
    const answer = await this.engine.ask.respond(undefined, doc, hits, signal);
    if (!answer) throw new AppError('no-survey', 409, 'There is nothing to judge before the first survey.');
    const why = new Map<string, number>();
    for (const parts of answer.parts)
      for (const p of parts) if (p.how === 'cannot' && p.why) why.set(p.why, (why.get(p.why) ?? 0) + 1);
    const { preview } = answer;
    let inPilot: number | null = null;
    if (!doc.scope?.pilot)
      for (const r of asked.filter((x) => x.atRest))
        inPilot =
          (inPilot ?? 0) +
          ((await this.engine.ask.tryRule(undefined, piloted(doc), r.id, signal))?.tried?.hits ?? 0);
    // what was hit when the rule was first judged began before anybody looked
    const byDay = await this.db.query<{ day: string; hits: number }>(
      `select d::date::text as day, (select count(*)::int from rule_hit h where h.policy = $1 and h.rule = any($2)
           and h.since >= greatest(d, r.at + interval '1 second') and h.since < d + interval '1 day') as hits
       from (select min(at) as at from policy_run where policy = $1) r,
         generate_series(greatest($3::date - $4::int, r.at::date)::timestamptz, $3, interval '1 day') d`,
      [id, rules, this.clock(), DAYS],
    );
    return {
      byDay,
      inPilot,
      hits: hits.length,
      cannot: [...why]
        .map(([words, n]) => ({ words, hits: n }))
        .sort((a, b) => b.hits - a.hits)
        .slice(0, MOST_WHY),
      stops: preview ? breaks(doc, preview, hits, answer, {}) : [],
      ...(preview && {
        changes: preview.changes.slice(0, MOST_CHANGES_TOLD).map((c) => c.words),
        ofChanges: preview.changes.length,
        members: preview.members,
        guests: preview.guests,
        outsiders: preview.outsiders,
        people: preview.people.slice(0, MOST_PEOPLE).map(({ id: who, name, kind, loses, used }) => ({
          id: who,
          name,
          kind,
          loses,
          used,
        })),
        points: preview.pointsBefore - preview.pointsAfter,
      }),
    };
  }
}

/** Hits are told of by day for so many days. */
const DAYS = 30;
const MOST_WHY = 5;
const MOST_CHANGES_TOLD = 10;
const MOST_PEOPLE = 10;

/** Why a plan must not begin by itself. `of`: how many things each rule judged. */
function breaks(
  policy: Policy,
  preview: Preview,
  hits: readonly OpenHit[],
  { parts }: Pick<Responded, 'parts'>,
  of: Record<string, number>,
): string[] {
  const limit = { ...USUAL_BREAKER, ...policy.breaker };
  const out: string[] = [];
  const changes = preview.changes.length;
  if (changes > limit.changes) out.push(`${changes} changes; the limit is ${limit.changes}`);
  const people = preview.members + preview.guests + preview.outsiders;
  if (people > limit.people) out.push(`${people} people lose something; the limit is ${limit.people}`);
  for (const rule of policy.rules) {
    const n = hits.filter((h, k) => h.rule === rule.id && parts[k]!.some((p) => p.how === 'planned')).length;
    const all = of[rule.id] ?? 0;
    if (all >= FEW && n / all > limit.share)
      out.push(
        `“${rule.name}” changes ${Math.round((100 * n) / all)} % of what it judges; the limit is ${Math.round(100 * limit.share)} %`,
      );
  }
  return out;
}

/** Which rules respond how, in words. */
function reasonOf(policy: Policy, hits: readonly OpenHit[], { parts }: Responded): string {
  const said = policy.rules.flatMap((rule) => {
    const mine = hits.flatMap((h, k) => (h.rule === rule.id ? [parts[k]!] : []));
    const done = mine.filter((p) => p.some((x) => x.how === 'planned'));
    if (!done.length) return [];
    const words = new Set(
      done.flatMap((p) => p.flatMap((x) => (x.how === 'planned' ? RESPONSES[x.do].words.toLowerCase() : []))),
    );
    return [`“${rule.name}” hit ${done.length}: ${[...words].join(', ')}`];
  });
  return `${said.join('; ')}.`;
}
