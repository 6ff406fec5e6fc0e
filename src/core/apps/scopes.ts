/**
 * What apps are allowed, by OAuth scopes (RFC 6749 §3.3): of each, whose it is, of what, and what it lets an app do. One table
 * for all kinds of workspaces; a scope that is not in it counts as wide, never as nothing.
 */
import { CAP } from '../model.ts';

interface ScopeDeclaration {
  /** In a plain sentence, after “It can”. */
  words: string;
  /** What each person who let it in can do; what they pick for it; what anybody of the organisation can. */
  whose: 'own' | 'picked' | 'all';
  of: 'files' | 'mail' | 'calendar' | 'chat' | 'directory' | 'everything';
  /** Capability bits on items. */
  bits: number;
}

const READ = CAP.find | CAP.open | CAP.copy;
const WRITE = READ | CAP.comment | CAP.edit | CAP.delete;
const EVERYTHING = WRITE | CAP.share | CAP.manage;

export const SCOPES = {
  'files:read:own': { words: 'read the files that they can open', whose: 'own', of: 'files', bits: READ },
  'files:write:own': { words: 'read, change and delete their files', whose: 'own', of: 'files', bits: WRITE },
  'files:share:own': { words: 'share their files', whose: 'own', of: 'files', bits: CAP.share },
  'files:read:picked': {
    words: 'read the files that they pick for it',
    whose: 'picked',
    of: 'files',
    bits: 0,
  },
  'files:read:all': { words: 'read all files of the workspace', whose: 'all', of: 'files', bits: READ },
  'files:write:all': {
    words: 'read, change and delete all files of the workspace',
    whose: 'all',
    of: 'files',
    bits: WRITE,
  },
  'mail:read': { words: 'read their mail', whose: 'own', of: 'mail', bits: 0 },
  'mail:send': { words: 'send mail in their name', whose: 'own', of: 'mail', bits: 0 },
  'calendar:read': { words: 'read their calendar', whose: 'own', of: 'calendar', bits: 0 },
  'chat:read': { words: 'read their messages', whose: 'own', of: 'chat', bits: 0 },
  'directory:read': { words: 'read who is in the organisation', whose: 'all', of: 'directory', bits: 0 },
  'admin:all': { words: 'do anything in the workspace', whose: 'all', of: 'everything', bits: EVERYTHING },
} as const satisfies Record<string, ScopeDeclaration>;

/** Of which nothing is known. */
const UNKNOWN: ScopeDeclaration = {
  words: 'do what is not known here, and counts as anything',
  whose: 'all',
  of: 'everything',
  bits: EVERYTHING,
};
export const isKnownScope = (scope: string): boolean => Object.hasOwn(SCOPES, scope);
export const scopeOf = (scope: string): ScopeDeclaration =>
  isKnownScope(scope) ? SCOPES[scope as keyof typeof SCOPES] : UNKNOWN;

/** Capability bits that scopes allow: of what each person can do themselves, and of every item. */
export interface Allowed {
  own: number;
  all: number;
}

/** What the scopes of one grant allow on items. Only a grant for everyone can have what is of all. */
export function allowedBy(scopes: readonly string[], everyone: boolean): Allowed {
  const allowed: Allowed = { own: 0, all: 0 };
  for (const scope of scopes) {
    const { whose, bits } = scopeOf(scope);
    if (whose === 'picked') continue;
    allowed[whose === 'all' && everyone ? 'all' : 'own'] |= bits;
  }
  return allowed;
}
