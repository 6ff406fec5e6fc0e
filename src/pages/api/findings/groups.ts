import { z } from 'zod';
import { FINDING_GROUPS } from '../../../dto/exposure.ts';
import { endpoint } from '../_endpoint.ts';
import { findingFilter } from '../../../dto/inputs.ts';

/** The findings that fit, in groups; one that has several of a kind is in each of their groups. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: findingFilter.extend({ by: z.enum(FINDING_GROUPS) }),
  run: ({ app, input: { by, ...filter } }) => app.findings.groups(filter, by),
});
