/** Partners, as stewards name them: each with a sponsor, and until a day. */
import type { OpenDb } from '../store/db.ts';
import type { OutsideDossier } from '../dto/exposure.ts';
import type { Engine } from '../engine/engine.ts';
import { dayOf } from './days.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import type { Present } from './present.ts';

interface Row {
  domain: string;
  until: Date | null;
  sponsor: string;
  at: Date;
  by: string;
}
const day = (d: Date | null): string | null => d && dayOf(d);
const said = (r: Pick<Row, 'until' | 'sponsor'>) => ({ until: day(r.until), sponsor: r.sponsor });

export class Partners {
  constructor(
    private readonly db: OpenDb,
    private readonly ledger: Ledger,
    private readonly engine: Engine,
    private readonly present: Present,
    private readonly clock: () => Date,
  ) {}

  /** Everything about one external domain; undefined where the survey knows none of the name. */
  async dossier(survey: number | undefined, domain: string): Promise<OutsideDossier | undefined> {
    const dossier = await this.engine.ask.outsideDossier(survey, domain);
    const [row] = await this.db.query<Row>('select * from partner_domain where domain = $1', [domain]);
    if (!dossier || !row) return dossier;
    return {
      ...dossier,
      partner: { until: day(row.until), sponsor: row.sponsor, by: row.by, at: row.at.toISOString() },
    };
  }

  /** Calls a domain a partner's, and judges the survey in force anew with it. */
  async put(domain: string, until: string | null, sponsor: string, by: string): Promise<void> {
    if (until !== null && until < dayOf(this.clock()))
      throw new AppError('past', 422, 'The end date is in the past.');
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<Row>('select * from partner_domain where domain = $1', [domain]);
      const [after] = await tx.query<Row>(
        `insert into partner_domain (domain, until, sponsor, at, by) values ($1, $2::date, $3, $4, $5)
         on conflict (domain) do update set until = excluded.until, sponsor = excluded.sponsor, at = excluded.at, by = excluded.by
         returning *`,
        [domain, until, sponsor, this.clock(), by],
      );
      await this.ledger.add(
        {
          who: by,
          what: before ? 'partner.changed' : 'partner.named',
          subject: domain,
          ...(before && { before: said(before) }),
          after: said(after!),
        },
        tx,
      );
    });
    await this.present.again();
  }

  /** Calls it a partner's no longer. What the workspaces themselves say of it stays. */
  async remove(domain: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<Row>('delete from partner_domain where domain = $1 returning *', [
        domain,
      ]);
      if (!before)
        throw new AppError(
          'not-ours',
          409,
          'Its workspace lists it as a partner, so it cannot be removed here.',
        );
      await this.ledger.add({ who: by, what: 'partner.dropped', subject: domain, before: said(before) }, tx);
    });
    await this.present.again();
  }
}
