/** Apps that stewards have approved or refused, and what people ask for: answered once, and whoever asked is told. */
import type {
  AnswerRequestForm,
  ApprovalForm,
  ApprovalRow,
  Approvals as ApprovalsDto,
  RequestRow,
  SponsoredRequest,
  SponsorForm,
} from '../dto/approvals.ts';
import type { AppRequest } from '../engine/decide.ts';
import type { Engine } from '../engine/engine.ts';
import type { Db, OpenDb } from '../store/db.ts';
import { BY_ITSELF } from './policies/rows.ts';
import { dayOf, mustCome } from './days.ts';
import { AppError } from './errors.ts';
import type { Events } from './events.ts';
import type { Jobs } from './jobs.ts';
import type { Ledger } from './ledger.ts';
import { openLink, requestLink } from './messages/links.ts';
import type { Outbox } from './messages/outbox.ts';
import { plainValue } from './messages/templates.ts';
import { personAt } from './people.ts';
import type { Secrets } from './secrets.ts';

interface ApprovalSql extends Omit<ApprovalRow, 'at' | 'over' | 'now' | 'more'> {
  at: Date;
}
interface RequestSql extends Omit<RequestRow, 'at' | 'now' | 'similar' | 'answered' | 'sponsor'> {
  at: Date;
  passes: number;
  sponsor: string | null;
  sponsor_name: string | null;
  answered_at: Date | null;
  answered_by: string | null;
  approved: boolean | null;
  answer: string | null;
}
const APPROVAL = 'id, app, name, approved, groups, scopes, until::text as until, reason, by, at';
const REQUEST =
  'id, app, name, person, person_name as "personName", scopes, reason, at, answered_at, answered_by, approved, answer, passes, sponsor, sponsor_name';
/** So many requests that were answered are told of. */
const ANSWERED = 100;
/** So many requests may wait at once: more are refused until some are answered. */
const MOST_OPEN = 1000;

export class Approvals {
  /** Called when rules may say something else because of what is approved. */
  onChange: () => Promise<void> = () => Promise.resolve();

  constructor(
    private readonly parts: {
      db: OpenDb;
      ledger: Ledger;
      engine: Engine;
      events: Events;
      outbox: Pick<Outbox, 'add'>;
      jobs: Pick<Jobs, 'look'>;
      secrets: Pick<Secrets, 'keyFor'>;
      clock: () => Date;
    },
  ) {}

  /** Everything that stands, and what is asked for: what waits comes first. */
  async list(): Promise<ApprovalsDto> {
    const { db, engine, clock } = this.parts;
    const approvals = await db.query<ApprovalSql>(
      `select ${APPROVAL} from app_approval where ended_at is null order by approved desc, name, id`,
    );
    const requests = await db.query<RequestSql>(
      `(select ${REQUEST} from app_request where answered_at is null order by id)
       union all (select ${REQUEST} from app_request where answered_at is not null order by answered_at desc limit ${ANSWERED})`,
    );
    const known = await engine.ask.appsKnown(undefined, [
      ...new Set([...approvals, ...requests].map(({ app }) => app)),
    ]);
    const today = dayOf(clock());
    return {
      approvals: approvals.map((a) => {
        const of = known?.[a.app];
        return {
          ...a,
          at: a.at.toISOString(),
          over: a.until !== null && a.until < today,
          now: of?.row ?? null,
          more: a.approved ? (of?.scopes ?? []).filter((s) => !a.scopes.includes(s)) : [],
        };
      }),
      requests: requests.map((r) => ({
        ...{ id: r.id, app: r.app, name: r.name, person: r.person, personName: r.personName },
        ...{ scopes: r.scopes, reason: r.reason, at: r.at.toISOString() },
        now: known?.[r.app]?.row ?? null,
        similar: known?.[r.app]?.similar ?? [],
        sponsor: r.sponsor === null ? null : { address: r.sponsor, name: r.sponsor_name! },
        answered: answerOf(r),
      })),
    };
  }

  /** Approves an app, or refuses it; what stood of it before ends. */
  async put(form: ApprovalForm, by: string): Promise<void> {
    if (form.until !== null) mustCome(form.until, this.parts.clock());
    const known = await this.parts.engine.ask.appsKnown(undefined, [form.app]);
    const name = known?.[form.app]?.row.name ?? form.app.slice(form.app.indexOf(':') + 1);
    await this.parts.db.transaction((tx) => this.stand(tx, { ...form, name }, by));
    await this.changed();
  }

  /** Ends what stands of an app: it is neither approved nor refused then. */
  async end(id: number, by: string): Promise<void> {
    const { db, ledger, clock } = this.parts;
    await db.transaction(async (tx) => {
      const [before] = await tx.query<ApprovalSql>(
        `update app_approval set ended_at = $2, ended_by = $3 where id = $1 and ended_at is null returning ${APPROVAL}`,
        [id, clock(), by],
      );
      if (!before) throw new AppError('not-there', 404, 'This does not stand any more.');
      await ledger.add(
        { who: by, what: 'app.approval-ended', subject: before.name, before: said(before) },
        tx,
      );
    });
    await this.changed();
  }

  /** Keeps what somebody asks for who was refused an app; asking again changes the reason alone. */
  async ask(r: AppRequest): Promise<void> {
    const { db, ledger, events, clock } = this.parts;
    await db.transaction(async (tx) => {
      const [{ n } = { n: 0 }] = await tx.query<{ n: number }>(
        'select count(*)::int as n from app_request where answered_at is null',
      );
      if (n >= MOST_OPEN) throw new AppError('too-many', 429, 'Too many requests wait for an answer.');
      const [row] = await tx.query<{ id: number; made: boolean }>(
        `insert into app_request (app, name, person, person_name, scopes, reason, at) values ($1, $2, $3, $4, $5, $6, $7)
         on conflict (app, person) where answered_at is null do update set reason = excluded.reason, scopes = excluded.scopes
         returning id, xmax = 0 as made`,
        [r.app, r.name, r.person, r.personName, r.scopes, r.reason, clock()],
      );
      if (row!.made)
        await ledger.add(
          {
            who: BY_ITSELF,
            what: 'app.asked',
            subject: r.name,
            after: { person: r.personName, scopes: r.scopes, reason: r.reason },
          },
          tx,
        );
    });
    events.emit({ type: 'policies' });
  }

  /** Answers a request, once. An approval stands for the app from then on; whoever asked is told by mail. */
  async answer(form: AnswerRequestForm, by: string): Promise<void> {
    const { db, ledger, engine, outbox, jobs, clock } = this.parts;
    if (form.until !== null) mustCome(form.until, clock());
    const [open] = await db.query<RequestSql>(`select ${REQUEST} from app_request where id = $1`, [form.id]);
    const [person] =
      (open && (await engine.ask.peopleNamed(undefined, [open.person.replace(/^user:/, '')]))) ?? [];
    await db.transaction(async (tx) => {
      const [r] = await tx.query<RequestSql>(
        `update app_request set answered_at = $2, answered_by = $3, approved = $4, answer = $5
         where id = $1 and answered_at is null returning ${REQUEST}`,
        [form.id, clock(), by, form.approved, form.answer],
      );
      if (!r) throw new AppError('answered', 409, 'This has been answered already.');
      if (form.approved) {
        const [stands] = await tx.query<ApprovalSql>(
          `select ${APPROVAL} from app_approval where app = $1 and ended_at is null and approved`,
          [r.app],
        );
        await this.stand(
          tx,
          {
            app: r.app,
            name: r.name,
            approved: true,
            groups: form.groups,
            // what it was approved for stays
            scopes: [...new Set([...(stands?.scopes ?? []), ...r.scopes])],
            until: form.until,
            reason: form.answer,
          },
          by,
        );
      }
      await ledger.add(
        {
          who: by,
          what: form.approved ? 'app.request-approved' : 'app.request-refused',
          subject: r.name,
          after: { person: r.personName, answer: form.answer, ...(form.until && { until: form.until }) },
        },
        tx,
      );
      if (person?.address)
        await outbox.add(tx, [
          {
            key: `app-request:${r.id}`,
            to: { way: 'mail', recipient: person.address, name: person.name },
            severity: 'high',
            kind: 'app',
            gathered: false,
            subject: plainValue(form.approved ? `You can use ${r.name} now` : `${r.name} was not approved`),
            body: form.approved
              ? `You asked for the app “${plainValue(r.name)}”. It is approved${form.until ? ` until ${form.until}` : ''}: let it in again where you tried before.\n\n${plainValue(form.answer)}`
              : `You asked for the app “${plainValue(r.name)}”. It was not approved.\n\n${plainValue(form.answer)}`,
          },
        ]);
    });
    await jobs.look();
    await this.changed();
  }

  /** Passes a request on to somebody of the organisation, never to whoever asks: they answer it from a link in a mail. */
  async passOn(id: number, address: string, by: string): Promise<void> {
    const { db, ledger, engine, outbox, jobs } = this.parts;
    const sponsor = await personAt(engine, address);
    await db.transaction(async (tx) => {
      const [r] = await tx.query<RequestSql>(
        `update app_request set passes = passes + 1, sponsor = $2, sponsor_name = $3
         where id = $1 and answered_at is null and person <> $4 returning ${REQUEST}`,
        [id, sponsor.address, sponsor.name, sponsor.key],
      );
      if (!r)
        throw new AppError(
          'cannot-pass',
          409,
          'It has been answered already, or this is whoever asks for it.',
        );
      await ledger.add(
        {
          who: by,
          what: 'app.request-passed',
          subject: r.name,
          after: { person: r.personName, to: sponsor.address },
        },
        tx,
      );
      await outbox.add(tx, [
        {
          key: `app-request:${id}:${r.passes}`,
          to: { way: 'mail', recipient: sponsor.address, name: sponsor.name },
          severity: 'high',
          kind: 'app',
          gathered: false,
          subject: plainValue(`May ${r.personName} use the app ${r.name}?`),
          body: `Hello ${plainValue(sponsor.name)},\n\n${plainValue(r.personName)} asks for the app “${plainValue(r.name)}”: “${plainValue(r.reason)}”\n\nA steward asks you to answer. What the app is and could read, and your answer:\n${requestLink(id, r.passes)}`,
        },
      ]);
    });
    this.parts.events.emit({ type: 'policies' });
    await jobs.look();
  }

  /** The request of a link; nothing else of the organisation. Throws where the link is none, or it was passed on to another. */
  async opened(link: string): Promise<SponsoredRequest> {
    const { db, engine } = this.parts;
    const r = await this.linked(db, link);
    const asked = await engine.ask.appAsked(undefined, r.app, r.scopes);
    const row = asked?.row;
    const answered = answerOf(r);
    return {
      sponsor: r.sponsor_name!,
      name: r.name,
      publisher: row?.publisher ?? '',
      verified: row?.verified ?? false,
      personName: r.personName,
      reason: r.reason,
      at: r.at.toISOString(),
      scopes: asked?.scopes ?? r.scopes,
      // how it stands is told as long as there is something to answer
      now:
        row && !answered
          ? {
              ...{ people: row.people, everyone: row.everyone, files: row.files, heavy: row.heavy },
              ...{ points: row.points, severity: row.severity },
            }
          : null,
      similar: (!answered && asked?.similar.map((s) => s.name)) || [],
      answered,
    };
  }

  /** Answers the request of a link. */
  async answerLink({ link, ...given }: SponsorForm): Promise<SponsoredRequest> {
    const r = await this.linked(this.parts.db, link);
    await this.answer({ ...given, id: r.id, groups: [] }, r.sponsor!);
    return this.opened(link);
  }

  private async linked(db: Db, link: string): Promise<RequestSql> {
    const of = openLink(this.parts.secrets, 'app-request', link);
    const [r] = of
      ? await db.query<RequestSql>(`select ${REQUEST} from app_request where id = $1 and passes = $2`, [
          of.of,
          of.n,
        ])
      : [];
    if (r) return r;
    throw new AppError(
      'no-request',
      404,
      'This link is not one of ours, not whole, or it was passed on to somebody else.',
    );
  }

  private async stand(tx: Db, a: ApprovalForm & { name: string }, by: string): Promise<void> {
    const { ledger, clock } = this.parts;
    const [before] = await tx.query<ApprovalSql>(
      `update app_approval set ended_at = $2, ended_by = $3 where app = $1 and ended_at is null returning ${APPROVAL}`,
      [a.app, clock(), by],
    );
    const [after] = await tx.query<ApprovalSql>(
      `insert into app_approval (app, name, approved, groups, scopes, until, reason, by, at)
       values ($1, $2, $3, $4, $5, $6::date, $7, $8, $9) returning ${APPROVAL}`,
      [a.app, a.name, a.approved, a.groups, a.scopes, a.until, a.reason, by, clock()],
    );
    await ledger.add(
      {
        who: by,
        what: a.approved ? 'app.approved' : 'app.refused',
        subject: a.name,
        ...(before && { before: said(before) }),
        after: said(after!),
      },
      tx,
    );
  }

  private async changed(): Promise<void> {
    await this.parts.engine.ask.reapprove();
    await this.onChange();
    this.parts.events.emit({ type: 'policies' });
  }
}

const answerOf = ({ answered_at, answered_by, approved, answer }: RequestSql): RequestRow['answered'] =>
  answered_at && { at: answered_at.toISOString(), by: answered_by!, approved: approved!, answer: answer! };

const said = ({ approved, groups, scopes, until, reason }: ApprovalSql) => ({
  approved,
  groups,
  scopes,
  until,
  reason,
});
