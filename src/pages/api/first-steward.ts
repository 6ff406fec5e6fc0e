import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { text } from '../../dto/inputs.ts';

export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({
    code: text(100),
    name: text(200).min(1),
    address: z.email().max(320),
    password: text(1024).min(12, 'needs at least 12 characters'),
  }),
  run: ({ app, input }) =>
    app.accounts.makeFirst(input.code.trim(), input.name, input.address, input.password),
});
