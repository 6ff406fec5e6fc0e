import { endpoint } from '../_endpoint.ts';
import { signInSettingsForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';

/** How one signs in here. */
export const GET = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => Promise.resolve(app.accounts.settings),
});

export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: signInSettingsForm,
  run: ({ app, input, account }) => app.accounts.setSettings(input, account.address),
});
