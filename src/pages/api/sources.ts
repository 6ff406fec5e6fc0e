import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { nothing, text } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.surveys.sources(),
});

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({
    id: z.string().regex(/^[a-z0-9-]{1,40}$/, 'takes small letters, digits and dashes'),
    kind: z.enum(['directory', 'drives', 'sites', 'channels']),
    name: text(200).min(1),
    url: z.url({ protocol: /^https?$/ }).max(2000),
    token: text(4000).min(1),
  }),
  run: ({ app, input, account }) => app.surveys.putSource(input, account.address),
});
