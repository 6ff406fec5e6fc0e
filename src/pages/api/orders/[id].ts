import { z } from 'zod';
import { changedOrderForm } from '../../../dto/forms.ts';
import { number } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** A standing order with its versions, and a version as it was. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number, version: number.optional() }),
  run: async ({ app, input: { id, version } }) => ({
    page: await app.orders.one(id),
    version: version === undefined ? null : await app.orders.version(id, version),
  }),
});

/** Makes another version; runs that are under way stay on theirs. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: changedOrderForm.extend({ id: number }),
  run: ({ app, account, input: { id, order, from } }) => app.orders.put(order, account.address, id, from),
});

/** Begins no more, and ends what is under way. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.orders.remove(input.id, account.address),
});
