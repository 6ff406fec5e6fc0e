import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { domain, partnerForm } from '../../../dto/forms.ts';
import { found } from '../_problem.ts';

/** What calling a domain a partner’s, or no longer one, would change. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ domain, partner: z.stringbool() }),
  run: async ({ app, input }) =>
    found(await app.engine.ask.partnerPreview(undefined, input.domain, input.partner)),
});

/** Calls a domain a partner’s, until a day. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: partnerForm,
  run: ({ app, input, account }) =>
    app.partners.put(input.domain, input.until, input.sponsor, account.address),
});

/** Calls it a partner’s no longer. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ domain }),
  run: ({ app, input, account }) => app.partners.remove(input.domain, account.address),
});
