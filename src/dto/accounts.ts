/** Our own accounts, what they keep, and the counts on the course bar. */

export type AccountRole = 'steward' | 'auditor' | 'owner';

export interface Account {
  id: number;
  name: string;
  address: string;
  role: AccountRole;
}

/** An account, as stewards see it. */
export interface AccountRow extends Account {
  state: 'active' | 'disabled' | 'invited' | 'invitation ended';
  madeAt: string;
  lastSignIn: string | null;
  sessions: number;
  /** A role that another steward has to confirm. */
  asked: { role: AccountRole; by: string } | null;
}
export interface AccountList {
  rows: AccountRow[];
}

/** One of one's own sessions. */
export interface OwnSession {
  id: number;
  since: string;
  seen: string;
  /** The browser, as it says of itself. */
  agent: string;
  /** The network address that it came from. */
  source: string;
  /** The one that asks. */
  own: boolean;
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
