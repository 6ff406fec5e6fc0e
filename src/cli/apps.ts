/** What apps could really read, on an extract and without a database. */
import { heavyIn, judgeApps } from '../core/apps/judged.ts';
import { peopleIn } from '../core/apps/risk.ts';
import { appAccess, grantedApps } from '../core/apps/reading.ts';
import { identityName } from '../core/access/view.ts';
import { nodeOfItem } from '../core/access/organisation.ts';
import { byCode } from '../core/sorts.ts';
import { capabilityNames } from '../core/model.ts';
import { openFacts, type FactsOptions } from './facts.ts';
import { CliError, print } from './messages.ts';
import { openView } from './organisation.ts';

/**
 * Prints `{app, name, people, everyone, items, heavy, points, sum}` of each app, the riskiest first: how many people let it in, whether
 * it is let in for everyone, the items that it could read, and the heavy files among them.
 */
export async function listApps(dir: string, options: FactsOptions): Promise<void> {
  const facts = await openFacts(dir, options);
  const { view, org, apps, appGrants } = facts;
  const weights = Uint8Array.from({ length: org.itemIds.length }, (_, i) =>
    facts.getters.item.weight(nodeOfItem(org, i)),
  );
  const { list } = judgeApps(view, { apps, grants: appGrants, items: { isFile: facts.isFile, weights } });
  const rows = list.map(({ app, grants, reading, risk }) => ({
    app: app.id,
    name: app.name,
    people: peopleIn(grants).size,
    everyone: grants.some((g) => g.everyone),
    items: reading.items,
    heavy: heavyIn(reading),
    points: risk.points,
    sum: risk.lines,
  }));
  for (const row of rows.sort((a, b) => b.points - a.points || byCode(a.app, b.app))) await print(row);
}

/** Prints `{item, capabilities, through}` of each item with which an app could do something, by id. */
export async function appReach(dir: string, app: string, options: { asOf?: string }): Promise<void> {
  const { view, org, apps, appGrants } = await openView(dir, options);
  const granted = grantedApps(view, appGrants).get(app);
  if (!granted && !apps.some((a) => a.id === app)) throw new CliError(`There is no app ${app} in ${dir}.`);
  if (!granted) return;
  const numbers = Array.from({ length: org.itemIds.length }, (_, i) => i).sort((a, b) =>
    byCode(org.itemIds.at(a), org.itemIds.at(b)),
  );
  for (const i of numbers) {
    const { bits, everyone, people } = appAccess(view, granted, nodeOfItem(org, i));
    if (!bits) continue;
    const through = people.map((u) => identityName(view, u)).sort(byCode);
    await print({
      item: org.itemIds.at(i),
      capabilities: capabilityNames(bits),
      through: [...(everyone ? ['everyone'] : []), ...through],
    });
  }
}
