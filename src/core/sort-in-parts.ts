/** So many are sorted, or put in their place, at a stretch. */
export const AT_ONCE = 8192;

/**
 * Sorts numbers by an order, a part at a time, so that what is asked meanwhile comes in between: those that
 * stand alike stay as they were. What is given is altered; what is returned is sorted.
 */
export function* sortInParts(
  numbers: Int32Array,
  order: (a: number, b: number) => number,
): Generator<void, Int32Array> {
  const { length } = numbers;
  for (let from = 0; from < length; from += AT_ONCE)
    yield void numbers.subarray(from, from + AT_ONCE).sort(order);
  let [now, next]: [Int32Array, Int32Array] = [numbers, new Int32Array(length)];
  for (let width = AT_ONCE; width < length; width *= 2) {
    for (let from = 0; from < length; from += 2 * width) {
      const [middle, to] = [Math.min(from + width, length), Math.min(from + 2 * width, length)];
      let [left, right] = [from, middle];
      for (let n = from; n < to; n++) {
        const isLeft = left < middle && (right >= to || order(now[left]!, now[right]!) <= 0);
        next[n] = now[isLeft ? left++ : right++]!;
        if (n % AT_ONCE === 0) yield;
      }
    }
    [now, next] = [next, now];
  }
  return now;
}
