/** What the workspaces themselves let somebody do, from their own rows as they are now. */
import { OrganisationBuilder } from '../../src/core/access/builder.ts';
import { can } from '../../src/core/access/questions.ts';
import { view, type View } from '../../src/core/access/view.ts';
import { CAP, type OrganisationRow, type WorkspaceRow } from '../../src/core/model.ts';
import { GroupsByRule } from '../../src/formats/group-rules.ts';
import { ROW_SCHEMAS } from '../../src/formats/rows.ts';
import type { Row } from '../state.ts';
import { state } from '../world.ts';

let made: { token: string; until: number; view: View } | undefined;
/** Made anew once something has changed, or a minute has passed: grants end. */
const MINUTE = 60_000;

export function present(): View {
  const now = Date.now();
  if (made?.token === state.token && now < made.until) return made.view;
  const { organisation, workspaces } = state.manifest;
  const b = new OrganisationBuilder(organisation as OrganisationRow, now);
  for (const w of workspaces) b.workspace(w as unknown as WorkspaceRow);
  const byRule = new GroupsByRule();
  for (const r of state.rows.users.values()) {
    byRule.user(r);
    b.person(ROW_SCHEMAS.person.parse(r));
  }
  for (const r of state.rows.groups.values()) {
    const group = ROW_SCHEMAS.group.parse(r);
    if (!byRule.group(group)) b.group(group);
  }
  for (const { group } of byRule.resolve()) b.group(group);
  for (const r of state.rows.spaces.values()) b.space(ROW_SCHEMAS.space.parse(r));
  for (const r of state.rows.items.values()) b.item(ROW_SCHEMAS.item.parse(r));
  for (const r of state.rows.grants.values()) b.grant(ROW_SCHEMAS.grant.parse(r));
  for (const r of state.rows.links.values()) b.link(ROW_SCHEMAS.link.parse(r));
  made = { token: state.token, until: now + MINUTE, view: view(b.build(), { moment: now }) };
  return made.view;
}

export const isSpace = (row: Row): boolean => typeof row.workspace === 'string';

/** What a user may do with a space, folder or file; copies are for editors alone where it says so. */
export function may(user: string, row: Row): { open: boolean; copy: boolean; edit: boolean; share: boolean } {
  const v = present();
  const u = v.org.find('user', user);
  const n = isSpace(row) ? v.org.find('space', row.id) : v.org.spaces.length + v.org.find('item', row.id);
  const bits = u < 0 || n < 0 ? 0 : can(v, n, u);
  const edit = (bits & CAP.edit) !== 0;
  const bare = row.noCopies === true || state.rows.spaces.get(row.space as string)?.noCopies === true;
  return {
    open: (bits & CAP.open) !== 0,
    copy: (bits & CAP.copy) !== 0 && (edit || !bare),
    edit,
    share: (bits & CAP.share) !== 0,
  };
}
