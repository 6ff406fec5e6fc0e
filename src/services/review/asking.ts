/**
 * Rounds as they go on by themselves: a space is asked about when its time has come and those who are asked can bear it, they
 * are reminded, somebody else is asked, and in the end what silence means is done. Each step is one transaction, so that an
 * end of the application at any moment repeats nothing and loses nothing.
 */
import { reviewOf, type ReviewKind, type Round } from '../../core/ask/kinds.ts';
import { counted } from '../../core/counted.ts';
import { gathered } from '../../core/gathered.ts';
import { laterBy } from '../../core/orders/program.ts';
import type { Asked, ThingAnswer } from '../../dto/review.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSchedule } from '../../store/settings.ts';
import { log } from '../log.ts';
import { deskLink } from '../messages/links.ts';
import { zonesOf, type NewMessage } from '../messages/outbox.ts';
import { plainValue } from '../messages/templates.ts';
import { calendarOf } from '../orders/calendar.ts';
import type { OrderParts } from '../orders/parts.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import { minutesOf, untilWords } from './words.ts';
import type { Effects } from './effects.ts';
import { GOING_ROUND, QUESTION, roundOf, type Question } from './rows.ts';

const DAY = 86_400_000;
const AT_ONCE = 100;
/** So long after an error a question is tried again, in milliseconds. */
const AGAIN = 15 * 60_000;
/** Which of those who are asked are told: who was not yet, and who is reminded. */
const NEW = 'not p.declined and p.told_at is null' as const;
const LATE = 'not p.declined and p.told_at is not null and p.remind' as const;
/** So long after an answer that changes nothing what is left to do is done, in milliseconds. */
const SOON = 2000;
/** So many people are told in one transaction. */
const TOLD_AT_ONCE = 200;
/** So many spaces are named in a message. */
const NAMED = 10;

export class Asking {
  private closed = false;

  constructor(
    private readonly parts: OrderParts,
    /** Does what answers want; called after whatever may have brought some. */
    private readonly effects: Effects,
  ) {
    const { jobs, db, events, present } = parts;
    jobs.declare(GOING_ROUND, {
      broken: 'again',
      quiet: true,
      run: async () => {
        await this.goOn();
        await this.effects.goOn();
        const [row] = await db.query<{ due: Date | null }>('select min(next_at) as due from question');
        const other = await this.effects.next();
        const dues = [row?.due, other].flatMap((d) => d ?? []);
        return { state: 'done', next: dues.length ? new Date(Math.min(...dues.map(Number))) : undefined };
      },
    });
    events.listen((e) => {
      if (e.type === 'plan') void this.wake(e.plan);
    });
    present.subscribe(() => this.replace());
  }

  async start(): Promise<void> {
    await this.due(this.parts.db);
  }

  close(): void {
    this.closed = true;
  }

  /** The same, soon: of many answers that come one after another what is left to do is done once. */
  soon(tx: Db): Promise<void> {
    const { jobs, clock } = this.parts;
    return jobs.atLatest(tx, GOING_ROUND, 0, BY_ITSELF, new Date(clock().getTime() + SOON));
  }

  /** Puts it on the list that something is due, in the transaction that made it so. */
  due(tx: Db): Promise<void> {
    return this.parts.jobs.add(tx, GOING_ROUND, 0, BY_ITSELF);
  }

  /** Goes on where a plan that was made of answers has moved. */
  private async wake(plan: number): Promise<void> {
    if (this.closed) return;
    const { db, jobs } = this.parts;
    try {
      if (!(await db.query('select 1 from question_thing where plan = $1 limit 1', [plan])).length) return;
      await this.due(db);
      await jobs.look();
    } catch (e) {
      log.error({ err: e }, 'rounds could not be woken');
    }
  }

  private async goOn(): Promise<void> {
    const { db, clock, events } = this.parts;
    for (let moved = false; !this.closed; moved = true) {
      const due = await db.query<Question>(
        `select ${QUESTION} from question q where q.next_at <= $1 order by q.next_at, q.id limit ${AT_ONCE}`,
        [clock()],
      );
      if (!due.length) {
        await this.tell();
        await this.ended();
        if (moved) events.emit({ type: 'policies' });
        return;
      }
      const rounds = gathered(
        due.filter((q) => q.state === 'planned'),
        (q) => q.round,
      );
      const steps = [
        ...[...rounds].map(([round, list]) => ({ of: list, go: () => this.putAll(round, list) })),
        ...due.flatMap((q) => (q.state === 'planned' ? [] : { of: [q], go: () => this.advance(q) })),
      ];
      for (const { of, go } of steps) {
        if (this.closed) return;
        const ids = of.map((q) => q.id);
        try {
          await go();
        } catch (e) {
          log.error({ err: e, questions: ids }, 'questions of a round could not go on');
          await db.query('update question set next_at = $2 where id = any($1)', [
            ids,
            new Date(clock().getTime() + AGAIN),
          ]);
        }
      }
    }
  }

  private async advance(q: Question): Promise<void> {
    if (q.until <= this.parts.clock()) return this.late(q);
    return this.remind(q);
  }

  /** Puts questions of a round whose time has come, unless those who are asked have enough before them. */
  private async putAll(id: number, list: readonly Question[]): Promise<void> {
    const { db, engine, clock, ledger } = this.parts;
    const { doc } = await roundOf(db, id);
    const now = clock();
    const { zone } = await readSchedule(db);
    const ready = await Promise.all(
      list.map(async (q) => {
        const things = await engine.ask.thingsToAsk(undefined, doc.kind, q.space);
        if (!things) throw new Error('No survey is in force.');
        const all = things.length ? await this.answering(doc.kind, q.space) : [];
        return { q, things, asked: reviewOf(doc.kind).inTurn ? all.slice(0, 1) : all };
      }),
    );
    const until = laterBy(now, `P${doc.days}D`, zone);
    await db.transaction(async (tx) => {
      const loads = await this.loads(
        tx,
        ready.flatMap((r) => r.asked.map((a) => a.address)),
      );
      const put: typeof ready = [];
      const later: number[] = [];
      for (const one of ready) {
        const { asked, things } = one;
        const n = things.length;
        const has = (a: Asked): number => loads.get(a.address) ?? 0;
        if (asked.some((a) => has(a) > 0 && has(a) + n > doc.most)) later.push(one.q.id);
        else {
          for (const a of asked) loads.set(a.address, has(a) + n);
          put.push(one);
        }
      }
      await tx.query('update question set next_at = $2 where id = any($1)', [later, new Date(+now + DAY)]);
      await tx.query(
        `insert into question_thing (question, n, key, doc)
         select (t->>'q')::int, (t->>'n')::int, t->'doc'->>'key', t->'doc' from jsonb_array_elements($1::jsonb) t`,
        [storableJson(put.flatMap(({ q, things }) => things.map((doc, n) => ({ q: q.id, n, doc }))))],
      );
      await this.askAlso(
        tx,
        id,
        put.map(({ q, asked }) => ({ question: q.id, people: asked })),
      );
      await tx.query(
        `update question q set state = case when n.things > 0 then 'open' else 'answered' end, things = n.things, made_at = $2, until = $3,
           next_at = case when n.things > 0 then $4::timestamptz end
         from jsonb_to_recordset($1::jsonb) as n(id int, things int) where q.id = n.id and q.state = 'planned'`,
        [
          JSON.stringify(put.map(({ q, things }) => ({ id: q.id, things: things.length }))),
          now,
          until,
          nextReminder(now, until, doc.remind) ?? until,
        ],
      );
      const asked = put.filter((p) => p.things.length);
      if (asked.length)
        await ledger.add(
          {
            who: BY_ITSELF,
            what: 'question.asked',
            subject: `round ${id}`,
            after: {
              questions: asked.map(({ q, asked: of }) => ({
                question: q.id,
                space: q.space_name,
                of: of.map((a) => a.address),
              })),
            },
          },
          tx,
        );
    });
  }

  /** Who can answer for a space now; stewards where nobody else can. */
  private async answering(kind: ReviewKind, space: string): Promise<Asked[]> {
    const { db, engine } = this.parts;
    const asked = (await engine.ask.whoIsAsked(undefined, kind, space)) ?? [];
    return asked.length ? asked : stewards(db);
  }

  /** How much each of some people is asked now and has not answered. */
  private async loads(tx: Db, people: readonly string[]): Promise<Map<string, number>> {
    const rows = await tx.query<{ address: string; n: number }>(
      `select p.address, count(*)::int as n from question_person p join question q on q.id = p.question and q.state = 'open' and q.round is not null
       join question_thing t on t.question = q.id and t.answer is null where p.address = any($1) group by p.address`,
      [people],
    );
    return new Map(rows.map((r) => [r.address, r.n]));
  }

  /** Has some people be asked beside those who are. */
  async askAlso(
    tx: Db,
    round: number,
    list: readonly { question: number; people: readonly Asked[] }[],
  ): Promise<void> {
    const people = new Map(list.flatMap((l) => l.people.map((p) => [p.address, p] as const)));
    await tx.query(
      `insert into round_person (round, n, address, name, key)
       select $1, (select coalesce(max(n) + 1, 0) from round_person where round = $1) + row_number() over (order by p.place) - 1,
         p.address, p.name, p.key
       from jsonb_to_recordset($2::jsonb) as p(place int, address text, name text, key text)
       where not exists (select from round_person x where x.round = $1 and x.address = p.address)`,
      [round, storableJson([...people.values()].map((p, place) => ({ ...p, place })))],
    );
    await tx.query(
      `insert into question_person (question, n, address, name, key)
       select a.question, r.n, r.address, a.name, a.key from jsonb_to_recordset($2::jsonb) as a(question int, address text, name text, key text)
       join round_person r on r.round = $1 and r.address = a.address on conflict do nothing`,
      [round, storableJson(list.flatMap((l) => l.people.map((p) => ({ question: l.question, ...p }))))],
    );
  }

  /** Somebody who is asked cannot answer: whom they name is asked, or who comes next where nobody is left. */
  async declined(
    tx: Db,
    q: Pick<Question, 'id' | 'round'> & { doc: Round },
    address: string,
    instead: Asked | undefined,
  ): Promise<void> {
    await tx.query('update question_person set declined = true where question = $1 and address = $2', [
      q.id,
      address,
    ]);
    const now = this.parts.clock();
    if (instead) {
      const { zone } = await readSchedule(tx);
      const until = laterBy(now, `P${q.doc.nextDays}D`, zone);
      await this.askAlso(tx, q.round, [{ question: q.id, people: [instead] }]);
      await tx.query('update question set until = greatest(until, $2), next_at = $3 where id = $1', [
        q.id,
        until,
        nextReminder(now, until, q.doc.remind) ?? until,
      ]);
    } else
      await tx.query(
        `update question set until = $2, next_at = $2 where id = $1
         and not exists (select from question_person where question = $1 and not declined)`,
        [q.id, now],
      );
    await this.due(tx);
  }

  private async remind(q: Question): Promise<void> {
    const { db, clock } = this.parts;
    const { doc } = await roundOf(db, q.round);
    await db.transaction(async (tx) => {
      await toRemind(tx, [q.id]);
      await tx.query('update question set next_at = $2 where id = $1', [
        q.id,
        nextReminder(clock(), q.until, doc.remind) ?? q.until,
      ]);
    });
  }

  /** The time to answer is over: somebody else is asked, or what silence means is done. */
  private async late(q: Question): Promise<void> {
    const { db, engine, clock, ledger } = this.parts;
    const { doc } = await roundOf(db, q.round);
    const now = clock();
    const people = await db.query<{ key: string; address: string }>(
      'select key, address from question_person where question = $1 order by n',
      [q.id],
    );
    const { zone } = await readSchedule(db);
    const had = new Set(people.map((p) => p.address));
    let next: Asked[] = [];
    // the next who may own it, before anybody else is asked
    if (reviewOf(doc.kind).inTurn)
      next = ((await engine.ask.whoIsAsked(undefined, doc.kind, q.space)) ?? [])
        .filter((n) => !had.has(n.address))
        .slice(0, 1);
    const inTurn = next.length > 0;
    if (!inTurn && !q.passed && doc.next !== 'nobody') {
      if (doc.next === 'manager')
        next =
          (await engine.ask.managersOf(
            undefined,
            people.map((p) => p.key),
          )) ?? [];
      else next = await stewards(db);
      next = next.filter((n) => !had.has(n.address));
    }
    await db.transaction(async (tx) => {
      if (next.length) {
        const until = laterBy(now, `P${doc.nextDays}D`, zone);
        await this.askAlso(tx, q.round, [{ question: q.id, people: next }]);
        await tx.query(
          "update question set passed = $4, until = $2, next_at = $3 where id = $1 and state = 'open'",
          [q.id, until, nextReminder(now, until, doc.remind) ?? until, !inTurn],
        );
        await ledger.add(
          {
            who: BY_ITSELF,
            what: 'question.passed-on',
            subject: `question ${q.id}`,
            after: { space: q.space_name, to: next.map((n) => n.address) },
          },
          tx,
        );
        return;
      }
      const what = doc.silence === 'remove' ? reviewOf(doc.kind).silent : 'keep';
      if (doc.silence !== 'stewards' && what) {
        const answer: ThingAnswer = {
          what,
          until: null,
          by: '',
          at: now.toISOString(),
          how: 'silence',
          reason: null,
        };
        await tx.query('update question_thing set answer = $2 where question = $1 and answer is null', [
          q.id,
          storableJson(answer),
        ]);
      }
      await tx.query("update question set state = 'over', next_at = null where id = $1 and state = 'open'", [
        q.id,
      ]);
      await ledger.add(
        {
          who: BY_ITSELF,
          what: 'question.over',
          subject: `question ${q.id}`,
          after: { space: q.space_name, silence: doc.silence },
        },
        tx,
      );
    });
  }

  /** Where nobody who is asked can answer any more, those who own the space by now are, or who comes next. */
  private async replace(): Promise<void> {
    const { db, engine } = this.parts;
    const rows = await db.query<{ id: number; round: number; space: string; keys: string[] }>(
      `select q.id, q.round, q.space, array_agg(p.key) as keys from question q join question_person p on p.question = q.id
       where q.state = 'open' and q.round is not null and p.key <> '' and not p.declined group by q.id`,
    );
    for (const q of rows) {
      if (this.closed) return;
      const there = (await engine.ask.stillThere(undefined, q.keys)) ?? q.keys;
      if (there.length) continue;
      const { kind } = (await roundOf(db, q.round)).doc;
      const all = await this.answering(kind, q.space);
      const next = reviewOf(kind).inTurn ? all.slice(0, 1) : all;
      await db.transaction(async (tx) => {
        await this.askAlso(tx, q.round, [{ question: q.id, people: next }]);
        await this.parts.ledger.add(
          {
            who: BY_ITSELF,
            what: 'question.passed-on',
            subject: `question ${q.id}`,
            after: { to: next.map((n) => n.address) },
          },
          tx,
        );
        await this.due(tx);
      });
    }
    await this.parts.jobs.look();
  }

  /** Tells each person once of all that is new to them, and once of all that they are reminded of. */
  private async tell(): Promise<void> {
    const { db, jobs } = this.parts;
    for (const which of [NEW, LATE] as const)
      for (;;) {
        if (this.closed) return;
        const [next] = await db.query<{ round: number; people: number[] }>(
          `select round, array_agg(n) as people from (select distinct q.round, p.n from question q
             join question_person p on p.question = q.id where q.state = 'open' and q.round is not null and ${which}
             order by 1, 2 limit ${TOLD_AT_ONCE}) x group by round order by round`,
        );
        if (!next) break;
        await this.tellSome(next.round, next.people, which);
        await jobs.look();
      }
  }

  private async tellSome(
    round: number,
    numbers: readonly number[],
    which: typeof NEW | typeof LATE,
  ): Promise<void> {
    const { db, clock, outbox } = this.parts;
    const { doc } = await roundOf(db, round);
    await db.transaction(async (tx) => {
      const people = await tx.query<{ n: number; address: string; name: string; told: number }>(
        'select * from round_person where round = $1 and n = any($2) order by n for update',
        [round, numbers],
      );
      const rows = await tx.query<ToldOf & { n: number }>(
        `select p.n, q.id, q.space_name, q.until, (select count(*)::int from question_thing t where t.question = q.id and t.answer is null) as left
         from question q join question_person p on p.question = q.id
         where q.round = $1 and q.state = 'open' and p.n = any($2) and ${which} order by q.until, q.id`,
        [round, numbers],
      );
      const zones = await zonesOf(
        tx,
        people.map((p) => p.address),
      );
      const spacesOf = gathered(rows, (r) => r.n);
      await outbox.add(
        tx,
        people.flatMap((p): NewMessage[] => {
          const spaces = spacesOf.get(p.n);
          if (!spaces) return [];
          const until = spaces[0]!.until;
          const { title, body } = tellingOf(doc, p, spaces, {
            until: untilWords(until, zones.get(p.address)!),
            link: deskLink(round, p.n),
          });
          return [
            {
              key: `round:${round}:${p.n}:${p.told + 1}`,
              to: { way: 'mail', recipient: p.address, name: p.name },
              // it is gathered already, and has a day: a digest would keep it back
              severity: 'high',
              kind: 'question',
              gathered: false,
              subject: which === LATE ? `Reminder: ${title}` : title,
              body,
              calendar: calendarOf({ id: `round-${round}-${p.n}`, until, title, made: clock() }),
            },
          ];
        }),
      );
      await tx.query('update round_person set told = told + 1 where round = $1 and n = any($2)', [
        round,
        [...spacesOf.keys()],
      ]);
      await tx.query(
        `update question_person p set told_at = $3, remind = false from question q
         where q.id = p.question and q.round = $1 and q.state = 'open' and p.n = any($2) and ${which}`,
        [round, numbers, clock()],
      );
    });
  }

  /** A round whose questions are all over is over. */
  private async ended(): Promise<void> {
    const { db, clock } = this.parts;
    await db.query(
      `update round r set state = 'over', ended_at = $1 where r.state = 'running'
       and not exists (select 1 from question q where q.round = r.id and q.state in ('planned', 'open'))`,
      [clock()],
    );
  }
}

/** A space that somebody is told of, and how much of it is still to be answered. */
interface ToldOf {
  id: number;
  space_name: string;
  until: Date;
  left: number;
}

/** What somebody is told of the spaces that they are asked about in a round. */
function tellingOf(
  { kind, note }: Round,
  { name }: { name: string },
  spaces: readonly ToldOf[],
  { until, link }: { until: string; link: string },
): { title: string; body: string } {
  const review = reviewOf(kind);
  const things = spaces.reduce((sum, s) => sum + s.left, 0);
  const where = spaces.length === 1 ? `“${spaces[0]!.space_name}”` : `${spaces.length} spaces`;
  const list = spaces.slice(0, NAMED).map((s) => `- ${plainValue(s.space_name)}: ${s.left}`);
  const more = spaces.length > NAMED ? [`- and ${spaces.length - NAMED} more`] : [];
  return {
    title: plainValue(`${counted(things, review.words)} in ${where}: please look through`),
    body: [
      `Hello ${plainValue(name) || 'there'},`,
      `${review.asks} You are asked because you ${review.inTurn ? 'know' : 'answer for'} ${spaces.length === 1 ? 'it' : 'them'}. It takes about ${counted(minutesOf(kind, things), ['minute', 'minutes'])}; you can stop and go on later.`,
      [...list, ...more].join('\n'),
      ...(note ? [plainValue(note)] : []),
      `You can answer until ${until}:\n${link}`,
    ].join('\n\n'),
  };
}

/** Has everybody who is asked and was told be reminded; what is open alone. */
export async function toRemind(tx: Db, questions: readonly number[]): Promise<void> {
  await tx.query("update question set reminded = reminded + 1 where id = any($1) and state = 'open'", [
    questions,
  ]);
  await tx.query(
    'update question_person set remind = true where question = any($1) and told_at is not null',
    [questions],
  );
}

/** Stewards as people who can be asked. */
const stewards = (db: Db): Promise<Asked[]> =>
  db.query<Asked>(
    "select '' as key, address, name from account where role = 'steward' and active order by id",
  );

/** When the next reminder is due: so many days before the end, or none any more. */
function nextReminder(now: Date, until: Date, days: readonly number[]): Date | undefined {
  const times = days.map((d) => until.getTime() - d * DAY).filter((t) => t > now.getTime());
  return times.length ? new Date(Math.min(...times)) : undefined;
}
