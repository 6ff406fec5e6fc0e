import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';
import { STARTERS } from '../../../core/guard/starters.ts';

/** Policies to begin with. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: () => Promise.resolve([...STARTERS]),
});
