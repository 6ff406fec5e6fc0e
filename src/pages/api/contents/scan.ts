import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** Scans one file now. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ source: text(200), item: text(512) }),
  run: ({ app, input, account }) => app.recognition.scanItem(input.source, input.item, account.address),
});
