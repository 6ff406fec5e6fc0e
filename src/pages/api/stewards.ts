import { endpoint } from './_endpoint.ts';
import { nothing } from '../../dto/inputs.ts';

/** To whom findings can be given. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.accounts.stewards(),
});
