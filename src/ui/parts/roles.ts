import type { AccountRole } from '../../core/roles.ts';

/** What each role may do. */
export const ROLE_WORDS: Record<AccountRole, string> = {
  steward: 'sees everything, makes and applies plans',
  auditor: 'sees everything, changes nothing',
  owner: 'answers for spaces of their own',
};
