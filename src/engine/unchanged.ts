/** What a survey has in common with the one before, so that what was judged there need not be judged again. */
import { alikeByName, type Alike } from '../core/access/alike.ts';
import { sameJson } from '../core/equal.ts';
import type { Organisation } from '../core/access/organisation.ts';
import type { Items } from './items.ts';
import type { View } from '../core/access/view.ts';

/** What is compared of a survey (engine/loaded). */
interface Compared {
  survey: number;
  org: Organisation;
  view: View;
  weights: Uint8Array;
  items: Pick<Items, 'version'>;
  content: (item: number) => object | undefined;
}

/** Of a survey that was made from the one before. */
export interface Unchanged {
  /** The survey before. */
  since: number;
  /** By space: 1 where it is, with all that is in it and all that can be told of that, as it was. */
  spaces: Uint8Array;
}

/**
 * Spaces that are as they were: access is, by name, and so are what files hold, how heavy that is, and what names stand for.
 * `alike`: where it is known already. Undefined where something that concerns all of them is otherwise. What depends on the moment itself is not looked at.
 */
export function unchanged(before: Compared, l: Compared, alike?: Alike): Unchanged | undefined {
  const [a, b] = [before.org, l.org];
  if (
    !sameJson(a.own, b.own) ||
    !sameJson(a.workspaces, b.workspaces) ||
    a.groups.some((g, n) => g.name !== b.groups[n]?.name)
  )
    return undefined;
  alike ??= alikeByName(before.view, l.view);
  if (!alike) return undefined;
  const spaces = new Uint8Array(alike.length);
  alike.forEach((was, s) => {
    if (was < 0) return;
    const moved = b.spaceFirst[s]! - a.spaceFirst[was]!;
    let same = 1;
    for (let i = a.spaceFirst[was]!; same && i < a.spaceFirst[was + 1]!; i++)
      // what is known of a file is read once, and is the same thing as long as it is not known otherwise
      if (
        before.items.version[i] !== l.items.version[i + moved] ||
        before.weights[i] !== l.weights[i + moved] ||
        before.content(i) !== l.content(i + moved)
      )
        same = 0;
    spaces[s] = same;
  });
  return { since: before.survey, spaces };
}
