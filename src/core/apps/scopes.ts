/**
 * What apps are allowed, by OAuth scopes (RFC 6749 §3.3): of each, whose it is, of what, and what it lets an app do. Scopes of
 * other vocabularies stand for some of this table; one of which nothing is said counts as wide, never as nothing.
 */
import { CAP } from '../model.ts';
import { byCode } from '../sorts.ts';

export interface ScopeDeclaration {
  /** In a plain sentence, after “It can”. */
  words: string;
  /** What each person who let it in can do; what they pick for it; what anybody of the organisation can. */
  whose: 'own' | 'picked' | 'all';
  of: 'files' | 'mail' | 'calendar' | 'chat' | 'directory' | 'everything';
  /** Capability bits on items. */
  bits: number;
  /** It can do something in somebody’s name that others take for theirs. */
  sends?: boolean;
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
  'mail:send': { words: 'send mail in their name', whose: 'own', of: 'mail', bits: 0, sends: true },
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
export type Scope = keyof typeof SCOPES;
export const SCOPE_NAMES = Object.keys(SCOPES) as Scope[];
const isScope = (scope: string): scope is Scope => Object.hasOwn(SCOPES, scope);

/** What a scope of another vocabulary comes to. */
export interface ScopeMeaning {
  /** Of workspaces of one kind; of all where absent. */
  kind?: string | undefined;
  scope: string;
  /** In a plain sentence, after “It can”. */
  words: string;
  /** What it allows, by scopes of the table; nothing on files or beside them where there are none. */
  means: Scope[];
}

/** What a scope allows, and how that is said. */
export interface KnownScope {
  scope: string;
  words: string;
  /** Whether anything is known of it. */
  known: boolean;
  allows: readonly ScopeDeclaration[];
}

/** Each scope of some grants once, by name. */
export const scopesIn = (
  grants: readonly { scopes: readonly string[]; workspace: string }[],
  scope: (scope: string, workspace: string) => KnownScope = (s) => SHIPPED_SCOPES.of(s),
): KnownScope[] =>
  [...new Map(grants.flatMap((g) => g.scopes.map((s) => [s, scope(s, g.workspace)] as const))).values()].sort(
    (a, b) => byCode(a.scope, b.scope),
  );

/** Says what scopes allow: by the table, and by what stewards have said of other vocabularies. */
export class ScopeBook {
  private readonly meanings = new Map<string, ScopeMeaning>();

  constructor(meanings: readonly ScopeMeaning[] = []) {
    for (const m of meanings) this.meanings.set(JSON.stringify([m.kind ?? '', m.scope]), m);
  }

  /** What a scope allows in a workspace of a kind; one that is not known counts as wide. */
  of(scope: string, kind?: string): KnownScope {
    if (isScope(scope)) return { scope, words: SCOPES[scope].words, known: true, allows: [SCOPES[scope]] };
    const said =
      this.meanings.get(JSON.stringify([kind ?? '', scope])) ??
      this.meanings.get(JSON.stringify(['', scope]));
    if (said) return { scope, words: said.words, known: true, allows: said.means.map((m) => SCOPES[m]) };
    return { scope, words: UNKNOWN.words, known: false, allows: [UNKNOWN] };
  }
}
/** Capability bits of all that some scopes allow, whosever it is. */
export const bitsIn = (scopes: readonly KnownScope[]): number =>
  scopes.reduce((bits, s) => s.allows.reduce((all, a) => all | a.bits, bits), 0);

export const SHIPPED_SCOPES = new ScopeBook();

/** Capability bits that scopes allow: of what each person can do themselves, and of every item. */
export interface Allowed {
  own: number;
  all: number;
}

/** What the scopes of one grant allow on items. Only a grant for everyone can have what is of all. */
export function allowedBy(scopes: readonly KnownScope[], everyone: boolean): Allowed {
  const allowed: Allowed = { own: 0, all: 0 };
  for (const { allows } of scopes)
    for (const { whose, bits } of allows)
      if (whose !== 'picked') allowed[whose === 'all' && everyone ? 'all' : 'own'] |= bits;
  return allowed;
}
