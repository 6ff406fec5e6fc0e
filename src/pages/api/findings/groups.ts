import { z } from 'zod';
import { FINDING_GROUPS } from '../../../services/dto.ts';
import { endpoint } from '../_endpoint.ts';
import { findingFilter } from '../_inputs.ts';

/** The findings that fit, in groups; one that has several of a kind is in each of their groups. */
export const GET = endpoint({
  role: 'auditor',
  input: findingFilter.extend({ by: z.enum(FINDING_GROUPS) }),
  run: async ({ app, input: { by, ...filter } }) => {
    const groups = await app.findings.groups(filter, by);
    return { groups: groups.slice(0, 1000), total: groups.length };
  },
});
