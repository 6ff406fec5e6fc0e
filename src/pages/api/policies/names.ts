import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { SCOPE_KEYS, type ScopeKey } from '../../../core/guard/schema.ts';
import { text } from '../../../dto/inputs.ts';

/** What a key of a policy's scope can name: the first whose name holds a text. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ key: z.enum(Object.keys(SCOPE_KEYS) as ScopeKey[]), text: text(200).default('') }),
  run: async ({ app, input }) => (await app.engine.ask.scopeNames(undefined, input.key, input.text)) ?? [],
});
