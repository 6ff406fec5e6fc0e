import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** From which certainty matches count: of one type, or usually; null takes a type's own away. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ type: text(64).nullable(), certainty: z.int().min(0).max(100).nullable() }),
  run: ({ app, input, account }) =>
    app.recognition.setCertainty(input.type, input.certainty, account.address),
});
