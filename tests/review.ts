/** Things that owners are asked about, made up. */
import type { ReviewThing } from '../src/dto/review.ts';

export const madeThing = (key: string): ReviewThing => ({
  key,
  name: key,
  detail: '',
  of: '',
  by: '',
  since: null,
  last: null,
  ends: null,
  weight: 0,
  holds: [],
  heavy: 0,
  recommended: null,
});
