/** Our own accounts, what they keep, and the counts on the course bar. */

export type AccountRole = 'steward' | 'auditor' | 'owner';

export interface Account {
  id: number;
  name: string;
  address: string;
  role: AccountRole;
}

export interface SavedView {
  id: number;
  name: string;
  path: string;
  search: string;
  shared: boolean;
  /** Who keeps it; absent where it is one's own. */
  by?: string;
}

/** The counts on the course bar. */
export interface Course {
  survey: { running: boolean; last: string | null; id: number | null };
  exposure: number;
  remedy: number;
  /** Data types that are looked for. */
  guard: number;
  record: number;
  tray: number;
}
