/** How many of something, in words: “1 space”, “2,000 spaces”. */
export const counted = (n: number, [one, many]: readonly [string, string]): string =>
  `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
