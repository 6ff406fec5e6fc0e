/** What a key of a policy's scope can name in a survey, to choose from. */
import type { ScopeKey } from '../core/guard/schema.ts';
import { nameOrder } from '../core/name-order.ts';
import type { ScopeName } from '../dto/guard.ts';
import { factsOf } from './guard.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

/** So many are told of. */
const SHOWN = 50;

/** Values with how often each occurs. */
function counted(
  values: Iterable<string | undefined>,
  what: readonly [one: string, many: string],
): ScopeName[] {
  const counts = new Map<string, number>();
  for (const v of values) if (v) counts.set(v, (counts.get(v) ?? 0) + 1);
  return [...counts].map(([value, n]) => ({
    value,
    name: value,
    detail: `${n.toLocaleString('en')} ${n === 1 ? what[0] : what[1]}`,
  }));
}

/** What is called alike is told apart by its id. */
function named(of: readonly { id: string; name: string; detail: string }[]): ScopeName[] {
  const times = new Map<string, number>();
  for (const { name } of of) times.set(name, (times.get(name) ?? 0) + 1);
  return of.map(({ id, name, detail }) => ({ value: times.get(name) === 1 ? name : id, name, detail }));
}

function all(l: Loaded, key: ScopeKey): ScopeName[] {
  const { org } = l;
  const { hidden } = org;
  const source = (kind: 'space' | 'workspace' | 'group', id: string): string =>
    factsOf(l).sourceId?.(kind, id) ?? id;
  const workspaceOf = (id: string): string => org.workspaces.find((w) => w.id === id)?.name ?? unkey(id).id;
  const listed = org.spaces.filter((_, s) => org.spaceListed[s]);
  switch (key) {
    case 'units':
      return counted(
        org.users.flatMap((u, n) => (hidden?.user[n] ? [] : u.department)),
        ['person', 'people'],
      );
    case 'groups':
      return named(
        org.groups.flatMap((g, n) =>
          hidden?.group[n] ? [] : { id: source('group', g.id), name: g.name, detail: 'group' },
        ),
      );
    case 'people':
      return org.users.flatMap((u, n) =>
        hidden?.user[n]
          ? []
          : { value: u.addresses[0] ?? u.id, name: u.name, detail: u.department ?? u.addresses[0] ?? '' },
      );
    case 'workspaces':
      return named(
        org.workspaces.map((w) => ({ id: source('workspace', w.id), name: w.name, detail: unkey(w.id).id })),
      );
    case 'spaces':
      return named(
        listed.map((s) => ({
          id: source('space', s.id),
          name: s.name,
          detail: `${s.kind.replace('-', ' ')}, ${workspaceOf(s.workspace)}`,
        })),
      );
    case 'spaceKinds':
      return counted(
        listed.map((s) => s.kind),
        ['space', 'spaces'],
      );
    case 'labels':
      return counted(
        [
          ...listed.map((s) => s.label),
          ...Array.from({ length: l.items.length }, (_, i) => l.items.label(i)),
        ],
        ['file or space', 'files and spaces'],
      );
    case 'regions':
      return counted(
        listed.map((s) => s.region),
        ['space', 'spaces'],
      );
    case 'charters':
      return [
        ...[...l.charters.now.sensitivities.values()].map(({ id, name }) => ({
          value: id,
          name,
          detail: 'sensitivity',
        })),
        ...[...l.charters.now.purposes.values()].map(({ id, name }) => ({
          value: id,
          name,
          detail: 'purpose',
        })),
      ];
  }
}

/** The first of what a key can name whose name, id or detail holds a text, by name. */
export const scopeNames = (l: Loaded, key: ScopeKey, text: string): ScopeName[] => {
  const wanted = text.toLowerCase();
  return all(l, key)
    .filter((n) => `${n.name} ${n.value} ${n.detail}`.toLowerCase().includes(wanted))
    .sort((a, b) => nameOrder(a.name, b.name))
    .slice(0, SHOWN);
};
