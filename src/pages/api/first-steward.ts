import { endpoint } from './_endpoint.ts';
import { firstStewardForm } from '../../dto/forms.ts';

export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: firstStewardForm,
  run: ({ app, input }) =>
    app.accounts.makeFirst(input.code.trim(), input.name, input.address, input.password),
});
