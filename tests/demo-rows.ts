/** The demo's world as its rows are judged, for tests that ask the core, or a plain reading, without the application. */
import type { World } from '../demo/builder.ts';
import type { OrganisationRow, PersonRow, WorkspaceRow } from '../src/core/model.ts';
import { groupSchema, personSchema } from '../src/formats/rows.ts';
import type { Rows } from './reference/plain-access.ts';

/** The world's rows: accounts that a workspace has and the directory has not are guests. */
export function demoRows(world: World, takenAt = Date.parse('2026-11-24T00:00:00Z')): Rows {
  const { organisation, workspaces } = world.manifest as {
    organisation: OrganisationRow;
    workspaces: WorkspaceRow[];
  };
  return {
    takenAt,
    own: organisation,
    workspaces,
    users: [
      ...world.accounts.map((a): PersonRow => ({
        id: a.id,
        name: a.name,
        addresses: [a.address.toLowerCase()],
        active: true,
        kind: 'guest',
      })),
      ...world.users.map((u) => personSchema.parse(u)),
    ],
    groups: world.groups.map((g) => groupSchema.parse(g)),
    spaces: world.spaces,
    items: world.items,
    grants: world.grants,
    links: world.links,
  };
}
