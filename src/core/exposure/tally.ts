/** What each identity holds, before it is counted. */
import type { Tally } from '../access/reach.ts';
import type { View } from '../access/view.ts';
import { HEAVY } from './exposure.ts';

/** A tally to be filled by `reach`; `isFile`, `weights`: by item. */
export const emptyTally = (v: View, isFile: Uint8Array, weights: Uint8Array): Tally => ({
  counts: isFile.map((file, i) => (file ? (weights[i]! >= HEAVY ? 2 : 1) : 0)),
  files: new Int32Array(v.identityCount),
  heavy: new Int32Array(v.identityCount),
});
