import { endpoint } from '../_endpoint.ts';
import { registryForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';

/** Whether the domains to which apps answer are registered, and where that is looked up. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.appDomains.page(),
});

/** Says where registrations are looked up, or that they are not. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: registryForm,
  run: ({ app, input, account }) => app.appDomains.set(input.url || null, account.address),
});
