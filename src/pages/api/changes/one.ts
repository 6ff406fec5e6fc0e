import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { node, number } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** What changed about one space or item between two surveys: who gained, who lost, and why. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ from: number, to: number.optional(), node }),
  run: async ({ app, input }) => found(await app.engine.ask.change(input.from, input.to, input.node)),
});
