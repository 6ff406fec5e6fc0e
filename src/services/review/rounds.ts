/** Rounds of review, as stewards begin them and follow them. */
import {
  reviewOf,
  roundSchema,
  type ReviewAnswer,
  type ReviewKind,
  type Round,
} from '../../core/ask/kinds.ts';
import { wavesOf } from '../../core/ask/waves.ts';
import { laterBy } from '../../core/orders/program.ts';
import type {
  Asked,
  RoundAnswer,
  RoundPage,
  RoundPreview,
  RoundQuestion,
  RoundRow,
  SpaceToAsk,
} from '../../dto/review.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSchedule } from '../../store/settings.ts';
import { dayOf, mustCome } from '../days.ts';
import { AppError } from '../errors.ts';
import { personAt } from '../people.ts';
import type { OrderParts } from '../orders/parts.ts';
import { BY_ITSELF, type Kept } from '../policies/rows.ts';
import { Charters } from './charters.ts';
import { Asking, toRemind } from './asking.ts';
import { Desk } from './desk.ts';
import { Effects } from './effects.ts';
import { QUESTION, roundOf, type Question, type RoundHead, type Thing } from './rows.ts';
import { minutesOf } from './words.ts';

const SHOWN = 50;
const STEWARDS = 'stewards';
/** The job that begins what is asked in a rhythm. */
const IN_RHYTHM = 'review-rhythm';
const DAY = 86_400_000;
const MOST_SPACES = 20_000;
/** What is asked in a rhythm is spread over so many weeks. */
const WEEKS_IN_RHYTHM = 4;
/** Of rounds that rules begin. */
const USUAL_DAYS = 14;
const USUAL_REMINDERS = [7, 2];

export class Rounds {
  readonly charters: Charters;
  readonly desk: Desk;
  readonly asking: Asking;

  constructor(private readonly parts: OrderParts) {
    this.charters = new Charters(parts);
    this.asking = new Asking(parts, new Effects(parts));
    this.desk = new Desk(parts, this.asking, this.charters);
    parts.jobs.declare(IN_RHYTHM, {
      broken: 'again',
      quiet: true,
      run: async () => {
        await this.inRhythm();
        return { state: 'done', next: new Date(parts.clock().getTime() + DAY) };
      },
    });
  }

  async start(): Promise<void> {
    await this.asking.start();
    await this.parts.jobs.add(this.parts.db, IN_RHYTHM, 0, BY_ITSELF);
  }

  /** What a round would ask whom, on the survey in force. Throws a FilterError. */
  async preview(round: Round, signal?: AbortSignal): Promise<RoundPreview> {
    const { spaces, weeks } = await this.spread(round, signal);
    const perWeek = new Map<number, { spaces: number; things: number; people: Set<string> }>();
    const perPerson = new Map<string, { of: Asked; spaces: number; byWeek: number[]; things: number }>();
    for (const [k, s] of spaces.entries()) {
      const week = perWeek.get(weeks[k]!) ?? { spaces: 0, things: 0, people: new Set<string>() };
      perWeek.set(weeks[k]!, week);
      week.spaces++;
      week.things += s.n;
      for (const of of s.asked) {
        week.people.add(of.address);
        const had = perPerson.get(of.address) ?? { of, spaces: 0, byWeek: [], things: 0 };
        perPerson.set(of.address, had);
        had.spaces++;
        had.things += s.n;
        had.byWeek[weeks[k]!] = (had.byWeek[weeks[k]!] ?? 0) + s.n;
      }
    }
    const things = spaces.reduce((n, s) => n + s.n, 0);
    const people = [...perPerson.values()];
    const order = [...spaces.keys()].sort(
      (a, b) => weeks[a]! - weeks[b]! || spaces[b]!.points - spaces[a]!.points,
    );
    return {
      spaces: spaces.length,
      things,
      people: people.length,
      minutes: minutesOf(round.kind, things),
      most: people.reduce((most, p) => p.byWeek.reduce((m, n) => Math.max(m, n), most), 0),
      weeks: [...perWeek]
        .sort(([a], [b]) => a - b)
        .map(([week, w]) => ({ week, spaces: w.spaces, things: w.things, people: w.people.size })),
      withoutOwner: spaces.filter((s) => !s.asked.length).length,
      busiest: people
        .sort((a, b) => b.things - a.things)
        .slice(0, 10)
        .map(({ of, spaces: n, things: t }) => ({
          name: of.name,
          address: of.address,
          spaces: n,
          things: t,
          minutes: minutesOf(round.kind, t),
        })),
      first: order.slice(0, SHOWN).map((k) => ({
        key: spaces[k]!.key,
        name: spaces[k]!.name,
        owners: spaces[k]!.asked.map((o) => o.name),
        things: spaces[k]!.n,
        week: weeks[k]!,
      })),
    };
  }

  private async spread(
    round: Round,
    signal?: AbortSignal,
  ): Promise<{ spaces: SpaceToAsk[]; weeks: number[] }> {
    const spaces = await this.parts.engine.ask.spacesToAsk(undefined, round.kind, round, signal);
    if (!spaces) throw new AppError('no-survey', 409, 'Nothing was surveyed yet.');
    const toAsk = spaces.map(({ asked, n, points }) => ({
      people: asked.length ? asked.map((a) => a.address) : [STEWARDS],
      n,
      points,
    }));
    return { spaces, weeks: wavesOf(toAsk, round) };
  }

  /** Begins a round: what is asked in the first week is asked now. */
  async begin(round: Round, by: string): Promise<{ id: number }> {
    const id = await this.beginFor(round, by, by);
    if (id === undefined)
      throw new AppError(
        'nothing-to-ask',
        409,
        'There is nothing to ask about: no space fits, or none has anything.',
      );
    return { id };
  }

  /**
   * The same; undefined where there is nothing to ask about. `also`: what belongs to it, in its transaction. `joins`: what is asked
   * is asked in a round of this name that is under way, where there is one.
   */
  private async beginFor(
    round: Round,
    madeBy: string,
    by: string,
    {
      also,
      joins = false,
    }: { also?: (tx: Db, id: number, spaces: number) => Promise<unknown>; joins?: boolean } = {},
  ): Promise<number | undefined> {
    const { db, ledger, clock, jobs } = this.parts;
    const { spaces, weeks } = await this.spread(round);
    if (!spaces.length) return undefined;
    const { zone } = await readSchedule(db);
    const now = clock();
    const startOf = new Map(
      [...new Set(weeks)].map((w): [number, Date] => [w, w ? laterBy(now, `P${w}W`, zone) : now]),
    );
    const id = await db.transaction(async (tx) => {
      const [had] = joins
        ? await tx.query<{ id: number }>(
            `select id from round r where doc->>'name' = $1 and doc->>'kind' = $2 and made_by = $3 and state = 'running'
               and not exists (select from question q where q.round = r.id and q.space = any($4)) for update`,
            [round.name, round.kind, madeBy, spaces.map((s) => s.key)],
          )
        : [];
      const [row] = had
        ? await tx.query<{ id: number }>(
            "update round set doc = jsonb_set(doc, '{spaces}', (doc->'spaces') || $2::jsonb) where id = $1 returning id",
            [had.id, storableJson(spaces.map((s) => s.key))],
          )
        : await tx.query<{ id: number }>(
            "insert into round (doc, state, made_at, made_by) values ($1, 'running', $2, $3) returning id",
            [storableJson(round), now, madeBy],
          );
      await tx.query(
        `insert into question (round, space, space_name, workspace, department, things, subject, body, answers, doc, made_at, until, state, next_at)
         select $1, s->>'key', s->>'name', s->>'workspace', s->>'department', (s->>'n')::int, '', '', '[]', '{}', $2,
           (s->>'until')::timestamptz, 'planned', (s->>'at')::timestamptz from jsonb_array_elements($3::jsonb) s`,
        [
          row!.id,
          now,
          storableJson(
            spaces.map(({ key, name, workspace, department, n }, k) => ({
              key,
              name,
              workspace,
              department,
              n,
              at: startOf.get(weeks[k]!)!,
              until: laterBy(startOf.get(weeks[k]!)!, `P${round.days}D`, zone),
            })),
          ),
        ],
      );
      await ledger.add(
        {
          who: by,
          what: had ? 'round.joined' : 'round.begun',
          subject: `round ${row!.id}`,
          after: { ...round, spaces: spaces.length, ...(by !== madeBy && { for: madeBy }) },
        },
        tx,
      );
      await also?.(tx, row!.id, spaces.length);
      // of what comes one after another each person is told once
      await (joins ? this.asking.soon(tx) : this.asking.due(tx));
      return row!.id;
    });
    await jobs.look();
    return id;
  }

  /** Asks about what rules of a policy hit that have owners be asked, and has not been asked: a round for each rule. */
  async byRule({ id, doc, version_by }: Kept): Promise<void> {
    const { db, clock } = this.parts;
    for (const rule of doc.rules) {
      const response = rule.mode === 'enforce' ? rule.responses.find((r) => r.do === 'ask') : undefined;
      if (!response) continue;
      const kind =
        (response.about as ReviewKind | undefined) ?? (rule.subject === 'space' ? 'needed' : 'shares');
      const hits = await db.query<{ id: number; key: string }>(
        'select id, key from rule_hit where policy = $1 and rule = $2 and over_at is null and excepted is null and round is null order by id',
        [id, rule.id],
      );
      const { of, spaces } = await this.spacesOf(
        kind,
        hits.map((h) => h.key),
      );
      if (!spaces.length) continue;
      const days = (response.dueDays as number | undefined) ?? USUAL_DAYS;
      const round = aboutSpaces(spaces, { name: `${rule.name}, ${dayOf(clock())}`, kind, days });
      const asked = new Set(round.spaces);
      await this.beginFor(round, version_by, BY_ITSELF, {
        also: (tx, n) =>
          tx.query('update rule_hit set round = $2 where id = any($1)', [
            hits.filter((_, k) => of[k] && asked.has(of[k])).map((h) => h.id),
            n,
          ]),
      });
    }
  }

  /**
   * Asks about the spaces in which some things lie, in a round that a standing order begins, or in one of the same name that is
   * under way. Gives how many spaces are asked about that were not.
   */
  async byOrder(
    keys: readonly string[],
    of: { name: string; kind: ReviewKind; days: number },
    also: (tx: Db, round: number, spaces: number) => Promise<void>,
  ): Promise<number> {
    const { spaces } = await this.spacesOf(of.kind, keys);
    let asked = 0;
    if (spaces.length)
      await this.beginFor(aboutSpaces(spaces, of), BY_ITSELF, BY_ITSELF, {
        joins: true,
        also: (tx, round, n) => also(tx, round, (asked = n)),
      });
    return asked;
  }

  /** The spaces in which things lie, and those of them about which nothing of the kind is being asked. */
  private async spacesOf(
    kind: ReviewKind,
    keys: readonly string[],
  ): Promise<{ of: (string | undefined)[]; spaces: string[] }> {
    const of = keys.length ? ((await this.parts.engine.ask.spacesOfKeys(undefined, keys)) ?? []) : [];
    return { of, spaces: await this.notAsked(kind, new Set(of.flatMap((s) => s ?? []))) };
  }

  /** Of some spaces those about which nothing of the kind is being asked. */
  private async notAsked(kind: ReviewKind, spaces: ReadonlySet<string>): Promise<string[]> {
    const rows = await this.parts.db.query<{ space: string }>(
      `select q.space from question q join round r on r.id = q.round
       where q.space = any($1) and q.state in ('planned', 'open') and r.doc->>'kind' = $2`,
      [[...spaces], kind],
    );
    const asked = new Set(rows.map((r) => r.space));
    return [...spaces].filter((s) => !asked.has(s));
  }

  /** Begins what the rhythms of sensitivities want asked by now. */
  private async inRhythm(): Promise<void> {
    for (const { sensitivity, spaces } of await this.charters.dueForReview()) {
      const { kind } = sensitivity.review!;
      const round = roundSchema.parse({
        name: `${reviewOf(kind).name}: ${sensitivity.name}, ${dayOf(this.parts.clock())}`,
        kind,
        where: 'true',
        spaces: spaces.slice(0, MOST_SPACES),
        weeks: WEEKS_IN_RHYTHM,
      });
      await this.beginFor(round, BY_ITSELF, BY_ITSELF);
    }
  }

  async list(): Promise<RoundRow[]> {
    const rows = await this.parts.db.query<RoundHead & Counts>(`${COUNTED} group by r.id order by r.id desc`);
    return rows.map(rowOf);
  }

  async one(id: number): Promise<RoundPage> {
    const { db } = this.parts;
    const [row] = await db.query<RoundHead & Counts>(`${COUNTED} where r.id = $1 group by r.id`, [id]);
    if (!row) throw new AppError('no-round', 404, 'There is no such round.');
    const list = await db.query<
      Question & { asked: string[] | null; answered: number; removed: number; by: string[] | null }
    >(
      `select ${QUESTION}, (select array_agg(coalesce(nullif(p.name, ''), p.address) order by p.n) from question_person p where p.question = q.id) as asked,
         count(t.answer)::int as answered, (count(*) filter (where t.answer->>'what' <> 'keep'))::int as removed,
         array_agg(distinct t.answer->>'by') filter (where t.answer->>'by' <> '') as by
       from question q left join question_thing t on t.question = q.id where q.round = $1 group by q.id order by q.next_at nulls last, q.id`,
      [id],
    );
    const questions = list.map((q): RoundQuestion => ({
      id: q.id,
      key: q.space,
      space: q.space_name,
      workspace: q.workspace,
      department: q.department,
      asked: q.asked ?? [],
      state: q.state,
      at: (q.state === 'planned' ? (q.next_at ?? q.made_at) : q.until).toISOString(),
      reminded: q.reminded,
      things: q.things,
      answered: q.answered,
      removed: q.removed,
      answeredBy: q.by ?? [],
    }));
    const departments = new Map<string, RoundPage['departments'][number]>();
    for (const q of questions) {
      const d = departments.get(q.department) ?? {
        name: q.department || 'No department',
        spaces: 0,
        done: 0,
        things: 0,
        answered: 0,
      };
      departments.set(q.department, d);
      d.spaces++;
      d.done += isDone(q) ? 1 : 0;
      d.things += q.things;
      d.answered += q.answered;
    }
    const owners = await db.query<RoundPage['owners'][number]>(
      `select p.name, p.address, count(distinct q.id)::int as spaces, (count(distinct q.id) filter (where q.state = 'open'))::int as open,
         count(t.n)::int as things, count(t.answer)::int as answered
       from question_person p join question q on q.id = p.question left join question_thing t on t.question = q.id
       where q.round = $1 group by p.name, p.address order by open desc, things desc, p.address`,
      [id],
    );
    const plans = await db.query<{ id: number; name: string; state: string; made_at: Date; changes: number }>(
      `select p.id, p.name, p.state, p.made_at, (select count(*)::int from plan_change c where c.plan = p.id) as changes
       from plan p where p.id in (select t.plan from question_thing t join question q on q.id = t.question where q.round = $1) order by p.id desc`,
      [id],
    );
    return {
      ...rowOf(row),
      departments: [...departments.values()].sort(
        (a, b) => b.spaces - b.done - (a.spaces - a.done) || b.things - a.things,
      ),
      owners,
      questions,
      plans: plans.map(({ made_at, ...p }) => ({ ...p, at: made_at.toISOString() })),
    };
  }

  /** Everything that a round asks about, with what was answered and what came of it. */
  async answers(
    { round, text }: { round: number; text?: string | undefined },
    { limit, offset }: { limit: number; offset: number },
  ): Promise<{ rows: RoundAnswer[]; total: number }> {
    await roundOf(this.parts.db, round);
    const rows = await this.parts.db.query<Thing & { space: string; asked: string[]; total: number }>(
      `select t.*, q.space_name as space, count(*) over ()::int as total,
         array(select p.address from question_person p where p.question = q.id order by p.n) as asked
       from question_thing t join question q on q.id = t.question where q.round = $1
         and ($2::text is null or position(lower($2) in lower(q.space_name || ' ' || (t.doc->>'name') || ' ' || (t.doc->>'detail'))) > 0)
       order by q.id, t.n limit $3 offset $4`,
      [round, text ?? null, limit, offset],
    );
    return {
      rows: rows.map(({ space, asked, doc, answer, outcome, why, plan }) => ({
        space,
        asked,
        name: doc.name,
        detail: doc.detail,
        answer,
        outcome,
        why,
        plan,
      })),
      total: rows[0]?.total ?? 0,
    };
  }

  // --- what stewards do about questions that are open

  /** Reminds those who are asked; of all that is open where no questions are given. */
  async remind(id: number, questions: readonly number[], by: string): Promise<void> {
    await this.change(id, questions, by, 'round.reminded', {}, toRemind);
  }

  /** Gives more time, until and including a day. */
  async extend(id: number, questions: readonly number[], day: string, by: string): Promise<void> {
    mustCome(day, this.parts.clock());
    const until = new Date(Date.parse(day) + DAY);
    await this.change(id, questions, by, 'round.extended', { until: day }, (tx, ids) =>
      tx.query(
        `update question set until = $2, next_at = least($2, greatest(next_at, $3)) where id = any($1) and state = 'open' and until < $2`,
        [ids, until, this.parts.clock()],
      ),
    );
  }

  /** Has somebody else be asked instead, by address: a person of the organisation. */
  async reassign(id: number, questions: readonly number[], person: string, by: string): Promise<void> {
    const found = await personAt(this.parts.engine, person);
    await this.change(id, questions, by, 'round.reassigned', { to: found.address }, async (tx, ids) => {
      await tx.query('delete from question_person where question = any($1)', [ids]);
      await this.asking.askAlso(
        tx,
        id,
        ids.map((question) => ({ question, people: [found] })),
      );
    });
  }

  /** Answers what is still open of some questions, for those who were asked, with a reason. */
  async answerFor(
    id: number,
    questions: readonly number[],
    given: { what: ReviewAnswer; reason: string },
    by: string,
  ): Promise<void> {
    await this.change(
      id,
      questions,
      by,
      'round.answered',
      given,
      (tx, ids) => this.desk.answerAll(tx, ids, given, by),
      ['open', 'over'],
    );
    // what is kept may be known by another day now
    await this.charters.changed();
  }

  /** Ends a round: what is not answered stays as it is, and links open nothing any more. */
  async end(id: number, by: string): Promise<void> {
    const { db, ledger, clock } = this.parts;
    await roundOf(db, id);
    await db.transaction(async (tx) => {
      await tx.query("update round set state = 'ended', ended_at = $2 where id = $1", [id, clock()]);
      await tx.query(
        "update question set state = 'withdrawn', next_at = null where round = $1 and state in ('planned', 'open')",
        [id],
      );
      await ledger.add({ who: by, what: 'round.ended', subject: `round ${id}` }, tx);
    });
  }

  private async change(
    id: number,
    questions: readonly number[],
    by: string,
    what: string,
    after: object,
    does: (tx: Db, ids: number[]) => Promise<unknown>,
    states: readonly string[] = ['open'],
  ): Promise<void> {
    const { db, ledger, jobs } = this.parts;
    await roundOf(db, id);
    await db.transaction(async (tx) => {
      const rows = await tx.query<{ id: number }>(
        `select id from question where round = $1 and state = any($3) and (cardinality($2::int[]) = 0 or id = any($2)) for update`,
        [id, questions, states],
      );
      if (!rows.length)
        throw new AppError(
          'none-open',
          409,
          'None of these questions is open any more. Look at the round again.',
        );
      await does(
        tx,
        rows.map((r) => r.id),
      );
      await ledger.add(
        { who: by, what, subject: `round ${id}`, after: { ...after, questions: rows.map((r) => r.id) } },
        tx,
      );
      await this.asking.due(tx);
    });
    await jobs.look();
  }
}

/** A round about chosen spaces that begins without anybody having set more of it. */
const aboutSpaces = (
  spaces: readonly string[],
  { name, kind, days }: { name: string; kind: ReviewKind; days: number },
): Round =>
  roundSchema.parse({
    name: name.slice(0, 200),
    kind,
    where: 'true',
    spaces: spaces.slice(0, MOST_SPACES),
    days,
    remind: USUAL_REMINDERS.filter((d) => d < days),
  });

interface Counts {
  spaces: number;
  done: number;
  things: number;
  answered: number;
  removed: number;
  until: Date | null;
}
const COUNTED = `select r.*, count(q.id)::int as spaces, (count(q.id) filter (where q.state not in ('planned', 'open')))::int as done,
  sum(q.things)::int as things, sum(coalesce(a.answered, 0))::int as answered, sum(coalesce(a.removed, 0))::int as removed, max(q.until) as until
  from round r left join question q on q.round = r.id left join lateral (select count(t.answer) as answered,
    count(*) filter (where t.answer->>'what' <> 'keep') as removed from question_thing t where t.question = q.id) a on true`;

const isDone = (q: { state: string }): boolean => q.state !== 'planned' && q.state !== 'open';

const rowOf = (r: RoundHead & Counts): RoundRow => ({
  id: r.id,
  round: r.doc,
  state: r.state,
  madeAt: r.made_at.toISOString(),
  madeBy: r.made_by,
  endedAt: r.ended_at?.toISOString() ?? null,
  until: r.until?.toISOString() ?? null,
  spaces: r.spaces,
  done: r.done,
  things: r.things ?? 0,
  answered: r.answered ?? 0,
  removed: r.removed ?? 0,
});
