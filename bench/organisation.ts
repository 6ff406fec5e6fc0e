/** A large organisation from a seed, as rows of the extract, made one at a time. */
import { dice } from '../demo/make.ts';
import type { GrantRow, GroupRow, ItemRow, LinkRow, PersonRow, SpaceRow } from '../src/core/model.ts';

export interface Size {
  people: number;
  groups: number;
  memberships: number;
  spaces: number;
  items: number;
  /** Grants and links together. */
  entries: number;
}
/** The size of chapter 2 (a million items), times `scale`. */
export const sizeOf = (scale: number): Size => ({
  people: Math.round(50_000 * scale),
  groups: Math.round(10_000 * scale),
  memberships: Math.round(600_000 * scale),
  spaces: Math.round(20_000 * scale),
  items: Math.round(1_000_000 * scale),
  entries: Math.round(5_000_000 * scale),
});

export interface Sink {
  person(row: PersonRow): void;
  group(row: GroupRow): void;
  space(row: SpaceRow): void;
  item(row: ItemRow): void;
  grant(row: GrantRow): void;
  link(row: LinkRow): void;
}

const ROLES = ['reader', 'reader', 'commenter', 'editor', 'editor', 'manager'] as const;

/**
 * 6 % of the items have access of their own; groups nest up to 12 deep and 0.2 % of them close a
 * cycle; 4 % of the people are guests; 1 % of the grants go to outside addresses.
 */
export function generate(size: Size, sink: Sink, seed = 1): void {
  const d = dice(seed);
  for (let i = 0; i < size.people; i++) {
    const guest = d.chance(0.04);
    sink.person({
      id: `u${i}`,
      name: `Person ${i}`,
      active: !d.chance(0.03),
      kind: guest ? 'guest' : 'member',
      addresses: [guest ? `p${i}@partner${i % 300}.test` : `p${i}@own.example`],
    });
  }
  const perGroup = size.memberships / size.groups;
  for (let g = 0; g < size.groups; g++) {
    const members: GroupRow['members'] = [];
    const layer = g % 12;
    const count = Math.max(1, Math.round(perGroup * (0.2 + 1.6 * (d.int(1000) / 1000))));
    for (let m = 0; m < count; m++) members.push({ value: `u${d.int(size.people)}`, type: 'User' });
    // groups of a layer hold some of the layer below; a few point back up
    if (layer > 0)
      for (let k = 0; k < 1 + d.int(2); k++)
        members.push({ value: `g${Math.max(0, g - 1 - 12 * d.int(3))}`, type: 'Group' });
    if (d.chance(0.002))
      members.push({ value: `g${Math.min(size.groups - 1, g + d.int(20))}`, type: 'Group' });
    sink.group({ id: `g${g}`, name: `Group ${g}`, members });
  }
  for (let s = 0; s < size.spaces; s++)
    sink.space({
      id: `s${s}`,
      workspace: s % 2 ? 'breakable' : 'additive',
      kind: 'site',
      name: `Space ${s}`,
      ...(d.chance(0.02) && { visibility: 'organisation' as const }),
      ...(d.chance(0.05) && { externalSharing: 'existing-guests' as const }),
      ...(d.chance(0.01) && { gate: [`g${d.int(size.groups)}`] }),
    });
  const perSpace = Math.ceil(size.items / size.spaces);
  const special: number[] = [];
  for (let i = 0; i < size.items; i++) {
    const space = Math.floor(i / perSpace);
    const first = space * perSpace;
    const within = i - first;
    const folder = within % 8 === 0;
    const parent = within === 0 || d.chance(0.1) ? undefined : first + 8 * d.int(Math.ceil(within / 8));
    if (d.chance(0.06)) special.push(i);
    sink.item({
      id: `i${i}`,
      space: `s${space}`,
      kind: folder ? 'folder' : 'file',
      name: `Item ${i}`,
      ...(parent !== undefined && parent < i && { parent: `i${parent}` }),
      ...(d.chance(0.3) && { owner: `u${d.int(size.people)}` }),
      ...(d.chance(0.005) && { inherits: false }),
      // one in fifty is labelled, so that there is something to be exposed
      ...(i % 50 === 7 && { label: i % 100 === 7 ? 'Confidential' : 'Restricted' }),
    });
  }
  for (let e = 0; e < size.entries; e++) {
    const on =
      e % 5 === 0 ? { space: `s${d.int(size.spaces)}` } : { item: `i${special[d.int(special.length)]}` };
    const at = '2026-01-01T00:00:00Z';
    const p = d.int(1000);
    if (p < 40)
      sink.link({
        id: `l${e}`,
        on,
        audience: p < 5 ? 'anyone' : p < 15 ? 'organisation' : 'named',
        role: 'reader',
        recipients: p >= 15 ? [{ user: `u${d.int(size.people)}` }] : [],
        redeemedBy: p < 15 ? [{ user: `u${d.int(size.people)}`, at }] : [],
        createdAt: at,
      });
    else {
      const to =
        p < 50
          ? { email: `x${d.int(5000)}@outside${d.int(400)}.test` }
          : p < 52
            ? { everyone: true as const }
            : p < 250
              ? { group: `g${d.int(size.groups)}` }
              : { user: `u${d.int(size.people)}` };
      sink.grant({
        id: `e${e}`,
        on,
        to,
        role: ROLES[d.int(ROLES.length)]!,
        grantedAt: at,
        ...(d.chance(0.02) && { expiresAt: '2026-03-01T00:00:00Z' }),
      });
    }
  }
}
