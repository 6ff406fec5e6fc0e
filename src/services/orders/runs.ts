/**
 * Runs of standing orders: each goes on from the step that it is at, in one transaction with all that the step does, so that
 * an end of the application at any moment repeats nothing and loses nothing. What is changed is a plan, which has the same
 * of its own.
 */
import { compileFilter, FilterError, USUAL_STEPS } from '../../core/filter/filter.ts';
import { eventGetters } from '../../core/guard/events.ts';
import type { ReviewKind } from '../../core/ask/kinds.ts';
import { counted } from '../../core/counted.ts';
import { RESPONSES } from '../../core/guard/responses.ts';
import { asPolicy, ONLY_RULE } from '../../core/orders/as-policy.ts';
import { laterBy, programOf, waitsUntil, type Instruction } from '../../core/orders/program.ts';
import { ABOUT_WORDS, lower, spanWords } from '../../core/orders/words.ts';
import { thingSubject, type Step } from '../../core/orders/schema.ts';
import type { GivenAnswer } from '../../dto/orders.ts';
import type { PlanState } from '../../core/remedy/states.ts';
import type { Db } from '../../store/db.ts';
import { readSchedule } from '../../store/settings.ts';
import { dayOf } from '../days.ts';
import { AppError } from '../errors.ts';
import { log } from '../log.ts';
import { answerLink } from '../messages/links.ts';
import type { NewMessage } from '../messages/outbox.ts';
import { beginByItself } from '../plans/begin.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import { calendarOf } from './calendar.ts';
import type { OrderParts } from './parts.ts';
import type { Questions } from './questions.ts';
import {
  accepted,
  answered,
  did,
  GOING_ON,
  hasReason,
  RUN,
  runOf,
  setRun,
  type RunDoc,
  type RunWithOrder,
} from './rows.ts';
import { readersOf, said, subjectOf, timesOf, toldBy, type Saying, type Subject } from './texts.ts';

const AT_ONCE = 100;
const MINUTE = 60_000;
const DAY = 86_400_000;
/** A survey that was taken so long before it is looked again is new enough. */
const FRESH = 10 * MINUTE;
/** How long a newer survey is waited for, and how often it is asked for. */
const PATIENCE = 60 * MINUTE;
const LOOK_AGAIN = 2 * MINUTE;
/** Whether a plan has come to its end is asked so often, where nobody says so. */
const PLAN_AGAIN = 5 * MINUTE;
/** How long after an error a run goes on. */
const AGAIN = [1, 5, 15, 60, 240].map((m) => m * MINUTE);
/** So many plans a day an order makes by itself; then somebody has to look. */
export const MOST_PLANS_A_DAY = 100;

/** So many names and changes are told of in one sentence. */
const FEW = 5;

type Ask = Extract<Step, { do: 'ask' }>;
/** Where a run goes on: at once, or later. */
type Went = 'on' | 'later';
/** What a look needs is not there yet. */
class NotYet extends Error {}

/** A run was ended while a step of it was being done. */
class Ended extends Error {}

export class Runs {
  private closed = false;
  /**
   * Begins a round about the spaces in which some things lie, or joins one of the same name; `also` belongs to it, in its
   * transaction. Gives how many spaces are asked about that were not.
   */
  onReview: (
    keys: readonly string[],
    of: { name: string; kind: ReviewKind; days: number },
    also: (tx: Db, round: number, spaces: number) => Promise<void>,
  ) => Promise<number> = () => Promise.resolve(0);
  /** Called when the list of those whose sharing is suspended is another. */
  onSuspended: () => Promise<void> = () => Promise.resolve();
  /** Called with a run that does not go on by itself, in the transaction that keeps it. */
  onTrouble: (tx: Db, run: RunWithOrder, trouble: string) => Promise<void> = () => Promise.resolve();

  constructor(
    private readonly parts: OrderParts,
    private readonly questions: Questions,
  ) {
    const { jobs, db, events, present } = parts;
    jobs.declare(GOING_ON, {
      broken: 'again',
      quiet: true,
      run: async () => {
        await this.goOn();
        const [next] = await db.query<{ due: Date | null }>(
          'select min(due) as due from order_run where due is not null',
        );
        return { state: 'done', next: next?.due ?? undefined };
      },
    });
    events.listen((e) => {
      if (e.type === 'plan') void this.wake("state = 'changing' and (doc->>'plan')::int = $2", [e.plan]);
    });
    present.subscribe(async () => {
      await this.wake("state = 'looking'", []);
    });
  }

  async start(): Promise<void> {
    await this.parts.jobs.add(this.parts.db, GOING_ON, 0, BY_ITSELF);
  }

  /** Puts it on the list that runs are due, in the transaction that made them so. */
  due(tx: Db): Promise<void> {
    return this.parts.jobs.add(tx, GOING_ON, 0, BY_ITSELF);
  }

  private async wake(which: string, of: readonly number[]): Promise<void> {
    if (this.closed) return;
    try {
      const rows = await this.parts.db.query(
        `update order_run set due = $1 where ended_at is null and ${which} returning id`,
        [this.parts.clock(), ...of],
      );
      if (!rows.length) return;
      await this.due(this.parts.db);
      await this.parts.jobs.look();
    } catch (e) {
      log.error({ err: e }, 'runs could not be woken');
    }
  }

  /** Goes on with everything that is due; what it made, such as messages, is begun after each run. */
  private async goOn(): Promise<void> {
    const { db, jobs, events, clock } = this.parts;
    while (!this.closed) {
      const due = await db.query<RunWithOrder>(
        `${RUN} where r.due <= $1 order by r.due, r.id limit ${AT_ONCE}`,
        [clock()],
      );
      if (!due.length) return;
      for (const run of due) {
        if (this.closed) return;
        await this.advance(run);
        await jobs.look();
      }
      events.emit({ type: 'policies' });
    }
  }

  /** Begins nothing more; what is under way is waited for with its job. */
  close(): void {
    this.closed = true;
  }

  /** Takes a run as far as it goes now. */
  private async advance(first: RunWithOrder): Promise<void> {
    let run = first;
    try {
      for (;;) {
        const one = programOf(run.order.steps)[run.at];
        if (!one) {
          await this.end(run, 'done');
          return;
        }
        if ((await this.step(run, one)) === 'later' || this.closed) return;
        run = await runOf(this.parts.db, run.id);
        if (run.ended_at || !run.due) return;
      }
    } catch (e) {
      await this.failed(run, e);
    }
  }

  private async failed(run: RunWithOrder, e: unknown): Promise<void> {
    const now = this.parts.clock();
    if (e instanceof NotYet) {
      // a newer survey is on its way
      const due = new Date(now.getTime() + LOOK_AGAIN);
      await setRun(this.parts.db, run, { state: 'looking', due }, now);
      return;
    }
    const known = e instanceof AppError || e instanceof FilterError;
    if (!known) log.error({ err: e, run: run.id }, 'a step of a standing order failed');
    const wait = known ? undefined : AGAIN[run.tries];
    await this.parts.db.transaction(async (tx) => {
      const trouble = known ? e.message : 'Something went wrong here; it is in the server’s log.';
      await setRun(
        tx,
        run,
        wait === undefined
          ? { state: 'failed', trouble }
          : { state: run.state, due: new Date(now.getTime() + wait), tries: run.tries + 1, trouble },
        now,
      );
      if (wait !== undefined) return;
      await did(tx, run.id, run.at, now, 'failed', trouble);
      await this.onTrouble(tx, run, trouble);
    });
  }

  private async end(run: RunWithOrder, state: 'done' | 'stopped', words?: string): Promise<void> {
    const now = this.parts.clock();
    await this.parts.db.transaction(async (tx) => {
      if ((await setRun(tx, run, { state }, now)) && words) await did(tx, run.id, run.at, now, state, words);
    });
  }

  /** Goes on to a step, with what this one did; nothing of it is kept where the run was ended meanwhile. */
  private async to(
    run: RunWithOrder,
    at: number,
    what: string,
    words: string,
    more: { doc?: Partial<RunDoc>; plan?: number | null; also?: (tx: Db) => Promise<void> } = {},
  ): Promise<Went> {
    await this.parts.db.transaction(async (tx) => {
      if (await this.toIn(tx, run, at, what, words, more)) await more.also?.(tx);
    });
    return 'on';
  }

  /** The same, in a transaction that is open; false where the run was ended meanwhile. */
  private async toIn(
    tx: Db,
    run: RunWithOrder,
    at: number,
    what: string,
    words: string,
    more: { doc?: Partial<RunDoc>; plan?: number | null } = {},
  ): Promise<boolean> {
    const now = this.parts.clock();
    const doc = { arrived: now.getTime(), ...more.doc };
    if (!(await setRun(tx, run, { state: 'ready', at, due: now, doc }, now))) return false;
    await did(tx, run.id, run.at, now, what, words, more.plan ?? null);
    return true;
  }

  private async step(run: RunWithOrder, one: Instruction): Promise<Went> {
    const { step } = one;
    switch (step.do) {
      case 'wait':
        return this.wait(run, one, step);
      case 'look':
        return this.lookAgain(run, one, step);
      case 'branch':
        return this.branch(run, one, step);
      case 'tell':
        return this.tell(run, one, step);
      case 'ask':
        return this.ask(run, one, step);
      case 'review':
        return this.review(run, one, step);
      case 'change':
        return this.change(run, one, step);
      case 'suspend-sharing':
        return this.suspend(run, one, step);
      case 'accept':
        return this.accept(run, step);
      case 'stop':
        await this.end(run, 'done', 'It stops here, as the order says.');
        return 'later';
    }
  }

  private async accept(run: RunWithOrder, step: Extract<Step, { do: 'accept' }>): Promise<Went> {
    const { db, clock, ledger } = this.parts;
    const { zone } = await readSchedule(db);
    const now = clock();
    const until = dayOf(laterBy(now, step.for, zone));
    const { answer } = run.doc;
    const given = answer && answer !== 'none' ? answer : undefined;
    const reason = [given?.reason, given?.words].filter(Boolean).join(': ') || 'As the order says';
    await db.transaction(async (tx) => {
      if (!(await setRun(tx, run, { state: 'done' }, now))) return;
      await did(tx, run.id, run.at, now, 'accepted', `Accepted until ${until}: ${reason}.`);
      await accepted(tx, ledger, run, { until, reason, by: BY_ITSELF }, now);
    });
    return 'later';
  }

  private async wait(
    run: RunWithOrder,
    one: Instruction,
    step: Extract<Step, { do: 'wait' }>,
  ): Promise<Went> {
    const now = this.parts.clock();
    if (run.state === 'waiting') return this.to(run, one.next, 'waited', 'The wait is over.');
    const { zone } = await readSchedule(this.parts.db);
    await setRun(this.parts.db, run, { state: 'waiting', due: waitsUntil(step, now, zone) }, now);
    return 'later';
  }

  /** What a run is about, on a survey that is new enough to say how it is now. */
  private async fresh(run: RunWithOrder): Promise<Subject> {
    const { db, surveys, clock } = this.parts;
    const [taken] = await db.query<{ taken_at: Date }>('select taken_at from survey where id = $1', [
      this.parts.present.survey ?? -1,
    ]);
    const need = Math.max(run.doc.event?.time ?? 0, run.doc.arrived - FRESH);
    const subject = await subjectOf(this.parts, db, run.doc);
    const live = (await surveys.live()).some(
      (w) => !w.paused && (!subject.source || w.id === subject.source),
    );
    if (live && !(taken && taken.taken_at.getTime() >= need)) {
      if (clock().getTime() - run.doc.arrived > PATIENCE)
        throw new AppError(
          'no-newer-survey',
          409,
          'Nothing newer could be surveyed for an hour, so it is not known how it is now. See Survey › Sources, then try again.',
        );
      if (taken)
        await surveys.start(BY_ITSELF, 'incremental').catch((e: unknown) => {
          // one that runs already will do
          if (!(e instanceof AppError)) throw e;
        });
      throw new NotYet();
    }
    if (!taken) throw new AppError('no-survey', 409, 'Nothing was surveyed yet.');
    return subject;
  }

  private async lookAgain(
    run: RunWithOrder,
    one: Instruction,
    step: Extract<Step, { do: 'look' }>,
  ): Promise<Went> {
    const { engine } = this.parts;
    const subject = await this.fresh(run);
    const still = !step.still || (await engine.ask.stillSo(undefined, subject));
    const fits =
      !step.if || (await engine.ask.thingFits(undefined, subject, thingSubject(run.order.when), step.if));
    if (still && fits) return this.to(run, one.next, 'looked', 'It is still so.');
    await this.end(run, 'stopped', 'It is not so any more: nothing more was done.');
    return 'later';
  }

  private async branch(
    run: RunWithOrder,
    one: Instruction,
    { on }: Extract<Step, { do: 'branch' }>,
  ): Promise<Went> {
    let yes: boolean;
    if ('answer' in on) {
      yes = on.answer.includes(answered(run.doc));
    } else if ('reason' in on) {
      yes = hasReason(run.doc, on.reason);
    } else if ('event' in on) {
      const test = compileFilter(on.event, 'events', eventGetters, this.parts.clock().getTime(), USUAL_STEPS);
      yes = run.doc.event !== null && test(run.doc.event);
    } else {
      const subject = await this.fresh(run);
      yes =
        'still' in on
          ? (await this.parts.engine.ask.stillSo(undefined, subject)) === true
          : (await this.parts.engine.ask.thingFits(
              undefined,
              subject,
              thingSubject(run.order.when),
              on.if,
            )) === true;
    }
    return this.to(run, (yes ? one.yes : one.no)!, 'branched', yes ? 'Yes.' : 'No.');
  }

  /** What a message of a run says to somebody. */
  private async saying(run: RunWithOrder, subject: Subject): Promise<Saying> {
    const times = await timesOf(this.parts.db, run.standing_order, run.doc.actor, run.began_at);
    return { order: run.order, doc: run.doc, run: run.id, subject, times };
  }

  private async tell(
    run: RunWithOrder,
    one: Instruction,
    step: Extract<Step, { do: 'tell' }>,
  ): Promise<Went> {
    const { db } = this.parts;
    const subject = await subjectOf(this.parts, db, run.doc);
    const told = await toldBy(this.parts, db, subject, step.to);
    const saying = await this.saying(run, subject);
    const readers = await readersOf(db, told);
    const messages = told.map((to, n): NewMessage => ({
      key: `order:${run.id}:${run.at}:${to.recipient}`,
      to,
      severity: run.order.severity,
      kind: 'order',
      gathered: step.gathered === true,
      ...said(saying, step, readers[n]!),
    }));
    return this.to(run, one.next, 'told', whom('Told', told), {
      also: (tx) => this.parts.outbox.add(tx, messages),
    });
  }

  /** Asks, or reminds; once it is answered, or too late, does what the answer wants and goes on. */
  private async ask(run: RunWithOrder, one: Instruction, step: Ask): Promise<Went> {
    const wanted = run.state === 'looking' || run.state === 'changing' ? effectOf(run) : undefined;
    if (wanted) return this.change(run, one, wanted);
    if (run.state !== 'asked') return this.put(run, one, step, undefined);
    const question = await this.questions.ofRun(run.id, run.at);
    return question?.state === 'open' && question.until > this.parts.clock()
      ? this.put(run, one, step, question)
      : this.answered(run, one, step, question?.answer ?? 'none');
  }

  private async answered(
    run: RunWithOrder,
    one: Instruction,
    step: Ask,
    answer: GivenAnswer | 'none',
  ): Promise<Went> {
    const words =
      answer === 'none'
        ? `Nobody has answered within ${spanWords(step.within)}.`
        : this.questions.words(answer);
    if (!effectOf({ ...run, doc: { ...run.doc, answer } }))
      return this.to(run, one.next, 'answered', words, {
        doc: { answer },
        also: (tx) => this.questions.over(tx, run.id, run.at),
      });
    // what they want is done first
    const now = this.parts.clock();
    await this.parts.db.transaction(async (tx) => {
      const doc = { answer, arrived: now.getTime() };
      if (await setRun(tx, run, { state: 'looking', due: now, doc }, now))
        await did(tx, run.id, run.at, now, 'answered', words);
    });
    return 'on';
  }

  /** Puts a question, or reminds of one. */
  private async put(
    run: RunWithOrder,
    one: Instruction,
    step: Ask,
    asked: { until: Date } | undefined,
  ): Promise<Went> {
    const { db, clock, outbox } = this.parts;
    const now = clock();
    const { zone } = await readSchedule(db);
    const subject = await subjectOf(this.parts, db, run.doc);
    const told = (await toldBy(this.parts, db, subject, step.to)).filter((t) => t.way === 'mail');
    if (!told.length)
      return this.to(
        run,
        one.next,
        'asked',
        'There is nobody to ask: it goes on as if nobody had answered.',
        { doc: { answer: 'none' } },
      );
    const until = asked?.until ?? laterBy(now, step.within, zone);
    const reminded = asked ? run.doc.reminded + 1 : 0;
    const next = step.remind ? laterBy(now, step.remind, zone) : until;
    const saying = await this.saying(run, subject);
    await db.transaction(async (tx) => {
      const due = next < until ? next : until;
      if (!(await setRun(tx, run, { state: 'asked', due, doc: { reminded } }, now))) return;
      const question = await this.questions.put(tx, run, step, { subject, told, until });
      const readers = await readersOf(tx, told);
      const messages = told.map((to, n): NewMessage => {
        const link = answerLink(question, n);
        const text = said({ ...saying, link, until }, step, readers[n]!);
        return {
          key: `order:${run.id}:${run.at}:${to.recipient}${reminded ? `:${reminded}` : ''}`,
          to,
          severity: run.order.severity,
          kind: 'question',
          subject: reminded ? `Reminder: ${text.subject}` : text.subject,
          body: text.body.includes(link) ? text.body : `${text.body}\n\nAnswer here:\n${link}`,
          calendar: calendarOf({ id: `question-${question}`, until, title: text.subject, made: now }),
        };
      });
      await outbox.add(tx, messages);
      await did(tx, run.id, run.at, now, 'asked', whom(reminded ? 'Reminded' : 'Asked', told));
      if (!reminded) await this.questions.keepBody(tx, question, messages[0]!);
    });
    return 'later';
  }

  private async review(
    run: RunWithOrder,
    one: Instruction,
    { kind, days }: Extract<Step, { do: 'review' }>,
  ): Promise<Went> {
    const { db, engine, clock } = this.parts;
    const subject = await subjectOf(this.parts, db, run.doc);
    const keys = (await engine.ask.orderSubjects(undefined, subject, 'thing')) ?? [];
    const name = `${run.order.name}, ${dayOf(clock())}`;
    try {
      const asked = await this.onReview(keys, { name, kind, days }, async (tx, round, spaces) => {
        const words = `Owners are asked about ${counted(spaces, ['space', 'spaces'])}, in round ${round}.`;
        if (!(await this.toIn(tx, run, one.next, 'asked', words))) throw new Ended();
      });
      if (asked) return 'on';
    } catch (e) {
      if (e instanceof Ended) return 'later';
      throw e;
    }
    return this.to(
      run,
      one.next,
      'asked',
      'Nobody is asked: it lies in no space, there is nothing to ask about, or it is being asked already.',
    );
  }

  private async change(
    run: RunWithOrder,
    one: Instruction,
    step: Extract<Step, { do: 'change' }>,
  ): Promise<Went> {
    const { db, plans, engine, clock } = this.parts;
    if (run.state === 'changing') return this.changed(run, one);
    const subject = await this.fresh(run);
    const keys = (await engine.ask.orderSubjects(undefined, subject, step.about)) ?? [];
    const what = RESPONSES[step.response.do].words;
    const nothing = (why: string): Promise<Went> =>
      this.to(run, one.next, 'unchanged', why, { doc: { changed: why } });
    if (!keys.length) return nothing(`${what}: ${ABOUT_WORDS[step.about]} is not there any more.`);
    const answer = await engine.ask.respond(
      undefined,
      asPolicy(run.order.name, 'item', 'true', [step.response]),
      keys.map((key) => ({ rule: ONLY_RULE, key })),
    );
    if (!answer?.preview) {
      const why = [...new Set((answer?.parts ?? []).flat().flatMap((p) => p.why ?? []))];
      return nothing(
        why.length ? `${what}: it cannot be done. ${why.join(' ')}` : `${what}: it is so already.`,
      );
    }
    const { preview, goals } = answer;
    const [today] = await db.query<{ n: number }>(
      `select count(*)::int as n from order_did d join order_run r on r.id = d.run
       where r.standing_order = $1 and d.what = 'planned' and d.time > $2`,
      [run.standing_order, new Date(clock().getTime() - DAY)],
    );
    const now = clock();
    if (today!.n >= MOST_PLANS_A_DAY && !run.doc.released) {
      const trouble = `This order has made ${today!.n} plans within a day. Look at it, then let it go on.`;
      await db.transaction(async (tx) => {
        if (await setRun(tx, run, { state: 'held', trouble }, now)) await this.onTrouble(tx, run, trouble);
      });
      return 'later';
    }
    const made = await db.transaction(async (tx) => {
      if (!(await setRun(tx, run, { state: 'changing', due: new Date(now.getTime() + PLAN_AGAIN) }, now)))
        return undefined;
      const kept = await plans.drafts.keep(tx, {
        name: run.order.name,
        reason: `Standing order “${run.order.name}”, run ${run.id}: ${what.toLowerCase()}.`,
        by: BY_ITSELF,
        preview,
        goals,
      });
      await tx.query('update order_run set doc = doc || $2::jsonb where id = $1', [
        run.id,
        JSON.stringify({ plan: kept.plan, released: false }),
      ]);
      const words = few(
        preview.changes.map((c) => c.words),
        '; ',
      );
      await did(tx, run.id, run.at, now, 'planned', `${words}.`, kept.plan);
      return kept;
    });
    if (made) await this.begin(made.plan, run);
    return 'later';
  }

  private begin(plan: number, run: RunWithOrder): Promise<void> {
    // whoever let the order change things is no second steward
    return beginByItself(this.parts, plan, async () => {
      const [by] = await this.parts.db.query<{ made_by: string; made_at: Date }>(
        'select made_by, made_at from standing_order_version where standing_order = $1 and version = $2',
        [run.standing_order, run.version],
      );
      return { by: by!.made_by, at: by!.made_at };
    });
  }

  /** Goes on where the plan of a step has come to its end. */
  private async changed(run: RunWithOrder, one: Instruction): Promise<Went> {
    const { db, clock } = this.parts;
    const { plan } = run.doc;
    const [head] = await db.query<{ state: PlanState; note: string | null }>(
      'select state, note from plan where id = $1',
      [plan],
    );
    if (head && ['applied', 'undone', 'discarded'].includes(head.state)) {
      const [of] = await db.query<{ n: number; done: number }>(
        `select count(*)::int as n, (count(*) filter (where state in ('verified', 'already-gone')))::int as done from plan_change where plan = $1`,
        [plan],
      );
      const [planned] = await db.query<{ words: string }>(
        "select words from order_did where run = $1 and at = $2 and what = 'planned' order by seq desc limit 1",
        [run.id, run.at],
      );
      const words =
        head.state === 'discarded'
          ? `Nothing was changed: the plan was discarded. ${head.note ?? ''}`.trim()
          : of!.done === of!.n
            ? `Done: ${lower(planned!.words)}`
            : `Not all of it was done, ${of!.done} of ${of!.n}: ${lower(planned!.words)}`;
      return this.to(run, one.next, 'changed', words, { doc: { changed: words }, plan });
    }
    // made and not begun before the application ended
    if (head?.state === 'draft') await this.begin(plan!, run);
    await setRun(db, run, { state: 'changing', due: new Date(clock().getTime() + PLAN_AGAIN) }, clock());
    return 'later';
  }

  private async suspend(
    run: RunWithOrder,
    one: Instruction,
    step: Extract<Step, { do: 'suspend-sharing' }>,
  ): Promise<Went> {
    const { db, engine, ledger, clock } = this.parts;
    const subject = await subjectOf(this.parts, db, run.doc);
    const keys = (await engine.ask.orderSubjects(undefined, subject, step.about)) ?? [];
    const facts = (await engine.ask.thingFacts(undefined, keys)) ?? [];
    const people = keys.map((key, n) => ({ key, name: facts[n]?.name ?? key }));
    const words = people.length
      ? `Sharing by ${people.map((p) => p.name).join(' and ')} is suspended.`
      : 'There is nobody whose sharing could be suspended.';
    await this.to(run, one.next, 'suspended', words, {
      doc: { changed: words },
      also: async (tx) => {
        for (const { key, name } of people) {
          await tx.query(
            `insert into sharing_suspended (key, name, run, reason, at, by) values ($1, $2, $3, $4, $5, $6)
             on conflict (key) where ended_at is null do nothing`,
            [key, name, run.id, run.order.name, clock(), BY_ITSELF],
          );
          await ledger.add(
            {
              who: BY_ITSELF,
              what: 'sharing.suspended',
              subject: key,
              after: { name, order: run.order.name, run: run.id },
            },
            tx,
          );
        }
      },
    });
    await this.onSuspended();
    return 'on';
  }
}

/** What an answer wants to be changed; undefined where it is nothing. */
function effectOf({
  doc,
  order,
}: Pick<RunWithOrder, 'doc' | 'order'>): Extract<Step, { do: 'change' }> | undefined {
  const { answer } = doc;
  if (!answer || answer === 'none') return undefined;
  const shared = doc.targets.length > 0 || doc.signal !== null;
  const about = shared && !('subject' in order.when) ? 'share' : 'thing';
  const entry = about === 'share' || ['grant', 'link'].includes(doc.things[0]?.split(':')[0] ?? '');
  if (answer.what === 'undo' || answer.what === 'remove')
    return { do: 'change', about, response: { do: entry ? 'withdraw' : 'withdraw-outside' } };
  if (answer.what !== 'until' || !answer.until) return undefined;
  const days = Math.ceil((Date.parse(answer.until) - Date.parse(answer.at.slice(0, 10))) / DAY);
  return { do: 'change', about, response: { do: 'let-end', days: Math.max(1, days) } };
}

/** The first of a list, and how many more there are. */
const few = (list: readonly string[], join: string): string =>
  `${list.slice(0, FEW).join(join)}${list.length > FEW ? ` and ${list.length - FEW} more` : ''}`;

function whom(what: string, told: readonly { name: string; recipient: string }[]): string {
  if (!told.length) return `${what} nobody: there is nobody who could be.`;
  return `${what} ${few(
    told.map((t) => t.name || t.recipient),
    ', ',
  )}.`;
}
