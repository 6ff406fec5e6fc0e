import { TIERS, type Capability, type Tier } from '../../core/model.ts';
import type { ChangeState, PlanState } from '../../dto/remedy.ts';
import type { EntryRef } from '../../dto/access.ts';
import type { AskedValue, Fix } from '../../dto/exposure.ts';
import { dayWords } from './dates.ts';

/** A grant or link in words. */
export const entryWords = (e: EntryRef): string =>
  e.kind === 'link'
    ? `the sharing link for ${e.to}, on ${e.on.kind} “${e.on.name}” (${e.role})`
    : `the grant to ${e.to} on ${e.on.kind} “${e.on.name}” (${e.role})`;

export const PLAN_WORDS: Record<PlanState, string> = {
  draft: 'draft: nothing done yet',
  asked: 'waits for a second steward',
  approved: 'approved: nothing done yet',
  scheduled: 'will be applied',
  applying: 'being applied',
  applied: 'applied',
  undoing: 'being undone',
  undone: 'undone',
  discarded: 'discarded',
};

export const CHANGE_WORDS: Record<ChangeState, string> = {
  planned: 'not begun',
  sending: 'being sent',
  sent: 'sent, not verified yet',
  verified: 'done, verified',
  'already-gone': 'already so',
  unexpected: 'not as expected',
  failed: 'failed',
  left: 'skipped: the plan was stopped',
  'undo-planned': 'to be put back',
  'undo-sending': 'being put back',
  'undo-sent': 'put back, not verified yet',
  undone: 'put back, verified',
  'undo-unexpected': 'not as expected',
  'undo-failed': 'putting back failed',
};

/** Sizes in bytes, with a unit. */
export function bytesWords(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  let u = 0;
  // what would be written as a thousand is one of the next
  while ((u ? n >= 999.95 : n >= 1000) && u < units.length - 1) {
    n /= 1000;
    u++;
  }
  return `${u ? n.toFixed(1) : n} ${units[u]}`;
}

/** What somebody can do, by the most of it. */
export function canWords(capabilities: readonly Capability[]): string {
  const has = (c: Capability) => capabilities.includes(c);
  const most = has('delete')
    ? 'owns'
    : has('manage')
      ? 'manages'
      : has('edit')
        ? 'edits'
        : has('comment')
          ? 'comments'
          : has('open')
            ? 'reads'
            : 'nothing';
  return has('open') && !has('find') ? `${most}, not found by search` : most;
}

/** A name as an id: small letters, digits and dashes. */
export const slug = (name: string): string =>
  name
    .toLowerCase()
    .normalize('NFD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 48);

/** What a fix closes, and who would feel it. */
export const fixCost = (f: Fix, points: number): string => {
  const who = [f.members && count(f.members, 'member'), f.external && count(f.external, 'outsider')]
    .filter(Boolean)
    .join(', ');
  return `closes ${f.closes === points ? 'all' : `${f.closes} of ${points}`}; felt by ${who || 'nobody'}`;
};
const count = (n: number, one: string): string => `${n.toLocaleString('en')} ${one}${n === 1 ? '' : 's'}`;

/** A tier as a column's head, which is narrow. */
export const tierHead = (t: Tier): string => (t === 'organisation' ? 'organis.' : t);

/** A value that a condition asked about. */
export function valueWords([field, value]: AskedValue): string {
  if (value === null) return `${field}: none`;
  if (Array.isArray(value)) return `${field}: ${value.join(', ') || 'none'}`;
  if ((field === 'now' || field === 'could') && typeof value === 'number')
    return `${field}: ${TIERS[value] ?? value}`;
  if (typeof value === 'number' && value > 1e11)
    return `${field}: ${dayWords(new Date(value).toISOString())}`;
  return `${field}: ${typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)}`;
}
