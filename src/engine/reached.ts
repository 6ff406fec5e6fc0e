/** How far everything reaches, kept beside the rows for the next start. */
import { createHash } from 'node:crypto';
import type { AccessClass, ReachColumns } from '../core/access/reach.ts';
import type { View } from '../core/access/view.ts';
import type { Loaded, Tallied } from './loaded.ts';

/** What was worked out of rows, with what tells that it would come out the same again. */
export interface Reached {
  key: string;
  tally: Tallied['tally'];
  columns: Omit<ReachColumns, 'classes'>;
  /** By class: counts and flags; its domains as words; its whole domains as lists. */
  numbers: Int32Array;
  domains: Int32Array;
  wholeStart: Int32Array;
  whole: Int32Array;
}

const COUNTS = ['members', 'guests', 'outsiders', 'couldMembers'] as const;
const FLAGS = ['anyoneNow', 'anyoneCould', 'external', 'unexpected'] as const;
const WIDTH = COUNTS.length + 1;

/** All that it depends on beside the rows; `build`: which program works it out. */
const keyOf = (build: string, { org, settings, moment }: View, types: Loaded['types']): string =>
  createHash('sha256')
    .update(JSON.stringify([build, org.own, moment, settings, [...types]]))
    .digest('hex');

export function packed(build: string, { view, types, tally, columns: all }: Loaded): Reached {
  const { classes, ...columns } = all;
  const words = classes[0]?.identityDomains.length ?? 0;
  const numbers = new Int32Array(classes.length * WIDTH);
  const domains = new Int32Array(classes.length * words);
  const wholeStart = new Int32Array(classes.length + 1);
  const whole: number[] = [];
  classes.forEach((c, n) => {
    COUNTS.forEach((k, at) => (numbers[n * WIDTH + at] = c[k]));
    numbers[n * WIDTH + COUNTS.length] = FLAGS.reduce((bits, k, at) => bits | (Number(c[k]) << at), 0);
    domains.set(c.identityDomains, n * words);
    for (const d of c.wholeDomains) whole.push(d);
    wholeStart[n + 1] = whole.length;
  });
  const key = keyOf(build, view, types);
  return { key, tally, columns, numbers, domains, wholeStart, whole: Int32Array.from(whole) };
}

/** The same again; undefined where it depends on something that is not as it was. */
export function unpacked(
  build: string,
  { key, tally, columns, numbers, domains, wholeStart, whole }: Reached,
  view: View,
  types: Loaded['types'],
): Tallied | undefined {
  if (key !== keyOf(build, view, types)) return undefined;
  const count = wholeStart.length - 1;
  const words = count ? domains.length / count : 0;
  const classes = Array.from({ length: count }, (_, n): AccessClass => {
    const at = n * WIDTH;
    const flags = numbers[at + COUNTS.length]!;
    return {
      members: numbers[at]!,
      guests: numbers[at + 1]!,
      outsiders: numbers[at + 2]!,
      couldMembers: numbers[at + 3]!,
      anyoneNow: (flags & 1) !== 0,
      anyoneCould: (flags & 2) !== 0,
      external: (flags & 4) !== 0,
      unexpected: (flags & 8) !== 0,
      identityDomains: domains.subarray(n * words, (n + 1) * words),
      wholeDomains: [...whole.subarray(wholeStart[n], wholeStart[n + 1])],
    };
  });
  return { tally, columns: { ...columns, classes } };
}
