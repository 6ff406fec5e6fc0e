import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, node } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Everything about one space, folder or file, with its routes one by one. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, node }),
  async run({ app, input }) {
    const [dossier, routes] = await Promise.all([
      app.engine.ask.node(input.asOf, input.node),
      app.engine.ask.routes(input.asOf, input.node),
    ]);
    return found(dossier && { ...dossier, routes: routes ?? [] });
  },
});
