/** What scopes of apps allow, as the store has it. */
import { ScopeBook, type ScopeMeaning } from '../core/apps/scopes.ts';
import type { Db } from '../store/db.ts';

/** What stewards have said of scopes; what is kept of it follows changes. */
export interface ScopesSaid {
  book: ScopeBook;
}

export async function readScopes(db: Db): Promise<ScopesSaid> {
  const rows = await db.query<ScopeMeaning & { kind: string }>(
    'select kind, scope, words, means from app_scope order by kind, scope',
  );
  return { book: new ScopeBook(rows.map(({ kind, ...m }) => ({ ...m, ...(kind && { kind }) }))) };
}
