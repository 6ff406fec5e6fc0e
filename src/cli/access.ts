/** Who can reach what, on an extract and without a database. */
import { nodeOfItem, type Organisation } from '../core/access/organisation.ts';
import { sources, what, who, why, type Route } from '../core/access/questions.ts';
import { reach, reachOf, type ReachColumns, type ReachSummary } from '../core/access/reach.ts';
import { findIdentity, identityKind, identityName, view, type View } from '../core/access/view.ts';
import { capabilityNames, TIERS } from '../core/model.ts';
import { CliError, print } from './error.ts';
import { loadOrganisation } from './organisation.ts';

export interface AccessOptions {
  asOf?: string;
  without?: string;
}

async function open(dir: string, options: AccessOptions): Promise<View> {
  const moment = options.asOf === undefined ? undefined : Date.parse(options.asOf);
  if (moment !== undefined && Number.isNaN(moment))
    throw new CliError('--as-of takes a time such as 2026-03-01T00:00:00Z (RFC 3339).');
  return view(await loadOrganisation(dir, options.without), moment === undefined ? {} : { moment });
}

const byCode = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
/** Numbers of names, in the order of the names' code units. */
const sorted = (names: readonly string[]): number[] =>
  names.map((_, i) => i).sort((a, b) => byCode(names[a]!, names[b]!));

function itemNode(v: View, id: string): number {
  const item = v.org.find('item', id);
  if (item >= 0) return nodeOfItem(v.org, item);
  const space = v.org.find('space', id);
  if (space >= 0) return space;
  throw new CliError(`There is no item or space ${id} in this extract.`);
}

function identityOf(v: View, name: string): number {
  const identity = findIdentity(v, name);
  if (identity < 0 && v.org.find('user', name) < 0)
    throw new CliError(
      `${name} is not known in this extract: neither a user’s id nor an outsider’s address.`,
    );
  return identity;
}

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
  const names = options.spaces ? v.org.spaces.map((s) => s.id) : v.org.itemIds;
  for (const i of sorted(names)) {
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
  who(v, itemNode(v, item)).forEach((bits, i) => {
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
  const i = identityOf(v, identity);
  if (i < 0) return;
  const S = v.org.spaces.length;
  const { nodes, bits } = what(v, i);
  const found = nodes
    .filter((node) => node >= S)
    .map((node) => ({ item: v.org.itemIds[node - S]!, capabilities: capabilityNames(bits[node]!) }));
  for (const row of found.sort((a, b) => byCode(a.item, b.item))) await print(row);
}

const stepsOf = (v: View, identity: string, route: Route): Record<string, string>[] => {
  const { entry } = route.source;
  const S = v.org.spaces.length;
  const node = (n: number): Record<string, string> =>
    n < S ? { space: v.org.spaces[n]!.id } : { item: v.org.itemIds[n - S]! };
  return [
    { identity },
    ...route.groups.map((g) => ({ group: v.org.groups[g]!.id })),
    ...(route.as ? [{ as: route.as }] : []),
    entry === 'visibility'
      ? { visibility: v.org.spaces[route.source.at]!.id }
      : entry === 'ownership'
        ? { owner: v.org.itemIds[route.source.at - S]! }
        : v.org.entries.type[entry] === 0
          ? { grant: v.org.entries.ids[entry]! }
          : { link: v.org.entries.ids[entry]! },
    ...route.source.down.map(node),
  ];
};

export async function whyCommand(
  dir: string,
  identity: string,
  item: string,
  options: AccessOptions,
): Promise<void> {
  const v = await open(dir, options);
  const i = identityOf(v, identity);
  const node = itemNode(v, item);
  if (i < 0) return print({ capabilities: [], routes: [], withheld: [] });
  const answer = why(v, i, node);
  await print({
    capabilities: capabilityNames(answer.bits),
    routes: answer.routes.map((r) => ({ role: r.role, steps: stepsOf(v, identityName(v, i), r) })),
    withheld: answer.withheld.map((w) => ({ by: w.by, capabilities: capabilityNames(w.bits) })),
  });
}

/** What is on a node of one extract and not of the other, by id: grants, links, visibility. */
const sourceNames = (v: View, node: number): Set<string> =>
  new Set(
    sources(v, node).map((s) =>
      typeof s.entry === 'number'
        ? `${v.org.entries.type[s.entry] === 0 ? 'grant' : 'link'} ${v.org.entries.ids[s.entry]}`
        : s.entry,
    ),
  );

export async function diffCommand(dir1: string, dir2: string, options: { asOf?: string }): Promise<void> {
  const [a, b] = [await open(dir1, options), await open(dir2, options)];
  const [ca, cb] = [reach(a), reach(b)];
  const ids = [...new Set([...a.org.itemIds, ...b.org.itemIds])].sort(byCode);
  // items of one pair of access classes differ in the same way, owners aside
  const seen = new Map<string, { gained: string[]; lost: string[] }>();
  const holders = (v: View, node: number): Set<string> => {
    const names = new Set<string>();
    who(v, node, false).forEach((bits, i) => bits && names.add(identityName(v, i)));
    return names;
  };
  for (const id of ids) {
    const at = (v: View, c: ReachColumns, org: Organisation) => {
      const item = org.find('item', id);
      if (item < 0) return undefined;
      const node = nodeOfItem(org, item);
      const owner = org.itemOwner[item]!;
      return {
        node,
        cls: c.accessClass[node]!,
        owner: c.ownerAdds[node] ? org.users[owner]!.id : undefined,
        reach: reachOf(v, c, node),
      };
    };
    const was = at(a, ca, a.org);
    const is = at(b, cb, b.org);
    const key = `${was?.cls}>${is?.cls}`;
    let people = seen.get(key);
    if (!people) {
      const before = was ? holders(a, was.node) : new Set<string>();
      const after = is ? holders(b, is.node) : new Set<string>();
      people = {
        gained: [...after].filter((n) => !before.has(n)),
        lost: [...before].filter((n) => !after.has(n)),
      };
      seen.set(key, people);
    }
    let { gained, lost } = people;
    if (was?.owner !== is?.owner || was?.owner !== undefined) {
      const had = (n: string) => n === was?.owner || (was !== undefined && holders(a, was.node).has(n));
      const has = (n: string) => n === is?.owner || (is !== undefined && holders(b, is.node).has(n));
      const all = new Set([...gained, ...lost, was?.owner, is?.owner].filter((n) => n !== undefined));
      gained = [...all].filter((n) => has(n) && !had(n));
      lost = [...all].filter((n) => had(n) && !has(n));
    }
    const tiers = (r: typeof was) => (r ? { now: r.reach.now.tier, could: r.reach.could.tier } : null);
    const before = tiers(was);
    const after = tiers(is);
    if (gained.length + lost.length === 0 && before?.now === after?.now && before?.could === after?.could)
      continue;
    const step = (t: typeof before) => (t ? TIERS.indexOf(t.now) * 10 + TIERS.indexOf(t.could) : -1);
    const causesBefore = was ? sourceNames(a, was.node) : new Set<string>();
    const causesAfter = is ? sourceNames(b, is.node) : new Set<string>();
    await print({
      item: id,
      change: !was
        ? 'added'
        : !is
          ? 'removed'
          : step(after) > step(before)
            ? 'brighter'
            : step(after) < step(before)
              ? 'darker'
              : 'same',
      before,
      after,
      gained: gained.sort(byCode),
      lost: lost.sort(byCode),
      by: {
        added: [...causesAfter].filter((c) => !causesBefore.has(c)),
        removed: [...causesBefore].filter((c) => !causesAfter.has(c)),
      },
    });
  }
}
