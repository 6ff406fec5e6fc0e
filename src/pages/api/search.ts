import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { limit, text } from '../../dto/inputs.ts';

/** Spaces, groups, people and items by name. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ text: text(200).min(1), limit }),
  run: async ({ app, input }) => (await app.engine.ask.search(undefined, input.text, input.limit)) ?? [],
});
