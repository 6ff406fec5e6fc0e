/** How often a rule is right: a sample of what it hits, and what stewards said of it. */
import { allocate } from '../../core/guard/marks.ts';
import type { MarkedHit, Sample } from '../../dto/guard.ts';
import type { Db } from '../../store/db.ts';
import type { Ledger } from '../ledger.ts';
import { policyOf, ruleOf } from './rows.ts';

/** So many hits are looked at. */
const SAMPLE = 40;

export class Marks {
  constructor(
    private readonly db: Db,
    private readonly ledger: Pick<Ledger, 'add'>,
    private readonly clock: () => Date,
  ) {}

  /**
   * A sample of the hits in force of a rule, the same ones as long as these are: by how sure the match is that they rest
   * on, ten points at a time, or else by workspace. And what else was marked: of acts that a trial showed.
   */
  async sample(id: number, rule: string): Promise<Sample> {
    ruleOf(await policyOf(this.db, id), rule);
    const rows = await this.db.query<
      { n: number; size: number; key: string; is_right: boolean | null; stratum: string } & Pick<
        MarkedHit,
        'name' | 'where' | 'values' | 'open' | 'certainty'
      >
    >(
      `select s.n, s.size, s.stratum, s.key, s.doc->>'name' as name, s.doc->>'where' as where, s.doc->'values' as values,
         s.doc->>'open' as open, (s.doc->>'certainty')::int as certainty, m.is_right
       from (select h.*, (row_number() over by_stratum)::int as n, (count(*) over (partition by h.stratum))::int as size
         from (select key, doc, coalesce('certainty ' || least(90, (doc->>'certainty')::int / 10 * 10), split_part(key, ':', 2)) as stratum
           from rule_hit where policy = $1 and rule = $2 and over_at is null and excepted is null) h
         window by_stratum as (partition by h.stratum order by md5(h.key), h.key)) s
       left join hit_mark m on m.policy = $1 and m.rule = $2 and m.key = s.key
       where s.n <= $3 or m.is_right is not null order by s.stratum desc, s.n`,
      [id, rule, SAMPLE],
    );
    const sizes = Object.fromEntries(rows.map((r) => [r.stratum, r.size]));
    const strata = Object.keys(sizes);
    const shares = allocate(Object.values(sizes), SAMPLE);
    const others = await this.db.query<Sample['others'][number]>(
      `select key, is_right as right, certainty from hit_mark m where policy = $1 and rule = $2
         and not exists (select from rule_hit h where h.policy = $1 and h.rule = $2 and h.key = m.key and h.over_at is null)`,
      [id, rule],
    );
    return {
      rows: rows
        .filter((r) => r.is_right !== null || r.n <= shares[strata.indexOf(r.stratum)]!)
        .map(({ n: _, size: __, is_right, ...r }) => ({ ...r, right: is_right })),
      sizes,
      others,
    };
  }

  /** Says of something that a rule hits that this is right, or wrong; null takes that back. */
  async mark(
    id: number,
    {
      rule,
      key,
      right,
      certainty,
    }: { rule: string; key: string; right: boolean | null; certainty: number | null },
    by: string,
  ): Promise<void> {
    await this.db.transaction(async (tx) => {
      ruleOf(await policyOf(tx, id), rule);
      if (right === null)
        await tx.query('delete from hit_mark where policy = $1 and rule = $2 and key = $3', [id, rule, key]);
      else
        await tx.query(
          `insert into hit_mark (policy, rule, key, is_right, certainty, at, by) values ($1, $2, $3, $4, $5, $6, $7)
           on conflict (policy, rule, key) do update set is_right = excluded.is_right, at = excluded.at, by = excluded.by`,
          [id, rule, key, right, certainty, this.clock(), by],
        );
      await this.ledger.add(
        { who: by, what: 'policy.marked', subject: `policy ${id}`, after: { rule, key, right } },
        tx,
      );
    });
  }
}
