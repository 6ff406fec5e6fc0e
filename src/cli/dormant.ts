/** How long spaces lie idle, on an extract and without a database. */
import { resolveDeeds, usageOf } from '../core/access/usage.ts';
import { ACTIVITY_NAMES } from '../core/ask/activity.ts';
import { isDormant } from '../core/ask/dormant.ts';
import { isoOf } from '../core/time.ts';
import { CliError, print } from './messages.ts';
import { openView, spacesIn } from './organisation.ts';

/**
 * Prints `{id, name, kind, parts, idleDays, last, bySource, dormant}` of each space, a team with its parts once; `idleDays` is −1
 * where nothing is known.
 */
export async function listDormant(
  dir: string,
  options: { asOf?: string; days: string; all?: boolean },
): Promise<void> {
  const limit = Number(options.days);
  if (!Number.isInteger(limit) || limit < 1) throw new CliError('--days takes a whole number from 1 on.');
  const modifiedAt = new Map<string, string>();
  const viewed = await openView(dir, options, {
    activity: true,
    item: ({ id, modifiedAt: at }) => void (at && modifiedAt.set(id, at)),
  });
  const { org, view, activity } = viewed;
  const facts = spacesIn(
    viewed,
    () => usageOf(org, resolveDeeds(view, activity)),
    (i) => modifiedAt.get(org.itemIds.at(i)),
  );
  const { bySource, last } = facts.activity();
  const { parts, partOf } = facts.parts();
  for (const [s, row] of org.spaces.entries()) {
    if (!org.spaceListed[s] || partOf[s]! >= 0) continue;
    const idleDays = facts.idleDays(s);
    const dormant = !row.archived && !row.binned && isDormant(idleDays, limit);
    if (!dormant && !options.all) continue;
    await print({
      id: row.id,
      name: row.name,
      kind: row.kind,
      parts: parts[s]!.map((p) => org.spaces[p]!.id),
      idleDays,
      last: isoOf(last[s]!),
      bySource: Object.fromEntries(ACTIVITY_NAMES.map((n) => [n, isoOf(bySource[n][s]!)])),
      dormant,
    });
  }
}
