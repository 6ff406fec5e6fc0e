/** Policies: written, changed, judged when something has changed, and what they hit. */
import { nextOf } from '../../core/guard/rhythm.ts';
import type { Wrong } from '../../core/guard/policy.ts';
import { sameJson } from '../../core/equal.ts';
import type { Policy, Rule } from '../../core/guard/schema.ts';
import { NOT_BEGUN, PLAN_MOVES } from '../../core/remedy/states.ts';
import type {
  Applies,
  Around,
  Coverage,
  ExceptionRow,
  HitsPage,
  HitState,
  PolicyPage,
  PolicyRow,
  RuleTry,
  Trial,
} from '../../dto/guard.ts';
import type { Known } from '../../engine/differing.ts';
import type { Engine } from '../../engine/engine.ts';
import { hitKey } from '../../engine/keys.ts';
import { asksOfCharters } from '../../core/ask/charter.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSchedule } from '../../store/settings.ts';
import { dayOf } from '../days.ts';
import { AppError } from '../errors.ts';
import type { Events } from '../events.ts';
import type { Findings } from '../findings.ts';
import type { Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import type { Plans } from '../plans/plans.ts';
import type { Present } from '../present.ts';
import { Marks } from './marks.ts';
import { Responses } from './responses.ts';
import {
  BY_ITSELF,
  CURRENT,
  exceptionsOn,
  findPolicy,
  hitOf,
  modesOf,
  policyOf,
  rowOf,
  ruleOf,
  runOf,
  STATE,
  WITH_WORK,
  wrongWords,
  type Counted,
  type HitKept,
  type Kept,
  type RunRow,
} from './rows.ts';

/** Runs that are listed of a policy. */
const RUNS = 20;
const DAY = 86_400_000;
/** Days for which results that are over are kept, where a policy does not say. */
const KEEP_DAYS = 90;

export interface HitsQuery {
  policy?: number | undefined;
  rule?: string | undefined;
  /** `now`: what is in force. */
  state?: HitState | 'now' | 'all' | undefined;
  text?: string | undefined;
}

export class Policies {
  readonly responses: Responses;
  readonly marks: Marks;
  /** Called when what is judged is something else, and waited for. */
  onChange: () => Promise<void> = () => Promise.resolve();
  /** Called with what rules hit newly, in the transaction that keeps it. */
  onHits: (
    tx: Db,
    policy: { id: number; name: string; rules: readonly Rule[] },
    hits: readonly { id: number; rule: string; key: string }[],
    at: string,
  ) => Promise<void> = () => Promise.resolve();

  /** Called when a policy was judged on the survey in force. */
  onJudged: (kept: Kept) => Promise<void> = () => Promise.resolve();

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: {
      ask: Pick<
        Engine['ask'],
        'runPolicy' | 'tryRule' | 'checkPolicy' | 'respond' | 'around' | 'trial' | 'coverage' | 'applies'
      >;
    },
    private readonly present: Pick<Present, 'survey' | 'subscribe'>,
    private readonly jobs: Jobs,
    private readonly events: Pick<Events, 'emit'>,
    private readonly plans: Pick<Plans, 'drafts' | 'runner'>,
    private readonly findings: Pick<Findings, 'breaches' | 'forget'>,
    private readonly clock: () => Date,
  ) {
    this.responses = new Responses(db, engine, plans, clock);
    this.marks = new Marks(db, ledger, clock);
    jobs.declare('policy', {
      broken: 'again',
      run: async ({ subject, by }) => {
        const rhythm = await this.judge(subject, by);
        return {
          state: 'done',
          next: rhythm ? nextOf(rhythm, this.clock(), (await readSchedule(db)).zone) : undefined,
        };
      },
    });
    present.subscribe(({ survey, ended, again }) => this.follow(survey, ended || again));
  }

  /** Judges once more what goes by changes and asks about charters: what it asks of spaces is something else by now. */
  async again(): Promise<void> {
    const rows = await this.db.query<{ id: number; doc: Policy }>(
      `select c.id, c.doc from (${CURRENT}) c where c.doc->>'rhythm' is null`,
    );
    await this.judgeSoon(rows.flatMap(({ id, doc }) => (asksOfCharters(doc) ? id : [])));
  }

  /** Puts on the list what goes by changes; where nothing has changed, what was not judged on this survey before the end of the application. */
  private async follow(survey: number, changed: boolean): Promise<void> {
    const due = await this.db.query<{ id: number }>(
      `select c.id from (${CURRENT}) c where c.doc->>'rhythm' is null and ($1 or not exists
         (select from policy_run r where r.policy = c.id and r.version = c.version and r.survey = $2))`,
      [changed, survey],
    );
    await this.judgeSoon(due.map((d) => d.id));
  }

  private async judgeSoon(ids: readonly number[]): Promise<void> {
    if (!ids.length) return;
    await this.db.transaction(async (tx) => {
      for (const id of ids) await this.jobs.add(tx, 'policy', id, BY_ITSELF);
    });
    await this.jobs.look();
  }

  async list(): Promise<PolicyRow[]> {
    return (await this.counted()).map(rowOf);
  }

  /** Policies with what they hit and when they are judged: all, or one. */
  private counted(id?: number): Promise<Counted[]> {
    return this.db.query<Counted>(
      `select c.*, (select count(*)::int from rule_hit h where h.policy = c.id and h.over_at is null) as hits,
              (select max(at) from policy_run r where r.policy = c.id) as last,
              (select min(due) from job j where j.kind = 'policy' and j.subject = c.id and j.state = 'waiting') as next
       from (${CURRENT}) c where $1::int is null or c.id = $1 order by lower(c.name), c.id`,
      [id ?? null],
    );
  }

  /** A policy with its versions and runs. Throws where there is none. */
  async one(id: number): Promise<PolicyPage> {
    const [kept] = await this.counted(id);
    if (!kept) throw new AppError('no-policy', 404, 'There is no such policy.');
    const { doc } = kept;
    const [versions, runs, hits, wrong, exceptions] = await Promise.all([
      this.db.query<{ version: number; made_at: Date; made_by: string; note: string }>(
        'select version, made_at, made_by, note from policy_version where policy = $1 order by version desc',
        [id],
      ),
      this.db.query<RunRow>(
        `select r.*, p.state as plan_state, p.approval from policy_run r left join plan p on p.id = r.plan
         where r.policy = $1 order by r.id desc limit $2`,
        [id, RUNS],
      ),
      this.db.query<{ rule: string; state: HitState; n: number; now: number }>(
        `select h.rule, ${STATE} as state, count(*)::int as n, count(*) filter (where h.over_at is null)::int as now
         from rule_hit h ${WITH_WORK} where h.policy = $1 group by 1, 2`,
        [id],
      ),
      this.engine.ask.checkPolicy(undefined, doc),
      this.exceptions(id),
    ]);
    const states: PolicyPage['states'] = {};
    const hitsByRule: Record<string, number> = {};
    for (const { rule, state, n, now } of hits) {
      hitsByRule[rule] = (hitsByRule[rule] ?? 0) + now;
      if (state !== 'over') (states[rule] ??= {})[state] = n;
    }
    return {
      ...rowOf(kept),
      policy: doc,
      hitsByRule,
      states,
      exceptions,
      versions: versions.map((v) => ({
        version: v.version,
        madeAt: v.made_at.toISOString(),
        madeBy: v.made_by,
        note: v.note,
      })),
      runs: runs.map(runOf),
      wrong: wrong ?? [],
    };
  }

  /** A version as it was. */
  async version(id: number, version: number): Promise<Policy> {
    const [row] = await this.db.query<{ doc: Policy }>(
      'select doc from policy_version where policy = $1 and version = $2',
      [id, version],
    );
    if (!row) throw new AppError('no-version', 404, 'There is no such version of this policy.');
    return row.doc;
  }

  /** Keeps a new policy, and judges it. */
  async make(given: unknown, note: string, by: string): Promise<{ id: number }> {
    const policy = await this.read(given);
    mayEnforce(undefined, policy, note);
    const id = await this.db.transaction(async (tx) => {
      const [row] = await tx.query<{ id: number }>(
        'insert into policy (name, version, made_at, made_by) values ($1, 1, $2, $3) returning id',
        [policy.name, this.clock(), by],
      );
      await this.keep(tx, row!.id, 1, policy, note, by);
      await this.ledger.add(
        {
          who: by,
          what: 'policy.made',
          subject: `policy ${row!.id}`,
          after: { version: 1, name: policy.name, note },
        },
        tx,
      );
      await this.jobs.add(tx, 'policy', row!.id, by);
      return row!.id;
    });
    await this.onChange();
    await this.jobs.look();
    return { id };
  }

  /** Keeps a further version of a policy; `from`: the one that was changed, which must still be the newest. */
  async change(
    id: number,
    from: number,
    given: unknown,
    note: string,
    by: string,
  ): Promise<{ version: number }> {
    const policy = await this.read(given);
    const version = await this.db.transaction(async (tx) => {
      const before = await policyOf(tx, id);
      if (before.version !== from)
        throw new AppError(
          'changed-meanwhile',
          409,
          `This policy was changed meanwhile by ${before.version_by}. Look at their version, then make your change again.`,
        );
      mayEnforce(before.doc, policy, note);
      await tx.query('update policy set name = $2, version = $3 where id = $1', [id, policy.name, from + 1]);
      await this.keep(tx, id, from + 1, policy, note, by);
      await this.ledger.add(
        {
          who: by,
          what: 'policy.changed',
          subject: `policy ${id}`,
          before: { version: from, modes: modesOf(before.doc) },
          after: { version: from + 1, name: policy.name, modes: modesOf(policy), note },
        },
        tx,
      );
      await this.jobs.add(tx, 'policy', id, by);
      return from + 1;
    });
    await this.onChange();
    await this.jobs.look();
    return { version };
  }

  /** It is judged no more; what it hit is over. */
  async remove(id: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const { name, version } = await policyOf(tx, id);
      await tx.query('update policy set removed_at = $2 where id = $1', [id, this.clock()]);
      await tx.query('update rule_hit set over_at = $2 where policy = $1 and over_at is null', [
        id,
        this.clock(),
      ]);
      await this.jobs.drop(tx, 'policy', id);
      await this.findings.breaches(tx, { id, name }, [], this.present.survey ?? 0);
      await this.ledger.add(
        { who: by, what: 'policy.removed', subject: `policy ${id}`, before: { name, version } },
        tx,
      );
    });
    this.findings.forget();
    await this.onChange();
    // what waits for somebody is no wish of anybody any more
    const waiting = await this.db.query<{ id: number }>(
      'select id from plan where policy = $1 and state = any($2)',
      [id, NOT_BEGUN],
    );
    for (const plan of waiting)
      await this.plans.drafts.move(plan.id, PLAN_MOVES.discard, by, { note: 'Its policy was removed.' });
    this.events.emit({ type: 'policies' });
  }

  /** Puts a policy on the list of what is judged. */
  async run(id: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      await policyOf(tx, id);
      await this.jobs.add(tx, 'policy', id, by);
    });
    await this.jobs.look();
  }

  // --- exceptions

  private async exceptions(id: number): Promise<ExceptionRow[]> {
    const rows = await exceptionsOn(this.db, this.today(), id);
    return rows.map(({ made_at, made_by, rule, policy: _, ...r }) => ({
      ...r,
      ...(rule && { rule }),
      madeAt: made_at.toISOString(),
      madeBy: made_by,
    }));
  }

  private today(): string {
    return dayOf(this.clock());
  }

  around(key: string): Promise<Around | undefined> {
    return this.engine.ask.around(undefined, key);
  }

  /** Leaves something out of a rule, or of all rules, until a day and including it; with all that is below it, or theirs. */
  async except(
    id: number,
    given: { rule?: string | undefined; keys: readonly string[]; until: string; reason: string },
    by: string,
  ): Promise<void> {
    const { rule, keys, until, reason } = given;
    if (until < this.today())
      throw new AppError('past', 400, 'That day is over. Choose one that is still to come.');
    const about = await Promise.all(keys.map((key) => this.engine.ask.around(undefined, key)));
    await this.db.transaction(async (tx) => {
      const kept = await policyOf(tx, id);
      if (rule !== undefined) ruleOf(kept, rule);
      for (const [n, key] of keys.entries()) {
        const name = about[n]?.name;
        if (name === undefined)
          throw new AppError('not-there', 404, 'Something of this is not there any more.');
        await tx.query(
          'insert into rule_exception (policy, rule, key, name, until, reason, made_at, made_by) values ($1, $2, $3, $4, $5, $6, $7, $8)',
          [id, rule ?? null, key, name, until, reason, this.clock(), by],
        );
        await this.ledger.add(
          {
            who: by,
            what: 'policy.excepted',
            subject: `policy ${id}`,
            after: { ...(rule && { rule }), key, until, reason },
          },
          tx,
        );
      }
      await this.jobs.add(tx, 'policy', id, by);
    });
    await this.onChange();
    await this.jobs.look();
  }

  /** Ends an exception before its day. */
  async endException(exception: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [row] = await tx.query<{ policy: number; key: string }>(
        'update rule_exception set ended_at = $2 where id = $1 and ended_at is null returning policy, key',
        [exception, this.clock()],
      );
      if (!row) throw new AppError('no-exception', 404, 'There is no such exception any more.');
      await this.ledger.add(
        {
          who: by,
          what: 'policy.exception-ended',
          subject: `policy ${row.policy}`,
          before: { key: row.key },
        },
        tx,
      );
      await this.jobs.add(tx, 'policy', row.policy, by);
    });
    await this.onChange();
    await this.jobs.look();
  }

  /** What a rule of a policy that is being written would hit now, or would have in a survey that is kept. */
  async tried(
    given: unknown,
    rule: string,
    signal?: AbortSignal,
    survey?: number,
  ): Promise<{ tried?: RuleTry; wrong: Wrong[] }> {
    const answer = await this.engine.ask.tryRule(survey, given, rule, signal);
    if (!answer)
      throw new AppError('no-survey', 409, 'There is nothing to try it on before the first survey.');
    return answer;
  }

  /** A rule of a policy that is being written, or all of them, tried on what was shared in the last days. */
  async trial(
    given: unknown,
    rule: string | undefined,
    days: number,
    signal?: AbortSignal,
  ): Promise<{ trial?: Trial; wrong: Wrong[] }> {
    const answer = await this.engine.ask.trial(undefined, given, rule, days, signal);
    if (!answer)
      throw new AppError('no-survey', 409, 'There is nothing to try it on before the first survey.');
    return answer;
  }

  /** What the rules that are on are about, and how many these are. */
  async coverage(signal?: AbortSignal): Promise<Coverage & { rules: number }> {
    const docs = (await this.db.query<Kept>(CURRENT)).map((k) => k.doc);
    const covered = await this.engine.ask.coverage(undefined, docs, signal);
    if (!covered) throw new AppError('no-survey', 409, 'There is nothing to cover before the first survey.');
    return { ...covered, rules: docs.flatMap((d) => d.rules.filter((r) => r.mode !== 'paused')).length };
  }

  /** Rules that a thing is in the scope of, and what they hit of it; undefined where it is not there. */
  async applies(key: string): Promise<Applies[] | undefined> {
    const kept = await this.db.query<Kept>(CURRENT);
    const inScope = await this.engine.ask.applies(
      undefined,
      kept.map((k) => k.doc),
      key,
    );
    if (!inScope) return undefined;
    const hits = (
      await this.db.query<HitKept>(
        `select h.*, w.plan, w.note, ${STATE} as state, '' as policy_name, null as of_rule from rule_hit h ${WITH_WORK}
         where h.key = $1 or h.doc->>'open' = $1 order by h.over_at nulls first, h.since desc`,
        [key],
      )
    ).map(hitOf);
    return kept.flatMap(({ id, name, doc }, place) =>
      doc.rules.flatMap((r): Applies[] => {
        const mine = hits.filter((h) => h.policy === id && h.rule === r.id);
        if (!mine.length && !inScope.some((x) => x.policy === place && x.rule === r.id)) return [];
        return [
          {
            policy: id,
            policyName: name,
            rule: r.id,
            ruleName: r.name,
            mode: r.mode,
            atRest: r.atRest ?? false,
            moments: r.moments ?? [],
            responses: r.responses,
            hits: mine,
          },
        ];
      }),
    );
  }

  /** What rules hit, what came last first. */
  async hits(
    { policy, rule, state, text }: HitsQuery,
    page: { limit: number; offset: number },
  ): Promise<HitsPage> {
    const rows = await this.db.query<HitKept & { total: number }>(
      `select s.*, p.name as policy_name, count(*) over ()::int as total,
         (select r from jsonb_array_elements(v.doc->'rules') r where r->>'id' = s.rule) as of_rule
       from (select h.*, w.plan, w.note, ${STATE} as state from rule_hit h ${WITH_WORK}
         where ($1::int is null or h.policy = $1) and ($2::text is null or h.rule = $2)
           and ($3::text <> 'now' or h.over_at is null)
           and ($4::text is null or position($4 in lower(h.doc->>'name' || ' ' || (h.doc->>'where'))) > 0)) s
       join policy p on p.id = s.policy join policy_version v on v.policy = p.id and v.version = p.version
       where $3 in ('all', 'now') or s.state = $3
       order by s.since desc, s.id limit $5 offset $6`,
      [policy ?? null, rule ?? null, state ?? 'now', text?.toLowerCase() ?? null, page.limit, page.offset],
    );
    return { rows: rows.map(hitOf), total: rows[0]?.total ?? 0 };
  }

  /** Judges a policy on the survey in force, and gives its rhythm. Doing it twice changes nothing. */
  private async judge(id: number, by: string): Promise<string | undefined> {
    const survey = this.present.survey;
    const from = performance.now();
    const kept = await findPolicy(this.db, id);
    if (!kept || survey === undefined) return kept?.doc.rhythm;
    const rows = await this.db.query<{ rule: string; key: string; told: string; version: number }>(
      'select rule, key, told, version from rule_hit where policy = $1 and over_at is null',
      [id],
    );
    const known = rows.map(({ rule, key, told }): Known => ({ key: hitKey(rule, key), told }));
    const answer = await this.engine.ask.runPolicy(undefined, kept.doc, known, await this.exceptions(id));
    if (!answer) return kept.doc.rhythm;
    const { differing, hits, of, wrong } = answer;
    const now = this.clock();
    let breaks = false;
    const run = await this.db.transaction(async (tx) => {
      // what was changed meanwhile is judged by itself
      if ((await findPolicy(tx, id))?.version !== kept.version) return undefined;
      const found = await tx.query<{ id: number; rule: string; key: string; is_new: boolean }>(
        `insert into rule_hit as h (policy, rule, key, version, since, since_survey, told, doc, excepted)
         select $1, f.rule, f.key, $2, $3, $4, f.told, f.doc, (f.doc->>'excepted')::int
         from jsonb_to_recordset($5::jsonb) as f(rule text, key text, told uuid, doc jsonb)
         on conflict (policy, rule, key) do update set told = excluded.told, doc = excluded.doc, version = excluded.version,
           excepted = excluded.excepted, parts = case when h.over_at is null then h.parts end,
           round = case when h.over_at is null then h.round end,
           since = case when h.over_at is null then h.since else excluded.since end,
           since_survey = case when h.over_at is null then h.since_survey else excluded.since_survey end, over_at = null
         returning id, rule, key, since = $3::timestamptz as is_new`,
        [
          id,
          kept.version,
          now,
          survey,
          storableJson(differing.found.map(({ told, rule, key, ...doc }) => ({ rule, key, told, doc }))),
        ],
      );
      await this.onHits(
        tx,
        { id, name: kept.name, rules: kept.doc.rules },
        found.filter((f) => f.is_new),
        now.toISOString(),
      );
      const over = wrong.length
        ? []
        : await tx.query<{ id: number }>(
            `update rule_hit set over_at = $2 where policy = $1 and over_at is null and rule || ' ' || key = any($3) returning id`,
            [id, now, differing.gone],
          );
      breaks = await this.findings.breaches(tx, kept, opening(kept.doc), survey);
      // undone or set aside, and over by itself: if it comes again, that is another matter
      await tx.query(
        `delete from hit_change x using plan_change c, plan p where x.change = c.id and p.id = c.plan
           and x.hit = any($1) and (c.state = 'undone' or p.state = 'discarded')`,
        [over.map((o) => o.id)],
      );
      // what a plan did is not over by itself
      const [byItself] = await tx.query<{ n: number }>(
        `select count(*)::int as n from rule_hit h ${WITH_WORK} where h.id = any($1) and ${STATE} = 'over'`,
        [over.map((o) => o.id)],
      );
      const before = new Date(now.getTime() - (kept.doc.keepDays ?? KEEP_DAYS) * DAY);
      await tx.query('delete from rule_hit where policy = $1 and over_at < $2', [id, before]);
      await tx.query('delete from policy_run where policy = $1 and at < $2', [id, before]);
      const [made] = await tx.query<{ id: number }>(
        `insert into policy_run (policy, version, survey, at, by, took, hits, opened, over, doc)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10::jsonb) returning id`,
        [
          id,
          kept.version,
          survey,
          now,
          by,
          Math.round(performance.now() - from),
          Object.values(hits).reduce((n, h) => n + h, 0),
          found.filter((f) => f.is_new).length,
          byItself!.n,
          storableJson({ hits, wrong }),
        ],
      );
      return made!.id;
    });
    if (breaks) this.findings.forget();
    if (run !== undefined && !wrong.length) {
      await this.responses.carry(kept, of, run);
      await this.onJudged(kept);
    }
    this.events.emit({ type: 'policies' });
    return kept.doc.rhythm;
  }

  private async read(given: unknown): Promise<Policy> {
    const wrong = await this.engine.ask.checkPolicy(undefined, given);
    if (!wrong) throw new AppError('no-survey', 409, 'Policies can be written once there is a survey.');
    if (wrong.length) throw new AppError('wrong-policy', 422, wrongWords(wrong));
    return given as Policy;
  }

  private async keep(
    tx: Db,
    id: number,
    version: number,
    policy: Policy,
    note: string,
    by: string,
  ): Promise<void> {
    await tx.query(
      'insert into policy_version (policy, version, doc, made_at, made_by, note) values ($1, $2, $3::jsonb, $4, $5, $6)',
      [id, version, storableJson(policy), this.clock(), by, note],
    );
  }
}

/** Rules that open findings of what they hit. */
const opening = ({ rules }: Policy): Pick<Rule, 'id' | 'name' | 'severity'>[] =>
  rules
    .filter((r) => r.mode === 'enforce' && r.responses.some((x) => x.do === 'finding'))
    .map(({ id, name, severity }) => ({ id, name, severity }));

/** What a rule responds to, and how. */
const reachOf = ({ scope, filter }: Policy, { subject, if: condition, responses }: Rule): object => ({
  scope,
  filter,
  subject,
  condition,
  responses,
});

/** What begins to respond by itself, or responds to something else or otherwise, wants a reason. */
function mayEnforce(before: Policy | undefined, after: Policy, reason: string): void {
  if (reason.trim()) return;
  for (const rule of after.rules) {
    if (rule.mode !== 'enforce') continue;
    const was = before?.rules.find((r) => r.id === rule.id && r.mode === 'enforce');
    if (!was || !sameJson(reachOf(before!, was), reachOf(after, rule)))
      throw new AppError(
        'reason-wanted',
        422,
        `“${rule.name}” would ${was ? 'respond otherwise than before' : 'begin to respond by itself'}. Say why, for the record.`,
      );
  }
}
