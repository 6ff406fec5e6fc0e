/** Orders of tables by several keys, the first foremost; as text `weight.down,name.up`. */
export interface Sort<K extends string = string> {
  key: K;
  down: boolean;
}

/** Keys of text go up unless it is said otherwise; all others go down. */
const UP_FIRST: ReadonlySet<string> = new Set(['name', 'domain', 'country']);
export const downFirst = (key: string): boolean => !UP_FIRST.has(key);

/** Reads an order, each key once; a way left out is the usual one. Undefined where a key is not among `keys`. */
export function readSorts<K extends string>(text: string, keys: readonly K[]): Sort<K>[] | undefined {
  const sorts = new Map<K, Sort<K>>();
  for (const part of text.split(',')) {
    const m = /^(\w+)(?:\.(up|down))?$/.exec(part);
    const key = keys.find((k) => k === m?.[1]);
    if (!m || !key) return undefined;
    if (!sorts.has(key)) sorts.set(key, { key, down: m[2] ? m[2] === 'down' : downFirst(key) });
  }
  return [...sorts.values()];
}

export const writeSorts = (sorts: readonly Sort[]): string =>
  sorts.map(({ key, down }) => `${key}.${down ? 'down' : 'up'}`).join(',');

/** Text by its code units (UTF-16), whatever the language. */
export const byCode = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** Compares by each key in turn; `by` compares upwards. */
export function compareBy<K extends string, T>(
  sorts: readonly Sort<K>[],
  by: Record<K, (a: T, b: T) => number>,
): (a: T, b: T) => number {
  const each = sorts.map(({ key, down }) => (down ? (a: T, b: T) => -by[key](a, b) : by[key]));
  if (each.length === 1) return each[0]!;
  return (a, b) => {
    for (const compare of each) {
      const order = compare(a, b);
      if (order) return order;
    }
    return 0;
  };
}
