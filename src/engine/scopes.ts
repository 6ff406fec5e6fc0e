/** What scopes of apps allow, and which apps are approved, as the store has it. */
import type { Approval } from '../core/apps/approval.ts';
import { ScopeBook, type ScopeMeaning } from '../core/apps/scopes.ts';
import type { Db } from '../store/db.ts';

/** What stewards have said of scopes and of apps; what is kept of it follows changes. */
export interface ScopesSaid {
  book: ScopeBook;
  /** By app, with its source. */
  approvals: ReadonlyMap<string, Approval>;
}

export async function readBook(db: Db): Promise<ScopeBook> {
  const rows = await db.query<ScopeMeaning & { kind: string }>(
    'select kind, scope, words, means from app_scope order by kind, scope',
  );
  return new ScopeBook(rows.map(({ kind, ...m }) => ({ ...m, ...(kind && { kind }) })));
}

export async function readApprovals(db: Db): Promise<ScopesSaid['approvals']> {
  const rows = await db.query<Omit<Approval, 'until'> & { until: string | null }>(
    'select app, approved, groups, scopes, until::text as until from app_approval where ended_at is null',
  );
  return new Map(
    rows.map((a) => [a.app, { ...a, until: a.until === null ? Infinity : Date.parse(a.until) + 86_400_000 }]),
  );
}
