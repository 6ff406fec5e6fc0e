/** What spaces are for, as stewards, owners and rules say it; and which are kept though nothing happens in them. */
import type { z } from 'zod';
import { ACTIVITY_OF, dayIn, DORMANT_DAYS } from '../../core/ask/activity.ts';
import { RHYTHMS, type Charter, type Purpose, type Sensitivity } from '../../core/ask/charter.ts';
import { counted } from '../../core/counted.ts';
import { REVIEW_KINDS, type ReviewKind } from '../../core/ask/kinds.ts';
import type { EventType } from '../../core/guard/events.ts';
import type { RuleResponse } from '../../core/guard/responses.ts';
import { asPolicy, ONLY_RULE } from '../../core/orders/as-policy.ts';
import type {
  CharterBookDto,
  CharterChoices,
  ReviewSpace,
  ReviewSpaces,
  SpacePage,
  SpaceRow,
  SpacesQuery,
} from '../../dto/charters.ts';
import type { Asked } from '../../dto/review.ts';
import type { purposeForm, sensitivityForm } from '../../dto/review-forms.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { dayOf, mustCome } from '../days.ts';
import { AppError } from '../errors.ts';
import type { Deed } from '../ledger.ts';
import type { OrderParts } from '../orders/parts.ts';
import { BY_ITSELF, type Kept } from '../policies/rows.ts';

/** Of spaces by key. */
type Spaces = readonly string[];
const idOf = (key: string): string => key.slice('space:'.length);
const SPACES = ['space', 'spaces'] as const;
const BOOK = { purpose: 'purpose', sensitivity: 'sensitivity' } as const;

/** A draft of a plan, where something is to be changed, and why the rest of it cannot be. */
interface Drafted {
  plan: number | null;
  cannot: string[];
}
interface Gives {
  how: 'hand' | 'answer' | 'rule';
  reason: string;
}

export class Charters {
  /** Called when rules may say something else because of charters. */
  onChange: () => Promise<void> = () => Promise.resolve();

  constructor(private readonly parts: OrderParts) {}

  /** Has the survey in force be asked with charters as they are now. After each transaction that changed some. */
  async changed(): Promise<void> {
    await this.parts.engine.ask.recharter();
    await this.onChange();
    this.parts.events.emit({ type: 'policies' });
  }

  async book(): Promise<CharterBookDto> {
    const { db, engine } = this.parts;
    const asked = { of: 'charters' as const, sort: [], limit: 0, offset: 0 };
    const [all, none, differ] = await Promise.all(
      ([undefined, 'none', 'differs'] as const).map((show) =>
        engine.ask.spacesShown(undefined, { ...asked, show }),
      ),
    );
    const [purposes, sensitivities] = await Promise.all([
      db.query<{ doc: Purpose; spaces: number }>(
        `select doc, (select count(*)::int from charter c where c.purpose = p.id) as spaces from purpose p order by doc->>'name'`,
      ),
      db.query<{ doc: Sensitivity; spaces: number }>(
        `select doc, (select count(*)::int from charter c where c.sensitivity = s.id) as spaces from sensitivity s order by doc->>'name'`,
      ),
    ]);
    return {
      purposes: purposes.map(({ doc, spaces }) => ({ ...doc, spaces })),
      sensitivities: sensitivities.map(({ doc, spaces }) => ({ ...doc, spaces })),
      spaces: all?.total ?? 0,
      chartered: (all?.total ?? 0) - (none?.total ?? 0),
      differs: differ?.total ?? 0,
    };
  }

  /** Spaces as they stand, with what is being asked about each. */
  async spaces(q: SpacesQuery): Promise<ReviewSpaces | undefined> {
    const page = await this.parts.engine.ask.spacesShown(undefined, q);
    return page && { ...page, rows: await this.withAsked(page.rows, KINDS_OF[q.of]) };
  }

  /** One space with when what happened in it, by day. */
  async space(key: string): Promise<SpacePage | undefined> {
    const { db, engine } = this.parts;
    const page = await engine.ask.spaceActivity(undefined, key, DAYS_DRAWN);
    if (!page) return undefined;
    const events = await db.query<{ day: string; type: EventType; n: number }>(
      `select time::date::text as day, type, count(*)::int as n from happened
       where node_key = any($1) and time >= $2 group by 1, 2`,
      [page.nodes, page.from],
    );
    const byDay = new Map(page.byDay.map((d) => [d.day, d]));
    // of what the survey knows the last deed of each, events may tell again
    const told = new Map<string, number>();
    for (const { day, type, n } of events) {
      const source = ACTIVITY_OF[type];
      if (!source || day < page.from) continue;
      const key = `${day} ${source}`;
      told.set(key, (told.get(key) ?? 0) + n);
      const of = dayIn(byDay, day);
      of[source] = Math.max(of[source], told.get(key)!);
    }
    const [row] = await this.withAsked([page.row], REVIEW_KINDS);
    return {
      row: row!,
      from: page.from,
      to: page.to,
      byDay: [...byDay.values()].sort((a, b) => (a.day < b.day ? -1 : 1)),
    };
  }

  private async withAsked(rows: readonly SpaceRow[], kinds: readonly ReviewKind[]): Promise<ReviewSpace[]> {
    const { db } = this.parts;
    const keys = rows.map((r) => r.key);
    const ids = keys.map(idOf);
    const asked = await db.query<{
      space: string;
      round: number;
      kind: string;
      state: string;
      until: Date;
      of: string[];
    }>(
      `select distinct on (q.space) q.space, q.round, r.doc->>'kind' as kind, q.state, q.until,
         array(select coalesce(nullif(p.name, ''), p.address) from question_person p where p.question = q.id and not p.declined order by p.n) as of
       from question q join round r on r.id = q.round
       where q.space = any($1) and q.state in ('planned', 'open') and r.doc->>'kind' = any($2) order by q.space, q.id desc`,
      [keys, kinds],
    );
    const kept = await db.query<{ space: string; until: string; by: string; reason: string }>(
      'select space, until::text as until, by, reason from space_kept where space = any($1)',
      [ids],
    );
    const charters = await db.query<{ space: string; at: Date; by: string; how: string }>(
      'select space, at, by, how from charter where space = any($1)',
      [ids],
    );
    const by = <T extends { space: string }>(list: readonly T[]) => new Map(list.map((x) => [x.space, x]));
    const [askedOf, keptOf, charterOf] = [by(asked), by(kept), by(charters)];
    return rows.map((r) => {
      const [a, k, c] = [askedOf.get(r.key), keptOf.get(idOf(r.key)), charterOf.get(idOf(r.key))];
      return {
        ...r,
        asked: a
          ? { round: a.round, kind: a.kind, state: a.state, until: a.until.toISOString(), of: a.of }
          : null,
        kept: k ? { until: k.until, by: k.by, reason: k.reason } : null,
        chartered: c ? { at: c.at.toISOString(), by: c.by, how: c.how } : null,
      };
    });
  }

  /** Keeps a purpose or a sensitivity, new or changed. */
  async put(
    of: keyof typeof BOOK,
    doc: z.infer<typeof purposeForm> | z.infer<typeof sensitivityForm>,
    by: string,
  ): Promise<void> {
    const { db, ledger } = this.parts;
    await db.transaction(async (tx) => {
      const [before] = await tx.query<{ doc: object }>(`select doc from ${BOOK[of]} where id = $1`, [doc.id]);
      await tx.query(
        `insert into ${BOOK[of]} (id, doc) values ($1, $2) on conflict (id) do update set doc = excluded.doc`,
        [doc.id, storableJson(doc)],
      );
      await ledger.add(
        {
          who: by,
          what: before ? 'charter.changed' : 'charter.made',
          subject: `${of} ${doc.id}`,
          ...(before && { before: before.doc }),
          after: doc,
        },
        tx,
      );
    });
    await this.changed();
  }

  /** Takes one away that no space has. */
  async drop(of: keyof typeof BOOK, id: string, by: string): Promise<void> {
    const { db, ledger } = this.parts;
    await db.transaction(async (tx) => {
      const [used] = await tx.query<{ n: number }>(
        `select count(*)::int as n from charter where ${BOOK[of]} = $1`,
        [id],
      );
      if (used!.n)
        throw new AppError(
          'in-use',
          409,
          `${counted(used!.n, ['space has', 'spaces have'])} it. Give them another first.`,
        );
      const [before] = await tx.query<{ doc: object }>(
        `delete from ${BOOK[of]} where id = $1 returning doc`,
        [id],
      );
      if (!before) throw new AppError('not-there', 404, `There is no such ${of}.`);
      await ledger.add({ who: by, what: 'charter.removed', subject: `${of} ${id}`, before: before.doc }, tx);
    });
    await this.changed();
  }

  /** Says what spaces are for, in the transaction of whatever says so. */
  async give(tx: Db, spaces: Spaces, charter: Charter, by: string, { how, reason }: Gives): Promise<void> {
    const [known] = await tx.query<{ purposes: number; sensitivities: number }>(
      'select (select count(*)::int from purpose where id = $1) as purposes, (select count(*)::int from sensitivity where id = $2) as sensitivities',
      [charter.purpose, charter.sensitivity],
    );
    if (!known!.purposes || !known!.sensitivities)
      throw new AppError('not-there', 422, 'There is no such purpose or sensitivity any more.');
    await tx.query(
      `insert into charter (space, purpose, sensitivity, at, by, how, reason)
       select s, $2, $3, $4, $5, $6, $7 from unnest($1::text[]) s
       on conflict (space) do update set purpose = excluded.purpose, sensitivity = excluded.sensitivity, at = excluded.at, by = excluded.by,
         how = excluded.how, reason = excluded.reason`,
      [spaces.map(idOf), charter.purpose, charter.sensitivity, this.parts.clock(), by, how, reason],
    );
    await this.note(tx, spaces, { who: by, what: 'charter.given', after: { ...charter, how } });
  }

  /** Puts what was said of spaces on the ledger. */
  private note(
    tx: Db,
    spaces: Spaces,
    { before, after, ...deed }: Pick<Deed, 'who' | 'what'> & { before?: object; after?: object },
  ): Promise<unknown> {
    const named = { spaces: spaces.slice(0, NAMED) };
    return this.parts.ledger.add(
      {
        ...deed,
        subject: spaces.length === 1 ? spaces[0]! : counted(spaces.length, SPACES),
        ...(before && { before: { ...before, ...named } }),
        ...(after && { after: { ...after, ...named } }),
      },
      tx,
    );
  }

  /** Gives spaces a charter by hand, and makes a draft of what sets their settings so. */
  async giveByHand(spaces: Spaces, charter: Charter, by: string): Promise<Drafted> {
    await this.parts.db.transaction((tx) => this.give(tx, spaces, charter, by, { how: 'hand', reason: '' }));
    await this.changed();
    return this.setSo(spaces, by);
  }

  /** What owners choose from. */
  async choices(): Promise<CharterChoices> {
    const of = async (table: keyof typeof BOOK) =>
      (
        await this.parts.db.query<{ doc: CharterChoices['purposes'][number] }>(
          `select doc from ${table} order by doc->>'name'`,
        )
      ).map(({ doc: { id, name, description } }) => ({ id, name, description }));
    return { purposes: await of('purpose'), sensitivities: await of('sensitivity') };
  }

  /** The day until which a space is kept where no other is said: for as long again as it may lie idle. */
  async usualDay(tx: Db, space: string): Promise<string> {
    const [row] = await tx.query<{ days: number }>(
      "select (p.doc->>'dormantDays')::int as days from charter c join purpose p on p.id = c.purpose where c.space = $1",
      [idOf(space)],
    );
    return dayOf(new Date(this.parts.clock().getTime() + (row?.days ?? DORMANT_DAYS) * 86_400_000));
  }

  /** Takes charters away; settings stay as they are. */
  async take(spaces: Spaces, by: string): Promise<void> {
    await this.parts.db.transaction(async (tx) => {
      await tx.query('delete from charter where space = any($1)', [spaces.map(idOf)]);
      await this.note(tx, spaces, { who: by, what: 'charter.taken', before: {} });
    });
    await this.changed();
  }

  /** A draft of what sets the settings of spaces as their charters have them; none where they are so. */
  setSo(spaces: Spaces, by: string): Promise<Drafted> {
    return this.draft(spaces, { do: 'to-charter' }, 'As their charters say', by);
  }

  /** A draft of what archives or deletes spaces with all that belongs to them. */
  away(spaces: Spaces, what: 'archive' | 'delete', by: string): Promise<Drafted> {
    return this.draft(
      spaces,
      { do: what },
      what === 'archive' ? 'Archive what lies idle' : 'Delete what lies idle',
      by,
    );
  }

  private async draft(spaces: Spaces, response: RuleResponse, name: string, by: string): Promise<Drafted> {
    const { db, engine, plans } = this.parts;
    const answer = await engine.ask.respond(
      undefined,
      asPolicy(name, 'space', 'true', [response]),
      spaces.map((key) => ({ rule: ONLY_RULE, key })),
    );
    if (!answer) throw new AppError('no-survey', 409, 'Nothing was surveyed yet.');
    const cannot = [
      ...new Set(answer.parts.flat().flatMap((p) => (p.how === 'cannot' && p.why ? p.why : []))),
    ];
    const { preview, goals } = answer;
    if (!preview) return { plan: null, cannot };
    const { plan } = await db.transaction((tx) =>
      plans.drafts.keep(tx, {
        name,
        reason: `${counted(spaces.length, SPACES)}, by hand.`,
        by,
        preview,
        goals,
      }),
    );
    return { plan, cannot };
  }

  /** Keeps spaces though nothing happens in them, until and including a day; in the transaction of whatever says so. */
  async keep(tx: Db, spaces: Spaces, until: string, by: string, reason: string): Promise<void> {
    await tx.query(
      `insert into space_kept (space, until, at, by, reason) select s, $2, $3, $4, $5 from unnest($1::text[]) s
       on conflict (space) do update set until = excluded.until, at = excluded.at, by = excluded.by, reason = excluded.reason`,
      [spaces.map(idOf), until, this.parts.clock(), by, reason],
    );
    await this.note(tx, spaces, { who: by, what: 'space.kept', after: { until, reason } });
  }

  /** Keeps who should own spaces after those who do; in the transaction of whatever says so. */
  async wish(tx: Db, space: string, person: Asked, by: { address: string; name: string }): Promise<void> {
    await tx.query(
      `insert into space_wish (space, person, by, at) values ($1, $2, $3, $4)
       on conflict (space) do update set person = excluded.person, by = excluded.by, at = excluded.at`,
      [idOf(space), person.key.slice('user:'.length), by.name || by.address, this.parts.clock()],
    );
    await this.note(tx, [space], { who: by.address, what: 'space.wished', after: { owner: person.address } });
  }

  async keepByHand(spaces: Spaces, until: string, reason: string, by: string): Promise<void> {
    mustCome(until, this.parts.clock());
    await this.parts.db.transaction((tx) => this.keep(tx, spaces, until, by, reason));
    await this.changed();
  }

  /** Gives the charters that the rules of a policy give to what they hit and has none; once each. */
  async byRule({ name, doc, id }: Kept): Promise<void> {
    const giving = doc.rules.flatMap((r) => {
      const response = r.mode === 'enforce' ? r.responses.find((x) => x.do === 'charter') : undefined;
      return response ? { rule: r.id, charter: response as unknown as Charter } : [];
    });
    let given = 0;
    for (const { rule, charter } of giving)
      await this.parts.db.transaction(async (tx) => {
        const rows = await tx.query<{ key: string }>(
          `select h.key from rule_hit h where h.policy = $1 and h.rule = $2 and h.over_at is null and h.excepted is null
             and not exists (select from charter c where 'space:' || c.space = h.key) order by h.id`,
          [id, rule],
        );
        if (!rows.length) return;
        given += rows.length;
        await this.give(
          tx,
          rows.map((r) => r.key),
          { purpose: charter.purpose, sensitivity: charter.sensitivity },
          BY_ITSELF,
          { how: 'rule', reason: name },
        );
      });
    if (given) await this.changed();
  }

  /**
   * Spaces whose owners have not been asked, for as long as the rhythm of their sensitivity, what it wants asked: since the last
   * question about it, or since they have the charter.
   */
  async dueForReview(): Promise<{ sensitivity: Sensitivity; spaces: string[] }[]> {
    const { db, clock } = this.parts;
    const due: { sensitivity: Sensitivity; spaces: string[] }[] = [];
    for (const { doc } of await db.query<{ doc: Sensitivity }>(
      "select doc from sensitivity where doc->>'review' is not null order by id",
    )) {
      const { kind, every } = doc.review!;
      const rows = await db.query<{ space: string }>(
        `select c.space from charter c where c.sensitivity = $1 and c.at <= $2::timestamptz - make_interval(months => $4)
           and not exists (select from question q join round r on r.id = q.round where q.space = 'space:' || c.space
             and r.doc->>'kind' = $3 and (q.state in ('planned', 'open') or q.made_at > $2::timestamptz - make_interval(months => $4)))
         order by c.space`,
        [doc.id, clock(), kind, RHYTHMS[every]],
      );
      if (rows.length) due.push({ sensitivity: doc, spaces: rows.map((r) => `space:${r.space}`) });
    }
    return due;
  }
}

const NAMED = 20;
/** Activity is drawn over so many days. */
const DAYS_DRAWN = 182;
/** What is asked about spaces, by the list that they stand in. */
const KINDS_OF = {
  dormant: ['needed'],
  ownerless: ['owner'],
  charters: ['charter'],
} as const;
