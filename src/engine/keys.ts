/** Ids of different sources may be the same; inside the engine they carry their source. */
export const key = (source: string, id: string): string => `${source}:${id}`;

/** The source, and its own id. */
export const unkey = (k: string): { source: string; id: string } => {
  const at = k.indexOf(':');
  return { source: k.slice(0, at), id: k.slice(at + 1) };
};

/** By what a hit of a rule is known; the same is written in SQL in services/policies/policies.ts. */
export const hitKey = (rule: string, key: string): string => `${rule} ${key}`;
