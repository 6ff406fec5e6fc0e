/** Views that stewards and auditors kept under a name: where they are, and what they are held to. */
import type { Db } from '../store/db.ts';
import { maskedText } from '../core/recognise/masked-name.ts';
import type { Account, SavedView } from '../dto/accounts.ts';
import { AppError } from './errors.ts';

const MOST = 200;

export class Views {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  /** One's own and those that are shared, by name. */
  async list(account: Account): Promise<SavedView[]> {
    return (
      await this.db.query<SavedView & { mine: boolean; address: string }>(
        `select v.id, v.name, v.path, v.search, v.shared, v.account = $1 as mine, a.address
         from saved_view v join account a on a.id = v.account where v.account = $1 or v.shared order by lower(v.name), v.id`,
        [account.id],
      )
    ).map(({ mine, address, ...v }) => ({ ...v, ...(!mine && { by: address }) }));
  }

  /** Keeps a view; one of the same name at the same place is replaced. */
  async keep(account: Account, v: Pick<SavedView, 'name' | 'path' | 'search' | 'shared'>): Promise<void> {
    const search = new URLSearchParams(v.search);
    if ([...search.values(), v.name].some((text) => maskedText(text) !== text))
      throw new AppError(
        'sensitive',
        422,
        'The name or a filter of this view holds something sensitive, which is not kept. Filter by something else.',
      );
    const [count] = await this.db.query<{ n: number }>(
      'select count(*)::int as n from saved_view where account = $1',
      [account.id],
    );
    if (count!.n >= MOST)
      throw new AppError('too-many', 409, `You have saved ${MOST} views. Delete some that you do not need.`);
    await this.db.query(
      `insert into saved_view (account, name, path, search, shared, at) values ($1, $2, $3, $4, $5, $6)
       on conflict (account, path, name) do update set search = excluded.search, shared = excluded.shared, at = excluded.at`,
      [account.id, v.name, v.path, v.search, v.shared, this.clock()],
    );
  }

  /** Drops one of one's own. */
  async drop(account: Account, id: number): Promise<void> {
    await this.db.query('delete from saved_view where account = $1 and id = $2', [account.id, id]);
  }
}
