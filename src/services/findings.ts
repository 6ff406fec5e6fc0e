/** Findings: the exposures of the survey in force, each keeping its identity and history across surveys. */
import { TIERS } from '../core/model.ts';
import type { Db } from '../store/db.ts';
import { storableJson } from '../store/observed.ts';
import type { FindingRow } from './dto.ts';
import type { EngineFinding } from './engine/engine.thread.ts';

export interface FindingFilter {
  state: 'open' | 'fixed' | 'all';
  text?: string | undefined;
  severity?: string | undefined;
  /** Name of a space. */
  space?: string | undefined;
  source?: string | undefined;
  sort: 'points' | 'weight' | 'reach' | 'name';
  limit: number;
  offset: number;
}
const OPEN = ['open', 'reopened'];

type Row = Omit<FindingRow, 'now' | 'could'> & { now_tier: number; could_tier: number };
const toRow = ({ now_tier, could_tier, ...r }: Row): FindingRow => ({
  ...r,
  now: TIERS[now_tier]!,
  could: TIERS[could_tier]!,
});

export class Findings {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  /** Takes over what the engine found in a survey. Doing it twice changes nothing. */
  async refresh(survey: number, found: EngineFinding[]): Promise<void> {
    const now = this.clock();
    await this.db.transaction(async (tx) => {
      await tx.query(
        'create temporary table found_now (source text, item text, severity text, points int, weight int, now_tier int, could_tier int, summary jsonb) on commit drop',
      );
      await tx.query(
        `insert into found_now select r.source, r.item, r.severity, r.points, r.weight, r.now, r.could, r.summary
         from jsonb_to_recordset($1::jsonb) as r(source text, item text, severity text, points int, weight int, now int, could int, summary jsonb)`,
        [storableJson(found)],
      );
      await tx.query(
        `with back as (
           update finding f set state = 'reopened' from found_now n
           where f.source = n.source and f.item = n.item and f.state = 'fixed' returning f.id),
         gone as (
           update finding f set state = 'fixed', last_survey = $1
           where f.state <> 'fixed' and not exists (select 1 from found_now n where n.source = f.source and n.item = f.item) returning f.id)
         insert into finding_event (finding, at, survey, what)
         select id, $2::timestamptz, $1::int, 'reopened' from back union all select id, $2, $1, 'fixed' from gone`,
        [survey, now],
      );
      await tx.query(
        `with made as (
           insert into finding (source, item, state, severity, points, weight, now_tier, could_tier, summary, first_survey, last_survey)
           select source, item, 'open', severity, points, weight, now_tier, could_tier, summary, $1, $1 from found_now
           on conflict (source, item) do update set severity = excluded.severity, points = excluded.points, weight = excluded.weight,
             now_tier = excluded.now_tier, could_tier = excluded.could_tier, summary = excluded.summary, last_survey = $1
           returning id, (xmax = 0) as is_new)
         insert into finding_event (finding, at, survey, what) select id, $2::timestamptz, $1::int, 'opened' from made where is_new`,
        [survey, now],
      );
      await tx.query(
        "insert into setting (name, value) values ('findings-survey', to_jsonb($1::int)) on conflict (name) do update set value = excluded.value",
        [survey],
      );
    });
  }

  /** The survey whose findings are in force; 0 before the first. */
  async survey(): Promise<number> {
    return (
      (await this.db.query<{ value: number }>("select value from setting where name = 'findings-survey'"))[0]
        ?.value ?? 0
    );
  }

  async list(
    filter: FindingFilter,
  ): Promise<{ rows: FindingRow[]; total: number; points: number; open: number; fixed: number }> {
    const states =
      filter.state === 'open'
        ? OPEN
        : filter.state === 'fixed'
          ? ['fixed']
          : ['open', 'reopened', 'accepted', 'fixed'];
    const where = `state = any($1) and ($2::text is null or severity = $2)
      and ($3::text is null or strpos(lower(summary::text), lower($3)) > 0)
      and ($4::text is null or summary->>'space' = $4) and ($5::text is null or source = $5)`;
    const params = [
      states,
      filter.severity ?? null,
      filter.text || null,
      filter.space ?? null,
      filter.source ?? null,
    ];
    const order = {
      points: 'points desc',
      weight: 'weight desc, points desc',
      reach: 'greatest(now_tier, could_tier) desc, now_tier desc, points desc',
      name: "summary->>'name'",
    }[filter.sort];
    const rows = await this.db.query<Row>(
      `select id, source, item, state, severity, points, weight, now_tier, could_tier, summary from finding where ${where} order by ${order}, id limit $6 offset $7`,
      [...params, filter.limit, filter.offset],
    );
    const [sum] = await this.db.query<{ total: number; points: number }>(
      `select count(*)::int as total, coalesce(sum(points), 0)::int as points from finding where ${where}`,
      params,
    );
    const [states2] = await this.db.query<{ open: number; fixed: number }>(
      "select count(*) filter (where state in ('open', 'reopened'))::int as open, count(*) filter (where state = 'fixed')::int as fixed from finding",
    );
    return {
      rows: rows.map(toRow),
      total: sum!.total,
      points: sum!.points,
      open: states2!.open,
      fixed: states2!.fixed,
    };
  }

  async one(id: number): Promise<
    | {
        row: FindingRow;
        history: {
          at: string;
          survey: number | null;
          what: string;
          plan: number | null;
          planName: string | null;
        }[];
      }
    | undefined
  > {
    const [row] = await this.db.query<Row>(
      'select id, source, item, state, severity, points, weight, now_tier, could_tier, summary from finding where id = $1',
      [id],
    );
    if (!row) return undefined;
    const history = await this.db.query<{
      at: Date;
      survey: number | null;
      what: string;
      plan: number | null;
      plan_name: string | null;
    }>(
      'select e.at, e.survey, e.what, s.plan, p.name as plan_name from finding_event e left join survey s on s.id = e.survey left join plan p on p.id = s.plan where e.finding = $1 order by e.at desc',
      [id],
    );
    return {
      row: toRow(row),
      history: history.map((h) => ({
        at: h.at.toISOString(),
        survey: h.survey,
        what: h.what,
        plan: h.plan,
        planName: h.plan_name,
      })),
    };
  }
}
