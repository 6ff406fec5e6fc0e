/** Policies: written, changed, judged when something has changed, and what they hit. */
import { nextOf } from '../core/guard/rhythm.ts';
import type { Wrong } from '../core/guard/policy.ts';
import type { Mode, Policy, Rule } from '../core/guard/schema.ts';
import type {
  HitRow,
  HitsPage,
  HitState,
  PolicyPage,
  PolicyRow,
  PolicyRun,
  RuleHit,
  RuleTry,
} from '../dto/guard.ts';
import type { Known } from '../engine/differing.ts';
import type { Engine } from '../engine/engine.ts';
import { hitKey } from '../engine/keys.ts';
import type { Db } from '../store/db.ts';
import { storableJson } from '../store/observed.ts';
import { AppError } from './errors.ts';
import type { Events } from './events.ts';
import type { Jobs } from './jobs.ts';
import type { Ledger } from './ledger.ts';
import type { Present } from './present.ts';

interface Kept {
  id: number;
  name: string;
  version: number;
  doc: Policy;
  version_at: Date;
  version_by: string;
}
const CURRENT = `select p.id, p.name, p.version, v.doc, v.made_at as version_at, v.made_by as version_by
  from policy p join policy_version v on v.policy = p.id and v.version = p.version where p.removed_at is null`;

/** Runs that are listed of a policy. */
const RUNS = 20;
const DAY = 86_400_000;
/** Days for which results that are over are kept, where a policy does not say. */
const KEEP_DAYS = 90;
/** Who judges when something has changed. */
const BY_ITSELF = 'Gate Lantern';

export interface HitsQuery {
  policy?: number | undefined;
  rule?: string | undefined;
  state?: HitState | 'all' | undefined;
  text?: string | undefined;
}

export class Policies {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: { ask: Pick<Engine['ask'], 'runPolicy' | 'tryRule' | 'checkPolicy'> },
    private readonly present: Pick<Present, 'survey' | 'subscribe'>,
    private readonly jobs: Jobs,
    private readonly events: Pick<Events, 'emit'>,
    private readonly clock: () => Date,
  ) {
    jobs.declare('policy', {
      broken: 'again',
      run: async ({ subject, by }) => {
        const rhythm = await this.judge(subject, by);
        return { state: 'done', next: rhythm ? nextOf(rhythm, this.clock()) : undefined };
      },
    });
    present.subscribe(({ survey, ended, again }) => this.follow(survey, ended || again));
  }

  /** Puts on the list what goes by changes; where nothing has changed, what was not judged on this survey before the end of the application. */
  private async follow(survey: number, changed: boolean): Promise<void> {
    const due = await this.db.query<{ id: number }>(
      `select c.id from (${CURRENT}) c where c.doc->>'rhythm' is null and ($1 or not exists
         (select from policy_run r where r.policy = c.id and r.version = c.version and r.survey = $2))`,
      [changed, survey],
    );
    if (!due.length) return;
    await this.db.transaction(async (tx) => {
      for (const { id } of due) await this.jobs.add(tx, 'policy', id, BY_ITSELF);
    });
    await this.jobs.look();
  }

  async list(): Promise<PolicyRow[]> {
    return (await this.counted()).map(rowOf);
  }

  /** Policies with what they hit and when they are judged: all, or one. */
  private counted(id?: number): Promise<Counted[]> {
    return this.db.query<Counted>(
      `select c.*, (select count(*)::int from rule_hit h where h.policy = c.id and h.state <> 'over') as hits,
              (select max(at) from policy_run r where r.policy = c.id) as last,
              (select min(due) from job j where j.kind = 'policy' and j.subject = c.id and j.state = 'waiting') as next
       from (${CURRENT}) c where $1::int is null or c.id = $1 order by lower(c.name), c.id`,
      [id ?? null],
    );
  }

  /** A policy with its versions and runs. Throws where there is none. */
  async one(id: number): Promise<PolicyPage> {
    const [kept] = await this.counted(id);
    if (!kept) throw noPolicy();
    const { doc } = kept;
    const [versions, runs, hits, wrong] = await Promise.all([
      this.db.query<{ version: number; made_at: Date; made_by: string; note: string }>(
        'select version, made_at, made_by, note from policy_version where policy = $1 order by version desc',
        [id],
      ),
      this.db.query<RunRow>('select * from policy_run where policy = $1 order by id desc limit $2', [
        id,
        RUNS,
      ]),
      this.db.query<{ rule: string; n: number }>(
        "select rule, count(*)::int as n from rule_hit where policy = $1 and state <> 'over' group by rule",
        [id],
      ),
      this.engine.ask.checkPolicy(undefined, doc),
    ]);
    return {
      ...rowOf(kept),
      policy: doc,
      hitsByRule: Object.fromEntries(hits.map((h) => [h.rule, h.n])),
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
      const before = await this.current(id, tx);
      if (before.version !== from)
        throw new AppError(
          'changed-meanwhile',
          409,
          `This policy was changed meanwhile by ${before.version_by}. Look at their version, then make your change again.`,
        );
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
    await this.jobs.look();
    return { version };
  }

  /** It is judged no more; what it hit is over. */
  async remove(id: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const { name, version } = await this.current(id, tx);
      await tx.query('update policy set removed_at = $2 where id = $1', [id, this.clock()]);
      await tx.query(
        "update rule_hit set state = 'over', over_at = $2 where policy = $1 and state <> 'over'",
        [id, this.clock()],
      );
      await this.jobs.drop(tx, 'policy', id);
      await this.ledger.add(
        { who: by, what: 'policy.removed', subject: `policy ${id}`, before: { name, version } },
        tx,
      );
    });
    this.events.emit({ type: 'policies' });
  }

  /** Puts a policy on the list of what is judged. */
  async run(id: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      await this.current(id, tx);
      await this.jobs.add(tx, 'policy', id, by);
    });
    await this.jobs.look();
  }

  /** What a rule of a policy that is being written would hit now. */
  async tried(
    given: unknown,
    rule: string,
    signal?: AbortSignal,
  ): Promise<{ tried?: RuleTry; wrong: Wrong[] }> {
    const answer = await this.engine.ask.tryRule(undefined, given, rule, signal);
    if (!answer)
      throw new AppError('no-survey', 409, 'There is nothing to try it on before the first survey.');
    return answer;
  }

  /** What rules hit, what came last first. */
  async hits(
    { policy, rule, state, text }: HitsQuery,
    page: { limit: number; offset: number },
  ): Promise<HitsPage> {
    const rows = await this.db.query<HitKept & { total: number }>(
      `select h.*, p.name as policy_name, count(*) over ()::int as total,
         (select r from jsonb_array_elements(v.doc->'rules') r where r->>'id' = h.rule) as of_rule
       from rule_hit h join policy p on p.id = h.policy join policy_version v on v.policy = p.id and v.version = p.version
       where ($1::int is null or h.policy = $1) and ($2::text is null or h.rule = $2)
         and ($3::text = 'all' or ($3 = 'over') = (h.state = 'over'))
         and ($4::text is null or position($4 in lower(h.doc->>'name' || ' ' || (h.doc->>'where'))) > 0)
       order by h.since desc, h.id limit $5 offset $6`,
      [policy ?? null, rule ?? null, state ?? 'would', text?.toLowerCase() ?? null, page.limit, page.offset],
    );
    return { rows: rows.map(hitOf), total: rows[0]?.total ?? 0 };
  }

  /** Judges a policy on the survey in force, and gives its rhythm. Doing it twice changes nothing. */
  private async judge(id: number, by: string): Promise<string | undefined> {
    const survey = this.present.survey;
    const from = performance.now();
    const kept = await this.find(id);
    if (!kept || survey === undefined) return kept?.doc.rhythm;
    const rows = await this.db.query<{ rule: string; key: string; told: string; version: number }>(
      "select rule, key, told, version from rule_hit where policy = $1 and state <> 'over'",
      [id],
    );
    const known = rows.map(({ rule, key, told }): Known => ({ key: hitKey(rule, key), told }));
    const answer = await this.engine.ask.runPolicy(undefined, kept.doc, known);
    if (!answer) return kept.doc.rhythm;
    const { differing, hits, wrong } = answer;
    const now = this.clock();
    await this.db.transaction(async (tx) => {
      // what was changed meanwhile is judged by itself
      if ((await this.find(id, tx))?.version !== kept.version) return;
      const found = await tx.query<{ is_new: boolean }>(
        `insert into rule_hit as h (policy, rule, key, state, version, since, since_survey, told, doc)
         select $1, f.rule, f.key, 'would', $2, $3, $4, f.told, f.doc
         from jsonb_to_recordset($5::jsonb) as f(rule text, key text, told uuid, doc jsonb)
         on conflict (policy, rule, key) do update set told = excluded.told, doc = excluded.doc, version = excluded.version,
           since = case when h.state = 'over' then excluded.since else h.since end,
           since_survey = case when h.state = 'over' then excluded.since_survey else h.since_survey end,
           state = 'would', over_at = null
         returning since = $3::timestamptz as is_new`,
        [
          id,
          kept.version,
          now,
          survey,
          storableJson(differing.found.map(({ told, rule, key, ...doc }) => ({ rule, key, told, doc }))),
        ],
      );
      const over = wrong.length
        ? []
        : await tx.query(
            `update rule_hit set state = 'over', over_at = $2 where policy = $1 and state <> 'over'
               and rule || ' ' || key = any($3) returning id`,
            [id, now, differing.gone],
          );
      const before = new Date(now.getTime() - (kept.doc.keepDays ?? KEEP_DAYS) * DAY);
      await tx.query("delete from rule_hit where policy = $1 and state = 'over' and over_at < $2", [
        id,
        before,
      ]);
      await tx.query('delete from policy_run where policy = $1 and at < $2', [id, before]);
      await tx.query(
        `insert into policy_run (policy, version, survey, at, by, took, hits, opened, over, doc)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10::jsonb)`,
        [
          id,
          kept.version,
          survey,
          now,
          by,
          Math.round(performance.now() - from),
          Object.values(hits).reduce((n, h) => n + h, 0),
          found.filter((f) => f.is_new).length,
          over.length,
          storableJson({ hits, wrong }),
        ],
      );
    });
    this.events.emit({ type: 'policies' });
    return kept.doc.rhythm;
  }

  private async read(given: unknown): Promise<Policy> {
    const wrong = await this.engine.ask.checkPolicy(undefined, given);
    if (!wrong) throw new AppError('no-survey', 409, 'Policies can be written once there is a survey.');
    if (wrong.length) throw new AppError('wrong-policy', 422, wrongWords(wrong));
    const policy = given as Policy;
    if (modesOf(policy).enforce)
      throw new AppError(
        'no-enforcing',
        422,
        'Rules can observe so far. That they respond by themselves is still to come.',
      );
    return policy;
  }

  private async current(id: number, db: Db = this.db): Promise<Kept> {
    const kept = await this.find(id, db);
    if (!kept) throw noPolicy();
    return kept;
  }

  private async find(id: number, db: Db = this.db): Promise<Kept | undefined> {
    return (await db.query<Kept>(`select * from (${CURRENT}) c where id = $1`, [id]))[0];
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

const noPolicy = (): AppError => new AppError('no-policy', 404, 'There is no such policy.');
const wrongWords = (wrong: readonly Wrong[]): string =>
  wrong.map(({ at, why }) => (at ? `${at}: ${why}` : why)).join(' ');

function modesOf({ rules }: Policy): Record<Mode, number> {
  const modes = { paused: 0, observe: 0, enforce: 0 };
  for (const r of rules) modes[r.mode]++;
  return modes;
}

interface Counted extends Kept {
  hits: number;
  last: Date | null;
  next: Date | null;
}
const rowOf = (p: Counted): PolicyRow => ({
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

interface RunRow extends Omit<PolicyRun, 'at' | 'failed'> {
  at: Date;
  doc: { wrong: Wrong[] };
}
const runOf = ({ at, doc, ...r }: RunRow): PolicyRun => ({
  ...r,
  at: at.toISOString(),
  failed: doc.wrong.length ? wrongWords(doc.wrong) : null,
});

interface HitKept {
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
  doc: Omit<RuleHit, 'rule' | 'key'>;
}
function hitOf(h: HitKept): HitRow {
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
  };
}
