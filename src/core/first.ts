/** The first ones of long lists. */

/** From so many on it is quicker to sort all than to keep the first ones. */
const SORT_ALL = 2_000;

/** The first `count` in an order, in order; the list may be altered. */
export function firstOf(list: number[], order: (a: number, b: number) => number, count: number): number[] {
  if (count > SORT_ALL || count >= list.length) return list.sort(order).slice(0, count);
  const first: number[] = [];
  for (const n of list) {
    if (first.length === count && order(n, first[count - 1]!) >= 0) continue;
    let [from, to] = [0, first.length];
    while (from < to) {
      const mid = (from + to) >>> 1;
      if (order(first[mid]!, n) <= 0) from = mid + 1;
      else to = mid;
    }
    first.splice(from, 0, n);
    if (first.length > count) first.pop();
  }
  return first;
}
