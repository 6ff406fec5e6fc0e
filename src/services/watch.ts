/** Exposure › Watch: what got worse, what matters most, where to begin, and what waits. */
import { dayOf } from './days.ts';
import type { Db } from '../store/db.ts';
import { SIGNALS_WAITING } from './happened/signals.ts';
import { storableJson } from '../store/observed.ts';
import { readProposedLimits } from '../store/settings.ts';
import type { Account } from '../dto/accounts.ts';
import type { SurveySum, Waiting, WatchPage } from '../dto/exposure.ts';
import type { Engine } from '../engine/engine.ts';
import type { Findings } from './findings.ts';
import { log } from './log.ts';

const COSTLIEST = 10;
const SOON = 14 * 86_400_000;
/** A survey older than this wants a new one (common practice: daily). */
const OLD = 36 * 3_600_000;

/**
 * Keeps what the survey in force comes to: worked out once, or again where what counts has changed. Where
 * that fails, the survey stands all the same, and it is tried again at the next start.
 */
export async function keepSum(db: Db, engine: Engine, survey: number, again: boolean): Promise<void> {
  try {
    await workOut(db, engine, survey, again);
  } catch (e) {
    log.error({ err: e, survey }, 'what a survey comes to could not be worked out');
  }
}

async function workOut(db: Db, engine: Engine, survey: number, again: boolean): Promise<void> {
  const [known] = await db.query<{ doc: SurveySum }>('select doc from survey_sum where survey = $1', [
    survey,
  ]);
  if (known && !again) return;
  const [before] = await db.query<{ id: number | null }>(
    "select max(id)::int as id from survey where state = 'done' and id < $1",
    [survey],
  );
  // what is new since the one before does not depend on what counts
  const made = await engine.ask.sum(undefined, known ? undefined : (before?.id ?? undefined));
  const sum = made && { ...known?.doc, ...made };
  if (!sum) return;
  await db.query(
    `insert into survey_sum (survey, points, findings, doc) values ($1, $2, $3, $4::jsonb)
     on conflict (survey) do update set points = excluded.points, findings = excluded.findings, doc = excluded.doc`,
    [survey, sum.points, sum.findings, storableJson(sum)],
  );
}

export class Watch {
  constructor(
    private readonly db: Db,
    private readonly engine: Engine,
    private readonly findings: Findings,
    private readonly clock: () => Date,
    /** It is of a part: nothing of the whole is told. */
    private readonly held = false,
  ) {}

  /** What one survey came to; the newest where none is named. */
  async sum(survey?: number): Promise<(SurveySum & { survey: number }) | undefined> {
    if (this.held) return this.heldSum(survey);
    const [row] = await this.db.query<{ survey: number; doc: SurveySum }>(
      'select survey, doc from survey_sum where $1::int is null or survey = $1 order by survey desc limit 1',
      [survey ?? null],
    );
    return row && { ...row.doc, survey: row.survey };
  }

  private async heldSum(asked?: number): Promise<(SurveySum & { survey: number }) | undefined> {
    const [row] = await this.db.query<{ id: number; before: number | null }>(
      `select id, (select max(b.id)::int from survey b where b.state = 'done' and b.id < s.id) as before
       from survey s where state = 'done' and ($1::int is null or id = $1) order by id desc limit 1`,
      [asked ?? null],
    );
    const sum = row && (await this.engine.ask.sum(row.id, row.before ?? undefined));
    return sum && { ...sum, survey: row.id };
  }

  /** Held to a source and a space where they are given: findings and matrix; news and points over time are of everything. */
  async page(
    account: Account,
    held: { source?: string | undefined; space?: string | undefined } = {},
  ): Promise<WatchPage | undefined> {
    const sum = await this.sum();
    if (!sum) return undefined;
    const { rows, total, points } = await this.findings.list({
      ...held,
      kind: 'exposure',
      state: 'open',
      sort: [{ key: 'points', down: true }],
      limit: COSTLIEST,
      offset: 0,
      brief: true,
    });
    const scoped =
      held.source || held.space
        ? await this.engine.ask.cross(undefined, undefined, {
            by: sum.matrix.by,
            measures: sum.matrix.measures,
            ws: held.source,
            space: held.space,
          })
        : undefined;
    const history = this.held
      ? []
      : await this.db.query<{
          survey: number;
          at: Date;
          points: number;
          findings: number;
          plan: number | null;
          plan_name: string | null;
        }>(
          `select s.id as survey, s.taken_at as at, x.points, x.findings, s.plan, p.name as plan_name
       from survey_sum x join survey s on s.id = x.survey left join plan p on p.id = s.plan order by s.id`,
        );
    return {
      sum: scoped ? { ...sum, matrix: scoped } : sum,
      open: total,
      points,
      costliest: rows,
      history: history.map(({ at, plan_name, ...h }) => ({
        ...h,
        at: at.toISOString(),
        planName: plan_name,
      })),
      waiting: await this.waiting(account),
    };
  }

  /** What waits for this steward, the most pressing first. */
  private async waiting(account: Account): Promise<Waiting[]> {
    const now = this.clock();
    const soon = dayOf(new Date(now.getTime() + SOON));
    const all = await this.findings.fitting({ state: 'all' });
    const count = (test: (r: (typeof all)[number]) => boolean): number => all.filter(test).length;
    const ofFindings: Waiting[] = [
      {
        kind: 'breaches',
        count: count((r) => r.kind === 'breach' && (r.state === 'open' || r.state === 'reopened')),
      },
      { kind: 'reopened', count: count((r) => r.state === 'reopened') },
      {
        kind: 'mine',
        count: count((r) => r.assignee === account.address && (r.state === 'open' || r.state === 'reopened')),
      },
    ];
    const accepted: Waiting = {
      kind: 'accepted-ending',
      count: count((r) => r.accepted !== undefined && r.accepted.until <= soon),
    };
    if (this.held) return [...ofFindings, accepted].filter((w) => w.count > 0);
    const [last] = await this.db.query<{ state: string; finished_at: Date | null; failures: number }>(
      `select state, finished_at, (select count(*)::int from survey_failure f where f.survey = s.id) as failures
       from survey s where kind <> 'read-back' and state <> 'running' order by id desc limit 1`,
    );
    const [plans] = await this.db.query<{ drafts: number; asked: number; troubled: number }>(
      `select count(*) filter (where state = 'draft')::int as drafts,
         count(*) filter (where (state = 'asked' and made_by <> $1) or undo->>'askedBy' <> $1)::int as asked,
         count(*) filter (where state = 'applied' and exists (select 1 from plan_change c where c.plan = p.id and (c.state in ('failed', 'unexpected') or c.drift is not null)))::int as troubled from plan p`,
      [account.address],
    );
    const [partners] = await this.db.query<{ ending: number }>(
      'select count(*)::int as ending from partner_domain where until is not null and until <= $1::date',
      [soon],
    );
    const proposed = await readProposedLimits(this.db);
    const [lowered] = await this.db.query<{ limits: number; signIn: number }>(
      `select count(*) filter (where what = 'approval.lowered')::int as limits,
         count(*) filter (where what = 'sign-in.lowered')::int as "signIn"
       from ledger where what in ('approval.lowered', 'sign-in.lowered') and at > $1`,
      [new Date(now.getTime() - SOON).toISOString()],
    );
    const [roles] = await this.db.query<{ n: number }>(
      'select count(*)::int as n from account where asked_by <> $1 and address <> $1',
      [account.address],
    );
    const [signals] = await this.db.query<{ n: number }>(SIGNALS_WAITING);
    const [orders] = await this.db.query<{ troubled: number; suspended: number; unsent: number }>(
      `select (select count(*)::int from order_run where ended_at is null and state in ('failed', 'held')) as troubled,
         (select count(*)::int from sharing_suspended where ended_at is null) as suspended,
         (select count(*)::int from message where state = 'failed' and digest is null and made_at > $1) as unsent`,
      [new Date(now.getTime() - SOON)],
    );
    const waiting: Waiting[] = [
      { kind: 'survey-failed', count: last && last.state !== 'done' ? 1 : 0 },
      { kind: 'not-read', count: last?.state === 'done' ? last.failures : 0 },
      {
        kind: 'survey-old',
        count: last?.finished_at && now.getTime() - last.finished_at.getTime() > OLD ? 1 : 0,
      },
      { kind: 'plans-troubled', count: plans!.troubled },
      { kind: 'sharing-suspended', count: orders!.suspended },
      { kind: 'signals', count: signals!.n },
      { kind: 'runs-troubled', count: orders!.troubled },
      { kind: 'messages-failed', count: orders!.unsent },
      ...ofFindings,
      { kind: 'limits-proposed', count: proposed && proposed.by !== account.address ? 1 : 0 },
      { kind: 'roles-asked', count: account.role === 'steward' ? roles!.n : 0 },
      { kind: 'limits-lowered', count: lowered!.limits },
      { kind: 'sign-in-lowered', count: lowered!.signIn },
      { kind: 'asked', count: plans!.asked },
      { kind: 'drafts', count: plans!.drafts },
      accepted,
      { kind: 'partners-ending', count: partners!.ending },
    ];
    return waiting.filter((w) => w.count > 0);
  }
}
