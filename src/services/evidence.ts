/** Signed evidence of plans and of rounds, by this installation's own key. */
import { signEvidence, type EvidencePayload, type RoundEvidence } from '../formats/evidence.ts';
import type { LedgerEntry } from '../formats/ledger.ts';
import { gathered } from '../core/gathered.ts';
import type { OrganisationRow } from '../core/model.ts';
import type { Db } from '../store/db.ts';
import { PRESENT } from '../store/observed.ts';
import type { Ledger } from './ledger.ts';
import type { PlanQueries } from './plans/queries.ts';
import type { RoundHead, Thing } from './review/rows.ts';
import type { SigningKey } from './signing-key.ts';

export class Evidence {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly plans: PlanQueries,
    private readonly signing: SigningKey,
    private readonly clock: () => Date,
  ) {}

  key(): ReturnType<SigningKey['public']> {
    return this.signing.public();
  }

  /** A plan with everything that shows what came of it; undefined where there is none of this number. */
  async ofPlan(id: number, by: string): Promise<string | undefined> {
    const plan = await this.plans.one(id);
    if (!plan) return undefined;
    const objects = await this.db.query<{ id: number; before: object; after: object | null }>(
      'select id, before, after from plan_change where plan = $1',
      [id],
    );
    const rows = new Map(objects.map((o) => [o.id, o]));
    const entries = await this.db.query<LedgerEntry>(
      "select * from ledger where subject = $1 or after->>'plan' = $2 order by seq",
      [`plan ${id}`, String(id)],
    );
    const { list, events: _, moved: _moved, ...head } = plan;
    return this.signed(
      {
        ...(await this.head(by)),
        format: 'gate-lantern-evidence',
        plan: head,
        changes: list.map((c) => ({
          ...c.change,
          words: c.words,
          state: c.state,
          note: c.note,
          changedAt: c.changedAt,
          drift: c.drift,
          before: rows.get(c.id)!.before,
          after: rows.get(c.id)!.after,
        })),
        ledger: entries,
      },
      `evidence of plan ${id}`,
    );
  }

  /** A round with whom it asked about what, what they answered and what came of that; undefined where there is none of this number. */
  async ofRound(id: number, by: string): Promise<string | undefined> {
    const [round] = await this.db.query<RoundHead>('select * from round where id = $1', [id]);
    if (!round) return undefined;
    const questions = await this.db.query<{ id: number; space: string; state: string }>(
      `select q.id, q.space_name as space, q.workspace, q.department, q.state, q.made_at as asked_at, q.until,
         array(select p.address from question_person p where p.question = q.id order by p.n) as asked
       from question q where q.round = $1 order by q.id`,
      [id],
    );
    const things = await this.db.query<Thing>(
      `select t.question, t.n, t.key, t.doc, t.answer, t.outcome, t.why, t.plan from question_thing t join question q on q.id = t.question
       where q.round = $1 order by t.question, t.n`,
      [id],
    );
    const of = gathered(things, (t) => t.question);
    const entries = await this.db.query<LedgerEntry>(
      'select * from ledger where subject = $1 or subject = any($2) order by seq',
      [`round ${id}`, questions.map((q) => `question ${q.id}`)],
    );
    return this.signed(
      {
        ...(await this.head(by)),
        format: 'gate-lantern-round-evidence',
        round: {
          ...round.doc,
          id,
          state: round.state,
          begunAt: round.made_at.toISOString(),
          begunBy: round.made_by,
          endedAt: round.ended_at?.toISOString() ?? null,
        },
        questions: questions.map((q) => ({
          ...q,
          things: (of.get(q.id) ?? []).map(({ doc, answer, outcome, why, plan, key }) => ({
            key,
            name: doc.name,
            detail: doc.detail,
            answer: answer && { ...answer },
            outcome,
            why,
            plan,
          })),
        })),
        ledger: entries,
      },
      `evidence of round ${id}`,
    );
  }

  private async head(
    by: string,
  ): Promise<Pick<EvidencePayload, 'version' | 'issuedAt' | 'issuedBy' | 'organisation'>> {
    const [about] = await this.db.query<{ doc: { organisation: OrganisationRow } }>(
      `select doc from observed o where kind = 'about' and ${PRESENT} limit 1`,
    );
    return {
      version: 1,
      issuedAt: this.clock().toISOString(),
      issuedBy: by,
      organisation: about?.doc.organisation.name ?? '',
    };
  }

  private async signed(payload: EvidencePayload | RoundEvidence, subject: string): Promise<string> {
    const jws = await signEvidence(payload, await this.signing.private());
    await this.ledger.add({
      who: payload.issuedBy,
      what: 'evidence.signed',
      subject,
      after: { thumbprint: (await this.key()).thumbprint },
    });
    return jws;
  }
}
