/** What scopes of apps allow, as the store has it. */
import type { Approval } from '../core/apps/approval.ts';
import { ScopeBook, type ScopeMeaning } from '../core/apps/scopes.ts';
import type { Db } from '../store/db.ts';

/** What stewards have said of scopes; what is kept of it follows changes. */
export interface ScopesSaid {
  book: ScopeBook;
  /** By app, with its source. */
  approvals: ReadonlyMap<string, Approval>;
}

export async function readScopes(db: Db): Promise<ScopesSaid> {
  const rows = await db.query<ScopeMeaning & { kind: string }>(
    'select kind, scope, words, means from app_scope order by kind, scope',
  );
  const approvals = await db.query<Omit<Approval, 'until'> & { until: string | null }>(
    'select app, approved, groups, scopes, until::text as until from app_approval where ended_at is null',
  );
  return {
    approvals: new Map(
      approvals.map((a) => [
        a.app,
        { ...a, until: a.until === null ? Infinity : Date.parse(a.until) + 86_400_000 },
      ]),
    ),
    book: new ScopeBook(rows.map(({ kind, ...m }) => ({ ...m, ...(kind && { kind }) }))),
  };
}
