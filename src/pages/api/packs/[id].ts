import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { packForm } from '../../../dto/forms.ts';
import { text } from '../../../dto/inputs.ts';

const id = text(64).regex(/^[a-z0-9][a-z0-9-]*$/, 'is made of small letters, digits and dashes');

/** Makes a pack or changes one of our own. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: packForm.extend({ id, copiedFrom: text(64).optional() }),
  run: ({ app, input, account }) => app.recognition.putPack(input, account.address),
});

export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id }),
  run: ({ app, input, account }) => app.recognition.removePack(input.id, account.address),
});
