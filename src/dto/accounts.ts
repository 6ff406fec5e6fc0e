/** Our own accounts, what they keep, and the counts on the course bar. */
import type { DateSettings } from '../core/dates.ts';
import type { Held } from '../core/access/held.ts';
import type { AccountRole, SignInSettings, SsoSettings } from '../core/roles.ts';

export type { AccountRole, SignInSettings, SsoSettings };
export { mayDo } from '../core/roles.ts';
export { DATE_LANGUAGES } from '../core/dates.ts';
export { namesNothing, type Held } from '../core/access/held.ts';

export interface Account {
  id: number;
  name: string;
  address: string;
  role: AccountRole;
  /** A second factor is demanded and none was given: until one is set up, nothing else can be done. */
  lacksSecond?: true;
  /** It sees and does only what is in every one of these parts; absent for the whole organisation. */
  held?: Held[];
  /** How they read dates; absent for the browser's own. */
  dates?: DateSettings;
}

/** A token for machines, as it is shown. */
export interface ApiToken {
  id: number;
  name: string;
  /** Whose it is. */
  by: string;
  role: AccountRole;
  held: Held | null;
  lastDay: string;
  madeAt: string;
  usedAt: string | null;
  /** Its last day is past. */
  over: boolean;
}

/** How a second factor is given: a code of an app (or a recovery code), or a passkey. */
export type SecondWay = 'code' | 'passkey';

/** What a sign-in gave: a session, or what it still wants. */
export interface SignedIn {
  /** Empty where one is signed in. */
  wants: SecondWay[];
}

export interface SecondFactorState {
  code: boolean;
  passkeys: { id: number; name: string; madeAt: string; usedAt: string | null }[];
  recoveryLeft: number;
  /** Of one's role. */
  demanded: boolean;
  /** Who signs in elsewhere has their second factor there. */
  hasPassword: boolean;
}

/** The identity provider, and one that another steward has to approve. */
export interface SsoState {
  settings: SsoSettings | null;
  proposed: { settings: SsoSettings; by: string; at: string } | null;
}

/** An account, as stewards see it. */
export interface AccountRow extends Omit<Account, 'held' | 'lacksSecond' | 'dates'> {
  held: Held | null;
  state: 'active' | 'disabled' | 'invited' | 'invitation ended';
  madeAt: string;
  lastSignIn: string | null;
  sessions: number;
  secondFactor: SecondWay[];
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
  policies: number;
  /** Signals that wait for somebody to look at them. */
  signals: number;
  /** Questions of rounds that wait for an answer. */
  asked: number;
  record: number;
  tray: number;
  /** Where one can act as the people of a simulated organisation; null where it is not one. */
  farSide: string | null;
}
