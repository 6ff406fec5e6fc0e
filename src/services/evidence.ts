/** Signed evidence of plans, by this installation's own key. */
import { signEvidence } from '../formats/evidence.ts';
import type { LedgerEntry } from '../formats/ledger.ts';
import type { OrganisationRow } from '../core/model.ts';
import type { Db } from '../store/db.ts';
import { PRESENT } from '../store/observed.ts';
import type { Ledger } from './ledger.ts';
import type { PlanQueries } from './plans/queries.ts';
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
    const [about] = await this.db.query<{ doc: { organisation: OrganisationRow } }>(
      `select doc from observed o where kind = 'about' and ${PRESENT} limit 1`,
    );
    const { list, events: _, moved: _moved, ...head } = plan;
    const jws = await signEvidence(
      {
        format: 'gate-lantern-evidence',
        version: 1,
        issuedAt: this.clock().toISOString(),
        issuedBy: by,
        organisation: about?.doc.organisation.name ?? '',
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
      await this.signing.private(),
    );
    await this.ledger.add({
      who: by,
      what: 'evidence.signed',
      subject: `evidence of plan ${id}`,
      after: { thumbprint: (await this.key()).thumbprint },
    });
    return jws;
  }
}
