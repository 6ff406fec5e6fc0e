/** What scopes of apps in other vocabularies come to, as stewards say. */
import type { ScopeMeaningDto, ScopeTable } from '../dto/apps.ts';
import type { ScopeForm } from '../dto/forms.ts';
import type { Engine } from '../engine/engine.ts';
import type { Db, OpenDb } from '../store/db.ts';
import { AppError } from './errors.ts';
import type { Events } from './events.ts';
import type { Ledger } from './ledger.ts';

interface Row extends Omit<ScopeMeaningDto, 'at'> {
  at: Date;
}
const said = ({ words, means }: Pick<Row, 'words' | 'means'>) => ({ words, means });
const read = (db: Db): Promise<Row[]> => db.query<Row>('select * from app_scope order by scope, kind');

export class Scopes {
  constructor(
    private readonly db: OpenDb,
    private readonly ledger: Ledger,
    private readonly engine: Engine,
    private readonly events: Events,
    private readonly clock: () => Date,
  ) {}

  /** Undefined before the first survey. */
  async table(): Promise<ScopeTable | undefined> {
    const rows = (await read(this.db)).map((r) => ({ ...r, at: r.at.toISOString() }));
    return this.engine.ask.scopeTable(undefined, rows);
  }

  async put({ kind, scope, words, means }: ScopeForm, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<Row>('select * from app_scope where kind = $1 and scope = $2', [
        kind,
        scope,
      ]);
      await tx.query(
        `insert into app_scope (kind, scope, words, means, by, at) values ($1, $2, $3, $4, $5, $6)
         on conflict (kind, scope) do update set words = excluded.words, means = excluded.means, by = excluded.by, at = excluded.at`,
        [kind, scope, words, means, by, this.clock()],
      );
      await this.ledger.add(
        {
          who: by,
          what: 'scope.said',
          subject: scope,
          ...(before && { before: said(before) }),
          after: { ...said({ words, means }), ...(kind && { kind }) },
        },
        tx,
      );
    });
    await this.changed();
  }

  async remove(kind: string, scope: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<Row>(
        'delete from app_scope where kind = $1 and scope = $2 returning *',
        [kind, scope],
      );
      if (!before) throw new AppError('not-there', 404, 'Nothing is said of this scope.');
      await this.ledger.add({ who: by, what: 'scope.unsaid', subject: scope, before: said(before) }, tx);
    });
    await this.changed();
  }

  private async changed(): Promise<void> {
    await this.engine.ask.rescope();
    this.events.emit({ type: 'policies' });
  }
}
