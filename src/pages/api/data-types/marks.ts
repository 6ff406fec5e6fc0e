import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** Says of one match that it is right or wrong; null takes that back. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({
    type: text(64),
    source: text(200),
    item: text(512),
    place: text(40).regex(/^[a-z]+ \d+$/, 'names a part and an offset'),
    certainty: z.int().min(0).max(100),
    right: z.boolean().nullable(),
  }),
  run: ({ app, input, account }) => app.recognition.mark(input, account.address),
});
