/** What scopes of apps allow, which apps are approved, and which of their domains have lapsed, as the store has it. */
import type { Approval } from '../core/apps/approval.ts';
import type { Lapsed } from '../core/apps/risk.ts';
import { ScopeBook, type ScopeMeaning } from '../core/apps/scopes.ts';
import type { Db } from '../store/db.ts';

/** What stewards have said of scopes and of apps; what is kept of it follows changes. */
export interface ScopesSaid {
  book: ScopeBook;
  /** By app, with its source. */
  approvals: ReadonlyMap<string, Approval>;
  lapsed: Lapsed;
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

/** Domains that are not registered, or whose registration ends at a time. */
export async function readLapsed(db: Db): Promise<Lapsed> {
  const rows = await db.query<{ domain: string; registered: boolean; ends: Date | null }>(
    'select domain, registered, ends from app_domain where not registered or ends is not null',
  );
  return new Map(rows.map(({ domain, registered, ends }) => [domain, registered ? ends!.getTime() : 0]));
}
