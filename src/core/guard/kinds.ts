/** What policies are about. */
import type { Filtered } from '../filter/fields.ts';

/** Kinds of subjects, the table whose fields each is asked by, and what one is called. */
export const SUBJECTS = {
  item: { fields: 'items', words: ['file or folder', 'files and folders'] },
  space: { fields: 'spaces', words: ['space', 'spaces'] },
  grant: { fields: 'grants', words: ['grant', 'grants'] },
  link: { fields: 'links', words: ['sharing link', 'sharing links'] },
  identity: { fields: 'identities', words: ['person', 'people'] },
  group: { fields: 'groups', words: ['group', 'groups'] },
  app: { fields: 'apps', words: ['app', 'apps'] },
  appGrant: { fields: 'app-grants', words: ['app that was let in', 'apps that were let in'] },
} as const satisfies Record<string, { fields: Filtered; words: readonly [one: string, many: string] }>;
export type Subject = keyof typeof SUBJECTS;
export const SUBJECT_NAMES = Object.keys(SUBJECTS) as Subject[];
