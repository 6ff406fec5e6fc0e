/** The owner desk: what rounds ask somebody, and what they answer; the first answer for a thing counts. */
import type { Charter } from '../../core/ask/charter.ts';
import { reviewOf, type ReviewAnswer, type ReviewKind, type Round } from '../../core/ask/kinds.ts';
import type { DeskList, DeskPage, DeskQuestion, ThingAnswer } from '../../dto/review.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { mustCome } from '../days.ts';
import { AppError } from '../errors.ts';
import { personAt } from '../people.ts';
import { openLink } from '../messages/links.ts';
import type { OrderParts } from '../orders/parts.ts';
import type { Asking } from './asking.ts';
import type { Charters } from './charters.ts';
import { QUESTION, thingsOf, type Person, type Question, type Thing } from './rows.ts';
import { minutesOf } from './words.ts';
import { counted } from '../../core/counted.ts';

/** Whose desk: that of whoever has a link, which is about one round, or of whoever is signed in. */
export type Whose = { link: string } | { address: string };
export interface GivenThing {
  n: number;
  what: ReviewAnswer;
  until?: string | undefined;
  charter?: Charter | undefined;
  /** Who should be asked instead, or should own it after them, by address. */
  person?: string | undefined;
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
  /** They have said that they cannot. */
  declined: boolean;
}
/** `$1`: whose; `$2`: of which round alone. */
const SHOWN = `select ${QUESTION}, r.doc, p.declined, (select count(t.answer)::int from question_thing t where t.question = q.id) as answered,
    array(select coalesce(nullif(o.name, ''), o.address) from question_person o where o.question = q.id and o.address <> $1 and not o.declined order by o.n) as others
  from question q join round r on r.id = q.round join question_person p on p.question = q.id and p.address = $1
  where ($2::int is null or q.round = $2) and q.state in ('open', 'answered', 'over')`;

export class Desk {
  constructor(
    private readonly parts: OrderParts,
    private readonly asking: Asking,
    private readonly charters: Charters,
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
    const draft = new Map(
      person?.draft?.map(({ n, what, until, charter, person: of }) => [
        n,
        { what, until: until ?? null, ...(charter && { charter }), ...(of && { person: of }) },
      ]),
    );
    const by = nameOf(opened);
    return {
      ...this.question(q),
      reader: opened.name,
      ...(q.doc.kind === 'charter' && { charters: await this.charters.choices() }),
      list: things.map(({ doc: { reasons, ...doc }, ...t }) => ({
        ...doc,
        why: reasons?.[opened.address] ?? null,
        answer: t.answer && { ...t.answer, by: t.answer.by === by ? 'you' : t.answer.by },
        outcome: t.outcome,
        draft: t.answer ? null : (draft.get(t.n) ?? null),
      })),
      effect: effectOf(things, q.doc.kind, await this.lost(things)),
    };
  }

  /** How many members lose something by the plans of some answers. */
  private async lost(things: readonly Thing[]): Promise<number> {
    const plans = [...new Set(things.flatMap((t) => t.plan ?? []))];
    if (!plans.length) return 0;
    const [sum] = await this.parts.db.query<{ n: number }>(
      "select coalesce(sum((preview->>'members')::int), 0)::int as n from plan where id = any($1)",
      [plans],
    );
    return sum!.n;
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
      declined: q.declined,
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
    const person = given.find((g) => g.person)?.person;
    const named = person ? await personAt(this.parts.engine, person) : undefined;
    let kind: ReviewKind | undefined;
    const opened = await db.transaction(async (tx) => {
      const who = await this.opened(tx, whose);
      const q = await this.asked(tx, who, id, true);
      ({ kind } = q.doc);
      const { answers } = reviewOf(kind);
      for (const g of given) {
        if (!answers.includes(g.what)) throw new AppError('no-answer', 422, 'This cannot be answered here.');
        if (g.what === 'until' && !g.until)
          throw new AppError('no-day', 422, 'Choose the day until which it is kept.');
        if (g.what === 'until') mustCome(g.until!, now);
        if (g.what === 'charter' && !g.charter)
          throw new AppError('no-charter', 422, 'Choose what it is for, and how sensitive what is in it is.');
      }
      if (q.state !== 'open' || q.until <= now || q.declined)
        throw new AppError('over', 409, 'The time to answer is over. Ask the stewards of your workspaces.');
      if (given.some((g) => g.what === 'decline')) {
        await this.asking.declined(tx, q, who.address, named);
        await ledger.add(
          {
            who: who.address,
            what: 'question.declined',
            subject: `question ${id}`,
            after: { instead: named?.address ?? null },
          },
          tx,
        );
        return who;
      }
      if (named) {
        if (reviewOf(kind).of !== 'space') throw new AppError('no-answer', 422, 'Nobody can be named here.');
        await this.charters.wish(tx, q.space, named, who);
      }
      const owns = given.some((g) => g.what === 'own');
      const [asked] = owns
        ? await tx.query<{ key: string }>(
            'select key from question_person where question = $1 and address = $2',
            [id, who.address],
          )
        : [];
      if (owns && !asked?.key.startsWith('user:'))
        throw new AppError(
          'no-answer',
          422,
          'Have somebody else be asked: you have no account in the organisation.',
        );
      const taken = await this.take(
        tx,
        q,
        given.map((g) => ({
          n: g.n,
          answer: {
            what: g.what,
            until: g.what === 'until' ? g.until! : null,
            by: nameOf(who),
            at: now.toISOString(),
            how: 'asked',
            reason: null,
            ...(g.what === 'charter' && { charter: g.charter! }),
            ...(g.what === 'own' && { person: asked!.key.slice('user:'.length) }),
          },
        })),
        who.address,
      );
      if (taken.length)
        await ledger.add(
          {
            who: who.address,
            what: 'question.answered',
            subject: `question ${id}`,
            after: sums(given.filter((g) => taken.includes(g.n))),
          },
          tx,
        );
      return who;
    });
    if (named || given.some((g) => g.what === 'charter') || kind === 'needed') await this.charters.changed();
    events.emit({ type: 'policies' });
    // what it comes to is seen to beside the answer
    void jobs.look().catch(() => undefined);
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
    for (const id of questions) {
      const [q] = await tx.query<Shown>(
        `select ${QUESTION}, r.doc from question q join round r on r.id = q.round where q.id = $1`,
        [id],
      );
      if (!reviewOf(q!.doc.kind).answers.includes(what))
        throw new AppError('no-answer', 422, 'This cannot be answered here.');
      await this.take(
        tx,
        q!,
        (await thingsOf(tx, id)).map((t) => ({ n: t.n, answer })),
        by,
      );
    }
  }

  /**
   * Keeps answers of what has none, and ends the question when everything has one. What is said of the space itself, that it is
   * kept or what it is for, is so at once. Gives the numbers of those that were kept.
   */
  private async take(
    tx: Db,
    q: Pick<Shown, 'id' | 'round' | 'space' | 'doc'>,
    list: readonly { n: number; answer: ThingAnswer }[],
    by: string,
  ): Promise<number[]> {
    const rows = await tx.query<{ n: number }>(
      `update question_thing t set answer = a->'answer', outcome = case when $3 and a->'answer'->>'what' = 'until' then 'done' end
       from jsonb_array_elements($2::jsonb) a
       where t.question = $1 and t.n = (a->>'n')::int and t.answer is null returning t.n`,
      [q.id, storableJson(list), reviewOf(q.doc.kind).of === 'space'],
    );
    const over = await tx.query(
      `update question set state = 'answered', next_at = null where id = $1 and state in ('open', 'over')
       and not exists (select 1 from question_thing where question = $1 and answer is null) returning id`,
      [q.id],
    );
    const reason = `Round ${q.round}, “${q.doc.name}”`;
    for (const { n, answer } of list) {
      if (!rows.some((r) => r.n === n)) continue;
      if (answer.what === 'charter' && answer.charter)
        await this.charters.give(tx, [q.space], answer.charter, by, { how: 'answer', reason });
      else if (q.doc.kind === 'needed' && (answer.what === 'keep' || answer.what === 'until'))
        await this.charters.keep(
          tx,
          [q.space],
          answer.until ?? (await this.charters.usualDay(tx, q.space)),
          by,
          reason,
        );
    }
    const changing = list.some((l) => l.answer.what !== 'keep' && rows.some((r) => r.n === l.n));
    if (changing) await this.asking.due(tx);
    else if (over.length) await this.asking.soon(tx);
    return rows.map((r) => r.n);
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

function sums(given: readonly GivenThing[]): Partial<Record<ReviewAnswer, number>> {
  const sum: Partial<Record<ReviewAnswer, number>> = {};
  for (const g of given) sum[g.what] = (sum[g.what] ?? 0) + 1;
  return sum;
}

/** What each answer comes to, once it is done. */
const DONE_WORDS: Partial<Record<ReviewAnswer, (n: string) => string>> = {
  remove: (n) => `${n} removed.`,
  until: (n) => `${n} will end on the day you chose.`,
  archive: () => 'It is archived: it can be read, and nobody can change anything in it.',
  delete: () => 'It is in the bin of its workspace, from which it can be restored.',
  own: () => 'You own it now. Thank you.',
  charter: () => 'Its settings are as what it is for wants them.',
};

/** What has come of answers: null while something is still to be done. `lost`: members who lost something by it. */
function effectOf(things: readonly Thing[], kind: ReviewKind, lost: number): string | null {
  const changing = things.filter((t) => t.answer && t.answer.what !== 'keep');
  if (!changing.length || changing.some((t) => !t.outcome || t.outcome === 'planned')) return null;
  const { of } = reviewOf(kind);
  if (of === 'space' && changing.every((t) => t.answer!.what === 'until'))
    return 'It is kept until the day you chose.';
  const words = (list: readonly Thing[]): string =>
    counted(list.length, of === 'people' ? ['person', 'people'] : ['link or share', 'links and shares']);
  const done = (what: ReviewAnswer): Thing[] =>
    changing.filter((t) => t.outcome === 'done' && t.answer!.what === what);
  const said = (Object.keys(DONE_WORDS) as ReviewAnswer[]).flatMap((what) => {
    const list = done(what);
    // a person who was kept until a day that is over is removed by then
    return list.length ? DONE_WORDS[of === 'people' ? 'remove' : what]!(words(list)) : [];
  });
  const [not, later] = [
    changing.filter((t) => t.outcome === 'not-done'),
    changing.filter((t) => t.outcome === 'later'),
  ];
  return [
    ...said,
    later.length && `${words(later)} will be removed after the day you chose.`,
    not.length && `${of === 'space' ? 'It' : words(not)} could not be done: the stewards see why.`,
    said.length > 0 &&
      of !== 'space' &&
      kind !== 'members' &&
      (lost === 0
        ? 'Nobody inside lost anything.'
        : `${counted(lost, ['person inside', 'people inside'])} lost a way in too.`),
  ]
    .filter(Boolean)
    .join(' ');
}
