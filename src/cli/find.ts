/** What a condition holds of, on an extract and without a database. */
import { checkFilter, compileFilter } from '../core/filter/filter.ts';
import { TIERS } from '../core/model.ts';
import { CliError, print } from './messages.ts';
import { openFacts, type FactsOptions } from './facts.ts';

/** Prints `{id, kind, name, path, weight, now, could, points}` of each space, folder and file it holds of. */
export async function find(dir: string, condition: string, options: FactsOptions): Promise<void> {
  try {
    checkFilter(condition, 'items');
  } catch (e) {
    throw new CliError((e as Error).message);
  }
  const {
    org,
    view: v,
    columns,
    getters: { item: getters },
  } = await openFacts(dir, options);
  const holds = compileFilter(condition, 'items', getters, v.moment);
  const S = org.spaces.length;
  for (let n = 0; n < S + org.itemIds.length; n++) {
    if (n < S && !org.spaceListed[n]) continue;
    if (!holds(n)) continue;
    await print({
      id: n < S ? org.spaces[n]!.id : org.itemIds.at(n - S),
      kind: getters.kind(n),
      name: getters.name(n),
      path: getters.path(n),
      weight: getters.weight(n),
      now: TIERS[columns.nowTier[n]!],
      could: TIERS[columns.couldTier[n]!],
      points: getters.points(n),
    });
  }
}
