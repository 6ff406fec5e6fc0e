/** Questions to people: put by a run, answered by a signed link or by whoever is signed in; the first answer counts. */
import { ANSWERS, type AnswerName, type Step } from '../../core/orders/schema.ts';
import type { GivenAnswer, QuestionPage, QuestionRow } from '../../dto/orders.ts';
import type { Told } from '../../engine/orders.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSetting, writeSetting } from '../../store/settings.ts';
import { mustCome } from '../days.ts';
import { AppError } from '../errors.ts';
import { openLink, SITE } from '../messages/links.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { OrderParts } from './parts.ts';
import { GOING_ON, type RunWithOrder } from './rows.ts';
import type { Subject } from './texts.ts';

const REASONS = 'answer-reasons';
/** What a reason can be, where stewards have said nothing else. */
const USUAL_REASONS = [
  'It was agreed with a customer or partner',
  'A supplier needs it for their work',
  'It is public anyway',
  'I will take it back soon',
];
const SHOWN = 50;

interface Row {
  id: number;
  run: number;
  at: number;
  subject: string;
  body: string;
  answers: AnswerName[];
  doc: { things: QuestionPage['things'] };
  made_at: Date;
  until: Date;
  state: QuestionPage['state'];
  answer: GivenAnswer | null;
}
interface Person {
  n: number;
  address: string;
  name: string;
  key: string;
}

export class Questions {
  constructor(private readonly parts: OrderParts) {}

  /** Puts a question of a step, once. */
  async put(
    tx: Db,
    run: Pick<RunWithOrder, 'id' | 'at'>,
    step: Extract<Step, { do: 'ask' }>,
    q: { subject: Subject; told: readonly Told[]; until: Date },
  ): Promise<number> {
    const doc: Row['doc'] = {
      things: q.subject.facts
        .flatMap((f) => (f ? { name: f.name, path: f.path, types: f.types, weight: f.weight } : []))
        .slice(0, SHOWN),
    };
    const [made] = await tx.query<{ id: number }>(
      `insert into question (run, at, subject, body, answers, doc, made_at, until, state) values ($1, $2, '', '', $3, $4, $5, $6, 'open')
       on conflict (run, at) do update set until = question.until returning id`,
      [run.id, run.at, JSON.stringify(step.answers), storableJson(doc), this.parts.clock(), q.until],
    );
    for (const [n, to] of q.told.entries())
      await tx.query(
        'insert into question_person (question, n, address, name, key) values ($1, $2, $3, $4, $5) on conflict do nothing',
        [made!.id, n, to.recipient, to.name, to.key],
      );
    await this.parts.ledger.add(
      {
        who: BY_ITSELF,
        what: 'question.asked',
        subject: `question ${made!.id}`,
        after: { run: run.id, of: q.told.map((t) => t.recipient) },
      },
      tx,
    );
    return made!.id;
  }

  /** Keeps what was asked, as the first of those who are asked reads it. */
  async keepBody(tx: Db, id: number, { subject, body }: { subject: string; body: string }): Promise<void> {
    await tx.query('update question set subject = $2, body = $3 where id = $1', [id, subject, body]);
  }

  async ofRun(run: number, at: number): Promise<Row | undefined> {
    return (
      await this.parts.db.query<Row>('select * from question where run = $1 and at = $2', [run, at])
    )[0];
  }

  /** No answer is waited for any more. */
  async over(tx: Db, run: number, at: number): Promise<void> {
    await tx.query("update question set state = 'over' where run = $1 and at = $2 and state = 'open'", [
      run,
      at,
    ]);
  }

  words(a: GivenAnswer): string {
    const more = [a.reason, a.words, a.until && `until ${a.until}`].filter(Boolean).join(': ');
    return `${a.by} has answered: ${ANSWERS[a.what].toLowerCase()}${more ? ` (${more})` : ''}.`;
  }

  /** The question and the person that a link stands for. Throws where it is none. */
  private async opened(db: Db, link: string): Promise<{ row: Row; person: Person }> {
    const of = openLink(this.parts.secrets, 'answer', link);
    if (!of)
      throw new AppError(
        'no-question',
        404,
        'This link is not one of ours, or not whole. Open it from the message again.',
      );
    return this.asked(db, of.of, 'n = $2', of.n);
  }

  private async asked(
    db: Db,
    id: number,
    which: string,
    value: unknown,
  ): Promise<{ row: Row; person: Person }> {
    const [row] = await db.query<Row>('select * from question where id = $1 and round is null', [id]);
    const [person] = await db.query<Person>(
      `select * from question_person where question = $1 and ${which}`,
      [id, value],
    );
    if (!row || !person || row.state === 'withdrawn')
      throw new AppError('no-question', 404, 'This question is not asked any more.');
    return { row, person };
  }

  /** The question of a link, as whoever opens it sees it; nothing else of the organisation. */
  async open(link: string): Promise<QuestionPage> {
    const { row, person } = await this.opened(this.parts.db, link);
    return this.page(row, person);
  }

  /** A question to somebody who is signed in. */
  async openAs(address: string, id: number): Promise<QuestionPage> {
    const { row, person } = await this.asked(this.parts.db, id, 'address = $2', address);
    return this.page(row, person);
  }

  async listFor(address: string): Promise<QuestionRow[]> {
    const rows = await this.parts.db.query<Row>(
      `select q.* from question q join question_person p on p.question = q.id where p.address = $1 and q.round is null and q.state <> 'withdrawn'
       order by q.state = 'open' desc, q.until, q.id desc limit 200`,
      [address],
    );
    return rows.map((r) => ({
      id: r.id,
      subject: r.subject,
      until: r.until.toISOString(),
      state: r.state,
      madeAt: r.made_at.toISOString(),
    }));
  }

  private async page(row: Row, person: Person): Promise<QuestionPage> {
    const { db } = this.parts;
    const open = row.state === 'open' && row.until > this.parts.clock();
    const [effect] = row.answer
      ? await db.query<{ changed: string | null }>(
          "select words as changed from order_did where run = $1 and at = $2 and what in ('changed', 'unchanged') order by seq desc limit 1",
          [row.run, row.at],
        )
      : [];
    return {
      id: row.id,
      subject: row.subject,
      body: row.body
        .replaceAll(SITE, this.parts.mail.site)
        .replace(/\n\nAnswer here:\n\S+$/, '')
        .replace(/^\S*\/answer#\S+$/gm, '')
        .trim(),
      reader: person.name,
      answers: row.answers,
      reasons: row.answers.includes('reason') ? await this.reasons() : [],
      things: row.doc.things,
      until: row.until.toISOString(),
      state: row.state === 'open' && !open ? 'over' : row.state,
      answer: row.answer && {
        ...row.answer,
        by: row.answer.by === (person.name || person.address) ? 'you' : row.answer.by,
      },
      effect: effect?.changed ?? null,
    };
  }

  /** Answers; the first answer counts. `link`, or who is signed in and which question. */
  async answer(
    of: { link: string } | { address: string; id: number },
    given: { what: AnswerName; reason: string; words: string; until?: string | undefined },
  ): Promise<QuestionPage> {
    const { db, ledger, clock, jobs } = this.parts;
    const by = await db.transaction(async (tx) => {
      const { row, person: who } =
        'link' in of
          ? await this.opened(tx, of.link)
          : await this.asked(tx, of.id, 'address = $2', of.address);
      if (!row.answers.includes(given.what))
        throw new AppError('no-answer', 422, 'This cannot be answered here.');
      if (given.what === 'reason' && !given.reason && !given.words)
        throw new AppError('no-reason', 422, 'Choose a reason, or write one.');
      if (given.what === 'until' && !given.until)
        throw new AppError('no-day', 422, 'Choose the day until which it is kept.');
      if (given.until) mustCome(given.until, clock());
      if (row.until <= clock())
        throw new AppError('over', 409, 'The time to answer is over. What was to be done has begun.');
      const answer: GivenAnswer = {
        what: given.what,
        reason: given.reason,
        words: given.words,
        until: given.until ?? null,
        by: who.name || who.address,
        at: clock().toISOString(),
      };
      const rows = await tx.query(
        "update question set state = 'answered', answer = $2 where id = $1 and state = 'open' returning id",
        [row.id, storableJson(answer)],
      );
      if (!rows.length)
        throw new AppError(
          'answered',
          409,
          row.answer
            ? `${row.answer.by} was first: ${ANSWERS[row.answer.what].toLowerCase()}.`
            : 'This question is not open any more.',
        );
      await ledger.add(
        {
          who: who.address,
          what: 'question.answered',
          subject: `question ${row.id}`,
          after: { what: answer.what, reason: answer.reason, words: answer.words, until: answer.until },
        },
        tx,
      );
      await tx.query("update order_run set due = $2 where id = $1 and state = 'asked' and at = $3", [
        row.run,
        clock(),
        row.at,
      ]);
      await jobs.add(tx, GOING_ON, 0, who.address);
      return { question: row.id, n: who.n };
    });
    await jobs.look();
    const { row, person } = await this.asked(db, by.question, 'n = $2', by.n);
    return this.page(row, person);
  }

  // --- reasons

  async reasons(): Promise<string[]> {
    return (await readSetting<string[]>(this.parts.db, REASONS)) ?? USUAL_REASONS;
  }

  async setReasons(reasons: string[], by: string): Promise<void> {
    const before = await this.reasons();
    await this.parts.db.transaction(async (tx) => {
      await writeSetting(tx, REASONS, reasons);
      await this.parts.ledger.add(
        { who: by, what: 'reasons.set', subject: 'reasons', before, after: reasons },
        tx,
      );
    });
  }

  /** Withdraws the question of a run that was ended. */
  async withdraw(tx: Db, run: number): Promise<void> {
    await tx.query("update question set state = 'withdrawn' where run = $1 and state = 'open'", [run]);
  }
}
