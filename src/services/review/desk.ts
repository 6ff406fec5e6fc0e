/** The owner desk: what rounds ask somebody, and what they answer; the first answer for a thing counts. */
import { reviewOf, type ReviewAnswer, type ReviewKind, type Round } from '../../core/ask/kinds.ts';
import type { DeskList, DeskPage, DeskQuestion, ThingAnswer } from '../../dto/review.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { mustCome } from '../days.ts';
import { AppError } from '../errors.ts';
import { openLink } from '../messages/links.ts';
import type { OrderParts } from '../orders/parts.ts';
import type { Asking } from './asking.ts';
import { QUESTION, thingsOf, type Person, type Question, type Thing } from './rows.ts';
import { counted, minutesOf } from './words.ts';

/** Whose desk: that of whoever has a link, which is about one round, or of whoever is signed in. */
export type Whose = { link: string } | { address: string };
export interface GivenThing {
  n: number;
  what: ReviewAnswer;
  until?: string | undefined;
}
/** Whose desk it is, and of which round alone. */
interface Opened {
  address: string;
  name: string;
  round: number | undefined;
}

/** A question with its round, as somebody is asked it. */
interface Shown extends Question {
  doc: Round;
  answered: number;
  /** Others who can answer. */
  others: string[];
}
/** `$1`: whose; `$2`: of which round alone. */
const SHOWN = `select ${QUESTION}, r.doc, (select count(t.answer)::int from question_thing t where t.question = q.id) as answered,
    array(select coalesce(nullif(o.name, ''), o.address) from question_person o where o.question = q.id and o.address <> $1 order by o.n) as others
  from question q join round r on r.id = q.round join question_person p on p.question = q.id and p.address = $1
  where ($2::int is null or q.round = $2) and q.state in ('open', 'answered', 'over')`;

export class Desk {
  constructor(
    private readonly parts: OrderParts,
    private readonly asking: Asking,
  ) {}

  /** All that somebody is asked, what is open first; with a link, in its round alone. */
  async list(whose: Whose): Promise<DeskList> {
    const { db } = this.parts;
    const opened = await this.opened(db, whose);
    const rows = await db.query<Shown>(`${SHOWN} order by q.state = 'open' desc, q.until, q.id limit 500`, [
      opened.address,
      opened.round ?? null,
    ]);
    const [single] = opened.round
      ? []
      : await db.query<{ n: number }>(
          `select count(*)::int as n from question q join question_person p on p.question = q.id
           where p.address = $1 and q.round is null and q.state = 'open'`,
          [opened.address],
        );
    return { reader: opened.name, questions: rows.map((q) => this.question(q)), single: single?.n ?? 0 };
  }

  async page(whose: Whose, id: number): Promise<DeskPage> {
    const { db } = this.parts;
    const opened = await this.opened(db, whose);
    const q = await this.asked(db, opened, id);
    return this.pageOf(q, opened);
  }

  private async pageOf(q: Shown, opened: Opened): Promise<DeskPage> {
    const { db } = this.parts;
    const things = await thingsOf(db, q.id);
    const [person] = await db.query<{ draft: GivenThing[] | null }>(
      'select draft from question_person where question = $1 and address = $2',
      [q.id, opened.address],
    );
    const draft = new Map(person?.draft?.map(({ n, what, until }) => [n, { what, until: until ?? null }]));
    const by = nameOf(opened);
    return {
      ...this.question(q),
      reader: opened.name,
      list: things.map((t) => ({
        ...t.doc,
        answer: t.answer && { ...t.answer, by: t.answer.by === by ? 'you' : t.answer.by },
        outcome: t.outcome,
        draft: t.answer ? null : (draft.get(t.n) ?? null),
      })),
      effect: effectOf(things, q.doc.kind),
    };
  }

  private question({ doc, ...q }: Shown): DeskQuestion {
    const open = q.state === 'open' && q.until > this.parts.clock();
    return {
      id: q.id,
      round: doc.name,
      kind: doc.kind,
      space: q.space_name,
      workspace: q.workspace,
      note: doc.note,
      until: q.until.toISOString(),
      state: q.state === 'open' && !open ? 'over' : q.state,
      things: q.things,
      answered: q.answered,
      minutes: minutesOf(doc.kind, q.things - q.answered),
      others: q.others,
    };
  }

  async put(
    whose: Whose,
    { id, given, send }: { id: number; given: readonly GivenThing[]; send: boolean },
  ): Promise<DeskPage> {
    if (send) return this.answer(whose, id, given);
    await this.draft(whose, id, given);
    return this.page(whose, id);
  }

  /** Keeps what was chosen and is not sent yet, so that one can go on later and elsewhere. */
  private async draft(whose: Whose, id: number, chosen: readonly GivenThing[]): Promise<void> {
    const { db } = this.parts;
    await db.transaction(async (tx) => {
      const opened = await this.opened(tx, whose);
      await this.asked(tx, opened, id);
      await tx.query('update question_person set draft = $3 where question = $1 and address = $2', [
        id,
        opened.address,
        JSON.stringify(chosen),
      ]);
    });
  }

  /** Answers some things of a question. What somebody else has answered meanwhile stays as they have. */
  private async answer(whose: Whose, id: number, given: readonly GivenThing[]): Promise<DeskPage> {
    const { db, ledger, clock, jobs, events } = this.parts;
    const now = clock();
    const opened = await db.transaction(async (tx) => {
      const who = await this.opened(tx, whose);
      const q = await this.asked(tx, who, id, true);
      const { answers } = reviewOf(q.doc.kind);
      for (const g of given) {
        if (!answers.includes(g.what)) throw new AppError('no-answer', 422, 'This cannot be answered here.');
        if (g.what === 'until' && !g.until)
          throw new AppError('no-day', 422, 'Choose the day until which it is kept.');
        if (g.what === 'until') mustCome(g.until!, now);
      }
      if (q.state !== 'open' || q.until <= now)
        throw new AppError('over', 409, 'The time to answer is over. Ask the stewards of your workspaces.');
      const taken = await this.take(
        tx,
        id,
        given.map((g) => ({
          n: g.n,
          answer: {
            what: g.what,
            until: g.what === 'until' ? g.until! : null,
            by: nameOf(who),
            at: now.toISOString(),
            how: 'asked',
            reason: null,
          },
        })),
      );
      if (taken)
        await ledger.add(
          { who: who.address, what: 'question.answered', subject: `question ${id}`, after: sums(given) },
          tx,
        );
      return who;
    });
    events.emit({ type: 'policies' });
    await jobs.look();
    return this.pageOf(await this.asked(db, opened, id), opened);
  }

  /** Answers all that is open of some questions alike, for those who were asked. */
  async answerAll(
    tx: Db,
    questions: readonly number[],
    { what, reason }: { what: ReviewAnswer; reason: string },
    by: string,
  ): Promise<void> {
    const answer: ThingAnswer = {
      what,
      until: null,
      by,
      at: this.parts.clock().toISOString(),
      how: 'steward',
      reason,
    };
    for (const id of questions)
      await this.take(
        tx,
        id,
        (await thingsOf(tx, id)).map((t) => ({ n: t.n, answer })),
      );
  }

  /** Keeps answers of what has none, and ends the question when everything has one. Gives how many were kept. */
  private async take(
    tx: Db,
    id: number,
    list: readonly { n: number; answer: ThingAnswer }[],
  ): Promise<number> {
    const rows = await tx.query(
      `update question_thing t set answer = a->'answer' from jsonb_array_elements($2::jsonb) a
       where t.question = $1 and t.n = (a->>'n')::int and t.answer is null returning t.n`,
      [id, storableJson(list)],
    );
    await tx.query(
      `update question set state = 'answered', next_at = null where id = $1 and state in ('open', 'over')
       and not exists (select 1 from question_thing where question = $1 and answer is null)`,
      [id],
    );
    await this.asking.due(tx);
    return rows.length;
  }

  private async opened(db: Db, whose: Whose): Promise<Opened> {
    if ('address' in whose) {
      const [person] = await db.query<{ name: string }>(
        'select name from (select 0 as n, name from account where address = $1 union all select 1, name from round_person where address = $1) x order by n limit 1',
        [whose.address],
      );
      return { address: whose.address, name: person?.name ?? '', round: undefined };
    }
    const of = openLink(this.parts.secrets, 'desk', whose.link);
    const [person] = of
      ? await db.query<Person & { state: string }>(
          'select p.*, r.state from round_person p join round r on r.id = p.round where p.round = $1 and p.n = $2',
          [of.of, of.n],
        )
      : [];
    if (!of || !person)
      throw new AppError(
        'no-question',
        404,
        'This link is not one of ours, or not whole. Open it from the message again.',
      );
    if (person.state === 'ended')
      throw new AppError('no-question', 404, 'This is not asked any more: the round was ended.');
    return { address: person.address, name: person.name, round: of.of };
  }

  private async asked(db: Db, opened: Opened, id: number, lock = false): Promise<Shown> {
    const [q] = await db.query<Shown>(`${SHOWN} and q.id = $3 ${lock ? 'for update of q' : ''}`, [
      opened.address,
      opened.round ?? null,
      id,
    ]);
    if (!q) throw new AppError('no-question', 404, 'You are not asked this, or not any more.');
    return q;
  }
}

const nameOf = (o: Opened): string => o.name || o.address;

function sums(given: readonly GivenThing[]): Record<ReviewAnswer, number> {
  const sum = { keep: 0, remove: 0, until: 0 };
  for (const g of given) sum[g.what]++;
  return sum;
}

/** What has come of answers: null while something is still to be done. */
function effectOf(things: readonly Thing[], kind: ReviewKind): string | null {
  const changing = things.filter((t) => t.answer && t.answer.what !== 'keep');
  if (!changing.length || changing.some((t) => !t.outcome || t.outcome === 'planned')) return null;
  const of = (outcome: string): Thing[] => changing.filter((t) => t.outcome === outcome);
  const people = reviewOf(kind).of === 'people';
  const words = (list: readonly Thing[]): string =>
    counted(list.length, people ? ['person', 'people'] : ['link or share', 'links and shares']);
  const [done, not, later] = [of('done'), of('not-done'), of('later')];
  const removed = done.filter((t) => people || t.answer!.what === 'remove');
  const ending = done.filter((t) => !removed.includes(t));
  return [
    removed.length && `${words(removed)} removed.`,
    ending.length && `${words(ending)} will end on the day you chose.`,
    later.length && `${words(later)} will be removed after the day you chose.`,
    not.length && `${words(not)} could not be removed: the stewards see why.`,
  ]
    .filter(Boolean)
    .join(' ');
}
