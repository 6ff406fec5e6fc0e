/** Findings: the exposures of the survey in force, each keeping its identity and history across surveys. */
import { setImmediate } from 'node:timers/promises';
import { SEVERITIES } from '../core/exposure/exposure.ts';
import { GrowInt32, Interner } from '../core/access/growable.ts';
import { firstOf } from '../core/first.ts';
import { rowTest, type Getters } from '../core/filter/filter.ts';
import { TIERS } from '../core/model.ts';
import { byCode, compareBy, downFirst, writeSorts, type Sort } from '../core/sorts.ts';
import type { Db } from '../store/db.ts';
import { storableJson } from '../store/observed.ts';
import {
  FINDING_GROUPS,
  FINDING_SORTS,
  type FindingEvent,
  type FindingGroup,
  type FindingGroupBy,
  type FindingKind,
  type FindingRow,
  type FindingsPage,
} from '../dto/exposure.ts';
import type { Account } from '../dto/accounts.ts';
import type { Differing, Known } from '../engine/differing.ts';
import type { EngineFinding } from '../engine/findings.ts';
import { key, unkey } from '../engine/keys.ts';
import { dayOf } from './days.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import type { Move } from './present.ts';

export interface FindingFilter {
  state: 'open' | 'accepted' | 'fixed' | 'all';
  kind?: FindingKind | undefined;
  text?: string | undefined;
  severity?: string | undefined;
  /** Name of a space. */
  space?: string | undefined;
  source?: string | undefined;
  /** A condition over `FIELDS.findings`. */
  where?: string | undefined;
}
export interface FindingQuery extends FindingFilter {
  sort: readonly Sort<FindingKey>[];
  limit: number;
  offset: number;
  /** In short: what makes the reach too wide is left out, and of many domains some. */
  brief: boolean;
}
const OPEN = new Set(['open', 'reopened']);
/** So many domains are told of in short. */
const BRIEF = 4;

const inShort = ({ summary: { newest: _, domains, ...summary }, ...r }: FindingRow): FindingRow => ({
  ...r,
  summary: {
    ...summary,
    lines: [],
    through: [],
    domains: domains.slice(0, BRIEF),
    ...(domains.length > BRIEF && { domainsMore: domains.length - BRIEF }),
  },
});

/** What a steward can do with findings, many at once. */
export type Triage =
  | { act: 'accept'; until: string; reason: string }
  | { act: 'reopen' }
  | { act: 'give'; to: string | null }
  | { act: 'note'; note: string };

interface Row {
  id: number;
  kind: FindingKind;
  source: string;
  item: string;
  state: FindingRow['state'];
  severity: FindingRow['severity'];
  points: number;
  weight: number;
  now_tier: number;
  could_tier: number;
  summary: FindingRow['summary'];
  accepted_until: Date | null;
  accepted_reason: string | null;
  assignee: string | null;
  notes: number;
  opened: Date | null;
}
interface Summary {
  id: number;
  told: string | null;
  summary: FindingRow['summary'];
}
const COLUMNS = `f.id, case when f.rule is null then 'exposure' else 'breach' end as kind, f.source, f.item, f.state, f.severity, f.points, f.weight, f.now_tier, f.could_tier,
  f.accepted_until, f.accepted_reason, a.address as assignee, f.notes,
  (select min(e.at) from finding_event e where e.finding = f.id and e.what = 'opened') as opened`;
const FROM = 'from finding f left join account a on a.id = f.assignee';

const toRow = ({ now_tier, could_tier, accepted_until, accepted_reason, opened, ...r }: Row): FindingRow => ({
  ...r,
  now: TIERS[now_tier]!,
  could: TIERS[could_tier]!,
  opened: opened?.toISOString() ?? null,
  ...(accepted_until && {
    accepted: { until: dayOf(accepted_until), reason: accepted_reason ?? '' },
  }),
});

const FIELDS: Getters<FindingRow, 'findings'> = {
  text: (r) =>
    [
      r.summary.name,
      r.summary.path,
      r.summary.owner,
      ...r.summary.domains,
      ...r.summary.through,
      ...r.summary.types.map((t) => t.name),
      r.summary.breach?.ruleName,
      r.summary.breach?.policyName,
    ]
      .join(' ')
      .toLowerCase(),
  kind: (r) => r.kind,
  rule: (r) => r.summary.breach?.ruleName ?? '',
  policy: (r) => r.summary.breach?.policyName ?? '',
  name: (r) => r.summary.name,
  path: (r) => r.summary.path,
  space: (r) => r.summary.space,
  source: (r) => r.source,
  owner: (r) => r.summary.owner ?? '',
  state: (r) => r.state,
  severity: (r) => SEVERITIES.indexOf(r.severity),
  assignee: (r) => r.assignee ?? '',
  points: (r) => r.points,
  weight: (r) => r.weight,
  now: (r) => TIERS.indexOf(r.now),
  could: (r) => TIERS.indexOf(r.could),
  types: (r) => r.summary.types.map((t) => t.name),
  domains: (r) => r.summary.domains,
  through: (r) => r.summary.through,
  notes: (r) => r.notes,
  opened: (r) => Date.parse(r.opened ?? ''),
};

const ORDER: Record<FindingKey, (a: FindingRow, b: FindingRow) => number> = {
  // points make the severity of an exposure; of a breach its rule says it
  points: (a, b) => FIELDS.severity(a) - FIELDS.severity(b) || a.points - b.points,
  weight: (a, b) => a.weight - b.weight,
  reach: (a, b) => reachOf(a) - reachOf(b),
  name: (a, b) => byCode(a.summary.name, b.summary.name),
};
const reachOf = (r: FindingRow): number =>
  Math.max(FIELDS.now(r), FIELDS.could(r)) * TIERS.length + FIELDS.now(r);

/** What a finding is grouped by: one that has several of a kind is in each of their groups. */
const GROUPS: Record<FindingGroupBy, (r: FindingRow) => readonly string[]> = {
  item: (r) => [r.summary.name],
  space: (r) => [r.summary.space],
  owner: (r) => [r.summary.owner ?? ''],
  type: (r) => (r.summary.types.length ? r.summary.types.map((t) => t.name) : ['']),
  domain: (r) => (r.summary.domains.length ? r.summary.domains : ['']),
  cause: (r) => (r.summary.through.length ? r.summary.through : ['']),
  rule: (r) => [r.summary.breach?.ruleName ?? ''],
};

/** What a decision does to the findings in $1 that it applies to, and its parameters from $2 on. */
function update(t: Triage, assignee: number | null): [string, ...unknown[]] {
  switch (t.act) {
    case 'accept':
      return [
        "update finding set state = 'accepted', accepted_until = $2::date, accepted_reason = $3 where id = any($1) and state in ('open', 'reopened', 'accepted')",
        t.until,
        t.reason,
      ];
    case 'reopen':
      return [
        "update finding set state = 'open', accepted_until = null, accepted_reason = null where id = any($1) and state = 'accepted'",
      ];
    case 'give':
      return [
        'update finding set assignee = $2 where id = any($1) and assignee is distinct from $2',
        assignee,
      ];
    case 'note':
      return ['update finding set notes = notes + 1 where id = any($1)'];
  }
}

/** What every finding has of something to group by, as numbers: finding n's are `of[start[n] … start[n + 1])`. */
interface Column {
  values: string[];
  start: Int32Array;
  of: Int32Array;
}
/** More groups than this are better taken away as a file. */
const MOST_GROUPS = 1000;
/** So many findings are numbered at a stretch. */
const STRETCH = 200;

type FindingKey = (typeof FINDING_SORTS)[number];
/** The order that findings are kept in. */
const COSTLIEST_FIRST: FindingQuery['sort'] = [{ key: 'points', down: true }];
const AS_KEPT = writeSorts(COSTLIEST_FIRST);
/** Orders that are kept; more are hardly asked for. */
const ORDERS = 40;
/** Answers that are kept until something is decided; more are hardly asked for in between. */
const ANSWERS = 100;
/** The filter of whoever asks for nothing in particular. */
const ALL_OPEN: FindingFilter = { state: 'open' };

/** Which of some findings somebody is told of. */
type Inside = (rows: readonly { source: string; item: string; open?: string }[]) => Promise<boolean[]>;

/** All findings as they are, the costliest first, with what is worked out of them when first asked for. */
class Kept {
  readonly #place: Map<number, number>;
  readonly #orders = new Map<string, Int32Array>();
  readonly #columns = new Map<FindingGroupBy, Promise<Column>>();
  readonly #answers = new Map<string, unknown>();
  readonly state: FindingRow['state'][];
  readonly points: Float64Array;
  readonly weight: Uint8Array;
  readonly now: Uint8Array;
  readonly could: Uint8Array;

  /** Goes up with every decision. */
  version = 0;
  readonly #parts = new Map<string, { version: number; kept: Kept }>();

  constructor(readonly rows: FindingRow[]) {
    this.#place = new Map(rows.map((r, n) => [r.id, n]));
    this.state = rows.map((r) => r.state);
    this.points = Float64Array.from(rows, FIELDS.points);
    this.weight = Uint8Array.from(rows, FIELDS.weight);
    this.now = Uint8Array.from(rows, FIELDS.now);
    this.could = Uint8Array.from(rows, FIELDS.could);
  }

  row(id: number): FindingRow | undefined {
    return this.rows[this.#place.get(id) ?? -1];
  }

  /** Takes in what was decided of some: what they are sorted and grouped by stays as it is. */
  decided(rows: readonly FindingRow[]): void {
    this.#answers.clear();
    this.version++;
    for (const r of rows) {
      const n = this.#place.get(r.id);
      if (n === undefined) continue;
      this.rows[n] = r;
      this.state[n] = r.state;
    }
  }

  /** Some of them, kept under a name until something is decided. */
  async part(name: string, inside: (rows: readonly FindingRow[]) => Promise<boolean[]>): Promise<Kept> {
    const { version } = this;
    const known = this.#parts.get(name);
    if (known?.version === version) return known.kept;
    const is = await inside(this.rows);
    const kept = new Kept(this.rows.filter((_, n) => is[n]));
    this.#parts.set(name, { version, kept });
    return kept;
  }

  /** What is worked out of a filter, once as long as nothing is decided; a condition may depend on the moment. */
  once<T>(what: string, q: FindingFilter, make: () => T): T {
    if (q.where) return make();
    const key = JSON.stringify([what, q.state, q.kind, q.text, q.severity, q.space, q.source]);
    if (!this.#answers.has(key)) {
      if (this.#answers.size >= ANSWERS) this.#answers.clear();
      this.#answers.set(key, make());
    }
    return this.#answers.get(key) as T;
  }

  /** The findings by number, in an order. */
  order(sort: FindingQuery['sort']): Int32Array {
    const name = writeSorts(sort);
    let order = this.#orders.get(name);
    if (!order) {
      const by = compareBy(sort, ORDER);
      order = Int32Array.from(this.rows.keys());
      if (name !== AS_KEPT) order.sort((a, b) => by(this.rows[a]!, this.rows[b]!) || a - b);
      if (this.#orders.size >= ORDERS) this.#orders.clear();
      this.#orders.set(name, order);
    }
    return order;
  }

  column(by: FindingGroupBy): Promise<Column> {
    let column = this.#columns.get(by);
    if (!column) this.#columns.set(by, (column = this.#number(by)));
    return column;
  }

  async #number(by: FindingGroupBy): Promise<Column> {
    const values = new Interner();
    const of = new GrowInt32();
    const start = new Int32Array(this.rows.length + 1);
    for (let n = 0; n < this.rows.length; n++) {
      // thousands of findings with hundreds of domains each: what else is asked comes in between
      if (n % STRETCH === STRETCH - 1) await setImmediate();
      const mine = GROUPS[by](this.rows[n]!);
      for (const value of mine.length > 1 ? new Set(mine) : mine) of.push(values.of(value));
      start[n + 1] = of.length;
    }
    return { values: values.names, start, of: of.done() };
  }
}

export class Findings {
  /** Read when first asked for, and anew after a survey. */
  private kept: Promise<Kept> | undefined;
  private lapsedOn = '';
  /** Most of what there is to a finding. What has not changed since is not read again. */
  private summaries: ReadonlyMap<number, Summary> = new Map();

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly clock: () => Date,
  ) {}

  /** The same, of some findings alone: to be read, not to be decided of. */
  within(name: string, inside: Inside): Findings {
    const all = async (): Promise<Kept> =>
      (await this.all()).part(name, (rows) =>
        inside(
          rows.map(({ source, item, summary: { breach } }) => ({
            source,
            item,
            ...(breach && { open: breach.open }),
          })),
        ),
      );
    return Object.assign(Object.create(this) as Findings, { all });
  }

  /** Takes over what the engine found in a survey. Doing it twice changes nothing. */
  async follow({ survey, findings, again }: Move): Promise<void> {
    if (!again && (await this.survey()) === survey) return;
    const rows = await this.db.query<{ source: string; item: string; told: string | null }>(
      "select source, item, told from finding where state <> 'fixed' and rule is null",
    );
    const known = rows.map(({ source, item, told }): Known => ({ key: key(source, item), told }));
    await this.refresh(survey, await findings(known));
  }

  private async refresh(survey: number, { found, gone }: Differing<EngineFinding>): Promise<void> {
    const now = this.clock();
    await this.db.transaction(async (tx) => {
      await tx.query(
        'create temporary table found_now (source text, item text, severity text, points int, weight int, now_tier int, could_tier int, summary jsonb, told uuid) on commit drop',
      );
      await tx.query(
        `insert into found_now select r.source, r.item, r.severity, r.points, r.weight, r.now, r.could, r.summary, r.told
         from jsonb_to_recordset($1::jsonb) as r(source text, item text, severity text, points int, weight int, now int, could int, summary jsonb, told uuid)`,
        [storableJson(found)],
      );
      await tx.query(
        `with back as (
           update finding f set state = 'reopened' from found_now n
           where f.source = n.source and f.item = n.item and f.rule is null and f.state = 'fixed' returning f.id, n.summary->'newest' as newest),
         gone as (
           update finding f set state = 'fixed', accepted_until = null, accepted_reason = null
           from jsonb_to_recordset($3::jsonb) as g(source text, item text)
           where f.source = g.source and f.item = g.item and f.rule is null and f.state <> 'fixed' returning f.id)
         insert into finding_event (finding, at, survey, what, detail)
         select id, $2::timestamptz, $1::int, 'reopened', coalesce(newest, '{}') from back
         union all select id, $2, $1, 'fixed', '{}'::jsonb from gone`,
        [survey, now, storableJson(gone.map(unkey).map(({ source, id }) => ({ source, item: id })))],
      );
      // what was accepted was accepted as it was: one that has become worse asks again
      await tx.query(
        `with worse as (
           update finding f set state = 'open', accepted_until = null, accepted_reason = null from found_now n
           where f.source = n.source and f.item = n.item and f.rule is null and f.state = 'accepted'
             and (n.points > f.points or greatest(n.now_tier, n.could_tier) > greatest(f.now_tier, f.could_tier)) returning f.id)
         insert into finding_event (finding, at, survey, what) select id, $2::timestamptz, $1::int, 'worse' from worse`,
        [survey, now],
      );
      await tx.query(
        `with made as (
           insert into finding (source, item, state, severity, points, weight, now_tier, could_tier, summary, told, first_survey)
           select source, item, 'open', severity, points, weight, now_tier, could_tier, summary, told, $1 from found_now
           on conflict (source, item) where rule is null do update set severity = excluded.severity, points = excluded.points, weight = excluded.weight,
             now_tier = excluded.now_tier, could_tier = excluded.could_tier, summary = excluded.summary, told = excluded.told
           returning id, (xmax = 0) as is_new)
         insert into finding_event (finding, at, survey, what) select id, $2::timestamptz, $1::int, 'opened' from made where is_new`,
        [survey, now],
      );
      await tx.query(
        "insert into setting (name, value) values ('findings-survey', to_jsonb($1::int)) on conflict (name) do update set value = excluded.value",
        [survey],
      );
    });
    this.kept = undefined;
  }

  /**
   * Takes over what a policy hits that opens findings, by its rules: new ones are opened, those that are hit no more are
   * fixed. `tx`: within what else is kept of it; where it says that something is otherwise, `forget` when that is done. Doing it
   * twice changes nothing.
   */
  async breaches(
    tx: Db,
    policy: { id: number; name: string },
    rules: readonly { id: string; name: string; severity: string }[],
    survey: number,
  ): Promise<boolean> {
    const now = this.clock();
    await tx.query(
      `create temporary table breach_now on commit drop as
       select h.key, h.rule, r.severity, coalesce((h.doc#>>'{thing,weight}')::int, 0) as weight,
         coalesce((h.doc#>>'{thing,now}')::int, 0) as now_tier, coalesce((h.doc#>>'{thing,could}')::int, 0) as could_tier,
         coalesce(h.doc#>>'{thing,source}', '') as source, coalesce(h.doc#>>'{thing,item}', '') as item,
         jsonb_strip_nulls(jsonb_build_object('name', h.doc->'name', 'space', coalesce(h.doc#>'{thing,space}', '""'),
           'path', h.doc->'where', 'owner', h.doc#>'{thing,owner}')) || jsonb_build_object(
           'types', coalesce(h.doc#>'{thing,types}', '[]'), 'lines', '[]'::jsonb, 'through', '[]'::jsonb, 'domains', '[]'::jsonb,
           'breach', jsonb_build_object('policy', $1::int, 'policyName', $2::text, 'rule', h.rule, 'ruleName', r.name,
             'subject', h.doc->'subject', 'values', h.doc->'values', 'key', h.key, 'open', h.doc->'open')) as summary
       from rule_hit h join jsonb_to_recordset($3::jsonb) as r(id text, name text, severity text) on r.id = h.rule
       where h.policy = $1 and h.over_at is null and h.excepted is null`,
      [policy.id, policy.name, storableJson(rules)],
    );
    const moved = await tx.query(
      `with back as (
         update finding f set state = 'reopened' from breach_now n
         where f.policy = $3 and f.rule = n.rule and f.hit_key = n.key and f.state = 'fixed' returning f.id),
       gone as (
         update finding f set state = 'fixed', accepted_until = null, accepted_reason = null
         where f.policy = $3 and f.state <> 'fixed'
           and not exists (select from breach_now n where n.rule = f.rule and n.key = f.hit_key) returning f.id)
       insert into finding_event (finding, at, survey, what)
       select id, $2::timestamptz, $1::int, 'reopened' from back union all select id, $2, $1, 'fixed' from gone returning finding`,
      [survey, now, policy.id],
    );
    const [told] = await tx.query<{ n: number }>(
      `with made as (
         insert into finding as f (source, item, state, severity, points, weight, now_tier, could_tier, summary, told, first_survey, policy, rule, hit_key)
         select source, item, 'open', severity, 0, weight, now_tier, could_tier, summary, gen_random_uuid(), $1, $3, rule, key from breach_now
         on conflict (policy, rule, hit_key) where rule is not null do update set severity = excluded.severity,
           source = excluded.source, item = excluded.item, weight = excluded.weight, now_tier = excluded.now_tier,
           could_tier = excluded.could_tier, summary = excluded.summary, told = excluded.told
         where (f.summary, f.severity, f.weight, f.now_tier, f.could_tier) is distinct from
           (excluded.summary, excluded.severity, excluded.weight, excluded.now_tier, excluded.could_tier)
         returning id, (xmax = 0) as is_new),
       opened as (
         insert into finding_event (finding, at, survey, what) select id, $2::timestamptz, $1::int, 'opened' from made where is_new)
       select count(*)::int as n from made`,
      [survey, now, policy.id],
    );
    await tx.query('drop table breach_now');
    return moved.length + told!.n > 0;
  }

  /** What was kept of findings is read again. */
  forget(): void {
    this.kept = undefined;
  }

  /** The survey whose findings are in force; 0 before the first. */
  private async survey(): Promise<number> {
    return (
      (await this.db.query<{ value: number }>("select value from setting where name = 'findings-survey'"))[0]
        ?.value ?? 0
    );
  }

  /** All findings; those accepted until a day that is past are open again. */
  private async all(): Promise<Kept> {
    const today = dayOf(this.clock());
    if (this.lapsedOn !== today) {
      await this.db.query(
        `with lapsed as (
           update finding set state = 'open', accepted_until = null, accepted_reason = null
           where state = 'accepted' and accepted_until < $1::date returning id)
         insert into finding_event (finding, at, what) select id, $2, 'lapsed' from lapsed`,
        [today, this.clock()],
      );
      this.lapsedOn = today;
      this.kept = undefined;
    }
    this.kept ??= this.read();
    const reading = this.kept;
    reading.catch(() => (this.kept = undefined));
    return reading;
  }

  private async read(): Promise<Kept> {
    const rows = await this.db.query<Omit<Row, 'summary'> & Pick<Summary, 'told'>>(
      `select ${COLUMNS}, f.told ${FROM} order by array_position($1::text[], f.severity) desc, f.points desc, f.id`,
      [SEVERITIES],
    );
    const before = this.summaries;
    const other = rows
      .filter(({ id, told }) => told === null || before.get(id)?.told !== told)
      .map((r) => r.id);
    const read = await this.db.query<Summary>('select id, told, summary from finding where id = any($1)', [
      other,
    ]);
    const anew = new Map(read.map((r) => [r.id, r]));
    this.summaries = new Map(
      rows.flatMap(({ id }) => {
        const summary = anew.get(id) ?? before.get(id);
        return summary ? [[id, summary]] : [];
      }),
    );
    return new Kept(
      rows.flatMap(({ told: _, ...r }) => {
        const summary = this.summaries.get(r.id)?.summary;
        return summary ? toRow({ ...r, summary }) : [];
      }),
    );
  }

  /** Makes ready what is asked for first, ahead of whoever asks. */
  async ahead(): Promise<void> {
    const kept = await this.all();
    for (const sort of FINDING_SORTS) this.numbers(kept, ALL_OPEN, [{ key: sort, down: downFirst(sort) }]);
    for (const by of FINDING_GROUPS) await this.grouped(kept, ALL_OPEN, by);
  }

  /** The findings that fit, the costliest first. Throws a FilterError where `where` cannot be read. */
  async fitting(q: FindingFilter): Promise<FindingRow[]> {
    const kept = await this.all();
    return Array.from(this.numbers(kept, q, COSTLIEST_FIRST), (n) => kept.rows[n]!);
  }

  /** The same by number, in an order. */
  private numbers(kept: Kept, q: FindingFilter, sort: FindingQuery['sort']): Int32Array {
    return kept.once(`in order of ${writeSorts(sort)}`, q, () => {
      const test = rowTest(q, 'findings', FIELDS, this.clock().getTime());
      return kept.order(sort).filter((n) => {
        const state = kept.state[n]!;
        if (q.state !== 'all' && (q.state === 'open' ? !OPEN.has(state) : state !== q.state)) return false;
        const r = kept.rows[n]!;
        return (
          (!q.kind || r.kind === q.kind) &&
          (!q.severity || r.severity === q.severity) &&
          (!q.space || r.summary.space === q.space) &&
          (!q.source || r.source === q.source) &&
          test(r)
        );
      });
    });
  }

  async list(q: FindingQuery): Promise<FindingsPage> {
    const kept = await this.all();
    const fit = this.numbers(kept, q, q.sort);
    const counts = { open: 0, accepted: 0, fixed: 0 };
    for (const state of kept.state) counts[state === 'reopened' ? 'open' : state]++;
    const page = Array.from(fit.subarray(q.offset, q.offset + q.limit), (n) => kept.rows[n]!);
    return {
      rows: q.brief ? page.map(inShort) : page,
      total: fit.length,
      points: fit.reduce((sum, n) => sum + kept.points[n]!, 0),
      ...counts,
    };
  }

  /** The findings that fit, in groups: the costliest, and how many there are. */
  async groups(q: FindingFilter, by: FindingGroupBy): Promise<{ groups: FindingGroup[]; total: number }> {
    return this.grouped(await this.all(), q, by);
  }

  private async grouped(
    kept: Kept,
    q: FindingFilter,
    by: FindingGroupBy,
  ): Promise<{ groups: FindingGroup[]; total: number }> {
    const { values, start, of } = await kept.column(by);
    return kept.once(`by ${by}`, q, () => {
      // each finding is a group of its own, or what has a value is
      const count = by === 'item' ? kept.rows.length : values.length;
      const [findings, points] = [new Int32Array(count), new Float64Array(count)];
      const [weight, now, could] = [new Uint8Array(count), new Uint8Array(count), new Uint8Array(count)];
      for (const n of this.numbers(kept, q, COSTLIEST_FIRST))
        for (let k = start[n]!; k < start[n + 1]!; k++) {
          const g = by === 'item' ? n : of[k]!;
          findings[g]!++;
          points[g]! += kept.points[n]!;
          if (kept.weight[n]! > weight[g]!) weight[g] = kept.weight[n]!;
          if (kept.now[n]! > now[g]!) now[g] = kept.now[n]!;
          if (kept.could[n]! > could[g]!) could[g] = kept.could[n]!;
        }
      const some = [...findings.keys()].filter((g) => findings[g]);
      const value = (g: number): string => values[by === 'item' ? of[start[g]!]! : g]!;
      const total = some.length;
      const first = firstOf(
        some,
        (a, b) =>
          points[b]! - points[a]! ||
          findings[b]! - findings[a]! ||
          (value(a) < value(b) ? -1 : value(a) > value(b) ? 1 : a - b),
        MOST_GROUPS,
      );
      const groups = first.map((g): FindingGroup => ({
        value: value(g),
        findings: findings[g]!,
        points: points[g]!,
        weight: weight[g]!,
        now: TIERS[now[g]!]!,
        could: TIERS[could[g]!]!,
        ...(by === 'item' && { finding: kept.rows[g]!.id }),
      }));
      return { groups, total };
    });
  }

  async row(id: number): Promise<FindingRow | undefined> {
    return (await this.all()).row(id);
  }

  async one(id: number): Promise<{ row: FindingRow; history: FindingEvent[] } | undefined> {
    const row = await this.row(id);
    if (!row) return undefined;
    const history = await this.db.query<
      Omit<FindingEvent, 'at' | 'planName'> & { at: Date; plan_name: string | null }
    >(
      `select e.at, e.survey, e.what, e.who, e.detail, s.plan, p.name as plan_name from finding_event e
       left join survey s on s.id = e.survey left join plan p on p.id = s.plan where e.finding = $1 order by e.at desc`,
      [id],
    );
    return {
      row,
      history: history.map(({ at, plan_name, ...h }) => ({
        ...h,
        at: at.toISOString(),
        planName: plan_name,
      })),
    };
  }

  /**
   * Decides of many findings at once, all or none; says how many it changed. What is fixed cannot be
   * accepted, and what is open not reopened: those are left as they are.
   */
  async triage(ids: readonly number[], t: Triage, by: Account): Promise<number> {
    const now = this.clock();
    if (t.act === 'accept' && t.until < dayOf(now))
      throw new AppError('past', 422, 'Choose a day in the future.');
    let assignee: number | null = null;
    if (t.act === 'give' && t.to) {
      const [a] = await this.db.query<{ id: number }>('select id from account where address = $1', [t.to]);
      if (!a) throw new AppError('no-account', 404, `There is nobody here with the address ${t.to}.`);
      assignee = a.id;
    }
    const changed = await this.db.transaction(async (tx) => {
      const [sql, ...params] = update(t, assignee);
      const rows = await tx.query<{ id: number }>(`${sql} returning id`, [[...ids], ...params]);
      const { act, ...detail } = t;
      const what = { accept: 'accepted', reopen: 'taken back', give: 'given', note: 'note' }[act];
      const done = rows.map((r) => r.id);
      if (!done.length) return 0;
      await tx.query(
        'insert into finding_event (finding, at, what, who, detail) select unnest($1::int[]), $2, $3, $4, $5::jsonb',
        [done, now, what, by.address, storableJson(detail)],
      );
      await this.ledger.add(
        {
          who: by.address,
          what: `findings.${act}`,
          subject: done.length === 1 ? `finding ${done[0]}` : `${done.length} findings`,
          after: { findings: done, ...detail },
        },
        tx,
      );
      return done.length;
    });
    // only those are read again
    const { kept } = this;
    try {
      const rows = await this.db.query<Row>(`select ${COLUMNS}, f.summary ${FROM} where f.id = any($1)`, [
        [...ids],
      ]);
      (await kept)?.decided(rows.map(toRow));
    } catch (e) {
      this.kept = undefined;
      throw e;
    }
    return changed;
  }
}
