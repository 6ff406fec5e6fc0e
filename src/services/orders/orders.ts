/** Standing orders: written, changed, tried, and what their runs have done. */
import { compileFilter, FilterError, USUAL_STEPS } from '../../core/filter/filter.ts';
import { eventGetters } from '../../core/guard/events.ts';
import { durationMs } from '../../core/guard/patterns.ts';
import type { Wrong } from '../../core/guard/policy.ts';
import { laterBy, programOf, waitsUntil } from '../../core/orders/program.ts';
import { readOrder } from '../../core/orders/read.ts';
import { thingSubject, type AnswerName, type Order } from '../../core/orders/schema.ts';
import { withBefore } from '../../core/orders/fields.ts';
import { lower, stepWords, toWords } from '../../core/orders/words.ts';
import type {
  Coaching,
  CoachingRow,
  Foreseen,
  OrderPage,
  OrderRow,
  RunPage,
  RunsPage,
} from '../../dto/orders.ts';
import type { QueryOfTable } from '../../dto/tables.ts';
import type { Db } from '../../store/db.ts';
import { readSchedule } from '../../store/settings.ts';
import { dayOf, mustCome } from '../days.ts';
import { AppError } from '../errors.ts';
import { EVENT_COLUMNS, eventOf, type KeptEvent } from '../happened/log.ts';
import { SITE } from '../messages/links.ts';
import { wrongTemplate } from '../messages/templates.ts';
import { wrongWords } from '../policies/rows.ts';
import { Begin } from './begin.ts';
import type { OrderParts } from './parts.ts';
import { Questions } from './questions.ts';
import {
  accepted,
  answered,
  CURRENT_ORDERS,
  did,
  docOf,
  emptyDoc,
  hasReason,
  orderOf,
  RUN,
  runOf,
  runRow,
  setRun,
  type KeptOrder,
  type RunDoc,
  type RunWithOrder,
} from './rows.ts';
import { Runs } from './runs.ts';
import { readersOf, said, subjectOf, takingMessages, toldBy } from './texts.ts';

const DAY = 86_400_000;
const MONTH = 30 * DAY;
/** A trial counts over so many events at most. */
const MOST_COUNTED = 50_000;

export class Orders {
  readonly questions: Questions;
  readonly runs: Runs;
  readonly begin: Begin;

  constructor(private readonly parts: OrderParts) {
    this.questions = new Questions(parts);
    this.runs = new Runs(parts, this.questions);
    this.begin = new Begin(parts, (tx) => this.runs.due(tx));
  }

  async start(): Promise<void> {
    await this.begin.start();
    await this.runs.start();
  }

  async close(): Promise<void> {
    this.runs.close();
    await this.begin.close();
  }

  // --- what is ordered

  async list(): Promise<OrderRow[]> {
    const rows = await this.parts.db.query<KeptOrder & Counts>(
      `${COUNTED} order by lower(c.doc->>'name'), c.id`,
      [new Date(this.parts.clock().getTime() - MONTH)],
    );
    return rows.map(rowOf);
  }

  async one(id: number): Promise<OrderPage> {
    const { db, clock } = this.parts;
    const [row] = await db.query<KeptOrder & Counts>(`${COUNTED} where c.id = $2`, [
      new Date(clock().getTime() - MONTH),
      id,
    ]);
    if (!row) throw new AppError('no-order', 404, 'There is no such standing order any more.');
    const versions = await db.query<{ version: number; made_at: Date; made_by: string }>(
      'select version, made_at, made_by from standing_order_version where standing_order = $1 order by version desc',
      [id],
    );
    const exceptions = await db.query<{
      id: number;
      name: string;
      until: string;
      reason: string;
      made_by: string;
    }>(
      `select id, name, until::text as until, reason, made_by from order_exception
       where standing_order = $1 and ended_at is null and until >= $2::date order by id desc`,
      [id, dayOf(clock())],
    );
    const trouble = this.begin.troubles().get(id);
    return {
      ...rowOf(row),
      versions: versions.map((v) => ({
        version: v.version,
        madeAt: v.made_at.toISOString(),
        madeBy: v.made_by,
      })),
      exceptions: exceptions.map(({ made_by: madeBy, ...x }) => ({ ...x, madeBy })),
      wrong: [...this.check(row.doc).wrong, ...(trouble ? [{ at: 'if', why: trouble }] : [])],
    };
  }

  async version(id: number, version: number): Promise<Order> {
    const [row] = await this.parts.db.query<{ doc: Order }>(
      'select doc from standing_order_version where standing_order = $1 and version = $2',
      [id, version],
    );
    if (!row) throw new AppError('no-version', 404, 'There is no such version of this order.');
    return row.doc;
  }

  /** Channels that can be told. */
  async channels(): Promise<{ id: string; name: string }[]> {
    return (await this.parts.engine.ask.channels(undefined, await takingMessages(this.parts))) ?? [];
  }

  /** All that is wrong with an order. */
  check(given: unknown): { order?: Order; wrong: Wrong[] } {
    return readOrder(given, wrongTemplate);
  }

  private read(given: unknown): Order {
    const { order, wrong } = this.check(given);
    if (!order) throw new AppError('order', 422, wrongWords(wrong));
    return order;
  }

  /** Keeps a new order, or another version of one; `from`: the version that was changed, which must still be the newest. */
  async put(
    given: unknown,
    by: string,
    id?: number,
    from?: number,
  ): Promise<{ id: number; version: number }> {
    const doc = this.read(given);
    const { db, ledger, clock, jobs } = this.parts;
    const made = await db.transaction(async (tx) => {
      const before = id === undefined ? undefined : await orderOf(tx, id);
      if (before && from !== before.version)
        throw new AppError(
          'changed-meanwhile',
          409,
          `This order was changed meanwhile by ${before.made_by}. Look at their version, then make your change again.`,
        );
      const version = (before?.version ?? 0) + 1;
      const [row] = before
        ? await tx.query<{ id: number }>(
            'update standing_order set version = $2 where id = $1 returning id',
            [id, version],
          )
        : await tx.query<{ id: number }>('insert into standing_order (version) values (1) returning id');
      await tx.query(
        'insert into standing_order_version (standing_order, version, doc, made_at, made_by) values ($1, $2, $3, $4, $5)',
        [row!.id, version, JSON.stringify(doc), clock(), by],
      );
      await ledger.add(
        {
          who: by,
          what: before ? 'order.changed' : 'order.made',
          subject: `order ${row!.id}`,
          ...(before && { before: { version: before.version, order: before.doc } }),
          after: { version, order: doc },
        },
        tx,
      );
      await this.begin.schedule(tx, row!.id, doc);
      return { id: row!.id, version };
    });
    await this.begin.changed();
    await jobs.look();
    this.parts.events.emit({ type: 'policies' });
    return made;
  }

  /** It begins no more. Runs that are under way are cancelled. */
  async remove(id: number, by: string): Promise<void> {
    const { db, ledger, clock } = this.parts;
    await db.transaction(async (tx) => {
      const { doc, version } = await orderOf(tx, id);
      await tx.query('update standing_order set removed_at = $2 where id = $1', [id, clock()]);
      await this.begin.schedule(tx, id, undefined);
      for (const run of await tx.query<RunWithOrder>(
        `${RUN} where r.standing_order = $1 and r.ended_at is null`,
        [id],
      ))
        await this.cancelIn(tx, run, `The order was removed by ${by}.`);
      await ledger.add(
        { who: by, what: 'order.removed', subject: `order ${id}`, before: { version, name: doc.name } },
        tx,
      );
    });
    await this.begin.changed();
    this.parts.events.emit({ type: 'policies' });
  }

  // --- its runs

  async runList(q: QueryOfTable<'runs'>, page: { limit: number; offset: number }): Promise<RunsPage> {
    const rows = await this.parts.db.query<RunWithOrder & { total: number }>(
      `select r.*, count(*) over ()::int as total from (${RUN}) r
       where ($1::int is null or r.standing_order = $1)
         and ($2 = 'all' or ($2 = 'over' and r.ended_at is not null) or ($2 = 'trouble' and r.state in ('failed', 'held'))
           or ($2 = 'under-way' and r.ended_at is null))
         and ($3::text is null or position($3 in lower(r."order"->>'name' || ' ' || coalesce(r.doc->'event'->>'actorName', '') || ' ' || coalesce(r.doc->'event'->>'name', ''))) > 0)
         and ($6::text is null or r.doc->'things' ? $6 or r.doc->>'actor' = $6 or (r.doc->>'signal')::int in
           (select s.about from happened h join signal_event e on e.seq = h.seq join signal s on s.id = e.signal where h.node_key = $6))
       order by r.id desc limit $4 offset $5`,
      [q.order ?? null, q.show, q.text?.toLowerCase() ?? null, page.limit, page.offset, q.key ?? null],
    );
    const named = await this.named(rows);
    return { rows: rows.map((r, n) => ({ ...runRow(r), ...named[n] })), total: rows[0]?.total ?? 0 };
  }

  /** What runs are about by name, where it is known. */
  private async named(rows: readonly RunWithOrder[]): Promise<({ thing: string } | undefined)[]> {
    const keys = rows.map((r) => r.doc.things[0] ?? '');
    const facts = await this.parts.engine.ask.thingFacts(undefined, keys);
    return rows.map((_, n) => (facts?.[n] ? { thing: facts[n].name } : undefined));
  }

  async run(id: number): Promise<RunPage> {
    const { db, clock } = this.parts;
    const r = await runOf(db, id);
    const subject = await subjectOf(this.parts, db, r.doc);
    const [done, messages, questions, suspended, excepted] = await Promise.all([
      db.query<{ time: Date; what: string; words: string; plan: number | null; plan_state: string | null }>(
        'select d.*, p.state as plan_state from order_did d left join plan p on p.id = d.plan where d.run = $1 order by d.seq',
        [id],
      ),
      db.query<{
        id: number;
        recipient: string;
        name: string;
        subject: string;
        state: string;
        sent_at: Date | null;
      }>(
        "select id::int as id, recipient, name, subject, state, sent_at from message where key like 'order:' || $1::int || ':%' order by id",
        [id],
      ),
      db.query<{
        id: number;
        subject: string;
        asked: string[];
        until: Date;
        state: string;
        answer: RunPage['questions'][number]['answer'];
      }>(
        `select q.id, q.subject, q.until, q.state, q.answer,
           (select coalesce(jsonb_agg(coalesce(nullif(p.name, ''), p.address) order by p.n), '[]') from question_person p where p.question = q.id) as asked
         from question q where q.run = $1 order by q.id`,
        [id],
      ),
      db.query<{ id: number; name: string; at: Date; ended_at: Date | null }>(
        'select id, name, at, ended_at from sharing_suspended where run = $1 order by id',
        [id],
      ),
      db.query<{ until: string }>(
        'select until::text as until from order_exception where standing_order = $1 and about = $2 and ended_at is null and until >= $3::date',
        [r.standing_order, r.about, dayOf(clock())],
      ),
    ]);
    const things = subject.facts.flatMap((f) => f ?? []).sort((a, b) => b.weight - a.weight);
    return {
      ...runRow(r),
      ...(things[0] && { thing: things[0].name }),
      things: things.length,
      actorKey: r.doc.actor,
      about: things.map(({ open, name, path, weight, types }) => ({ key: open, name, path, weight, types })),
      target: r.doc.event ? r.doc.event.targetName || r.doc.event.target : '',
      signal: r.doc.signal,
      did: done.map((d) => ({
        at: d.time.toISOString(),
        what: d.what,
        words: d.words,
        plan: d.plan,
        planState: d.plan_state,
      })),
      steps: programOf(r.order.steps).map(({ step, depth }, n) => ({
        words: stepWords(step),
        depth,
        here: n === r.at && !r.ended_at,
      })),
      messages: messages.map((m) => ({
        id: m.id,
        recipient: m.recipient,
        name: m.name,
        subject: m.subject,
        state: m.state,
        sentAt: m.sent_at?.toISOString() ?? null,
      })),
      questions: questions.map((q) => ({ ...q, until: q.until.toISOString() })),
      suspended: suspended.map((s) => ({
        id: s.id,
        name: s.name,
        at: s.at.toISOString(),
        over: s.ended_at !== null,
      })),
      excepted: excepted[0]?.until ?? null,
    };
  }

  private async cancelIn(tx: Db, run: RunWithOrder, words: string): Promise<void> {
    const now = this.parts.clock();
    if (!(await setRun(tx, run, { state: 'cancelled' }, now))) return;
    await this.questions.withdraw(tx, run.id);
    await tx.query(
      "update message set state = 'dropped' where key like 'order:' || $1::int || ':%' and state in ('waiting', 'gathered')",
      [run.id],
    );
    await did(tx, run.id, run.at, now, 'cancelled', words);
  }

  /** Ends runs; what they did stays, what was not sent is not. */
  async cancel(ids: readonly number[], by: string): Promise<void> {
    const { db, ledger } = this.parts;
    await db.transaction(async (tx) => {
      for (const id of ids) {
        const run = await runOf(tx, id);
        if (run.ended_at) continue;
        await this.cancelIn(tx, run, `Cancelled by ${by}.`);
        await ledger.add(
          { who: by, what: 'run.cancelled', subject: `run ${id}`, before: { state: run.state } },
          tx,
        );
      }
    });
    this.parts.events.emit({ type: 'policies' });
  }

  /** Goes on now: a wait is skipped, what was held or has failed is tried again. */
  async goOn(ids: readonly number[], by: string): Promise<void> {
    const { db, ledger, clock, jobs } = this.parts;
    await db.transaction(async (tx) => {
      for (const id of ids) {
        const run = await runOf(tx, id);
        if (run.ended_at) throw new AppError('run-over', 409, 'This run is at its end.');
        const next = run.state === 'failed' || run.state === 'held' ? 'ready' : run.state;
        if (run.state === 'asked')
          throw new AppError(
            'run-asked',
            409,
            'Somebody was asked, and it goes on when they answer or the time is over.',
          );
        await setRun(
          tx,
          run,
          {
            state: next,
            due: clock(),
            doc: { arrived: clock().getTime(), ...(run.state === 'held' && { released: true }) },
          },
          clock(),
        );
        await did(
          tx,
          id,
          run.at,
          clock(),
          'hurried',
          run.state === 'waiting' ? `${by} has skipped the wait.` : `${by} lets it go on.`,
        );
        await ledger.add(
          { who: by, what: 'run.hurried', subject: `run ${id}`, before: { state: run.state } },
          tx,
        );
      }
      await this.runs.due(tx);
    });
    await jobs.look();
  }

  /** Accepts what a run is about until a day: the run ends, and none begins about the same until then. */
  async accept(id: number, until: string, reason: string, by: string): Promise<void> {
    const { db, ledger, clock } = this.parts;
    mustCome(until, clock());
    await db.transaction(async (tx) => {
      const run = await runOf(tx, id);
      await accepted(tx, ledger, run, { until, reason, by }, clock());
      if (!run.ended_at) await this.cancelIn(tx, run, `Accepted by ${by} until ${until}: ${reason}`);
    });
    this.parts.events.emit({ type: 'policies' });
  }

  async endException(id: number, by: string): Promise<void> {
    const { db, ledger, clock } = this.parts;
    await db.transaction(async (tx) => {
      const [row] = await tx.query<{ standing_order: number; about: string }>(
        'update order_exception set ended_at = $2 where id = $1 and ended_at is null returning standing_order, about',
        [id, clock()],
      );
      if (!row) throw new AppError('no-exception', 404, 'There is no such exception any more.');
      await ledger.add(
        {
          who: by,
          what: 'order.exception-ended',
          subject: `order ${row.standing_order}`,
          before: { about: row.about },
        },
        tx,
      );
    });
  }

  // --- suspended sharing

  /** Keys of those whose sharing is suspended. */
  async suspended(): Promise<
    { id: number; key: string; name: string; reason: string; at: string; run: number | null }[]
  > {
    const rows = await this.parts.db.query<{
      id: number;
      key: string;
      name: string;
      reason: string;
      at: Date;
      run: number | null;
    }>(
      'select id, key, name, reason, at, run from sharing_suspended where ended_at is null order by id desc',
    );
    return rows.map((r) => ({ ...r, at: r.at.toISOString() }));
  }

  /** Lets somebody share again. */
  async letShare(id: number, by: string): Promise<void> {
    const { db, ledger, clock } = this.parts;
    await db.transaction(async (tx) => {
      const [row] = await tx.query<{ key: string }>(
        'update sharing_suspended set ended_at = $2, ended_by = $3 where id = $1 and ended_at is null returning key',
        [id, clock(), by],
      );
      if (!row) throw new AppError('not-suspended', 404, 'They can share already.');
      await ledger.add({ who: by, what: 'sharing.let', subject: row.key }, tx);
    });
    await this.runs.onSuspended();
    this.parts.events.emit({ type: 'policies' });
  }

  // --- trial

  /** How an order would go: on an event, or on the last that fits; `answered`: what is taken for granted of questions. */
  async foresee(
    given: unknown,
    assume: { answered: AnswerName | 'none'; still: boolean },
  ): Promise<{ foreseen?: Foreseen; wrong: Wrong[] }> {
    const { order, wrong } = this.check(given);
    if (!order) return { wrong };
    const found = await this.example(order);
    const { db, mail } = this.parts;
    const { site } = mail;
    const counted = await this.counted(order);
    if (!found)
      throw new AppError(
        'no-example',
        404,
        'Nothing that has happened fits it yet, so there is nothing to show it on.',
      );
    const { doc, at: from, about } = found;
    const { zone } = await readSchedule(db);
    const subject = await subjectOf(this.parts, db, doc);
    let now = from;
    let run: RunDoc = doc;
    const lines: Foreseen['lines'] = [];
    const program = programOf(order.steps);
    for (let at = 0; at < program.length;) {
      const { step, depth, next, yes, no } = program[at]!;
      const line: Foreseen['lines'][number] = {
        at: now.toISOString(),
        words: stepWords(step),
        depth,
        messages: [],
        assumed: null,
      };
      lines.push(line);
      at = next;
      if (step.do === 'wait') {
        now = waitsUntil(step, now, zone);
      } else if (step.do === 'tell' || step.do === 'ask') {
        const told = await toldBy(this.parts, db, subject, step.to);
        const until = step.do === 'ask' ? laterBy(now, step.within, zone) : undefined;
        const shown = told.slice(0, 10);
        const readers = await readersOf(db, shown);
        for (const [n, to] of shown.entries()) {
          const saying = {
            order,
            doc: run,
            run: 0,
            subject,
            times: 1,
            ...(until && { link: `${SITE}/answer#…`, until }),
          };
          const text = said(saying, step, readers[n]!);
          line.messages.push({
            to: to.name ? `${to.name} <${to.recipient}>` : to.recipient,
            subject: text.subject,
            body: text.body.replaceAll(SITE, site),
          });
        }
        if (step.do === 'ask') {
          const answer = !step.answers.includes(assume.answered as AnswerName)
            ? ('none' as const)
            : {
                what: assume.answered as AnswerName,
                reason: 'It was agreed with a customer or partner',
                words: '',
                until: null,
                by: told[0]?.name ?? '',
                at: now.toISOString(),
              };
          if (answer === 'none') now = until!;
          line.assumed = answer === 'none' ? 'Nobody answers.' : 'It is answered at once.';
          run = { ...run, answer };
        }
      } else if (step.do === 'branch') {
        const { on } = step;
        let so: boolean;
        if ('answer' in on) so = on.answer.includes(answered(run));
        else if ('reason' in on) so = hasReason(run, on.reason);
        else if ('event' in on)
          so =
            doc.event !== null &&
            compileFilter(on.event, 'events', eventGetters, now.getTime(), USUAL_STEPS)(doc.event);
        else if ('still' in on) so = assume.still;
        else
          so =
            (await this.parts.engine.ask.thingFits(undefined, subject, thingSubject(order.when), on.if)) ===
            true;
        line.assumed = so ? 'Yes.' : 'No.';
        at = (so ? yes : no)!;
      } else if (step.do === 'look') {
        line.assumed = assume.still ? 'It still is.' : 'It is not: the run ends here.';
        if (!assume.still) break;
      } else if (step.do === 'change' || step.do === 'suspend-sharing')
        run = { ...run, changed: `Done: ${lower(line.words)}.` };
      else if (step.do === 'stop' || step.do === 'accept') break;
    }
    const missing: string[] = [];
    for (const { step } of withBefore(order.steps))
      if (step.do === 'tell' || step.do === 'ask')
        for (const to of step.to)
          if (('group' in to || 'channel' in to) && !(await toldBy(this.parts, db, subject, [to])).length)
            missing.push(toWords(to));
    return {
      foreseen: { about, at: from.toISOString(), lines, missing: [...new Set(missing)], ...counted },
      wrong: [],
    };
  }

  /** Something that happened and that an order would begin with: the last there is. */
  private async example(order: Order): Promise<{ doc: RunDoc; at: Date; about: string } | undefined> {
    const { db, engine, clock } = this.parts;
    const none = emptyDoc(clock());
    const { when } = order;
    if ('event' in when || 'signal' in when) {
      const rows = await db.query<KeptEvent & { signal: number | null }>(
        'event' in when
          ? `select ${EVENT_COLUMNS}, null as signal from happened where type = any($1) order by time desc limit 2000`
          : `select h.*, s.about::int as signal from signal s
             join signal_pattern_version v on v.pattern = s.pattern and v.version = s.version
             join signal_event e on e.signal = s.id join happened h on h.seq = e.seq where v.doc->>'name' = any($1) order by s.last_at desc, h.time limit 500`,
        ['event' in when ? when.event : [when.signal]],
      );
      const fits = compileFilter(order.if, 'events', eventGetters, clock().getTime(), 1e6);
      const kept = rows.find((r) => fits(eventOf(r)));
      if (!kept) return undefined;
      const event = eventOf(kept);
      const about = [event.actorName || event.actor, event.name, event.targetName || event.target];
      return {
        at: kept.time,
        about: about.filter(Boolean).join(' · '),
        doc: { ...none, ...docOf(kept, kept.signal) },
      };
    }
    if ('policy' in when) {
      const [hit] = await db.query<{ key: string; since: Date; name: string }>(
        `select h.key, h.since, h.doc->>'name' as name from rule_hit h join policy p on p.id = h.policy
         where p.name = $1 and h.rule = $2 and p.removed_at is null order by h.since desc, h.id limit 1`,
        [when.policy, when.rule],
      );
      return hit && { at: hit.since, about: hit.name, doc: { ...none, things: [hit.key] } };
    }
    const date = when.date && { field: when.date.field, before: durationMs(when.date.before)! };
    const [first] =
      (await engine.ask.orderFits(undefined, when.subject, order.if, date, clock().getTime())) ?? [];
    if (!first) return undefined;
    const [facts] = (await engine.ask.thingFacts(undefined, [first.key])) ?? [];
    return { at: clock(), about: facts?.name ?? first.key, doc: { ...none, things: [first.key] } };
  }

  /** How often an order would have begun in 30 days. */
  private async counted(order: Order): Promise<Pick<Foreseen, 'times' | 'people' | 'whole'>> {
    const { db, engine, clock } = this.parts;
    const since = new Date(clock().getTime() - MONTH);
    const { when } = order;
    if ('event' in when) {
      const rows = await db.query<KeptEvent>(
        `select ${EVENT_COLUMNS} from happened where type = any($1) and time > $2 order by time desc limit ${MOST_COUNTED}`,
        [when.event, since],
      );
      try {
        const fits = compileFilter(
          order.if,
          'events',
          eventGetters,
          clock().getTime(),
          500 * rows.length + 1e6,
        );
        const hit = rows.filter((r) => fits(eventOf(r)));
        return {
          times: hit.length,
          people: new Set(hit.map((r) => r.actor_key || r.doc.actor)).size,
          whole: rows.length < MOST_COUNTED,
        };
      } catch (e) {
        if (!(e instanceof FilterError)) throw e;
        throw new AppError('order', 422, e.message);
      }
    }
    if ('signal' in when) {
      const [row] = await db.query<{ n: number; people: number }>(
        `select count(*)::int as n, count(distinct s.key)::int as people from signal s
         join signal_pattern_version v on v.pattern = s.pattern and v.version = s.version where v.doc->>'name' = $1 and s.found_at > $2`,
        [when.signal, since],
      );
      return { times: row!.n, people: row!.people, whole: true };
    }
    if ('policy' in when) {
      const [row] = await db.query<{ n: number }>(
        'select count(*)::int as n from rule_hit h join policy p on p.id = h.policy where p.name = $1 and h.rule = $2 and h.since > $3',
        [when.policy, when.rule, since],
      );
      return { times: row!.n, people: 0, whole: true };
    }
    const date = when.date && { field: when.date.field, before: durationMs(when.date.before)! };
    const found =
      (await engine.ask.orderFits(undefined, when.subject, order.if, date, clock().getTime())) ?? [];
    return { times: found.length, people: 0, whole: found.length < 1000 };
  }

  // --- coaching

  /** Who was told how often, what they answered, and whether it happened again. */
  async coaching(by: 'person' | 'department'): Promise<Coaching> {
    const { db, clock } = this.parts;
    const rows = await db.query<{
      actor: string;
      name: string;
      department: string;
      began_at: Date;
      what: string | null;
      standing_order: number;
    }>(
      `select r.doc->>'actor' as actor, coalesce(r.doc->'event'->>'actorName', '') as name, coalesce(r.doc->'event'->>'department', '') as department,
         r.began_at, r.standing_order, (select q.answer->>'what' from question q where q.run = r.id and q.answer is not null order by q.id limit 1) as what
       from order_run r where r.doc->>'actor' <> '' and r.began_at > $1
         and exists (select from order_did d where d.run = r.id and d.what in ('asked', 'told')) order by r.began_at`,
      [new Date(clock().getTime() - 365 * DAY)],
    );
    const found = new Map<string, CoachingRow>();
    const months = new Map<string, Coaching['months'][number]>();
    const last = new Map<string, number>();
    for (const r of rows) {
      const key = by === 'person' ? r.actor : r.department || '–';
      const row =
        found.get(key) ??
        found
          .set(key, {
            key,
            name: by === 'person' ? r.name : r.department || 'No department',
            department: r.department,
            notices: 0,
            answered: 0,
            reasons: 0,
            undone: 0,
            notMe: 0,
            again: 0,
            last: '',
          })
          .get(key)!;
      const month = r.began_at.toISOString().slice(0, 7);
      const m =
        months.get(month) ??
        months.set(month, { month, notices: 0, answered: 0, undone: 0, again: 0 }).get(month)!;
      const same = `${r.standing_order} ${r.actor}`;
      const before = last.get(same);
      const again = before !== undefined && r.began_at.getTime() - before <= MONTH;
      last.set(same, r.began_at.getTime());
      row.notices++;
      m.notices++;
      row.last = r.began_at.toISOString();
      if (r.what) {
        row.answered++;
        m.answered++;
      }
      if (r.what === 'reason' || r.what === 'keep') row.reasons++;
      if (r.what === 'undo' || r.what === 'remove') {
        row.undone++;
        m.undone++;
      }
      if (r.what === 'not-me') row.notMe++;
      if (again) {
        row.again++;
        m.again++;
      }
    }
    return {
      rows: [...found.values()].sort(
        (a, b) => b.notices - a.notices || b.again - a.again || (a.name < b.name ? -1 : 1),
      ),
      months: [...months.values()],
    };
  }
}

interface Counts {
  under_way: number;
  begun: number;
  trouble: number;
  last: Date | null;
}
const COUNTED = `select c.*, (select count(*)::int from order_run r where r.standing_order = c.id and r.ended_at is null) as under_way,
    (select count(*)::int from order_run r where r.standing_order = c.id and r.began_at > $1) as begun,
    (select count(*)::int from order_run r where r.standing_order = c.id and r.ended_at is null and r.state in ('failed', 'held')) as trouble,
    (select max(r.began_at) from order_run r where r.standing_order = c.id) as last
  from (${CURRENT_ORDERS}) c`;

const rowOf = (r: KeptOrder & Counts): OrderRow => ({
  id: r.id,
  version: r.version,
  order: r.doc,
  madeAt: r.made_at.toISOString(),
  madeBy: r.made_by,
  underWay: r.under_way,
  begun: r.begun,
  trouble: r.trouble,
  last: r.last?.toISOString() ?? null,
});
