/** Rows as the core's columns. */
import { OrganisationBuilder } from '../../src/core/access/builder.ts';
import type { Organisation } from '../../src/core/access/organisation.ts';
import type { Rows } from './plain-access.ts';

/** In an order that does not matter: `shuffle` may give another. */
export function build(rows: Rows, shuffle: <T>(list: T[]) => T[] = (l) => l): Organisation {
  const b = new OrganisationBuilder(rows.own, rows.takenAt);
  shuffle(rows.workspaces).forEach((r) => b.workspace(r));
  shuffle(rows.links).forEach((r) => b.link(r));
  shuffle(rows.grants).forEach((r) => b.grant(r));
  shuffle(rows.items).forEach((r) => b.item(r));
  shuffle(rows.users).forEach((r) => b.person(r));
  shuffle(rows.groups).forEach((r) => b.group(r));
  shuffle(rows.spaces).forEach((r) => b.space(r));
  return b.build();
}
