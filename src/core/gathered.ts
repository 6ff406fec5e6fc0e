/** A list by what each of it has in common with others, in the order in which it comes. */
export function gathered<T, K>(list: Iterable<T>, by: (one: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>();
  for (const one of list) {
    const key = by(one);
    const group = groups.get(key);
    if (group) group.push(one);
    else groups.set(key, [one]);
  }
  return groups;
}
