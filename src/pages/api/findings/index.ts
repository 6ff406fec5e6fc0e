import { z } from 'zod';
import { SEVERITIES } from '../../../core/exposure/exposure.ts';
import { endpoint } from '../_endpoint.ts';
import { number, text } from '../_inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  input: z.object({
    state: z.enum(['open', 'fixed', 'all']).default('open'),
    text: text(200).optional(),
    space: text(400).optional(),
    source: text(200).optional(),
    severity: z.enum(SEVERITIES).optional(),
    sort: z.enum(['points', 'weight', 'reach', 'name']).default('points'),
    limit: number.max(500).default(200),
    offset: number.default(0),
  }),
  run: ({ app, input }) => app.findings.list(input),
});
