/** What is recommended of one thing that an owner is asked about, and why. Nothing is chosen for them. Pure. */
import { HEAVY } from '../exposure/exposure.ts';
import { DORMANT_DAYS } from './activity.ts';
import { isDormant } from './dormant.ts';
import type { ReviewAnswer } from './kinds.ts';

/** Days that are not known are null. */
export interface PersonFacts {
  /** Since they last opened or changed something in the space. */
  idleHere: number | null;
  /** Since they were let in. */
  since: number | null;
  partner: boolean;
  lookAlike: boolean;
}
export interface ShareFacts {
  /** For anyone who has it. */
  anyone: boolean;
  outside: boolean;
  partner: boolean;
  lookAlike: boolean;
  weight: number;
  types: readonly string[];
  /** Days since it was last used. */
  unused: number | null;
  ends: boolean;
}
export interface Recommended {
  what: ReviewAnswer;
  why: string;
}

/** Somebody who was seen so many days ago still uses it. */
const RECENT = 30;
const daysAgo = (n: number): string => (n <= 0 ? 'today' : n === 1 ? 'yesterday' : `${n} days ago`);

export function recommendPerson(f: PersonFacts): Recommended | undefined {
  if (f.lookAlike)
    return { what: 'remove', why: 'Their address looks like that of somebody else’s organisation.' };
  if (f.idleHere !== null && f.idleHere <= RECENT)
    return {
      what: 'keep',
      why: `${f.partner ? 'They are from a partner, and opened' : 'They opened'} something here ${daysAgo(f.idleHere)}.`,
    };
  if (f.idleHere === null && f.since !== null && f.since >= DORMANT_DAYS)
    return { what: 'remove', why: `They were let in ${f.since} days ago and never opened anything here.` };
  if (f.idleHere !== null && f.idleHere >= DORMANT_DAYS)
    return { what: 'remove', why: `They last opened something here ${f.idleHere} days ago.` };
  return undefined;
}

export interface SpaceIdle {
  /** Days without activity; −1 where nothing is known. */
  idle: number;
  /** So many it may have. */
  limit: number;
  files: number;
  /** It holds something sensitive, which somebody may have to keep. */
  heldBack: boolean;
}
/** Whether a space is still needed: archiving loses nothing, and so is what is recommended. */
export function recommendSpace(f: SpaceIdle): Recommended | undefined {
  if (f.idle >= 0 && f.idle <= RECENT)
    return { what: 'keep', why: `Something happened in it ${daysAgo(f.idle)}.` };
  if (!isDormant(f.idle, f.limit)) return undefined;
  const since =
    f.idle < 0 ? 'Nothing is known to have happened in it' : `Nothing happened in it for ${f.idle} days`;
  return f.files === 0 && !f.heldBack
    ? { what: 'delete', why: `It holds no files. ${since}.` }
    : { what: 'archive', why: `${since}. It can still be read, and be taken out of the archive.` };
}

export function recommendShare(f: ShareFacts): Recommended | undefined {
  const holds = f.types.length ? `it holds ${f.types.slice(0, 3).join(', ')}` : 'it holds sensitive content';
  if (f.lookAlike)
    return {
      what: 'remove',
      why: 'It is for an address that looks like that of somebody else’s organisation.',
    };
  if (f.anyone && f.weight >= HEAVY)
    return { what: 'remove', why: `Anyone who has the link can open it, and ${holds}.` };
  if (f.unused !== null && f.unused >= DORMANT_DAYS)
    return { what: 'remove', why: `It was last used ${f.unused} days ago.` };
  if (f.unused !== null && f.unused <= RECENT && !(f.outside && !f.partner && f.weight >= HEAVY))
    return { what: 'keep', why: `It was used ${daysAgo(f.unused)}.` };
  if (f.outside && f.weight >= HEAVY && !f.ends)
    return { what: 'until', why: `It is open to somebody outside without an end, and ${holds}.` };
  return undefined;
}
