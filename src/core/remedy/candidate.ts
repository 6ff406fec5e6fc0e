/** What a cut is asked for, and what it may be made of. */
import type { Bits } from '../access/bits.ts';
import type { Change } from '../access/change.ts';

/** Who is to be kept from what. */
export interface Goal {
  /** Identities that shall reach nothing of the items. */
  who: Bits;
  /** Anybody at all who holds a link, or is granted as anyone, is kept out too; and every member who could follow a link. */
  anybody: boolean;
  anyMember: boolean;
  /** Numbers of whole domains that are kept out. */
  domains: ReadonlySet<number>;
  /** Whoever owns an item may reach that item, and no other by it. */
  ownersKeep?: true;
  /** Group that shall open nothing of them, whoever is in it. */
  group?: number;
  items: Int32Array;
}

/** A change that could be part of a cut, with what it takes away by itself from those who should keep it. */
export interface Candidate {
  change: Change;
  /** The grant or link, where it is one. */
  entry?: number;
  kind: 'suspension' | 'membership' | 'grant' | 'link' | 'visibility' | 'inheritance' | 'sharing';
  /** Uses and grants lost, weighed: one for each person and file, and `USED` for one that was used lately. */
  cost: number;
  edge: number;
}
