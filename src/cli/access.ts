/** Who can reach what, on an extract and without a database. */
import { nodeOfItem } from '../core/access/organisation.ts';
import { eachName } from '../core/access/names.ts';
import { alter } from '../core/access/change.ts';
import { compare } from '../core/access/compare.ts';
import { nodesDown, who, why, type Route } from '../core/access/questions.ts';
import { reach, reachOf, type ReachSummary } from '../core/access/reach.ts';
import { identityKind, identityName, type View } from '../core/access/view.ts';
import { whatOf } from '../core/access/what.ts';
import { capabilityNames } from '../core/model.ts';
import { readChanges } from './changes.ts';
import { CliError, print, say } from './messages.ts';
import { identityNamed, nearestTo, nodeNamed, withIds } from './names.ts';
import { resolveDeeds, servesWhat, usageOf, usedSince, type Usage } from '../core/access/usage.ts';
import { openView } from './organisation.ts';
import { byCode } from '../core/sorts.ts';

export interface AccessOptions {
  asOf?: string;
  without?: string;
  used?: string;
}

async function open(dir: string, options: AccessOptions): Promise<View> {
  return (await openWithUsage(dir, options)).view;
}

async function openWithUsage(dir: string, options: AccessOptions): Promise<{ view: View; usage: Usage }> {
  const changes = options.without === undefined ? [] : await readChanges(options.without);
  const { org, view: now, activity } = await openView(dir, options, { activity: options.used !== undefined });
  const usage = usageOf(org, resolveDeeds(now, activity));
  if (!changes.length) return { view: now, usage };
  const altered = alter(
    now,
    changes.map((c) => withIds(org, c)),
  );
  for (const c of altered.unknown)
    say(`nothing to change by ${JSON.stringify(c)}: it is not in the extract.${nearestTo(org, c)}`);
  return { view: altered.view, usage };
}

/** Numbers of names, in the order of the names' code units. */
const sorted = (names: readonly string[]): number[] =>
  names.map((_, i) => i).sort((a, b) => byCode(names[a]!, names[b]!));

const summary = ({ tier, members, guests, outsiders, anyone, domains }: ReachSummary) => ({
  tier,
  members,
  guests,
  outsiders,
  anyone,
  domains,
});

export async function reachCommand(
  dir: string,
  options: AccessOptions & { spaces?: boolean },
): Promise<void> {
  const v = await open(dir, options);
  const columns = reach(v);
  const names = options.spaces ? v.org.spaces.map((s) => s.id) : [...eachName(v.org.itemIds)];
  for (const i of sorted(names)) {
    if (options.spaces && !v.org.spaceListed[i]) continue;
    const r = reachOf(v, columns, options.spaces ? i : nodeOfItem(v.org, i));
    await print({
      [options.spaces ? 'space' : 'item']: names[i],
      now: summary(r.now),
      could: summary(r.could),
    });
  }
}

export async function whoCommand(dir: string, item: string, options: AccessOptions): Promise<void> {
  const v = await open(dir, options);
  const rows: { identity: string; kind: string; capabilities: string[] }[] = [];
  who(v, nodeNamed(v, item)).forEach((bits, i) => {
    if (bits)
      rows.push({
        identity: identityName(v, i),
        kind: identityKind(v, i),
        capabilities: capabilityNames(bits),
      });
  });
  for (const row of rows.sort((a, b) => byCode(a.identity, b.identity))) await print(row);
}

export async function whatCommand(dir: string, identity: string, options: AccessOptions): Promise<void> {
  const v = await open(dir, options);
  const i = identityNamed(v, identity);
  if (i < 0) return;
  const S = v.org.spaces.length;
  const bits = whatOf(v, { identity: i });
  const found: { item: string; capabilities: string[] }[] = [];
  for (let n = 0; n < v.org.itemIds.length; n++)
    if (bits[S + n]) found.push({ item: v.org.itemIds.at(n), capabilities: capabilityNames(bits[S + n]!) });
  for (const row of found.sort((a, b) => byCode(a.item, b.item))) await print(row);
}

const stepsOf = (v: View, identity: string, route: Route): Record<string, string>[] => {
  const { entry } = route.source;
  const S = v.org.spaces.length;
  const node = (n: number): Record<string, string> =>
    n < S ? { space: v.org.spaces[n]!.id } : { item: v.org.itemIds.at(n - S) };
  return [
    { identity },
    ...route.groups.map((g) => ({ group: v.org.groups[g]!.id })),
    ...(route.as ? [{ as: route.as }] : []),
    entry === 'visibility'
      ? { visibility: v.org.spaces[route.source.at]!.id }
      : entry === 'ownership'
        ? { owner: v.org.itemIds.at(route.source.at - S) }
        : v.org.entries.type[entry] === 0
          ? { grant: v.org.entries.ids.at(entry) }
          : { link: v.org.entries.ids.at(entry) },
    ...nodesDown(v.org, route.source).map(node),
  ];
};

export async function whyCommand(
  dir: string,
  identity: string,
  item: string,
  options: AccessOptions,
): Promise<void> {
  const { view: v, usage } = await openWithUsage(dir, options);
  const days = options.used === undefined ? undefined : Number(options.used);
  if (days !== undefined && !(days > 0)) throw new CliError('--used takes a number of days, such as 90.');
  const i = identityNamed(v, identity);
  const node = nodeNamed(v, item);
  const took =
    days === undefined ? 0 : (usedSince(v.org, usage, node, v.moment - days * 86_400_000).get(i) ?? 0);
  if (i < 0) return print({ capabilities: [], routes: [], withheld: [] });
  const answer = why(v, i, node);
  await print({
    capabilities: capabilityNames(answer.bits),
    routes: answer.routes.map((r) => ({
      role: r.role,
      steps: stepsOf(v, identityName(v, i), r),
      ...(days !== undefined && { used: servesWhat(r.bits, took) }),
    })),
    withheld: answer.withheld.map((w) => ({ by: w.by, capabilities: capabilityNames(w.bits) })),
  });
}

export async function diffCommand(
  dir1: string,
  dir2: string,
  options: { asOf?: string; spaces?: boolean },
): Promise<void> {
  const judged = async (dir: string) => {
    const v = await open(dir, options);
    return { view: v, columns: reach(v) };
  };
  const changes = compare(await judged(dir1), await judged(dir2), options.spaces ? 'spaces' : 'items');
  for (const { id, change, tiers, gained, lost, by } of changes)
    await print({
      [options.spaces ? 'space' : 'item']: id,
      change,
      before: tiers.before,
      after: tiers.after,
      gained,
      lost,
      by,
    });
}
