/** The same, worked out once for each number. */
export function once<T>(of: (n: number) => T): (n: number) => T {
  const known = new Map<number, T>();
  return (n) => {
    let value = known.get(n);
    if (value === undefined) known.set(n, (value = of(n)));
    return value;
  };
}

/** The same, worked out when it is first asked for. */
export function lazily<T extends object>(make: () => T): () => T {
  let made: T | undefined;
  return () => (made ??= make());
}
