import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';

/** Whether surveys read the text in pictures. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ read: z.boolean() }),
  run: ({ app, input, account }) => app.recognition.setPictures(input.read, account.address),
});
