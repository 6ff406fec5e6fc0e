/** A survey as the rows of a bulk extract: sources put together, each person once. */
import type { Manifest } from '../formats/extract.ts';
import { scimGroup, scimUser } from '../formats/rows.ts';
import { isHiddenDomain } from '../core/access/addresses.ts';
import { appsOf } from './apps.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

export const EXPORT_FILES = [
  'users',
  'groups',
  'spaces',
  'items',
  'grants',
  'links',
  'apps',
  'app-grants',
] as const;
export type ExportFile = (typeof EXPORT_FILES)[number];

export const exportManifest = (l: Loaded): Manifest => ({
  takenAt: l.takenAt,
  organisation: {
    ...l.org.own,
    partnerDomains: l.org.own.partnerDomains.filter((d) => !isHiddenDomain(d)),
  },
  workspaces: l.org.workspaces,
});

/** Lines of one file, from row `from` on; `next` is where to go on, or null at the end. */
export function exportLines(
  l: Loaded,
  file: ExportFile,
  from: number,
): { text: string; next: number | null } {
  const { org } = l;
  const AT_ONCE = 2000;
  const size = {
    users: org.users,
    groups: org.groups,
    spaces: org.spaces,
    items: l.items,
    grants: org.entries.ids,
    links: org.entries.ids,
    apps: appsOf(l).list,
    'app-grants': appsOf(l).letIn(),
  }[file].length;
  const to = Math.min(size, from + AT_ONCE);
  let text = '';
  for (let i = from; i < to; i++) {
    const row = rowAt(l, file, i);
    if (row) text += `${JSON.stringify(row)}\n`;
  }
  return { text, next: to < size ? to : null };
}

function rowAt(l: Loaded, file: ExportFile, i: number): object | undefined {
  const { org } = l;
  if (file === 'users')
    return org.userListed[i] && !org.hidden?.user[i] ? scimUser(org.users[i]!) : undefined;
  if (file === 'groups') {
    if (org.hidden?.group[i]) return undefined;
    const { id, name } = org.groups[i]!;
    return scimGroup({
      id,
      name,
      // whom its rule holds for is among its members already
      members: [...org.members.values.subarray(org.members.start[i], org.members.start[i + 1])].map((m) =>
        m < 0 ? { value: org.groups[~m]!.id, type: 'Group' } : { value: org.users[m]!.id, type: 'User' },
      ),
    });
  }
  if (file === 'spaces') return org.spaceListed[i] ? org.spaces[i] : undefined;
  if (file === 'items') return l.items.row(i);
  if (file === 'apps') return appsOf(l).list[i]!.app;
  if (file === 'app-grants') return appGrantRow(l, i);
  const isLink = org.entries.type[i]! > 0;
  return isLink === (file === 'links') ? l.entryRow(i) : undefined;
}

/** A grant of an app, by whom it was given as far as that is told. */
function appGrantRow(l: Loaded, i: number): object {
  const { grantedBy, ...grant } = appsOf(l).letIn()[i]!.grant;
  const by = grantedBy === undefined ? undefined : l.ids.user(unkey(grant.id).source, grantedBy);
  const u = by === undefined ? -1 : l.org.find('user', by);
  return { ...grant, ...(u >= 0 && !l.org.hidden?.user[u] && { grantedBy: by }) };
}
