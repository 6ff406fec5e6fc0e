/** Rows of an organisation larger than a property makes them: groups nested twelve deep, some in a circle; gates. */
import { generate, type Size } from '../../bench/organisation.ts';
import type { Rows } from './plain-access.ts';

export function largeRows(size: Size): Rows {
  const rows: Rows = {
    takenAt: Date.parse('2026-06-01T00:00:00Z'),
    own: { name: '', domains: ['own.example'], partnerDomains: ['partner1.test'] },
    workspaces: [
      { id: 'additive', name: 'A', inheritance: 'additive' },
      { id: 'breakable', name: 'B', inheritance: 'breakable' },
    ],
    users: [],
    groups: [],
    spaces: [],
    items: [],
    grants: [],
    links: [],
  };
  generate(size, {
    person: (r) => rows.users.push(r),
    group: (r) => rows.groups.push(r),
    space: (r) => rows.spaces.push(r),
    item: (r) => rows.items.push(r),
    grant: (r) => rows.grants.push(r),
    link: (r) => rows.links.push(r),
  });
  return rows;
}
