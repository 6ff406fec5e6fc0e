/** What an account is limited to, in words. */
import type { Held } from '../../dto/accounts.ts';
import { plural } from './marks.tsx';

/** What a space is called by its own workspace. */
export const ownId = (id: string): string => id.slice(id.indexOf(':') + 1);

/** A part in a few words. */
export function heldWords({ workspaces, departments, spaces }: Held): string {
  const names = [...workspaces, ...departments, ...spaces.map(ownId)];
  return names.length <= 2
    ? names.join(' and ')
    : [
        workspaces.length && plural(workspaces.length, 'workspace'),
        departments.length && plural(departments.length, 'department'),
        spaces.length && plural(spaces.length, 'space'),
      ]
        .filter(Boolean)
        .join(', ');
}
