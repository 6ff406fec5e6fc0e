/** What keys name, by number. */
import type { Subject } from '../core/guard/kinds.ts';
import { appsOf } from './apps.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

/** The number of what a key names; −1 where it is not in this survey, or no key. */
export function numberOfKey(l: Loaded, key: string): { subject: Subject; n: number } {
  const { source: kind, id } = unkey(key);
  switch (kind) {
    case 'item': {
      const i = l.org.find('item', id);
      return { subject: 'item', n: i < 0 ? -1 : l.org.spaces.length + i };
    }
    case 'user':
      return { subject: 'identity', n: l.org.find('user', id) };
    case 'outsider': {
      const a = l.org.addresses.indexOf(id);
      return { subject: 'identity', n: a < 0 ? -1 : l.view.identityOfAddress[a]! };
    }
    case 'app':
      return { subject: kind, n: appsOf(l).places().get(id) ?? -1 };
    case 'appGrant':
      return { subject: kind, n: appsOf(l).numbers().get(id) ?? -1 };
    case 'space':
    case 'group':
    case 'grant':
    case 'link':
      return { subject: kind, n: l.org.find(kind, id) };
    default:
      return { subject: 'item', n: -1 };
  }
}

/** The number of the space of a key; −1 where it is not in this survey. */
export const spaceOfKey = (l: Loaded, key: string): number => l.org.find('space', key.slice('space:'.length));
