import { randomUUID } from 'node:crypto';
import { z } from 'zod';
import { keepOutSchema } from '../../dto/planned.ts';
import { endpoint } from './_endpoint.ts';
import { text } from '../../dto/inputs.ts';
import { found } from './_problem.ts';

const id = text(1100).min(1);
/** What whoever asks calls the question, to hear how far it is and to leave it. */
const asked = z.uuid();
/** A change as a cut named it, given back to be pinned. */
const pinned = z
  .union([
    z.strictObject({ grant: id }),
    z.strictObject({ link: id }),
    z.strictObject({ user: id, set: z.strictObject({ active: z.literal(false) }) }),
    z.strictObject({ member: z.strictObject({ group: id, value: id }) }),
    z.strictObject({ space: id, set: z.strictObject({ visibility: z.literal('members') }) }),
    z.strictObject({ space: id, set: z.strictObject({ externalSharing: z.literal('off') }) }),
    z.strictObject({ item: id, set: z.strictObject({ inherits: z.literal(false) }) }),
  ])
  .array()
  .max(500)
  .default([]);

/** The least changes that keep somebody out of some items; nothing is done by asking. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    items: z
      .array(z.object({ source: text(200), item: text(512) }))
      .min(1)
      .max(5000),
    keepOut: keepOutSchema,
    pinned,
    plannable: z.boolean().default(false),
    asked: asked.optional(),
  }),
  run: async ({ app, input: { asked = randomUUID(), ...q } }) =>
    found(await app.engine.ask.cuts(undefined, q, asked)),
});

/** How far it is; nothing where it is done, or was never asked. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asked }),
  run: async ({ app, input }) => (await app.engine.ask.cutProgress(input.asked)) ?? null,
});

/** Leaves it; whoever waits for the answer is told that there is none. */
export const DELETE = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asked }),
  run: async ({ app, input }) => ({ stopped: await app.engine.ask.stopCut(input.asked) }),
});
