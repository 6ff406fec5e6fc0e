import { z } from 'zod';
import { FINDING_SORTS } from '../../../dto/exposure.ts';
import { endpoint } from '../_endpoint.ts';
import { findingFilter, limit, offset } from '../_inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: findingFilter.extend({
    sort: z.enum(FINDING_SORTS).default('points'),
    limit,
    offset,
    brief: z.stringbool().default(false),
  }),
  run: ({ app, input }) => app.findings.list(input),
});
